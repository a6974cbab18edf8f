#include "scenes/adaptation.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/decibel.h"
#include "measure/loudness.h"

namespace reed {
namespace {

constexpr double kQuietest = -100.0;  // dBFS; a room below is as good as none
constexpr double kLeastMove = 1.0;    // dB; less is no more than words differ from words
constexpr double kLeastLoudness = 0.3;
constexpr int kLoudnessRounds = 4;
constexpr double kSettling = 5.0;  // s in which a suppression learns the noise; not judged where more is left
constexpr double kLeastApart = 1.0;  // dB between two levels that a line is drawn through

ChainSpec up_to(const ChainSpec& chain, size_t end) {
    ChainSpec out = chain;
    out.stages.resize(end);
    return out;
}

/// Where a level of there is here.
double moved(double level, const VoiceLevels& made, const VoiceLevels& here) {
    const std::array<double, 4> all{made.room, made.quiet, made.usual, made.loud};
    const std::array<double, 4> to{here.room, here.quiet, here.usual, here.loud};
    // Rising in both; of what lies too close together the voice counts.
    std::vector<std::pair<double, double>> points;
    for (size_t i = 4; i-- > 0;) {
        const bool apart = points.empty() || (all[i] <= points.back().first - kLeastApart &&
                                              to[i] <= points.back().second - kLeastApart);
        if (apart) points.emplace_back(all[i], to[i]);
    }
    std::ranges::reverse(points);
    if (level <= points.front().first) return points.front().second + level - points.front().first;
    for (size_t i = 1; i < points.size(); ++i) {
        const auto& [x0, y0] = points[i - 1];
        const auto& [x1, y1] = points[i];
        if (level <= x1) return y0 + (level - x0) * (y1 - y0) / (x1 - x0);
    }
    return points.back().second + level - points.back().first;
}

/// Whether a row goes along with the levels, and where it goes: a threshold against the whole sound between
/// room and voice, one against a part of it with the voice.
std::optional<double> goes_to(const StageSpec& s, size_t row, const VoiceLevels& made,
                              const VoiceLevels& here) {
    const StageKind& kind = s.stage_kind();
    if (kind.parameters[row].mark == DiagramMark::threshold) return moved(s.values[row], made, here);
    if (kind.is_band_threshold != nullptr && kind.is_band_threshold(s.values, row))
        return s.values[row] + here.usual - made.usual;
    return std::nullopt;
}

bool has_threshold(const StageSpec& s) {
    for (size_t row = 0; !s.bypass && row < s.values.size(); ++row) {
        if (goes_to(s, row, {}, {})) return true;
    }
    return false;
}

std::optional<size_t> lifting(const StageSpec& s, StageKind::Lift lift) {
    if (s.bypass || s.stage_kind().lift != lift) return std::nullopt;
    return static_cast<size_t>(s.stage_kind().find(s.stage_kind().lift_row));
}

/// What leaves the chain, once it has settled: the sound goes through it twice, and the second time counts
/// (what follows the voice over seconds, such as an automatic make-up, would else be measured on its way).
Result<double> settled_loudness(const ChainSpec& chain, const AudioBuffer& sound, double sample_rate) {
    const auto length = static_cast<std::ptrdiff_t>(sound.frames());
    AudioBuffer twice(sound.channels(), 2 * sound.frames());
    for (int c = 0; c < sound.channels(); ++c) {
        std::ranges::copy(sound[c], twice[c].begin());
        std::ranges::copy(sound[c], twice[c].begin() + length);
    }
    auto out = render(chain, twice, sample_rate);
    if (!out.ok()) return out.error();
    AudioBuffer second(sound.channels(), sound.frames());
    for (int c = 0; c < sound.channels(); ++c)
        std::copy(out.value()[c].begin() + length, out.value()[c].end(), second[c].begin());
    const auto reading = measure_loudness(second, sample_rate);
    if (!reading.integrated)
        return Error{"The chain's output is silent.", "", "Check that its gate isn't closed all the time."};
    return *reading.integrated;
}

class Fitter {
  public:
    Fitter(Fit& fit, const ReferenceLevels& made, const AudioBuffer& sound, double sample_rate,
           const Progress& progress)
        : fit_(fit), made_(made), sound_(sound), rate_(sample_rate), progress_(progress) {}

