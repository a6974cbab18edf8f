/* Where the generated code goes when it can't go on, and where it tells what it has found; both end in the
   reed_network_* function of the same thread that called it. */
#ifndef REED_NETWORK_TRAP_H
#define REED_NETWORK_TRAP_H
#include <stdint.h>

/* Its memory is 16 MiB; every address is cut to that, and kSlack bytes behind take what begins at the end. */
#define REED_NETWORK_MASK 0xffffffu
#define REED_NETWORK_SLACK 16

__attribute__((noreturn)) void reed_network_trap(int code);
struct Z_env_instance_t;
/* `gains` and `voice`: addresses in its memory. Does not return when nobody wants the sound. */
void reed_network_heard(struct Z_env_instance_t* env, uint32_t gains, uint32_t voice);
#endif
