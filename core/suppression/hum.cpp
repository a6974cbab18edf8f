#include "suppression/hum.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

#include "base/decibel.h"
#include "dsp/fourier.h"

namespace reed {
namespace {

constexpr double kProminent = 10.0;  // dB above the spectrum beside it
constexpr double kReach = 0.006;     // mains may be this far off, as a share
constexpr double kDrift = 0.0002;    // tones of one hum agree within this share
constexpr double kLeastSeconds = 2.0;
constexpr double kMostSeconds = 10.0;

/// Power spectrum of the sound with a Hann window; a bin is `hz` wide.
struct Spectrum {
    std::vector<double> power;
    double hz = 1.0;
    double scale = 1.0;  // power of a peak (three bins) to mean square of its tone
};

Spectrum power_spectrum(std::span<const float> sound, double rate) {
    // Half as long, so that tones must last; both halves are looked at by the caller.
    const int n = static_cast<int>(sound.size()) / 2 * 2;
    Fourier fourier(n);
    const auto x = fourier.samples();
    double window_power = 0.0;
    for (int i = 0; i < n; ++i) {
        const double w = 0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * i / n);
        window_power += w * w;
        x[static_cast<size_t>(i)] = static_cast<float>(w * sound[static_cast<size_t>(i)]);
    }
    fourier.forward();
    Spectrum out;
    out.hz = rate / n;
    out.scale = 2.0 / (n * window_power);
    for (const auto& y : fourier.spectrum()) out.power.push_back(std::norm(y));
    return out;
}

struct Peak {
    double frequency = 0.0, prominence = 0.0, mean_square = 0.0;
};

/// The highest peak within `reach` Hz of `frequency`, against the median of the spectrum beside it.
Peak peak_near(const Spectrum& s, double frequency, double reach) {
    const auto bin = [&](double f) {
        return static_cast<size_t>(
            std::clamp(std::lround(f / s.hz), 2L, static_cast<long>(s.power.size()) - 3));
    };
    Peak out;
    const size_t first = bin(frequency - reach);
    const size_t last = bin(frequency + reach);
    const auto top =
        static_cast<size_t>(std::max_element(s.power.begin() + static_cast<std::ptrdiff_t>(first),
                                             s.power.begin() + static_cast<std::ptrdiff_t>(last) + 1) -
                            s.power.begin());
    std::vector<double> beside;
    const double gap = std::max(2.0, 4.0 * s.hz);
    for (size_t k = bin(frequency - 18.0); k <= bin(frequency + 18.0); ++k) {
        if (std::abs(static_cast<double>(k) - static_cast<double>(top)) * s.hz > gap)
            beside.push_back(s.power[k]);
    }
    std::nth_element(beside.begin(), beside.begin() + static_cast<std::ptrdiff_t>(beside.size() / 2),
                     beside.end());
    const double floor = beside[beside.size() / 2] + 1e-30;
    // Height and place between the bins by a parabola through the decibels.
    const double a = std::log(s.power[top - 1] + 1e-30);
    const double b = std::log(s.power[top] + 1e-30);
    const double c = std::log(s.power[top + 1] + 1e-30);
    const double bend = a - 2.0 * b + c;
    const double shift = bend < 0.0 ? std::clamp(0.5 * (a - c) / bend, -0.5, 0.5) : 0.0;
    out.frequency = (static_cast<double>(top) + shift) * s.hz;
    out.prominence = 10.0 * std::log10((s.power[top] + 1e-30) / floor);
    out.mean_square = (s.power[top - 1] + s.power[top] + s.power[top + 1]) * s.scale;
    return out;
}

struct Row {
    std::vector<Peak> peaks;
    int standing = 0;
    double strength = 0.0;
};

/// True when the tone stands in both halves as well.
bool lasting(const Spectrum& first, const Spectrum& second, double frequency, double reach) {
    return peak_near(first, frequency, reach).prominence >= kProminent - 4.0 &&
           peak_near(second, frequency, reach).prominence >= kProminent - 4.0;
}

/// The tones of `base` that stand out in both halves and belong together: chance peaks of noise stand at odd
/// places, multiples of the mains do not.
Row row_of(const Spectrum& all, const Spectrum& first, const Spectrum& second, double base) {
    const double highest = 0.4 * all.hz * static_cast<double>(2 * all.power.size());
    Peak anchor;
    double root = base;
    for (int n = 1; n <= kMaxHumHarmonics && n * base <= highest; ++n) {
        const Peak p = peak_near(all, n * base, std::max(kReach * n * base, 1.0));
        if (p.prominence <= anchor.prominence) continue;
        if (!lasting(first, second, p.frequency, 2.0 * first.hz)) continue;
        anchor = p;
        root = p.frequency / n;
    }
    Row out;
    for (int n = 1; n <= kMaxHumHarmonics && n * root <= highest; ++n) {
        const double f = n * root;
        Peak p = peak_near(all, f, 1.5 * all.hz + kDrift * f);
        if (p.prominence >= kProminent && lasting(first, second, f, 2.0 * first.hz + kDrift * f)) {
            ++out.standing;
            out.strength += p.prominence;
        } else {
            p.prominence = 0.0;
        }
        out.peaks.push_back(p);
    }
    return out;
}

}  // namespace