    Result<void> run() {
        const ChainSpec& chain = fit_.chain;
        const auto thresholds = static_cast<double>(std::ranges::count_if(chain.stages, has_threshold));
        steps_ = 2.0 + thresholds + 1.0 + kLoudnessRounds;
        const auto in = before(0);
        if (!in.ok()) return in.error();
        fit_.made = made_.in;
        fit_.here = in.value().all;
        if (auto level = bring_to_level(); !level.ok()) return level;
        for (size_t i = 0; i < chain.stages.size(); ++i) {
            if (auto done = move_thresholds(i); !done.ok()) return done;
            const StageSpec& s = chain.stages[i];
            if (!s.taught.empty() && !s.bypass) fit_.taught_elsewhere.push_back(s.id);
        }
        return bring_to_loudness();
    }

  private:
    struct Before {
        VoiceLevels all{};    ///< over the whole sound
        TapLevels settled{};  ///< without its first seconds
    };
    Result<Before> before(size_t stage) {
        auto levels = sound_levels(up_to(fit_.chain, stage), sound_, rate_, step());
        if (!levels.ok()) return levels.error();
        const TapLevels tap = levels.value().report().taps.back();
        if (!tap.voice_known || !tap.room_known)
            return Error{"The audio has no speech with pauses.", "",
                         "Speak some sentences with pauses between them, then try again."};
        Before out{voice_levels(tap), tap};
        const double length = static_cast<double>(sound_.frames()) / rate_;
        if (length < 2.0 * kSettling) return out;
        levels.value().set_window(length - kSettling);
        const TapLevels late = levels.value().report().taps.back();
        if (late.voice_known && late.room_known) out.settled = late;
        return out;
    }

    /// The share of the whole that the next pass over the sound is.
    Progress step() {
        const double from = done_++;
        return [this, from](double part) {
            return !progress_ || progress_(std::min(1.0, (from + part) / steps_));
        };
    }

    /// `whatever`: also where it is hardly another value.
    void note(AdaptationChange change, const std::string& stage, size_t row, double wanted,
              bool whatever = false) {
        StageSpec& s = fit_.chain.stages[static_cast<size_t>(fit_.chain.index_of(stage))];
        const Parameter& p = s.stage_kind().parameters[row];
        change.stage = stage;
        change.row = row;
        change.from = s.values[row];
        change.to = std::clamp(round_value(p, wanted), p.minimum, p.maximum);
        change.short_of = std::abs(change.to - wanted) > kLeastMove;
        const double least = change.why == AdaptationChange::Why::loudness ? kLeastLoudness : kLeastMove;
        if (change.to == change.from || (!whatever && std::abs(change.to - change.from) < least)) return;
        s.values[row] = change.to;
        fit_.changes.push_back(std::move(change));
    }

    /// By the first gain, if it precedes every stage that depends on the level.
    Result<void> bring_to_level() {
        for (size_t i = 0; i < fit_.chain.stages.size(); ++i) {
            const StageSpec& s = fit_.chain.stages[i];
            if (has_threshold(s)) break;
            const auto row = lifting(s, StageKind::Lift::trim);
            const auto made = made_.stages.find(s.id);
            if (!row || made == made_.stages.end()) continue;
            const auto here = before(i);
            if (!here.ok()) return here.error();
            AdaptationChange change;
            change.why = AdaptationChange::Why::level;
            change.made = made->second;
            change.here = here.value().all;
            note(change, s.id, *row, s.values[*row] + made->second.usual - change.here.usual);
            break;
        }
        return {};
    }

