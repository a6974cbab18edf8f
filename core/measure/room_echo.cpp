#include "measure/room_echo.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "base/decibel.h"
#include "dsp/biquad_cascade.h"
#include "dsp/filter_design.h"

namespace reed {
namespace {

constexpr double kStep = 0.005;            // s
constexpr double kSmooth = 0.015;          // s, of the level
constexpr double kFrom = 2.0, kTo = 10.0;  // dB below the top: where the line is fitted
constexpr double kRise = 1.5;              // dB; more ends a fall
constexpr double kAboveNoise = 6.0;        // dB: below, the fall is the noise's
constexpr size_t kLeastEnds = 3;
constexpr double kShare = 0.40;  // of the ends that fall faster

/// Levels in dBFS every kStep of the sound between 500 Hz and 4 kHz.
std::vector<double> band_levels(std::span<const float> sound, double rate) {
    BiquadCascade low;
    BiquadCascade high;
    low.snap(design({FilterType::low_cut, 500.0, 0.0, 0.7071, 24}, rate));
    high.snap(design({FilterType::high_cut, 4000.0, 0.0, 0.7071, 24}, rate));
    const auto step = static_cast<size_t>(std::lround(kStep * rate));
    std::vector<float> piece(step);
    std::vector<double> squares;
    for (size_t at = 0; at + step <= sound.size(); at += step) {
        std::copy_n(sound.begin() + static_cast<std::ptrdiff_t>(at), step, piece.begin());
        for (size_t done = 0; done < step;) {
            const int n = static_cast<int>(std::min<size_t>(kSubBlock, step - done));
            const AudioBlock block{{piece.data() + done, nullptr}, 1, n};
            low.process(block);
            high.process(block);
            done += static_cast<size_t>(n);
        }
        double sum = 0.0;
        for (const float x : piece) sum += static_cast<double>(x) * x;
        squares.push_back(sum / static_cast<double>(step));
    }
    const auto reach = static_cast<size_t>(std::lround(kSmooth / kStep));
    std::vector<double> out(squares.size());
    for (size_t i = 0; i < squares.size(); ++i) {
        double sum = 0.0;
        const size_t last = std::min(squares.size(), i + reach);
        for (size_t k = i; k < last; ++k) sum += squares[k];
        out[i] = mean_square_to_dbfs(sum / static_cast<double>(last - i));
    }
    return out;
}

/// Slope in dB per step by least squares over levels[first..last].
double slope(const std::vector<double>& levels, size_t first, size_t last) {
    const auto n = static_cast<double>(last - first + 1);
    double sx = 0.0;
    double sy = 0.0;
    double sxx = 0.0;
    double sxy = 0.0;
    for (size_t i = first; i <= last; ++i) {
        const auto x = static_cast<double>(i - first);
        sx += x;
        sy += levels[i];
        sxx += x * x;
        sxy += x * levels[i];
    }
    return (n * sxy - sx * sy) / (n * sxx - sx * sx);
}

}  // namespace

std::optional<RoomEcho> room_echo(std::span<const float> sound, double sample_rate) {
    const std::vector<double> level = band_levels(sound, sample_rate);
    if (level.empty()) return std::nullopt;
    std::vector<double> sorted = level;
    std::ranges::sort(sorted);
    const double noise = sorted[sorted.size() / 20];
    const double loud = sorted[sorted.size() * 95 / 100];
    std::vector<double> decays;
    for (size_t top = 1; top + 1 < level.size();) {
        // A local top that is speech, and how far it falls from there without rising again.
        if (level[top] < level[top - 1] || level[top] < loud - 20.0) {
            ++top;
            continue;
        }
        size_t end = top;
        double lowest = level[top];
        for (size_t i = top + 1; i < level.size() && level[i] < lowest + kRise; ++i) {
            if (level[i] < lowest) {
                lowest = level[i];
                end = i;
            }
            if (lowest < noise + kAboveNoise) break;
        }
        if (level[top] - lowest >= kTo) {
            size_t first = top;
            while (level[first] > level[top] - kFrom) ++first;
            size_t last = first;
            while (last < end && level[last] > level[top] - kTo) ++last;
            if (last > first + 1 && level[last] >= noise + kAboveNoise) {
                const double per_step = slope(level, first, last);
                if (per_step < 0.0) decays.push_back(-60.0 / per_step * kStep);
            }
        }
        top = std::max(end, top + 1);
    }
    if (decays.size() < kLeastEnds) return std::nullopt;
    std::ranges::sort(decays);
    RoomEcho out;
    out.offsets = decays.size();
    out.decay = decays[static_cast<size_t>(kShare * static_cast<double>(decays.size() - 1))];
    out.amount = out.decay >= kEchoHigh     ? EchoAmount::high
                 : out.decay >= kEchoMedium ? EchoAmount::medium
                                            : EchoAmount::low;
    return out;
}

}  // namespace reed
