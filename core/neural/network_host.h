/* The suppression network as plain C: one instance is one channel's network with memory of its own. */
#ifndef REED_NETWORK_HOST_H
#define REED_NETWORK_HOST_H
#ifdef __cplusplus
extern "C" {
#endif

typedef struct ReedNetwork ReedNetwork; /* NOLINT(modernize-use-using): C as well */

/* Gains per frame: band k is centred on reed_network_band_hz(k) and fades out to its neighbours' centres. */
enum { kReedNetworkBands = 22 };
/* Hz, 0 to 20000; the bands the ear's width of Opus (IETF RFC 6716, section 4.3, table 55, in steps of 200
 * Hz). */
float reed_network_band_hz(int band);

/* Takes all memory it will ever need. NULL when there is not enough or the network refuses to start. FFTW's
   planner must not be used on another thread meanwhile. */
ReedNetwork* reed_network_new(void);
void reed_network_free(ReedNetwork* network);

/* 480 samples at 48 kHz, scaled to +-32768, in and out; `voice` gets the probability of speech, 0 to 1. The
   sound in `out` lags 480 samples behind. 0 when done; otherwise the code of the trap, and `out` is
   untouched. No memory, no system call. */
int reed_network_frame(ReedNetwork* network, const float* in, float* out, float* voice);

/* What it would do to the 960 samples that end with `in`, without doing it: `gains` gets kReedNetworkBands
   factors, 0 to 1. An instance is asked either for sound or for gains, not in turn. Otherwise as above. */
int reed_network_gains(ReedNetwork* network, const float* in, float* gains, float* voice);

/* Forgets all it has heard. 0 when done. No memory is taken outside the instance. */
int reed_network_restart(ReedNetwork* network);

/* `to` has heard from now on what `from` has. 0 when done, no memory, no system call. */
int reed_network_copy(ReedNetwork* to, const ReedNetwork* from);

/* For tests: makes every further frame trap, as damaged state would. */
void reed_network_break(ReedNetwork* network);

#ifdef __cplusplus
}
#endif
#endif
