// Multiband compressor: two to four ranges of the voice, each with a compressor of its own.
#pragma once

#include <array>
#include <span>

#include "stages/stage.h"

namespace reed {

inline constexpr int kMaxMultibandBands = 4;

/// Rows of the table: how many ranges there are, where they meet, and what all have in common; then those of
/// range r (0 to 3) from multiband_row(r) on.
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

/// Crossovers of Linkwitz and Riley (crossover.h), which add up to an all-pass: flat within 0.1 dB while
/// nothing is taken, at any rate. Level: mean square over the attack, 3 to 20 ms, the longer the lower the
/// range; dBFS (AES17). Curve and movement as in the compressor (JAES tutorial of 2012). No latency.
/// Readouts 2 r and 2 r + 1: level of range r, dBFS, and what is taken from it, dB.
extern const StageKind kMultibandStage;

/// How many ranges there are, 2 to 4.
int range_count(std::span<const double> values);

/// Where the ranges meet, Hz, the first range_count() - 1 of them: in order, each at least a third of an
/// octave above the one before, whatever the table says.
std::array<double, kMaxMultibandBands - 1> crossover_frequencies(std::span<const double> values);

}  // namespace reed
