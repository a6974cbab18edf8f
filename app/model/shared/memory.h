// What was freed goes back to the system.
#pragma once

#include <malloc.h>

namespace reed::ui {

/// At the start of the program. Sound is kept in blocks of megabytes that come and go with strips, chains and
/// takes. By itself the C library stops giving such blocks back after the first one was freed (its mmap
/// threshold follows the largest, up to 32 MB; mallopt(3)), and the gaps between them stay in the program.
inline void returnLargeBlocks() {
    constexpr int kLarge = 256 * 1024;  // bytes
    mallopt(M_MMAP_THRESHOLD, kLarge);
    mallopt(M_TRIM_THRESHOLD, kLarge);
}

/// Gives back what small blocks have left free: some milliseconds. Not on the window's thread or the audio
/// thread.
inline void returnSmallBlocks() {
    malloc_trim(0);
}

}  // namespace reed::ui
