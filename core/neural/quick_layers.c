#include "quick_layers.h"

#include <fftw3.h>
#include <string.h>

#include "network_trap.h"

enum { kMostNeurons = 128, kMostInputs = 256, kPoints = 960, kOutOfBounds = 1 };
enum { kTanh, kSigmoid, kRectifier };

static fftwf_plan plan;
static int wide; /* the processor has AVX2 and FMA, and they are wanted */

static uint8_t* at(uint8_t* memory, size_t size, uint32_t address, size_t bytes) {
    if (address > size || bytes > size - address) reed_network_trap(kOutOfBounds);
    return memory + address;
}

static uint32_t word(const uint8_t* p, int index) {
    uint32_t out;
    memcpy(&out, p + 4 * index, sizeof out);
    return out;
}

/* Everything below is compiled twice on x86-64: as the build is (any processor), and for AVX2 with FMA. */
#define BOTH static inline __attribute__((always_inline))

/* exp(x) for |x| < 87, relative error below 3e-7: 2^n by its bits, the rest by the exponential series. */
BOTH float exponential(float x) {
    const float kRound = 12582912.0f; /* adding 1.5 * 2^23 rounds to whole numbers */
    const float scaled = x * 1.44269504f;
    const float whole = (scaled + kRound) - kRound;
    const float f = (scaled - whole) * 0.69314718f;
    const float series =
        1.0f +
        f * (1.0f +
             f * (0.5f + f * (1.0f / 6 + f * (1.0f / 24 + f * (1.0f / 120 + f * (1.0f / 720 + f / 5040))))));
    const int32_t bits = ((int32_t)whole + 127) * (1 << 23);
    float power;
    memcpy(&power, &bits, sizeof power);
    return series * power;
}

/* The network's activations end at +-1 from 8 on. */
BOTH float hyperbolic(float x) {
    const float limited = x < -8.0f ? -8.0f : x > 8.0f ? 8.0f : x;
    const float e = exponential(2.0f * limited);
    return (e - 1.0f) / (e + 1.0f);
}

BOTH void activate(float* x, int count, uint32_t activation) {
    if (activation == kTanh) {
        for (int i = 0; i < count; ++i) x[i] = hyperbolic(x[i]);
    } else if (activation == kSigmoid) {
        for (int i = 0; i < count; ++i) x[i] = 0.5f + 0.5f * hyperbolic(0.5f * x[i]);
    } else if (activation == kRectifier) {
        for (int i = 0; i < count; ++i) x[i] = x[i] > 0.0f ? x[i] : 0.0f;
    } else {
        reed_network_trap(kOutOfBounds);
    }
}

/* sums[n] += weights[i][n] * inputs[i]; `stride` weights from row to row. Two rows at a time. */
BOTH void accumulate(float* restrict sums, const int8_t* restrict weights, int stride, int count,
                     const float* restrict inputs, int rows) {
    int i = 0;
    for (; i + 1 < rows; i += 2) {
        const int8_t* restrict row = weights + (size_t)i * (size_t)stride;
        const int8_t* restrict next = row + stride;
        const float a = inputs[i], b = inputs[i + 1];
        for (int n = 0; n < count; ++n) sums[n] += (float)row[n] * a + (float)next[n] * b;
    }
    for (; i < rows; ++i) {
        const int8_t* restrict row = weights + (size_t)i * (size_t)stride;
        for (int n = 0; n < count; ++n) sums[n] += (float)row[n] * inputs[i];
    }
}

static const float kWeight = 1.0f / 256.0f;

BOTH void recurrent(const int8_t* bias, const int8_t* from_input, const int8_t* from_state, int inputs,
                    int neurons, uint32_t activation, float* state, const float* input) {
    float gate[3 * kMostNeurons];
    float remembered[kMostNeurons];
    float candidate[kMostNeurons];
    const int row = 3 * neurons;
    for (int n = 0; n < row; ++n) gate[n] = bias[n];
    accumulate(gate, from_input, row, row, input, inputs);
    accumulate(gate, from_state, row, 2 * neurons, state, neurons); /* update and reset */
    for (int n = 0; n < 2 * neurons; ++n) gate[n] *= kWeight;
    activate(gate, 2 * neurons, kSigmoid);
    for (int n = 0; n < neurons; ++n) remembered[n] = state[n] * gate[neurons + n];
    memcpy(candidate, gate + 2 * neurons, (size_t)neurons * sizeof(float));
    accumulate(candidate, from_state + 2 * neurons, row, neurons, remembered, neurons);
    for (int n = 0; n < neurons; ++n) candidate[n] *= kWeight;
    activate(candidate, neurons, activation);
    for (int n = 0; n < neurons; ++n) state[n] = gate[n] * state[n] + (1.0f - gate[n]) * candidate[n];
}

BOTH void dense(const int8_t* bias, const int8_t* weights, int inputs, int neurons, uint32_t activation,
                float* output, const float* input) {
    float sums[kMostNeurons];
    for (int n = 0; n < neurons; ++n) sums[n] = bias[n];
    accumulate(sums, weights, neurons, neurons, input, inputs);
    for (int n = 0; n < neurons; ++n) sums[n] *= kWeight;
    activate(sums, neurons, activation);
    memcpy(output, sums, (size_t)neurons * sizeof(float));
}

