#include "dsp/resample.h"

#include <soxr.h>

#include <cmath>

namespace reed {
std::vector<float> resample(const std::vector<float>& sound, double from, double to) {
    if (from == to || sound.empty()) return sound;
    std::vector<float> out(static_cast<size_t>(std::ceil(static_cast<double>(sound.size()) * to / from)));
    size_t done = 0;
    const soxr_io_spec_t io = soxr_io_spec(SOXR_FLOAT32_I, SOXR_FLOAT32_I);
    const soxr_quality_spec_t quality = soxr_quality_spec(SOXR_HQ, 0);
    soxr_oneshot(from, to, 1, sound.data(), sound.size(), nullptr, out.data(), out.size(), &done, &io,
                 &quality, nullptr);
    out.resize(done);
    return out;
}

}  // namespace reed
