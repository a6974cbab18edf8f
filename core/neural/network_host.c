#include "network_host.h"

#include <setjmp.h>
#include <stdlib.h>
#include <string.h>

#include "network.h"
#include "network_trap.h"

enum { kFrame = 480, kFrameBytes = kFrame * sizeof(float), kTrapUnknown = 255 };

struct ReedNetwork {
    Z_network_instance_t instance;
    u32 state, in, out; /* addresses inside the instance's memory */
};

static _Thread_local jmp_buf* landing;

void reed_network_trap(int code) {
    if (landing == NULL) abort(); /* only reed_network_* run generated code, and they set it */
    _longjmp(*landing, code != 0 ? code : kTrapUnknown);
}

/* What the generated code asks of its surroundings. */
void Z_envZ___assert_fail(struct Z_env_instance_t* env, u32 what, u32 file, u32 line, u32 function) {
    (void)env, (void)what, (void)file, (void)line, (void)function;
    reed_network_trap(WASM_RT_TRAP_UNREACHABLE);
}
u32 Z_envZ_emscripten_resize_heap(struct Z_env_instance_t* env, u32 size) {
    (void)env, (void)size;
    return 0; /* its first memory is plenty; growing would mean taking memory on the audio thread */
}
u32 Z_envZ_emscripten_memcpy_big(struct Z_env_instance_t* env, u32 to, u32 from, u32 count) {
    /* `env` is the instance itself, see reed_network_new(). */
    wasm_rt_memory_t* memory = &((ReedNetwork*)env)->instance.w2c_memory;
    if ((uint64_t)to + count > memory->size || (uint64_t)from + count > memory->size)
        reed_network_trap(WASM_RT_TRAP_OOB);
    memmove(memory->data + to, memory->data + from, count);
    return to;
}

static int start(ReedNetwork* n) {
    n->state = Z_networkZ_rnnoise_create(&n->instance, 0);
    return n->state == 0;
}

ReedNetwork* reed_network_new(void) {
    static int module_ready; /* the caller keeps calls of this function apart */
    ReedNetwork* volatile n = NULL;
    void* enough = malloc(20 << 20); /* the runtime does not check its own allocation of 16 MiB */
    if (enough == NULL) return NULL;
    free(enough);
    n = calloc(1, sizeof(ReedNetwork));
    if (n == NULL) return NULL;
    jmp_buf here;
    landing = &here;
    if (_setjmp(here) != 0) {
        landing = NULL;
        reed_network_free(n);
        return NULL;
    }
    if (!module_ready) {
        Z_network_init_module();
        module_ready = 1;
    }
    Z_network_instantiate((Z_network_instance_t*)&n->instance, (struct Z_env_instance_t*)n);
    Z_networkZ_emscripten_stack_init((Z_network_instance_t*)&n->instance);
    Z_networkZ___wasm_call_ctors((Z_network_instance_t*)&n->instance);
    n->in = Z_networkZ_malloc((Z_network_instance_t*)&n->instance, kFrameBytes);
    n->out = Z_networkZ_malloc((Z_network_instance_t*)&n->instance, kFrameBytes);
    const int failed = n->in == 0 || n->out == 0 || start(n) ||
                       Z_networkZ_rnnoise_get_frame_size((Z_network_instance_t*)&n->instance) != kFrame;
    landing = NULL;
    if (failed) {
        reed_network_free(n);
        return NULL;
    }
    return n;
}

void reed_network_free(ReedNetwork* n) {
    if (n == NULL) return;
    if (n->instance.w2c_memory.data != NULL) Z_network_free(&n->instance);
    free(n);
}

int reed_network_frame(ReedNetwork* n, const float* in, float* out, float* voice) {
    jmp_buf here;
    landing = &here;
    const int trap = _setjmp(here);
    if (trap != 0) {
        landing = NULL;
        return trap;
    }
    memcpy(n->instance.w2c_memory.data + n->in, in, kFrameBytes);
    *voice = Z_networkZ_rnnoise_process_frame(&n->instance, n->state, n->out, n->in);
    memcpy(out, n->instance.w2c_memory.data + n->out, kFrameBytes);
    landing = NULL;
    return 0;
}

int reed_network_restart(ReedNetwork* n) {
    jmp_buf here;
    landing = &here;
    const int trap = _setjmp(here);
    if (trap == 0) {
        Z_networkZ_rnnoise_destroy(&n->instance, n->state);
        const int failed = start(n);
        landing = NULL;
        return failed;
    }
    landing = NULL;
    return trap;
}

void reed_network_break(ReedNetwork* n) {
    n->state = 0xfffffff0u;
}
