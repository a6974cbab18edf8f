/* The suppression network as plain C: one instance is one channel's network with memory of its own. */
#ifndef REED_NETWORK_HOST_H
#define REED_NETWORK_HOST_H
#ifdef __cplusplus
extern "C" {
#endif

typedef struct ReedNetwork ReedNetwork;

/* Takes all memory it will ever need. NULL when there is not enough or the network refuses to start. */
ReedNetwork* reed_network_new(void);
void reed_network_free(ReedNetwork* network);

/* 480 samples at 48 kHz, scaled to +-32768, in and out; `voice` gets the probability of speech, 0 to 1.
   0 when done; otherwise the code of the trap, and `out` is untouched. No memory, no system call. */
int reed_network_frame(ReedNetwork* network, const float* in, float* out, float* voice);

/* Forgets all it has heard. 0 when done. No memory is taken outside the instance. */
int reed_network_restart(ReedNetwork* network);

/* For tests: makes every further frame trap, as damaged state would. */
void reed_network_break(ReedNetwork* network);

#ifdef __cplusplus
}
#endif
#endif