BOTH void correlation(const float* restrict x, const float* restrict y, float* restrict out, int length,
                      int lags) {
    enum { kTogether = 48 }; /* enough sums under way to hide how long one addition takes */
    int lag = 0;
    for (; lag + kTogether <= lags; lag += kTogether) {
        float sums[kTogether] = {0};
        for (int i = 0; i < length; ++i) {
            for (int k = 0; k < kTogether; ++k) sums[k] += x[i] * y[i + lag + k];
        }
        memcpy(out + lag, sums, sizeof sums);
    }
    for (; lag < lags; ++lag) {
        float sum = 0.0f;
        for (int i = 0; i < length; ++i) sum += x[i] * y[i + lag];
        out[lag] = sum;
    }
}

#if defined(__x86_64__)
#define WIDE __attribute__((target("avx2,fma")))
WIDE static void wide_recurrent(const int8_t* b, const int8_t* wi, const int8_t* ws, int inputs, int neurons,
                                uint32_t activation, float* state, const float* input) {
    recurrent(b, wi, ws, inputs, neurons, activation, state, input);
}
WIDE static void wide_dense(const int8_t* b, const int8_t* w, int inputs, int neurons, uint32_t activation,
                            float* output, const float* input) {
    dense(b, w, inputs, neurons, activation, output, input);
}
WIDE static void wide_correlation(const float* x, const float* y, float* out, int length, int lags) {
    correlation(x, y, out, length, lags);
}
static int has_wide(void) {
    return __builtin_cpu_supports("avx2") && __builtin_cpu_supports("fma");
}
#else
#define wide_recurrent recurrent
#define wide_dense dense
#define wide_correlation correlation
static int has_wide(void) {
    return 0;
}
#endif

int reed_quick_prepare(void) {
    if (plan == NULL) {
        wide = has_wide();
        fftwf_complex* in = fftwf_alloc_complex(kPoints);
        fftwf_complex* out = fftwf_alloc_complex(kPoints);
        if (in != NULL && out != NULL)
            plan = fftwf_plan_dft_1d(kPoints, in, out, FFTW_FORWARD, FFTW_ESTIMATE | FFTW_UNALIGNED);
        fftwf_free(in);
        fftwf_free(out);
    }
    return plan != NULL;
}

void reed_quick_use_best(int best) {
    wide = best && has_wide();
}

void reed_quick_recurrent(uint8_t* memory, size_t size, uint32_t layer, uint32_t state, uint32_t input) {
    const uint8_t* l = at(memory, size, layer, 24);
    const uint32_t inputs = word(l, 3), neurons = word(l, 4), activation = word(l, 5);
    if (neurons == 0) return;
    if (inputs > kMostInputs || neurons > kMostNeurons) reed_network_trap(kOutOfBounds);
    const size_t row = 3 * (size_t)neurons;
    const int8_t* bias = (const int8_t*)at(memory, size, word(l, 0), row);
    const int8_t* from_input = (const int8_t*)at(memory, size, word(l, 1), row * inputs);
    const int8_t* from_state = (const int8_t*)at(memory, size, word(l, 2), row * neurons);
    float* held = (float*)at(memory, size, state, neurons * sizeof(float));
    const float* in = (const float*)at(memory, size, input, inputs * sizeof(float));
    (wide ? wide_recurrent : recurrent)(bias, from_input, from_state, (int)inputs, (int)neurons, activation,
                                        held, in);
}

void reed_quick_dense(uint8_t* memory, size_t size, uint32_t layer, uint32_t output, uint32_t input) {
    const uint8_t* l = at(memory, size, layer, 20);
    const uint32_t inputs = word(l, 2), neurons = word(l, 3), activation = word(l, 4);
    if (inputs > kMostInputs || neurons > kMostNeurons) reed_network_trap(kOutOfBounds);
    const int8_t* bias = (const int8_t*)at(memory, size, word(l, 0), neurons);
    const int8_t* weights = (const int8_t*)at(memory, size, word(l, 1), (size_t)neurons * inputs);
    float* out = (float*)at(memory, size, output, neurons * sizeof(float));
    const float* in = (const float*)at(memory, size, input, inputs * sizeof(float));
    (wide ? wide_dense : dense)(bias, weights, (int)inputs, (int)neurons, activation, out, in);
}

void reed_quick_transform(uint8_t* memory, size_t size, uint32_t setup, uint32_t in, uint32_t out) {
    if (word(at(memory, size, setup, 4), 0) != kPoints || plan == NULL) reed_network_trap(kOutOfBounds);
    fftwf_complex* from = (fftwf_complex*)at(memory, size, in, kPoints * sizeof(fftwf_complex));
    fftwf_complex* to = (fftwf_complex*)at(memory, size, out, kPoints * sizeof(fftwf_complex));
    fftwf_execute_dft(plan, from, to);
    float* scaled = (float*)to;
    for (int i = 0; i < 2 * kPoints; ++i) scaled[i] *= 1.0f / kPoints;
}

void reed_quick_correlation(uint8_t* memory, size_t size, uint32_t x, uint32_t y, uint32_t out,
                            int32_t length, int32_t lags) {
    if (length < 0 || lags <= 0) return;
    if (length > (1 << 16) || lags > (1 << 16)) reed_network_trap(kOutOfBounds);
    const float* a = (const float*)at(memory, size, x, (size_t)length * sizeof(float));
    const float* b = (const float*)at(memory, size, y, ((size_t)length + (size_t)lags - 1) * sizeof(float));
    float* to = (float*)at(memory, size, out, (size_t)lags * sizeof(float));
    (wide ? wide_correlation : correlation)(a, b, to, length, lags);
}
