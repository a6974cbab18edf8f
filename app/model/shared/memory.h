// Returns freed memory to the system.
#pragma once

#include <malloc.h>

namespace reed::ui {

/// Makes the C library return large blocks when they are freed. Call once at the start of the program.
/// Strips, chains and takes hold audio in blocks of megabytes. By default the C library stops returning such
/// blocks after the first one was freed, because its mmap threshold follows the largest one up to 32 MB
/// (mallopt(3)).
inline void returnLargeBlocks() {
    constexpr int kLarge = 256 * 1024;  // bytes
    mallopt(M_MMAP_THRESHOLD, kLarge);
    mallopt(M_TRIM_THRESHOLD, kLarge);
}

/// Returns pages that freed small blocks have left unused. Takes some milliseconds: neither on the GUI thread
/// nor on the audio thread.
inline void returnSmallBlocks() {
    malloc_trim(0);
}

}  // namespace reed::ui
