#include "dsp/pitch_detector.h"

#include <algorithm>
#include <cmath>

namespace reed {
namespace {
constexpr double kCorner = 1500.0;  // Hz
constexpr double kRate = 12000.0;   // about: what is left is looked at so often
constexpr double kAlike = 0.12;     // of the normalised difference: surely a period
constexpr double kBegins = 0.20, kGoesOn = 0.35;
constexpr float kSilence = 1e-9f;  // mean square
}  // namespace

void PitchDetector::prepare(double sample_rate) {
    every_ = std::max(1, static_cast<int>(std::lround(sample_rate / kRate)));
    const double rate = sample_rate / every_;
    shortest_ = static_cast<size_t>(rate / kHighest);
    longest_ = static_cast<size_t>(std::ceil(rate / kLowest));
    sound_.assign(2 * longest_ + 2, 0.0f);
    differs_.assign(longest_ + 2, 1.0);
    low_.snap(design({FilterType::high_cut, kCorner, 0.0, 0.7071, 24}, sample_rate));
    reset();
}

void PitchDetector::reset() {
    std::fill(sound_.begin(), sound_.end(), 0.0f);
    low_.reset();
    counted_ = 0;
    voiced_ = false;
}

void PitchDetector::add(float* x, int frames) {
    low_.process({{x, nullptr}, 1, frames});
    for (int i = 0; i < frames; ++i) {
        if (++counted_ < every_) continue;
        counted_ = 0;
        std::copy(sound_.begin() + 1, sound_.end(), sound_.begin());
        sound_.back() = x[i];
    }
}

/// Of the newest stretch, as long as the longest period, from what came `lag` before.
double PitchDetector::difference(size_t lag) const {
    const float* now = sound_.data() + sound_.size() - longest_;
    const float* then = now - lag;
    float sums[8] = {};
    size_t i = 0;
    for (; i + 8 <= longest_; i += 8) {
        for (size_t k = 0; k < 8; ++k) {
            const float d = now[i + k] - then[i + k];
            sums[k] += d * d;
        }
    }
    float sum = 0.0f;
    for (; i < longest_; ++i) sum += (now[i] - then[i]) * (now[i] - then[i]);
    for (const float s : sums) sum += s;
    return static_cast<double>(sum);
}

double PitchDetector::find() {
    float power = 0.0f;
    for (size_t i = sound_.size() - longest_; i < sound_.size(); ++i) power += sound_[i] * sound_[i];
    if (power < kSilence * static_cast<float>(longest_)) {
        voiced_ = false;
        return 0.0;
    }
    double sum = 0.0;
    double lowest = 1e9;
    size_t found = 0, best = 0;
    const auto normal = [&](size_t lag) { return differs_[lag] * static_cast<double>(lag) / sum; };
    double before = 1.0;
    for (size_t lag = 1; lag <= longest_ + 1; ++lag) {
        differs_[lag] = difference(lag);
        sum += differs_[lag];
        if (sum <= 0.0) continue;
        const double now = normal(lag);
        if (found != 0 && now > before) break;  // the one before was the bottom
        if (lag >= shortest_ && lag <= longest_) {
            if (now < kAlike) found = lag;
            if (now < lowest) {
                lowest = now;
                best = lag;
            }
        }
        before = now;
    }
    if (found == 0 && lowest < (voiced_ ? kGoesOn : kBegins)) found = best;
    voiced_ = found != 0;
    if (!voiced_) return 0.0;
    if (found < 2 || found > longest_) return static_cast<double>(found) * every_;
    // Between the lags: the bottom of the parabola through three of them.
    const double left = differs_[found - 1];
    const double right = differs_[found + 1];
    const double bend = left - 2.0 * differs_[found] + right;
    const double off = bend > 0.0 ? std::clamp(0.5 * (left - right) / bend, -1.0, 1.0) : 0.0;
    return (static_cast<double>(found) + off) * every_;
}

}  // namespace reed
