// Counts what the audio thread must not do: allocations, frees and locks.
#pragma once

namespace reed::test {

/// While one lives, malloc, calloc, realloc, free and pthread_mutex_lock on this thread are counted.
class RealtimeGuard {
  public:
    RealtimeGuard();
    ~RealtimeGuard();
    /// False under sanitizers, which bring a malloc of their own: then nothing is counted.
    static bool counts();
    int allocations() const;
    int locks() const;
};

}  // namespace reed::test