std::optional<Hum> find_hum(std::span<const float> sound, double sample_rate) {
    if (static_cast<double>(sound.size()) < kLeastSeconds * sample_rate) return std::nullopt;
    sound = sound.last(std::min(sound.size(), static_cast<size_t>(kMostSeconds * sample_rate)));
    const Spectrum all = power_spectrum(sound, sample_rate);
    const Spectrum first = power_spectrum(sound.first(sound.size() / 2), sample_rate);
    const Spectrum second = power_spectrum(sound.last(sound.size() / 2), sample_rate);
    Row best;
    for (const double base : {50.0, 60.0}) {
        Row row = row_of(all, first, second, base);
        const bool has_root = row.peaks[0].prominence > 0.0 || row.peaks[1].prominence > 0.0;
        if (has_root && row.standing >= 2 && row.strength > best.strength) best = std::move(row);
    }
    if (best.standing == 0) return std::nullopt;
    Hum out;
    double weighted = 0.0;
    double weight = 0.0;
    double mean_square = 0.0;
    for (size_t i = 0; i < best.peaks.size(); ++i) {
        const Peak& p = best.peaks[i];
        if (p.prominence <= 0.0) continue;
        const double n = static_cast<double>(i + 1);
        // The n-th harmonic gives the frequency n times as exactly.
        weighted += n * n * (p.frequency / n);
        weight += n * n;
        out.tones = static_cast<int>(i + 1);
        out.prominence = std::max(out.prominence, p.prominence);
        mean_square += p.mean_square;
    }
    out.frequency = weighted / weight;
    out.level = mean_square_to_dbfs(mean_square);
    return out;
}

Sections HumNotches::section(int tone) const {
    const double f = (tone + 1) * frequency_.sub_block_value();
    if (f > 0.45 * rate_) {
        Sections through;
        through.count = 1;
        return through;
    }
    BandSettings notch;
    notch.type = FilterType::notch;
    notch.frequency = f;
    notch.q = f / hum_notch_width(tone + 1);
    return design(notch, rate_);
}

void HumNotches::prepare(double sample_rate, double frequency, int tones) {
    rate_ = sample_rate;
    begin(frequency, tones);
}

void HumNotches::begin(double frequency, int tones) {
    frequency_.prepare(rate_, 0.020, frequency);
    for (int i = 0; i < kMaxHumHarmonics; ++i) {
        Tone& tone = tones_[static_cast<size_t>(i)];
        tone.wet.prepare(rate_, 0.020, i < tones ? 1.0 : 0.0);
        tone.runner.snap(section(i));
    }
    reset();
}

void HumNotches::set(double frequency, int tones) {
    frequency_.set(frequency);
    frequency_.begin_sub_block();
    for (int i = 0; i < kMaxHumHarmonics; ++i) {
        Tone& tone = tones_[static_cast<size_t>(i)];
        const bool was_used = tone.used();
        tone.wet.set(i < tones ? 1.0 : 0.0);
        tone.wet.begin_sub_block();
        if (!tone.used()) continue;
        if (!was_used) {  // with nothing of before ringing in it
            tone.runner.snap(section(i));
            tone.runner.reset();
        } else if (frequency_.moving()) {
            tone.runner.glide(section(i));
        } else {
            tone.runner.hold();
        }
    }
}

void HumNotches::process(const AudioBlock& block) {
    // Always in one order: each notch rings on in what those before it leave.
    BiquadCascade* still[kMaxHumHarmonics];
    int count = 0;
    const auto flush = [&] {
        if (count > 0) BiquadCascade::process_still(still, count, block);
        count = 0;
    };
    for (Tone& tone : tones_) {
        if (!tone.used()) continue;
        if (tone.still()) {
            still[count++] = &tone.runner;
            continue;
        }
        flush();
        float dry[kMaxChannels][kSubBlock];
        const int channels = std::min(block.channels, kMaxChannels);
        for (int c = 0; c < channels; ++c) std::copy_n(block[c], block.frames, dry[c]);
        tone.runner.process(block);
        for (int i = 0; i < block.frames; ++i) {
            const float wet = tone.wet.next();
            for (int c = 0; c < channels; ++c) block[c][i] = dry[c][i] + wet * (block[c][i] - dry[c][i]);
        }
    }
    flush();
}

void HumNotches::reset() {
    for (auto& tone : tones_) tone.runner.reset();
}

}  // namespace reed
