#include "soundcheck/equalizer_moves.h"

#include <algorithm>
#include <cmath>

#include "base/decibel.h"
#include "stages/equalizer.h"

namespace reed {
namespace {

constexpr double kMostMove = 4.0, kLeastMove = 1.0;  // dB

}  // namespace

std::vector<EqualizerMove> equalizer_moves(const SoundcheckFacts& facts) {
    std::vector<EqualizerMove> all;
    const auto consider = [&](std::string_view id, const std::optional<double>& differs, FilterType type,
                              double frequency, double q, bool may_lift) {
        if (!differs || std::abs(*differs) <= kToneTolerance) return;
        // Half of what goes beyond what voices differ anyway.
        const double beyond = *differs > 0.0 ? *differs - kToneTolerance : *differs + kToneTolerance;
        const double by = half_decibels(std::clamp(-0.5 * beyond, -kMostMove, kMostMove));
        if (std::abs(by) < kLeastMove || (by > 0.0 && !may_lift)) return;
        all.push_back({id, {type, frequency, by, q, 12}, *differs});
    };
    // What is lifted lifts the noise there too: only where speech stands clear of it.
    const auto clear = [&](double from, double to) {
        const size_t first = third_octave_of(from);
        const size_t last = third_octave_of(to);
        return sum_of_bands(facts.spectrum, first, last) >
               sum_of_bands(facts.noise.spectrum, first, last) + 18.0;
    };
    const double pitch = facts.pitch ? facts.pitch->median : 140.0;
    consider("body", facts.tone.body, FilterType::low_shelf, std::clamp(1.6 * pitch, 160.0, 300.0), 0.71,
             clear(160, 250));
    consider("boxiness", facts.tone.boxiness, FilterType::bell, 450.0, 1.0, false);
    consider("presence", facts.tone.presence, FilterType::bell, 3500.0, 0.8, clear(2500, 5000));
    consider("brightness", facts.tone.hiss, FilterType::high_shelf, 7000.0, 0.71, clear(6300, 10000));
    for (const Resonance& r : facts.resonances) {
        if (r.height < kResonanceHeight) continue;
        all.push_back(
            {"resonance",
             {FilterType::bell, std::round(r.frequency), -half_decibels(std::min(kMostMove, 0.4 * r.height)),
              std::clamp(r.width, 1.0, 8.0), 12},
             r.height});
    }
    std::ranges::stable_sort(all, std::greater<>(),
                             [](const EqualizerMove& m) { return std::abs(m.band.gain_db); });
    if (all.size() > 4) all.resize(4);
    std::ranges::sort(all, {}, [](const EqualizerMove& m) { return m.band.frequency; });
    return all;
}

Finding reason_of(const EqualizerMove& m) {
    std::string_view words;
    if (m.id == "resonance") {
        words = "A resonance at {1} stands {0} dB above what is around it.";
    } else if (m.id == "body") {
        words = m.differs > 0.0 ? "{0} dB more than average speech between 160 and 250 Hz."
                                : "{0} dB less than average speech between 160 and 250 Hz.";
    } else if (m.id == "boxiness") {
        words = "{0} dB more than average speech between 315 and 630 Hz.";
    } else if (m.id == "presence") {
        words = m.differs > 0.0 ? "{0} dB more than average speech between 2.5 and 5 kHz."
                                : "{0} dB less than average speech between 2.5 and 5 kHz.";
    } else {
        words = m.differs > 0.0 ? "{0} dB more than average speech above 6 kHz."
                                : "{0} dB less than average speech above 6 kHz.";
    }
    std::vector<Quantity> quantities{{std::abs(m.differs), Unit::decibel, 0}};
    if (m.id == "resonance") quantities.push_back({m.band.frequency, Unit::hertz, 0});
    return {m.id, FindingTone::neutral, words, std::move(quantities), {}};
}

std::string_view effect_of(const EqualizerMove& m) {
    const bool lifts = m.band.gain_db > 0.0;
    if (m.id == "resonance") return "One note rings less.";
    if (m.id == "body") return lifts ? "The voice has more body." : "The voice booms less.";
    if (m.id == "boxiness") return "The voice sounds less boxy.";
    if (m.id == "presence") return lifts ? "Consonants are clearer." : "The voice is less harsh.";
    return lifts ? "The voice is brighter." : "The voice hisses less.";
}

void set_band(StageSpec& equalizer, int band, const BandSettings& b) {
    const auto row = [band](BandParameter p) { return static_cast<size_t>(band * kBandParameters + p); };
    equalizer.values[row(kBandOn)] = 1.0;
    equalizer.values[row(kBandType)] = static_cast<double>(b.type);
    equalizer.values[row(kBandFrequency)] = b.frequency;
    equalizer.values[row(kBandGain)] = b.gain_db;
    equalizer.values[row(kBandQ)] = b.q;
    equalizer.values[row(kBandSlope)] = static_cast<double>(b.slope) / 6.0 - 1.0;
}

int bands_on(const StageSpec& equalizer) {
    int on = 0;
    for (int b = 0; b < kEqualizerBands; ++b)
        on += equalizer.values[static_cast<size_t>(b * kBandParameters + kBandOn)] != 0.0 ? 1 : 0;
    return on;
}

}  // namespace reed