    Result<void> move_thresholds(size_t i) {
        const StageSpec s = fit_.chain.stages[i];
        const auto made = made_.stages.find(s.id);
        if (!has_threshold(s) || !s.key.empty() || made == made_.stages.end()) return {};
        const auto here = before(i);
        if (!here.ok()) return here.error();
        const auto& table = s.stage_kind().parameters;
        // All of them or none: one alone could pass the other.
        const StageSpec by_levels = placed(s, made->second, here.value().all);
        const StageSpec there = between_noise_and_speech(by_levels, here.value().settled);
        double most = 0.0;
        for (size_t row = 0; row < table.size(); ++row)
            most = std::max(most, std::abs(there.values[row] - s.values[row]));
        if (most < kLeastMove) return {};
        for (size_t row = 0; row < table.size(); ++row) {
            auto wanted = goes_to(s, row, made->second, here.value().all);
            if (!wanted) continue;
            if (there.values[row] != by_levels.values[row]) wanted = there.values[row];
            AdaptationChange change;
            change.why = AdaptationChange::Why::threshold;
            change.made = made->second;
            change.here = here.value().all;
            note(change, s.id, row, *wanted, true);
        }
        return {};
    }

    Result<double> loudness() {
        const auto now = settled_loudness(fit_.chain, sound_, rate_);
        const Progress told = step();
        if (!now.ok()) return now.error();
        if (!told(1.0)) return cancelled("");
        return now.value() + fit_.fader;
    }

    Result<void> bring_to_loudness() {
        fit_.loudness_made = made_.loudness;
        const auto now = loudness();
        if (!now.ok()) return now.error();
        fit_.loudness = now.value();
        // What comes after a make-up may take back some of it.
        std::string stage;
        size_t row = 0;
        for (const StageSpec& s : fit_.chain.stages) {
            if (const auto lifts = lifting(s, StageKind::Lift::makeup)) {
                stage = s.id;
                row = *lifts;
            }
        }
        const double first_off = made_.loudness - fit_.loudness;
        if (!stage.empty()) {
            double& value = fit_.chain.stages[static_cast<size_t>(fit_.chain.index_of(stage))].values[row];
            const double from = value;
            const auto before = fit_.changes;
            double wanted = value;
            for (int round = 0; round < kLoudnessRounds; ++round) {
                const double off = made_.loudness - fit_.loudness;
                if (std::abs(off) < kLeastLoudness) break;
                wanted += off;
                fit_.changes = before;
                value = from;
                AdaptationChange change;
                change.why = AdaptationChange::Why::loudness;
                change.lacking = first_off;
                note(change, stage, row, wanted);
                const auto again = loudness();
                if (!again.ok()) return again.error();
                fit_.loudness = again.value();
            }
        }
        const double off = made_.loudness - fit_.loudness;
        if (std::abs(off) < (stage.empty() ? kLeastLoudness : 1.0)) return {};
        AdaptationChange change;
        change.why = AdaptationChange::Why::loudness;
        change.lacking = stage.empty() ? first_off : off;
        change.from = fit_.fader;
        change.to = std::clamp(std::round(10.0 * (fit_.fader + off)) / 10.0, kFaderMinDb, kFaderMaxDb);
        change.short_of = std::abs(change.to - fit_.fader - off) > kLeastMove;
        fit_.loudness += change.to - fit_.fader;
        fit_.fader = change.to;
        fit_.changes.push_back(change);
        return {};
    }

