#include "dsp/filter_design.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/filter_fit.h"

namespace reed {
namespace {

using std::numbers::pi;

/// Basis of squared magnitudes of a second-order polynomial in z (Vicanek, eq. 24).
struct Basis {
    double p0, p1, p2;
    explicit Basis(double w) {
        const double s = std::sin(0.5 * w);
        p1 = s * s;
        p0 = 1.0 - p1;
        p2 = 4.0 * p0 * p1;
    }
    double sum(double c0, double c1, double c2) const { return c0 * p0 + c1 * p1 + c2 * p2; }
};

struct Poles {
    double a1, a2;
    double c0() const { return (1.0 + a1 + a2) * (1.0 + a1 + a2); }
    double c1() const { return (1.0 - a1 + a2) * (1.0 - a1 + a2); }
    double c2() const { return -4.0 * a2; }
    double power(double w) const { return Basis(w).sum(c0(), c1(), c2()); }
};

/// Poles z = exp(s) of the prototype's (Vicanek, eq. 12); w0 in radians per sample.
Poles matched_poles(const Prototype& p, double w0) {
    const double damping = 0.5 * p.d1 / p.d2;  // s^2 + 2 damping s + natural^2
    const double natural2 = p.d0 / p.d2;
    const double inside = damping * damping - natural2;
    const double decay = std::exp(-damping * w0);
    if (inside <= 0.0) return {-2.0 * decay * std::cos(std::sqrt(-inside) * w0), decay * decay};
    const double spread = std::sqrt(inside);
    const double slow = std::exp((spread - damping) * w0);
    const double fast = std::exp((-spread - damping) * w0);
    return {-(slow + fast), slow * fast};
}

double squared_magnitude(const Prototype& p, double frequency) {
    return std::norm(p.response(frequency));
}

/// Zeros (minimum phase) of the numerator with squared magnitude c0 p0 + c1 p1 + c2 p2 (Vicanek, eq. 29).
Biquad from_powers(double c0, double c1, double c2, const Poles& poles) {
    const double r0 = std::sqrt(std::max(c0, 0.0));
    const double r1 = std::sqrt(std::max(c1, 0.0));
    const double w = 0.5 * (r0 + r1);
    Biquad out;
    out.b0 = 0.5 * (w + std::sqrt(std::max(w * w + c2, 0.0)));
    out.b1 = 0.5 * (r0 - r1);
    out.b2 = out.b0 > 0.0 ? -c2 / (4.0 * out.b0) : 0.0;
    out.a1 = poles.a1;
    out.a2 = poles.a2;
    return out;
}

/// Matches the prototype's magnitude at 0, at its own frequency and at half the sample rate.
Biquad match_three(const Prototype& p, double sample_rate) {
    const double w0 = 2.0 * pi * p.frequency / sample_rate;
    const Poles poles = matched_poles(p, w0);
    const double c0 = squared_magnitude(p, 0.0) * poles.c0();
    const double c1 = squared_magnitude(p, 0.5 * sample_rate) * poles.c1();
    const Basis at(w0);
    const double c2 = (squared_magnitude(p, p.frequency) * poles.power(w0) - c0 * at.p0 - c1 * at.p1) / at.p2;
    return from_powers(c0, c1, c2, poles);
}

/// Second-order low cut: two zeros at 0 Hz, magnitude right at the corner (Vicanek, eq. 38).
Biquad match_low_cut(const Prototype& p, double sample_rate) {
    const double w0 = 2.0 * pi * p.frequency / sample_rate;
    const Poles poles = matched_poles(p, w0);
    const double level = std::sqrt(squared_magnitude(p, p.frequency) * poles.power(w0));
    const double b = level / (4.0 * Basis(w0).p1);
    return {b, -2.0 * b, b, poles.a1, poles.a2};
}

/// First-order section: one pole, magnitude matched at 0 and at half the sample rate; for a low cut the
/// zero stands at 0 Hz and the magnitude is matched at the corner.
Biquad match_first_order(const Prototype& p, double sample_rate) {
    const double w0 = 2.0 * pi * p.frequency / sample_rate;
    Biquad out;
    out.a1 = -std::exp(-w0 * p.d0 / p.d1);
    const auto pole_power = [&](double w) { return 1.0 + out.a1 * out.a1 + 2.0 * out.a1 * std::cos(w); };
    if (p.n0 == 0.0) {
        out.b0 = std::sqrt(squared_magnitude(p, p.frequency) * pole_power(w0) / (2.0 - 2.0 * std::cos(w0)));
        out.b1 = -out.b0;
        return out;
    }
    const double at_zero = std::sqrt(squared_magnitude(p, 0.0)) * (1.0 + out.a1);
    const double at_top = std::sqrt(squared_magnitude(p, 0.5 * sample_rate)) * (1.0 - out.a1);
    out.b0 = 0.5 * (at_zero + at_top);
    out.b1 = 0.5 * (at_zero - at_top);
    return out;
}

/// Zeros on the unit circle at the notch, unity at 0 Hz.
Biquad match_notch(const Prototype& p, double sample_rate) {
    const double w0 = 2.0 * pi * p.frequency / sample_rate;
    const Poles poles = matched_poles(p, w0);
    const double scale = (1.0 + poles.a1 + poles.a2) / (2.0 - 2.0 * std::cos(w0));
    return {scale, -2.0 * std::cos(w0) * scale, scale, poles.a1, poles.a2};
}

Biquad inverted(const Biquad& f) {
    const double n = 1.0 / f.b0;
    return {n, f.a1 * n, f.a2 * n, f.b1 * n, f.b2 * n};
}

/// Q of section `i` of a Butterworth filter of `order`.
double butterworth_q(int order, int i) {
    return 0.5 / std::cos(pi * (2 * i + 1 + order % 2) / (2.0 * order));
}

Prototype shelf(const BandSettings& b, bool high, double q) {
    const double a = std::pow(10.0, b.gain_db / 40.0);
    const double s = std::sqrt(a) / q;
    Prototype p{a, a * s, a * a, a, s, 1.0, b.frequency};
    if (high) p = {a * a, a * s, a, 1.0, s, a, b.frequency};
    return p;
}

Prototype cut(const BandSettings& b, double q) {
    const double lp = b.type == FilterType::high_cut ? 1.0 : 0.0;
    return {1.0 - lp, 0.0, lp, 1.0, 1.0 / q, 1.0, b.frequency};
}

Prototype cut_first_order(const BandSettings& b) {
    const double lp = b.type == FilterType::high_cut ? 1.0 : 0.0;
    return {0.0, 1.0 - lp, lp, 0.0, 1.0, 1.0, b.frequency};
}

/// Calls `use` with every prototype section of the band, in order.
template <typename Use>
void each_prototype(const BandSettings& b, Use use) {
    const double a = std::pow(10.0, b.gain_db / 40.0);
    switch (b.type) {
        case FilterType::bell:
            use(Prototype{1.0, a / b.q, 1.0, 1.0, 1.0 / (a * b.q), 1.0, b.frequency});
            return;
        case FilterType::low_shelf:
            use(shelf(b, false, b.q));
            return;
        case FilterType::high_shelf:
            use(shelf(b, true, b.q));
            return;
        case FilterType::notch:
            use(Prototype{1.0, 0.0, 1.0, 1.0, 1.0 / b.q, 1.0, b.frequency});
            return;
        case FilterType::band_pass:
            use(Prototype{0.0, 1.0 / b.q, 0.0, 1.0, 1.0 / b.q, 1.0, b.frequency});
            return;
        case FilterType::tilt:
            // First-order: -gain/2 below, +gain/2 above, 0 dB at the frequency.
            use(Prototype{0.0, a, 1.0, 0.0, 1.0, a, b.frequency});
            return;
        case FilterType::low_cut:
        case FilterType::high_cut: {
            const int order = std::clamp(b.slope / 6, 1, 8);
            if (order == 2) {
                use(cut(b, b.q));
                return;
            }
            if (order % 2 == 1) use(cut_first_order(b));
            for (int i = 0; i < order / 2; ++i) use(cut(b, butterworth_q(order, i)));
            return;
        }
    }
}

Biquad digital(const Prototype& p, FilterType type, double sample_rate) {
    if (p.d2 == 0.0) return match_first_order(p, sample_rate);
    if (type == FilterType::low_cut) return match_low_cut(p, sample_rate);
    if (type == FilterType::notch) return match_notch(p, sample_rate);
    return match_three(p, sample_rate);
}

}  // namespace

std::complex<double> Biquad::response(double frequency, double sample_rate) const {
    const std::complex<double> z = std::polar(1.0, -2.0 * pi * frequency / sample_rate);
    return (b0 + z * (b1 + z * b2)) / (1.0 + z * (a1 + z * a2));
}

std::complex<double> Prototype::response(double frequency_hz) const {
    const std::complex<double> s(0.0, frequency_hz / frequency);
    return (n0 + s * (n1 + s * n2)) / (d0 + s * (d1 + s * d2));
}

std::complex<double> Sections::response(double frequency, double sample_rate) const {
    std::complex<double> out = 1.0;
    for (int i = 0; i < count; ++i) out *= biquads[static_cast<size_t>(i)].response(frequency, sample_rate);
    return out;
}

std::vector<Prototype> prototypes(const BandSettings& band) {
    std::vector<Prototype> out;
    each_prototype(band, [&](const Prototype& p) { out.push_back(p); });
    return out;
}

Sections design(const BandSettings& band, double sample_rate, Precision precision) {
    BandSettings b = band;
    b.frequency = std::min(b.frequency, 0.49 * sample_rate);
    // A cut of a bell or shelf is the exact inverse of the boost. Of the two, the one whose poles lie lower
    // is designed, and the other is that one turned over: bells and low shelves as boosts, high shelves as
    // cuts.
    const bool bell_or_shelf =
        b.type == FilterType::bell || b.type == FilterType::low_shelf || b.type == FilterType::high_shelf;
    const bool mirrored = bell_or_shelf && (b.gain_db < 0.0) != (b.type == FilterType::high_shelf);
    if (mirrored) b.gain_db = -b.gain_db;
    // Low down the match is good as it is; further up it is refined.
    const bool refined = precision == Precision::exact && bell_or_shelf && b.gain_db != 0.0 &&
                         b.frequency > 0.008 * sample_rate;
    Sections out;
    each_prototype(b, [&](const Prototype& p) {
        Biquad f = digital(p, b.type, sample_rate);
        if (refined) f = fit_magnitude(f, p, sample_rate);
        out.biquads[static_cast<size_t>(out.count++)] = mirrored ? inverted(f) : f;
    });
    return out;
}

}  // namespace reed
