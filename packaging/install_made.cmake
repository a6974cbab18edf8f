# Part of the installation: what is made from the programs themselves. Run by cmake --install and cpack.
set(at "$ENV{DESTDIR}${CMAKE_INSTALL_PREFIX}")

# made(FOLDER NAME TEXT): a file below the prefix; what ends in .gz is compressed, without a date in it.
function(made folder name text)
  string(REGEX REPLACE "\\.gz$" "" plain ${name})
  file(MAKE_DIRECTORY ${at}/${folder})
  file(WRITE ${at}/${folder}/${plain} "${text}")
  if(NOT plain STREQUAL name)
    execute_process(COMMAND gzip -9nf ${plain} WORKING_DIRECTORY ${at}/${folder} COMMAND_ERROR_IS_FATAL ANY)
  endif()
  message(STATUS "Installing: ${at}/${folder}/${name}")
endfunction()

# output_of(VARIABLE PROGRAM ARGUMENT...)
function(output_of variable)
  execute_process(COMMAND ${ARGN} OUTPUT_VARIABLE out COMMAND_ERROR_IS_FATAL ANY)
  set(${variable} "${out}" PARENT_SCOPE)
endfunction()

output_of(page ${REED_CLI} manual)
made(${REED_DATA}/man/man1 dusky-reed-cli.1.gz "${page}")
foreach(shell IN ITEMS "bash|bash-completion/completions|dusky-reed-cli" "zsh|zsh/vendor-completions|_dusky-reed-cli"
    "fish|fish/vendor_completions.d|dusky-reed-cli.fish")
  string(REPLACE "|" ";" shell ${shell})
  list(GET shell 0 which)
  list(GET shell 1 folder)
  list(GET shell 2 name)
  output_of(script ${REED_CLI} completion ${which})
  made(${REED_DATA}/${folder} ${name} "${script}")
endforeach()

# Each action as a paragraph of man(7): "mute-strip STRIP: Mute a strip".
output_of(ACTIONS ${REED_PROGRAM} --actions)
string(REPLACE "\\" "\\e" ACTIONS "${ACTIONS}")
string(REPLACE "-" "\\-" ACTIONS "${ACTIONS}")
string(REGEX REPLACE "([^ :\n]+)([^:\n]*): ([^\n]*)\n" ".TP\n\\\\fB\\1\\\\fR\\\\fI\\2\\\\fR\n\\3.\n" ACTIONS "${ACTIONS}")
string(REGEX REPLACE "\n$" "" ACTIONS "${ACTIONS}")
file(READ ${REED_SOURCE}/packaging/dusky-reed.1.in page)
string(CONFIGURE "${page}" page @ONLY)
made(${REED_DATA}/man/man1 dusky-reed.1.gz "${page}")

# Looked for here, not while configuring: ./demo needs it not.
find_program(REED_RSVG rsvg-convert)
if(REED_RSVG)
  foreach(size IN ITEMS 16 22 24 32 48 64 128 256 512)
    set(folder ${at}/${REED_DATA}/icons/hicolor/${size}x${size}/apps)
    file(MAKE_DIRECTORY ${folder})
    execute_process(COMMAND ${REED_RSVG} -w ${size} -h ${size} -o ${folder}/dusky-reed.png
      ${REED_SOURCE}/app/icons/dusky-reed.svg COMMAND_ERROR_IS_FATAL ANY)
  endforeach()
  message(STATUS "Installing: icons of 16 to 512 pixels")
endif()

# Only for the package: tools/package makes it.
if(EXISTS ${REED_MADE}/copyright)
  file(READ ${REED_MADE}/copyright text)
  made(${REED_DOC} copyright "${text}")
  file(READ ${REED_SOURCE}/packaging/changelog text)
  made(${REED_DOC} changelog.gz "${text}")
endif()
