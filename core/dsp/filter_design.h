// Design of second-order filters: analogue prototypes, and digital filters that match them up to high
// frequencies.
//
// Prototypes H(s): R. Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter coefficients"
// (W3C Note of 2021). The bilinear transform given there compresses the response towards the Nyquist
// frequency. Here the poles come from the impulse response of the prototype and the zeros from its magnitude
// at three frequencies: M. Vicanek, "Matched Second Order Digital Filters" (2016). Bells and shelves at high
// frequencies are then refined by least squares (filter_fit.h).
#pragma once

#include <array>
#include <complex>
#include <vector>

namespace reed {

/// The last one is for band solo and sidechains; it is no band type.
enum class FilterType { bell, low_shelf, high_shelf, low_cut, high_cut, notch, tilt, band_pass };

/// H(z) = (b0 + b1 z^-1 + b2 z^-2) / (1 + a1 z^-1 + a2 z^-2)
struct Biquad {
    double b0 = 1.0, b1 = 0.0, b2 = 0.0, a1 = 0.0, a2 = 0.0;

    /// Complex response at `frequency` Hz.
    std::complex<double> response(double frequency, double sample_rate) const;
};

/// H(s) = (n2 s^2 + n1 s + n0) / (d2 s^2 + d1 s + d0), s in units of the centre frequency.
struct Prototype {
    double n2 = 0.0, n1 = 0.0, n0 = 1.0, d2 = 0.0, d1 = 0.0, d0 = 1.0;
    double frequency = 1000.0;  ///< Hz of s = j

    std::complex<double> response(double frequency_hz) const;
};

/// Settings of a filter band.
struct BandSettings {
    FilterType type = FilterType::bell;
    double frequency = 1000.0;  ///< Hz, 20 to 20000
    double gain_db = 0.0;       ///< bell, shelves, tilt: -24 to 24
    double q = 0.7071;          ///< 0.1 to 30; not used by cuts steeper than 12 dB/octave and by tilt
    int slope = 12;             ///< cuts: 6, 12, 18, 24, 30, 36, 42 or 48 dB per octave

    bool operator==(const BandSettings&) const = default;
};

inline constexpr int kMaxSections = 4;

/// Up to four second-order sections in series.
struct Sections {
    std::array<Biquad, kMaxSections> biquads;
    int count = 0;

    std::complex<double> response(double frequency, double sample_rate) const;
};

/// The analogue prototype sections of a band; their product is the target response.
/// Cuts of 12 dB/octave use `q`; the other slopes are Butterworth (-3 dB at `frequency`).
std::vector<Prototype> prototypes(const BandSettings& band);

/// The digital filter of a band at `sample_rate` Hz. Frequencies at or above 0.49 of the sample rate are
/// treated as 0.49 of it. Does not allocate.
/// `rough` skips the refinement of bells and shelves (error up to 1.3 dB at high frequencies, a fraction of
/// the time), for filters with changing coefficients.
enum class Precision { exact, rough };
Sections design(const BandSettings& band, double sample_rate, Precision precision = Precision::exact);

}  // namespace reed
