// Short-time Fourier processing with overlap-add.
#pragma once

#include <complex>
#include <span>
#include <vector>

#include "dsp/fourier.h"
#include "dsp/frame_adapter.h"

namespace reed {

/// Frames of `length` samples with 75 % overlap and root-Hann windows for analysis and synthesis: unchanged
/// spectra give the input, delayed by `length` samples.
class OverlapAdd {
  public:
    /// `length`: a multiple of 4.
    explicit OverlapAdd(int length) : fourier_(length), shape_(root_hann(length)) {
        history_.assign(static_cast<size_t>(length), 0.0f);
        sum_.assign(static_cast<size_t>(length), 0.0f);
        adapter_.prepare(length / 4);
    }
    int bins() const { return fourier_.bins(); }
    int latency() const { return fourier_.length(); }
    void reset() {
        std::fill(history_.begin(), history_.end(), 0.0f);
        std::fill(sum_.begin(), sum_.end(), 0.0f);
        adapter_.reset();
    }

    /// hear(const float* hop, int count) gets the input since the previous frame; work(std::span<
    /// std::complex<float>> bins) then changes the spectrum of the frame that ends with it. `out` may be
    /// `in`.
    template <typename Hear, typename Work>
    void process(const float* in, float* out, int frames, Hear hear, Work work) {
        adapter_.process(in, out, frames, [&](float* hop) {
            hear(hop, adapter_.delay());
            step(hop, work);
        });
    }
    /// Copies the state of `other`, of the same length. Does not allocate.
    void follow(const OverlapAdd& other) {
        std::copy(other.history_.begin(), other.history_.end(), history_.begin());
        std::copy(other.sum_.begin(), other.sum_.end(), sum_.begin());
        adapter_.follow(other.adapter_);
    }

  private:
    template <typename Work>
    void step(float* hop, Work work) {
        const size_t length = history_.size();
        const size_t quarter = length / 4;
        std::copy(history_.begin() + static_cast<std::ptrdiff_t>(quarter), history_.end(), history_.begin());
        std::copy_n(hop, quarter, history_.end() - static_cast<std::ptrdiff_t>(quarter));
        const auto frame = fourier_.samples();
        for (size_t i = 0; i < length; ++i) frame[i] = history_[i] * shape_[i];
        fourier_.forward();
        work(fourier_.spectrum());
        fourier_.inverse();
        // The squares of the four root-Hann windows over each sample sum to two.
        for (size_t i = 0; i < length; ++i) sum_[i] += 0.5f * frame[i] * shape_[i];
        std::copy_n(sum_.begin(), quarter, hop);
        std::copy(sum_.begin() + static_cast<std::ptrdiff_t>(quarter), sum_.end(), sum_.begin());
        std::fill(sum_.end() - static_cast<std::ptrdiff_t>(quarter), sum_.end(), 0.0f);
    }

    Fourier fourier_;
    std::vector<float> shape_, history_, sum_;
    FrameAdapter adapter_;
};

}  // namespace reed
