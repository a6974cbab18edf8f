#include "measure/voice_pitch.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "dsp/pitch_detector.h"

namespace reed {
namespace {

constexpr double kStep = 0.010;         // s
constexpr double kNeighbour = 1.2;      // ratio
constexpr double kLeastSeconds = 0.5;   // of voiced sound
constexpr float kQuietVoice = 0.0016f;  // of the loudest piece's mean square: 28 dB below is no vowel

}  // namespace

std::optional<PitchRange> pitch_range(std::span<const float> sound, double sample_rate) {
    PitchDetector detector;
    detector.prepare(sample_rate);
    const auto step = static_cast<size_t>(std::lround(kStep * sample_rate));
    std::vector<double> pitch;
    std::vector<float> power;
    std::vector<float> piece(step);
    for (size_t at = 0; at + step <= sound.size(); at += step) {
        std::copy_n(sound.begin() + static_cast<std::ptrdiff_t>(at), step, piece.begin());
        float sum = 0.0f;
        for (const float x : piece) sum += x * x;
        detector.add(piece.data(), static_cast<int>(step));
        const double period = detector.find();
        pitch.push_back(period > 0.0 ? sample_rate / period : 0.0);
        power.push_back(sum);
    }
    if (pitch.empty()) return std::nullopt;
    const float least = kQuietVoice * *std::ranges::max_element(power);
    const auto near = [](double a, double b) {
        return a > 0.0 && b > 0.0 && a < kNeighbour * b && b < kNeighbour * a;
    };
    std::vector<double> voiced;
    for (size_t i = 0; i < pitch.size(); ++i) {
        if (pitch[i] <= 0.0 || power[i] < least) continue;
        const bool before = i > 0 && near(pitch[i], pitch[i - 1]);
        const bool after = i + 1 < pitch.size() && near(pitch[i], pitch[i + 1]);
        if (before || after) voiced.push_back(pitch[i]);
    }
    if (static_cast<double>(voiced.size()) * kStep < kLeastSeconds) return std::nullopt;
    std::ranges::sort(voiced);
    const auto at = [&](double share) {
        return voiced[static_cast<size_t>(share * static_cast<double>(voiced.size() - 1))];
    };
    return PitchRange{at(0.05), at(0.50), at(0.95), static_cast<double>(voiced.size()) * kStep};
}

}  // namespace reed
