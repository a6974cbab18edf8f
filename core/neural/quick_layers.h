/* The parts of the network that take most of its time, written for the processor at hand. They work in the
   network's own memory and put exactly what the generated code would put there, apart from rounding. */
#ifndef REED_QUICK_LAYERS_H
#define REED_QUICK_LAYERS_H
#include <stddef.h>
#include <stdint.h>
#ifdef __cplusplus
extern "C" {
#endif

/* Addresses are those of the network's memory of `size` bytes at `memory`; one outside it ends in
   reed_network_trap(). Any thread, no memory, no system call. */

/* Gated recurrent layer (K. Cho and others, "Learning phrase representations using RNN encoder-decoder",
   2014, equations 5 to 8). `layer`: addresses of bias, input weights and recurrent weights (signed bytes /
   256; a row per input, in it the update, reset and candidate gates of every neuron), number of inputs, of
   neurons, activation (0 tanh, 1 sigmoid, 2 rectifier). `state` is replaced; floats. */
void reed_quick_recurrent(uint8_t* memory, size_t size, uint32_t layer, uint32_t state, uint32_t input);
/* Fully connected layer. `layer`: addresses of bias and weights, numbers of inputs and neurons, activation.
 */
void reed_quick_dense(uint8_t* memory, size_t size, uint32_t layer, uint32_t output, uint32_t input);
/* Complex transform of 960 values over 960, FFTW. Other lengths trap. */
void reed_quick_transform(uint8_t* memory, size_t size, uint32_t setup, uint32_t in, uint32_t out);
/* out[lag] = sum over `length` of x[i] y[i + lag], for the first `lags` lags. */
void reed_quick_correlation(uint8_t* memory, size_t size, uint32_t x, uint32_t y, uint32_t out,
                            int32_t length, int32_t lags);

/* Finds out what the processor can do and plans the transform; once, before any of the above. The caller
   keeps FFTW's planner to itself meanwhile. 0 when there is not enough memory. */
int reed_quick_prepare(void);

/* For tests: 0 takes the form that runs everywhere, whatever the processor can do; 1 the best. */
void reed_quick_use_best(int best);

#ifdef __cplusplus
}
#endif
#endif
