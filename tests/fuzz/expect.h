// An expectation that ends the fuzzer when it does not hold.
#pragma once

#include <cstdio>
#include <cstdlib>

inline void expect(bool holds, const char* what) {
    if (holds) return;
    std::fprintf(stderr, "does not hold: %s\n", what);
    std::abort();
}
