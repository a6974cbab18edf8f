// Multiband compressor: two to four bands, each with its own compressor.
#pragma once

#include <array>
#include <span>

#include "stages/stage.h"

namespace reed {

inline constexpr int kMaxMultibandBands = 4;

/// Rows of the table: number of bands, crossover frequencies, common values; then those of band r (0 to 3)
/// from multiband_row(r) on.
enum MultibandRow { kRangeCount, kMeets1, kMeets2, kMeets3, kRangeKnee, kRangeListen, kFirstRange };
enum MultibandParameter {
    kRangeThreshold,
    kRangeRatio,
    kRangeAttack,
    kRangeRelease,
    kRangeGain,
    kRangeParameters
};
constexpr size_t multiband_row(int range, MultibandParameter parameter) {
    return static_cast<size_t>(kFirstRange + range * kRangeParameters + parameter);
}

/// Crossovers of Linkwitz and Riley (crossover.h), which sum to an all-pass: flat within 0.1 dB without
/// reduction, at any rate. Level: mean square over the attack, 3 to 20 ms, longer for lower bands; dBFS
/// (AES17). Curve and ballistics as in the compressor (JAES tutorial of 2012). No latency.
/// Readouts 2 r and 2 r + 1: level of band r in dBFS, and its gain reduction in dB.
extern const StageKind kMultibandStage;

/// Number of bands, 2 to 4.
int range_count(std::span<const double> values);

/// Crossover frequencies in Hz; the first range_count() - 1 are used. Ascending, each at least 1/3 octave
/// above the previous one, for any values.
std::array<double, kMaxMultibandBands - 1> crossover_frequencies(std::span<const double> values);

}  // namespace reed
