// Graphic equalizer: ten octave sliders that set bands of the parametric equalizer.
#pragma once

#include <array>
#include <optional>
#include <span>

namespace reed {

inline constexpr int kOctaves = 10;
/// The sliders use the last ten bands of the equalizer; the first six remain for the curve.
inline constexpr int kFirstOctaveBand = 6;
/// Range of the sliders: +- dB.
inline constexpr double kOctaveRange = 12.0;

/// Exact mid-band frequency of slider `i` (0 to 9) in Hz: octave bands of base ten, IEC 61260-1:2014,
/// clause 5 (31.6 Hz to 15.8 kHz). ISO 266 names them 31.5 Hz to 16 kHz.
double octave_frequency(int i);
/// "31.5", "63", ... "16k".
const char* octave_name(int i);

using GraphicEqGains = std::array<double, kOctaves>;

/// Sets the ten bands so that their total response passes through the slider values (dB, clamped to the
/// range); the gain of each bell compensates for its neighbours. `values`: of the equalizer, changed in
/// place.
void set_graphic_eq(std::span<double> values, const GraphicEqGains& sliders, double sample_rate);

/// Slider values, computed from the response of the bands. Empty if one of the ten bands has another use,
/// which moving a slider would destroy. All zero if all bands are off.
std::optional<GraphicEqGains> graphic_eq_gains(std::span<const double> values, double sample_rate);

}  // namespace reed
