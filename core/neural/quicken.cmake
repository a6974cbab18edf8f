# Changes what wasm2c has made of the network (cmake -DIN= -DOUT= -P): memory accesses wrap around inside the
# network's 16 MiB instead of being compared, the functions that take most of the time call quick_layers.h, and
# the gains are told before they are applied. A function is recognised by what it is (the hash of its text with
# the numbers of other functions left out); one that is not is told of and stays as it was generated.
cmake_policy(SET CMP0053 NEW)
file(READ ${IN} text)

function(part_of name)  # out: `body` and `head` of a function, empty when there is none
  set(body "" PARENT_SCOPE)
  string(FIND "${text}" "static void ${name}(Z_network_instance_t* instance, " from)
  if(from EQUAL -1)
    return()
  endif()
  string(SUBSTRING "${text}" ${from} -1 rest)
  string(FIND "${rest}" "{\n" open)
  string(FIND "${rest}" "\n}\n" close)
  math(EXPR open "${open} + 2")
  math(EXPR length "${close} - ${open} + 1")
  string(SUBSTRING "${rest}" ${open} ${length} found)
  string(SUBSTRING "${rest}" 0 ${open} start)
  set(body "${found}" PARENT_SCOPE)
  set(head "${start}" PARENT_SCOPE)
endfunction()

# name, hash, call
function(take_ours what name hash call)
  part_of(${name})
  string(REGEX REPLACE "w2c_f[0-9]+\\(" "f(" plain "${body}")
  string(SHA256 is "${plain}")
  if(NOT is STREQUAL hash)
    message("The network's ${what} is not the one that is known (${name}: ${is}); the generated one is used, which is slower.")
    return()
  endif()
  string(REPLACE "${head}${body}" "${head}  ${call};\n" text "${text}")
  set(text "${text}" PARENT_SCOPE)
endfunction()

set(memory "instance->w2c_memory.data, instance->w2c_memory.size")
set(three "w2c_p0, w2c_p1, w2c_p2")
take_ours("recurrent layer" w2c_f41 eebe878361c3d7f2ca86208820694c6fba6265bf36e2cd4ad6e2f503566c30cc "reed_quick_recurrent(${memory}, ${three})")
take_ours("dense layer" w2c_f40 84049bd076d26d68552cf64994caeb07c15f5aed3978d03143b7acead26d1e39 "reed_quick_dense(${memory}, ${three})")
take_ours("transform" w2c_f31 4f5b4ea43cd1fd872b28901bd60f83d81ca0408e54935d10d3ae52ec82d8ac8e "reed_quick_transform(${memory}, ${three})")
take_ours("correlation" w2c_f36 598c35d80a3c29969531dcd27077cafc1f49253f411c317192de45fae6d6ea5b "reed_quick_correlation(${memory}, ${three}, (s32)w2c_p3, (s32)w2c_p4)")

set(check "#define MEMCHECK(mem, a, t) RANGE_CHECK(mem, a, sizeof(t))")
string(FIND "${text}" "${check}" found)
if(found EQUAL -1)
  message("The generated code checks its memory in a way that is not known; the check stays, which is slower.")
else()
  string(REPLACE "${check}" "#define MEMCHECK(mem, a, t) (a) &= REED_NETWORK_MASK;" text "${text}")
endif()

# Where the frame's gains have just been found.
set(call "  w2c_f42(instance, w2c_i0, w2c_i1, w2c_i2, w2c_i3);\n")
string(REGEX MATCHALL "w2c_f42\\(instance, w2c_i0" calls "${text}")
list(LENGTH calls count)
if(NOT count EQUAL 1)
  message(FATAL_ERROR "The place where the network has its gains is not there; tools/npm pins the package this was written for.")
endif()
string(REPLACE "${call}" "${call}  reed_network_heard(instance->Z_env_instance, w2c_i1, w2c_i2);\n" text "${text}")

string(REPLACE "#include \"network.h\"\n" "#include \"network.h\"\n#include \"network_trap.h\"\n#include \"quick_layers.h\"\n" text "${text}")
file(WRITE ${OUT} "${text}")
