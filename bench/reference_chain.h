// The comparable chain of a general-purpose library: FFmpeg's libavfilter.
#pragma once

#include <vector>

namespace reed::bench {

/// Seconds of processing time for `x` (mono float; copied to every channel) in blocks of `block` frames.
/// `filters` is a libavfilter chain. Negative when the library refuses it.
double time_reference(const char* filters, const std::vector<float>& x, int rate, int channels, int block);

}  // namespace reed::bench
