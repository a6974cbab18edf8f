#include "dsp/resample.h"

#include <soxr.h>

#include <algorithm>
#include <cmath>

namespace reed {
namespace {
struct Delete {
    void operator()(soxr* s) const { soxr_delete(s); }
};
}  // namespace

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

struct Resampler::State {
    std::unique_ptr<soxr, Delete> handle;
};

Resampler::Resampler(double from, double to) : state_(std::make_unique<State>()) {
    const soxr_io_spec_t io = soxr_io_spec(SOXR_FLOAT32_I, SOXR_FLOAT32_I);
    const soxr_quality_spec_t quality = soxr_quality_spec(SOXR_HQ, 0);
    const soxr_runtime_spec_t one_thread = soxr_runtime_spec(1);
    state_->handle.reset(soxr_create(from, to, 1, nullptr, &io, &quality, &one_thread));
}
Resampler::~Resampler() = default;
Resampler::Resampler(Resampler&&) noexcept = default;
Resampler& Resampler::operator=(Resampler&&) noexcept = default;

int Resampler::process(const float* in, int count, float* out, int room) {
    size_t taken = 0;
    size_t done = 0;
    soxr_process(state_->handle.get(), in, static_cast<size_t>(count), &taken, out, static_cast<size_t>(room),
                 &done);
    return static_cast<int>(done);
}

}  // namespace reed