    Fit& fit_;
    const ReferenceLevels& made_;
    const AudioBuffer& sound_;
    double rate_;
    const Progress& progress_;
    double done_ = 0.0, steps_ = 1.0;
};

}  // namespace

VoiceLevels voice_levels(const TapLevels& tap) {
    VoiceLevels out{tap.room, tap.voice_low, tap.voice, tap.voice_high};
    out.room = std::max(out.room, kQuietest);
    // Each from its own share of the sound: they may stand the other way round where there is little of it.
    out.quiet = std::min(out.quiet, out.usual);
    out.loud = std::max(out.loud, out.usual);
    return out;
}

StageSpec placed(StageSpec stage, const VoiceLevels& made, const VoiceLevels& here) {
    const auto& table = stage.stage_kind().parameters;
    for (size_t row = 0; row < table.size(); ++row) {
        const Parameter& p = table[row];
        if (const auto wanted = goes_to(stage, row, made, here))
            stage.values[row] = std::clamp(round_value(p, *wanted), p.minimum, p.maximum);
    }
    return stage;
}

StageSpec between_noise_and_speech(StageSpec stage, TapLevels in) {
    const auto judge = stage.stage_kind().finding;
    if (judge == nullptr) return stage;
    in.room_high += kLeastMove;
    in.voice_low -= kLeastMove;
    const Finding f = judge({stage.values, stage.taught, in, in, {}});
    if ((f.id != "room_passes" && f.id != "words_cut") || !f.proposal) return stage;
    for (const auto& [row, value] : f.proposal->values) stage.values[row] = value;
    return stage;
}

std::optional<ReferenceLevels> measure_made_for(const ChainSpec& chain, double fader,
                                                const AudioBuffer& sound, double sample_rate,
                                                const Progress& progress) {
    const ChainSpec kept = without_transients(chain);
    const auto statistics = sound_levels(kept, sound, sample_rate, progress);
    if (!statistics.ok()) return std::nullopt;
    const LevelReport levels = statistics.value().report();
    if (!levels.taps.front().voice_known || !levels.taps.front().room_known) return std::nullopt;
    const auto loudness = settled_loudness(kept, sound, sample_rate);
    if (!loudness.ok()) return std::nullopt;
    ReferenceLevels made{voice_levels(levels.taps.front()), {}, loudness.value() + fader};
    for (size_t i = 0; i < kept.stages.size(); ++i) {
        if (levels.taps[i].voice_known && levels.taps[i].room_known)
            made.stages[kept.stages[i].id] = voice_levels(levels.taps[i]);
    }
    return made;
}

bool is_off(const VoiceLevels& made, const VoiceLevels& here) {
    return std::abs(made.usual - here.usual) > kOffVoice ||
           std::abs((made.quiet - made.room) - (here.quiet - here.room)) > kOffRoom;
}

Result<Fit> adapt_chain(const ChainSpec& chain, double fader, const ReferenceLevels& made,
                        const AudioBuffer& sound, double sample_rate, const Progress& progress) {
    Fit fit;
    fit.chain = without_transients(chain);
    fit.fader = fader;
    if (auto done = Fitter(fit, made, sound, sample_rate, progress).run(); !done.ok()) return done.error();
    return fit;
}

Finding fit_reason(const AdaptationChange& c) {
    const auto db = [](double value) { return Quantity{value, Unit::dbfs, 0}; };
    switch (c.why) {
        case AdaptationChange::Why::level:
            return {"fit_level",
                    c.short_of ? FindingTone::warning : FindingTone::good,
                    c.short_of ? "Typical speech was {0} dBFS, now {1} dBFS. This is the limit of the stage; "
                                 "adjust the microphone as well."
                               : "Typical speech was {0} dBFS, now {1} dBFS.",
                    {db(c.made.usual), db(c.here.usual)},
                    {}};
        case AdaptationChange::Why::threshold:
            return {"fit_threshold",
                    c.short_of ? FindingTone::warning : FindingTone::good,
                    "Levels before this stage (noise, quiet, typical speech): were {0}, {1}, {2} dBFS; now "
                    "{3}, {4}, {5} dBFS.",
                    {db(c.made.room), db(c.made.quiet), db(c.made.usual), db(c.here.room), db(c.here.quiet),
                     db(c.here.usual)},
                    {}};
        case AdaptationChange::Why::loudness:
            return {"fit_loudness",
                    c.short_of ? FindingTone::warning : FindingTone::good,
                    c.lacking > 0.0 ? "The voice is {0} LU quieter than intended."
                                    : "The voice is {0} LU louder than intended.",
                    {{std::abs(c.lacking), Unit::decibel, 1}},
                    {}};
    }
    return {};
}

ChainSpec with_changes(ChainSpec chain, const std::vector<AdaptationChange>& changes, double* fader) {
    for (const AdaptationChange& c : changes) {
        if (c.stage.empty()) {
            if (fader != nullptr) *fader = c.to;
        } else if (const int i = chain.index_of(c.stage); i >= 0) {
            chain.stages[static_cast<size_t>(i)].values.at(c.row) = c.to;
        }
    }
    return chain;
}

}  // namespace reed
