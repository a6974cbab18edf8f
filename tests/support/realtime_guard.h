// Counts what the audio thread must not do: allocations, frees and locks.
#pragma once

namespace reed::test {

/// While one lives, malloc, calloc, realloc, free and pthread_mutex_lock on this thread are counted.
class RealtimeGuard {
  public:
    RealtimeGuard();
    ~RealtimeGuard();
    int allocations() const;
    int locks() const;
};

}  // namespace reed::test
