// Flushes denormal numbers to zero on the audio thread; they slow float arithmetic by an order of magnitude.
#pragma once

#if defined(__SSE__) || defined(__x86_64__)
#include <xmmintrin.h>
#endif
#include <cstdint>

namespace reed {

/// Sets flush-to-zero and denormals-are-zero during its lifetime, then restores the previous mode.
class FlushToZero {
  public:
#if defined(__SSE__) || defined(__x86_64__)
    FlushToZero() : saved_(_mm_getcsr()) {
        _mm_setcsr(saved_ | 0x8040U);
    }
    ~FlushToZero() {
        _mm_setcsr(saved_);
    }
#elif defined(__aarch64__)
    FlushToZero() {
        asm volatile("mrs %0, fpcr" : "=r"(saved_));
        asm volatile("msr fpcr, %0" ::"r"(saved_ | (1ULL << 24)));
    }
    ~FlushToZero() {
        asm volatile("msr fpcr, %0" ::"r"(saved_));
    }
#else
    FlushToZero() = default;
#endif
    FlushToZero(const FlushToZero&) = delete;
    FlushToZero& operator=(const FlushToZero&) = delete;

  private:
#if defined(__aarch64__)
    std::uint64_t saved_ = 0;
#else
    unsigned saved_ = 0;
#endif
};

}  // namespace reed
