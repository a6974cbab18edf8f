#include "dsp/fourier.h"

#include <fftw3.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace reed {
namespace {
/// FFTW's planner is the one part of it that may not run on two threads at once.
std::mutex& planner() {
    static std::mutex m;
    return m;
}
}  // namespace

int fast_length(int frames) {
    for (int n = std::max(4, (frames + 3) / 4 * 4);; n += 4) {
        int rest = n;
        for (const int factor : {2, 3, 5, 7}) {
            while (rest % factor == 0) rest /= factor;
        }
        if (rest == 1) return n;
    }
}

struct Fourier::Plans {
    explicit Plans(int n) : length(n) {
        samples = fftwf_alloc_real(static_cast<size_t>(n));
        spectrum = fftwf_alloc_complex(static_cast<size_t>(n / 2 + 1));
        std::fill_n(samples, n, 0.0f);
        std::fill_n(&spectrum[0][0], 2 * (n / 2 + 1), 0.0f);
        const std::lock_guard lock(planner());
        forward = fftwf_plan_dft_r2c_1d(n, samples, spectrum, FFTW_ESTIMATE);
        inverse = fftwf_plan_dft_c2r_1d(n, spectrum, samples, FFTW_ESTIMATE);
    }
    ~Plans() {
        {
            const std::lock_guard lock(planner());
            fftwf_destroy_plan(forward);
            fftwf_destroy_plan(inverse);
        }
        fftwf_free(samples);
        fftwf_free(spectrum);
    }
    Plans(const Plans&) = delete;
    Plans& operator=(const Plans&) = delete;

    int length;
    float* samples;
    fftwf_complex* spectrum;
    fftwf_plan forward, inverse;
};

Fourier::Fourier(int length) : plans_(std::make_unique<Plans>(length)) {}
Fourier::~Fourier() = default;
Fourier::Fourier(Fourier&&) noexcept = default;
Fourier& Fourier::operator=(Fourier&&) noexcept = default;

int Fourier::length() const {
    return plans_->length;
}

std::span<float> Fourier::samples() {
    return {plans_->samples, static_cast<size_t>(plans_->length)};
}

std::span<std::complex<float>> Fourier::spectrum() {
    // std::complex<float> and fftwf_complex are the same two floats (FFTW manual, "Complex numbers").
    return {reinterpret_cast<std::complex<float>*>(plans_->spectrum), static_cast<size_t>(bins())};
}

void Fourier::forward() {
    fftwf_execute(plans_->forward);
}

void Fourier::inverse() {
    fftwf_execute(plans_->inverse);
    const float scale = 1.0f / static_cast<float>(plans_->length);
    for (float& x : samples()) x *= scale;
}

std::unique_lock<std::mutex> fourier_planning() {
    return std::unique_lock(planner());
}

std::vector<float> root_hann(int length) {
    std::vector<float> out(static_cast<size_t>(length));
    for (int i = 0; i < length; ++i)
        out[static_cast<size_t>(i)] = static_cast<float>(std::sin(std::numbers::pi * i / length));
    return out;
}

}  // namespace reed
