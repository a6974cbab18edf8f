#include "network_host.h"

#include <setjmp.h>
#include <stdlib.h>
#include <string.h>

#include "network.h"
#include "network_trap.h"
#ifndef REED_PLAIN_NETWORK
#include "quick_layers.h"
#endif

enum {
    kFrame = 480,
    kFrameBytes = kFrame * sizeof(float),
    kStateBytes = 18492, /* of its own structure; the last three words are addresses of the layers' states */
    kLayers = 3,
    kMemory = 1 << 24,
    kHeard = 254, /* the way out once the gains are known */
    kTrapBroken = 253,
    kTrapUnknown = 255
};

struct ReedNetwork {
    Z_network_instance_t instance;
    u32 state, in, out; /* addresses inside the instance's memory */
    float* gains;       /* where they are wanted instead of the sound */
    float voice;
    int broken;
};

/* RFC 6716, table 55, in steps of 200 Hz. */
static const unsigned char kBands[kReedNetworkBands] = {0,  1,  2,  3,  4,  5,  6,  7,  8,  10, 12,
                                                        14, 16, 20, 24, 28, 34, 40, 48, 60, 78, 100};

float reed_network_band_hz(int band) {
    return 200.0f * kBands[band];
}

static _Thread_local jmp_buf* landing;

void reed_network_trap(int code) {
    if (landing == NULL) abort(); /* only reed_network_* run generated code, and they set it */
    _longjmp(*landing, code != 0 ? code : kTrapUnknown);
}

static float float_at(const ReedNetwork* n, u32 address) {
    float out;
    memcpy(&out, n->instance.w2c_memory.data + (address & REED_NETWORK_MASK), sizeof out);
    return out;
}

static u32 word_at(const ReedNetwork* n, u32 address) {
    u32 out;
    memcpy(&out, n->instance.w2c_memory.data + (address & REED_NETWORK_MASK), sizeof out);
    return out;
}

void reed_network_heard(struct Z_env_instance_t* env, u32 gains, u32 voice) {
    ReedNetwork* n = (ReedNetwork*)env;
    if (n->gains == NULL) return;
    for (u32 k = 0; k < kReedNetworkBands; ++k) n->gains[k] = float_at(n, gains + 4 * k);
    n->voice = float_at(n, voice);
    reed_network_trap(kHeard);
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
#ifndef REED_PLAIN_NETWORK
    if (!reed_quick_prepare()) return NULL;
#endif
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
    wasm_rt_memory_t* memory = &((ReedNetwork*)n)->instance.w2c_memory;
    u8* roomier = memory->size == kMemory ? realloc(memory->data, kMemory + REED_NETWORK_SLACK) : NULL;
    if (roomier == NULL) reed_network_trap(kTrapUnknown);
    memset(roomier + kMemory, 0, REED_NETWORK_SLACK);
    memory->data = roomier;
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

/* Runs a frame; gains or sound. */
static int run(ReedNetwork* n, const float* in, float* gains, float* voice) {
    jmp_buf here;
    const u32 stack = n->instance.w2c_g0;
    landing = &here;
    const int trap = _setjmp(here);
    if (trap == 0) {
        if (n->broken) reed_network_trap(kTrapBroken);
        n->gains = gains;
        memcpy(n->instance.w2c_memory.data + n->in, in, kFrameBytes);
        *voice = Z_networkZ_rnnoise_process_frame(&n->instance, n->state, n->out, n->in);
        /* Silence is not judged; nothing of it is voice. */
        if (gains != NULL) memset(gains, 0, kReedNetworkBands * sizeof(float));
    }
    landing = NULL;
    n->instance.w2c_g0 = stack;
    if (trap != kHeard) return trap;
    *voice = n->voice;
    return 0;
}

int reed_network_frame(ReedNetwork* n, const float* in, float* out, float* voice) {
    const int trap = run(n, in, NULL, voice);
    if (trap == 0) memcpy(out, n->instance.w2c_memory.data + n->out, kFrameBytes);
    return trap;
}

int reed_network_gains(ReedNetwork* n, const float* in, float* gains, float* voice) {
    return run(n, in, gains, voice);
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

int reed_network_copy(ReedNetwork* to, const ReedNetwork* from) {
    u8* a = to->instance.w2c_memory.data;
    const u8* b = from->instance.w2c_memory.data;
    if (to->state > kMemory - kStateBytes || from->state > kMemory - kStateBytes) return kTrapUnknown;
    /* The model: its fields 2, 4 and 6 are the layers' sizes. */
    const u32 ends = kStateBytes - 4 * (kLayers + 1);
    const u32 model = word_at(from, from->state + ends);
    if (model != word_at(to, to->state + ends)) return kTrapUnknown;
    for (u32 k = 0; k < kLayers; ++k) {
        const u32 bytes = 4 * word_at(from, model + 8 * (k + 1));
        const u32 at = word_at(to, to->state + ends + 4 * (k + 1));
        const u32 of = word_at(from, from->state + ends + 4 * (k + 1));
        if (bytes > kStateBytes || at > kMemory - bytes || of > kMemory - bytes) return kTrapUnknown;
        memcpy(a + at, b + of, bytes);
    }
    memcpy(a + to->state, b + from->state, ends);
    return 0;
}

void reed_network_break(ReedNetwork* n) {
    n->broken = 1;
}
