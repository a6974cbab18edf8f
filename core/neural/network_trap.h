/* Where the generated code goes when it can't go on; ends in reed_network_frame() of the same thread. */
#ifndef REED_NETWORK_TRAP_H
#define REED_NETWORK_TRAP_H
__attribute__((noreturn)) void reed_network_trap(int code);
#endif
