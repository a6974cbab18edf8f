// Change of sample rate (libsoxr, its high quality: 20 bits, flat to 91 % of the lower half rate).
#pragma once

#include <memory>
#include <vector>

namespace reed {

/// The whole sound at once; sample n of the result stands at time n / `to`. Rates in Hz, above 0.
std::vector<float> resample(const std::vector<float>& sound, double from, double to);

/// Piece by piece. Takes memory when it is made and, in its first seconds, while it runs: run it in with
/// silence before the audio thread uses it.
class Resampler {
  public:
    Resampler(double from, double to);
    ~Resampler();
    Resampler(Resampler&&) noexcept;
    Resampler& operator=(Resampler&&) noexcept;

    /// Takes in all `count` samples and writes up to `room` to `out`; returns how many. Sample n of all that
    /// came out stands at time n / to: it holds sound back, but does not delay it.
    int process(const float* in, int count, float* out, int room);

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
