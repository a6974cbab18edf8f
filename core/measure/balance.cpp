#include "measure/balance.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace reed {
namespace {

constexpr double kAbsoluteGate = -70.0, kRelativeGate = -10.0;  // BS.1770-4, Annex 1

double energy(double lufs) {
    return std::pow(10.0, lufs / 10.0);
}

struct Mean {
    double sum = 0.0;
    size_t count = 0;
    void add(double lufs) {
        sum += energy(lufs);
        ++count;
    }
    std::optional<double> lufs() const {
        return count > 0 && sum > 0.0 ? std::optional(10.0 * std::log10(sum / static_cast<double>(count)))
                                      : std::nullopt;
    }
};

/// The level above which a moment counts.
double gate_of(const std::vector<double>& moments) {
    Mean mean;
    for (const double m : moments) {
        if (m > kAbsoluteGate) mean.add(m);
    }
    const auto all = mean.lufs();
    return all ? std::max(kAbsoluteGate, *all + kRelativeGate) : kAbsoluteGate;
}

std::vector<double> values_of(const LoudnessTrack& track, std::int64_t from, size_t count,
                              std::optional<double> LoudnessPoint::*which) {
    std::vector<double> out;
    const auto first = static_cast<size_t>(from - track.dropped());
    // Silence has no loudness; it counts as far below every gate.
    for (size_t i = first; i < first + count; ++i)
        out.push_back((track.points()[i].*which).value_or(2.0 * kAbsoluteGate));
    return out;
}

/// Of all moments above the gate.
std::optional<double> integrated(const std::vector<double>& moments, double gate) {
    Mean mean;
    for (const double m : moments) {
        if (m > gate) mean.add(m);
    }
    return mean.lufs();
}

}  // namespace

LoudnessTrack::LoudnessTrack(const StreamFormat& format, double seconds)
    : format_(format), meter_(format), most_(static_cast<size_t>(std::lround(seconds / kStep))) {}

void LoudnessTrack::add(const AudioBlock& block) {
    for (int done = 0; done < block.frames;) {
        const auto end = static_cast<std::int64_t>(
            std::llround(static_cast<double>(step_ + 1) * kStep * format_.sample_rate));
        const int n = static_cast<int>(std::min<std::int64_t>(block.frames - done, end - frames_));
        meter_.add(block.slice(done, n));
        done += n;
        frames_ += n;
        if (frames_ < end) continue;
        ++step_;
        const LoudnessReading now = meter_.read_quick();
        // Before its window has been filled a value says less than it seems to.
        points_.push_back({step_ >= kMomentarySteps ? now.momentary : std::nullopt,
                           step_ >= 30 ? now.short_term : std::nullopt, meter_.newest(100)});
        if (most_ == 0 || points_.size() <= most_) continue;
        points_.pop_front();
        ++dropped_;
    }
}

Balance balance_of(const LoudnessTrack& voice, const LoudnessTrack& programme, std::int64_t from) {
    from = std::max({from, voice.dropped(), programme.dropped()});
    const auto end = [](const LoudnessTrack& t) {
        return t.dropped() + static_cast<std::int64_t>(t.points().size());
    };
    const auto count =
        static_cast<size_t>(std::max<std::int64_t>(0, std::min(end(voice), end(programme)) - from));
    const auto voices = values_of(voice, from, count, &LoudnessPoint::momentary);
    const auto programmes = values_of(programme, from, count, &LoudnessPoint::momentary);
    const double speaks = gate_of(voices);
    const auto speech = values_of(voice, from, count, &LoudnessPoint::step);
    const auto under = values_of(programme, from, count, &LoudnessPoint::step);
    Mean beneath;
    for (size_t i = 0; i < count; ++i) {
        if (speech[i] > speaks) beneath.add(under[i]);
    }
    Balance out;
    out.voice = integrated(voices, speaks);
    out.programme = integrated(programmes, gate_of(programmes));
    out.speech_seconds = LoudnessTrack::kStep * static_cast<double>(beneath.count);
    out.beneath = beneath.lufs();
    if (out.beneath && *out.beneath < kAbsoluteGate) out.beneath.reset();
    if (out.voice && out.beneath) out.distance = *out.voice - *out.beneath;
    return out;
}

std::vector<VoiceLoudness> per_voice_loudness(std::span<const LoudnessTrack* const> voices,
                                              std::int64_t from) {
    std::int64_t end = std::numeric_limits<std::int64_t>::max();
    for (const LoudnessTrack* v : voices) {
        from = std::max(from, v->dropped());
        end = std::min(end, v->dropped() + static_cast<std::int64_t>(v->points().size()));
    }
    const auto count = voices.empty() ? 0 : static_cast<size_t>(std::max<std::int64_t>(0, end - from));
    std::vector<std::vector<double>> steps;
    std::vector<double> gates;
    for (const LoudnessTrack* v : voices) {
        gates.push_back(gate_of(values_of(*v, from, count, &LoudnessPoint::momentary)));
        steps.push_back(values_of(*v, from, count, &LoudnessPoint::step));
    }
    std::vector<Mean> means(voices.size());
    for (size_t i = 0; i < count; ++i) {
        size_t loudest = 0;
        for (size_t v = 1; v < voices.size(); ++v) {
            if (steps[v][i] > steps[loudest][i]) loudest = v;
        }
        if (steps[loudest][i] > gates[loudest]) means[loudest].add(steps[loudest][i]);
    }
    std::vector<VoiceLoudness> out;
    out.reserve(means.size());
    for (const Mean& m : means)
        out.push_back({m.lufs(), LoudnessTrack::kStep * static_cast<double>(m.count)});
    return out;
}

Finding balance_finding(const Balance& now, double least, double most) {
    if (!now.voice) return {"no_voice_yet", FindingTone::neutral, "Waiting for speech.", {}, {}};
    if (!now.distance) {
        return {"no_programme", FindingTone::neutral, "No app audio during speech yet.", {}, {}};
    }
    const double distance = *now.distance;
    const double by = distance < least ? distance - least : distance > most ? distance - most : 0.0;
    std::vector<Quantity> figures{{distance}, {least}, {by}, {most}, {std::abs(by)}};
    if (distance < 0.0) {
        figures[0].value = -distance;
        return {"programme_over",
                FindingTone::warning,
                "App audio is {0} LU louder than you while you speak. Lower it by {4} dB or let it duck.",
                std::move(figures),
                {}};
    }
    if (by < -0.5) {
        return {"programme_near",
                FindingTone::warning,
                "App audio is only {0} LU below you while you speak. Lower it by {4} dB or let it duck.",
                std::move(figures),
                {}};
    }
    if (by > 0.5) {
        return {"programme_far",
                FindingTone::neutral,
                "App audio is {0} LU below you while you speak. You can raise it by {4} dB.",
                std::move(figures),
                {}};
    }
    return {"programme_right",
            FindingTone::good,
            "App audio is {0} LU below you while you speak, within the target of {1} to {3} LU.",
            std::move(figures),
            {}};
}

}  // namespace reed
