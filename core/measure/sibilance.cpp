#include "measure/sibilance.h"

#include <algorithm>
#include <cmath>

#include "base/decibel.h"
#include "dsp/biquad_cascade.h"
#include "measure/speech_level.h"

namespace reed {
namespace {

constexpr double kSharpFrom = 4000.0;  // Hz
constexpr double kPiece = 0.010;       // s
constexpr double kSharpest = 0.98;

}  // namespace

std::optional<double> sibilance(const std::vector<float>& sound, double sample_rate) {
    const auto speech = speech_level(sound, sample_rate);
    if (!speech) return std::nullopt;
    BiquadCascade sharp;
    sharp.snap(design({FilterType::low_cut, kSharpFrom, 0.0, 0.7071, 24}, sample_rate));
    const auto piece = static_cast<size_t>(std::lround(kPiece * sample_rate));
    std::vector<double> levels;
    for (size_t at = 0; at + piece <= sound.size(); at += piece) {
        double sum = 0.0;
        for (size_t i = at; i < at + piece; ++i) {
            const auto y = static_cast<double>(sharp.next(0, sound[i]));
            sum += y * y;
        }
        levels.push_back(mean_square_to_dbfs(sum / static_cast<double>(piece)));
    }
    if (levels.empty()) return std::nullopt;
    std::ranges::sort(levels);
    const auto at = static_cast<size_t>(kSharpest * static_cast<double>(levels.size() - 1));
    return levels[at] - speech->active_dbfs;
}

}  // namespace reed
