// Ten sliders at octave distance: another way to set the same equalizer.
#pragma once

#include <array>
#include <optional>
#include <span>

namespace reed {

inline constexpr int kOctaves = 10;
/// The sliders use the last ten bands of the equalizer; the first six stay for the curve.
inline constexpr int kFirstOctaveBand = 6;
/// Sliders reach this far, in dB either way.
inline constexpr double kOctaveRange = 12.0;

/// Exact mid-band frequency of slider `i` (0 to 9) in Hz: octave bands of base ten, IEC 61260-1:2014,
/// clause 5 (31.6 Hz to 15.8 kHz). ISO 266 names them 31.5 Hz to 16 kHz.
double octave_frequency(int i);
/// "31.5", "63", ... "16k".
const char* octave_name(int i);

using GraphicEqGains = std::array<double, kOctaves>;

/// Sets the ten bands so that their response together passes through the sliders (dB, clamped to the range):
/// the gain of every bell allows for what its neighbours add. `values`: the equalizer's, changed in place.
void set_graphic_eq(std::span<double> values, const GraphicEqGains& sliders, double sample_rate);

/// Where the sliders stand, read back from the bands' response. Nothing when one of the ten bands is used for
/// something else, so that moving a slider would destroy it. All off: all zero.
std::optional<GraphicEqGains> graphic_eq_gains(std::span<const double> values, double sample_rate);

}  // namespace reed
