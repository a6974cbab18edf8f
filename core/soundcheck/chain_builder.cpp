#include "soundcheck/chain_builder.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/decibel.h"
#include "measure/loudness.h"
#include "soundcheck/dynamics_fit.h"
#include "soundcheck/equalizer_moves.h"
#include "soundcheck/loudness_target.h"
#include "stages/equalizer.h"

namespace reed {
namespace {

using enum StageRole;

// In each pair, the two orders share the stages before the suppression.
const std::array<StageOrder, 4> kOrders{{
    {"cut_first", {gain, plosives, low_cut, suppression, gate, tone, deesser, compressor, limiter}},
    {"gate_late", {gain, plosives, low_cut, suppression, tone, deesser, compressor, gate, limiter}},
    {"suppress_first", {gain, plosives, suppression, gate, low_cut, tone, deesser, compressor, limiter}},
    {"tone_first", {gain, plosives, low_cut, tone, suppression, gate, deesser, compressor, limiter}},
}};

// Levels in dB. What has no source here is common practice or was tried on the cases of bench/soundcheck.
constexpr double kWorkingLevel = -22.0;    // dBFS, active speech after the gain
constexpr double kHighestPeak = -3.0;      // dBFS after the gain, of all steps
constexpr double kLeastLowered = 3.0;      // dB, by a suppression or a gate, or it is left out
constexpr double kTypicalReduction = 4.0;  // dB, of a compressor on normal talk
// In ms. A compressor that follows syllables costs intelligibility: at the same reduction STOI falls by 0.003
// in the median with these, by 0.007 with 4 and 400 ms and half as much ratio again (bench/soundcheck).
constexpr double kAttack = 30.0, kRelease = 1000.0;
constexpr double kMostSharp = 5.0;       // dB that s sounds are lowered at most
constexpr double kNoisesStandOut = 3.0;  // dB above the background noise
constexpr int kMostNotches = 2;
constexpr double kLowestCut = 50.0, kHighestCut = 110.0;  // Hz
constexpr double kBelowPitch = 0.75;

/// Row `id` of a kind; it exists.
size_t row_of(const StageSpec& s, std::string_view id) {
    return static_cast<size_t>(s.stage_kind().find(id));
}

Finding why(std::string_view id, std::string_view words, std::vector<Quantity> quantities = {}) {
    return {id, FindingTone::neutral, words, std::move(quantities), {}};
}

class Builder {
  public:
    Builder(const SoundcheckFacts& facts, const StepSound& steps, double target, SuppressionRuns& shared)
        : facts_(facts),
          steps_(steps),
          target_(target),
          shared_(shared),
          at_(steps.sound()),
          levels_(steps.input()) {
        out_.run.taps.push_back(levels_);
    }

    Result<BuiltChain> build(const StageOrder& order, TrialControl& control) {
        for (const StageRole role : order.roles) {
            if (control.stop) return cancelled("");
            if (auto added = add(role); !added.ok()) return added.error();
            ++control.roles;
        }
        const int lift = lifting_stage(out_.chain);
        if (lift >= 0) {
            const auto at = static_cast<size_t>(lift);
            // The buffer before it was kept if it is the compressor; a gain comes first.
            const AudioBuffer& before = before_compressor_.frames() > 0 ? before_compressor_ : steps_.sound();
            auto rest = bring_to_loudness(out_.chain, at, before, steps_, target_);
            if (!rest.ok()) return rest.error();
            auto& taps = rest.value().taps;
            std::move(taps.begin() + 1, taps.end(),
                      out_.run.taps.begin() + static_cast<std::ptrdiff_t>(at) + 1);
            std::ranges::move(rest.value().reduction,
                              out_.run.reduction.begin() + static_cast<std::ptrdiff_t>(at));
            out_.run.out = std::move(rest.value().out);
        } else {
            out_.run.out = std::move(at_);
        }
        add_makeup_line();
        return std::move(out_);
    }

  private:
    Result<void> add(StageRole role) {
        switch (role) {
            case gain:
                return add_gain();
            case plosives:
                return add_plosives();
            case low_cut:
                return add_low_cut();
            case suppression:
                return add_suppression();
            case gate:
                return add_gate();
            case tone:
                return add_tone();
            case deesser:
                return add_deesser();
            case compressor:
                return add_compressor();
            case limiter:
                return add_limiter();
        }
        return {};
    }

    StageSpec make(const char* kind) const { return new_stage(out_.chain, *find_stage_kind(kind)); }
    SectionLevels now() const { return steps_.levels(levels_); }

    Result<ChainRun> run(const StageSpec& stage) const {
        return run_chain({{stage}}, at_, steps_.sample_rate());
    }
    void accept(StageSpec stage, ChainRun& result) {
        if (stage.kind == "compressor") before_compressor_ = std::move(at_);
        at_ = std::move(result.out);
        levels_ = std::move(result.taps.back());
        out_.run.taps.push_back(levels_);
        out_.run.reduction.push_back(std::move(result.reduction.back()));
        out_.run.latency += result.latency;
        out_.chain.stages.push_back(std::move(stage));
    }
    Result<void> append(StageSpec stage) {
        auto done = run(stage);
        if (!done.ok()) return done.error();
        accept(std::move(stage), done.value());
        return {};
    }
    void line(std::string_view id, const StageSpec& stage, std::vector<size_t> rows, Finding reason,
              std::string_view effect, int band = -1) {
        out_.lines.push_back({id, stage.id, band, std::move(rows), std::move(reason), effect});
    }

    Result<void> add_gain() {
        double db = std::round(kWorkingLevel - facts_.speech.active_dbfs);
        db = std::min(db, std::floor(kHighestPeak - facts_.loud_peak));
        StageSpec s = make("gain");
        const bool one_side = facts_.channels == 2 && std::abs(facts_.left_over_right) > 20.0;
        const bool inverted = facts_.channels == 2 && !one_side && facts_.correlation < -0.5;
        // One channel is enough; the difference of an inverted pair is the voice.
        if (one_side) s.set("channels", facts_.left_over_right > 0.0 ? 1.0 : 2.0);
        if (inverted) s.set("channels", 4.0);
        if (std::abs(db) < 2.0 && !one_side && !inverted) return {};
        if (std::abs(db) < 2.0) db = 0.0;
        const Parameter& p = s.stage_kind().parameters[row_of(s, "gain")];
        s.set("gain", std::clamp(db, p.minimum, p.maximum));
        if (one_side) {
            line("one_side", s, {row_of(s, "channels"), row_of(s, "gain")},
                 why("one_side", facts_.left_over_right > 0.0
                                     ? "The microphone is only on the left channel."
                                     : "The microphone is only on the right channel."),
                 "Your voice is in the middle instead of on one side.");
        } else if (inverted) {
            line("inverted", s, {row_of(s, "channels"), row_of(s, "gain")},
                 why("inverted", "Left and right cancel each other; their difference is your voice."),
                 "Your voice is there in mono too.");
        } else {
            line("gain", s, {row_of(s, "gain")},
                 why("gain", "Normal talk arrives at {0} dBFS; the chain works best at {1} dBFS.",
                     {{facts_.speech.active_dbfs, Unit::dbfs, 0}, {kWorkingLevel, Unit::dbfs, 0}}),
                 db > 0.0 ? "Voice and background noise are louder." : "Everything is quieter.");
        }
        return append(std::move(s));
    }

    Result<void> add_plosives() {
        if (facts_.plosives_per_minute < kManyPlosives) return {};
        StageSpec s = make("plosives");
        const SectionLevels before = now();
        auto done = run(s);
        if (!done.ok()) return done.error();
        // Vowels must not be taken for pops.
        if (before.typical - steps_.levels(done.value().taps.back()).typical > 0.5) return {};
        line("plosives", s, {row_of(s, "depth")},
             why("plosives", "{0} pops a minute reach the microphone.",
                 {{facts_.plosives_per_minute, Unit::count, 0}}),
             "p and b no longer thump.");
        accept(std::move(s), done.value());
        return {};
    }

    /// An equalizer for `role`; the last stage if it is one already.
    StageSpec* last_equalizer() {
        if (out_.chain.stages.empty() || out_.chain.stages.back().kind != "equalizer") return nullptr;
        return &out_.chain.stages.back();
    }
    StageSpec empty_equalizer(std::string title) const {
        StageSpec s = make("equalizer");
        s.title = std::move(title);
        for (int b = 0; b < kEqualizerBands; ++b)
            s.values[static_cast<size_t>(b * kBandParameters + kBandOn)] = 0.0;
        return s;
    }

    Result<void> add_low_cut() {
        const double low = facts_.pitch ? facts_.pitch->low : 0.0;
        const double cut =
            low > 0.0 ? 5.0 * std::floor(std::clamp(kBelowPitch * low, kLowestCut, kHighestCut) / 5.0)
                      : kLowestCut;
        StageSpec s = empty_equalizer("Low cut");
        BandSettings band{FilterType::low_cut, cut, 0.0, 0.71, 24};
        set_band(s, 0, band);
        line("low_cut", s, {static_cast<size_t>(kBandFrequency)},
             low > 0.0 ? why("low_cut", "Your lowest pitch is {0}; below are only rumble, bumps and pops.",
                             {{low, Unit::hertz, 0}})
                       : why("low_cut", "Below any voice are only rumble, bumps and pops."),
             "Bumps on the desk and rumble are gone; the voice is unchanged.", 0);
        int band_at = 1;
        for (const NarrowTone& t : facts_.noise.tones) {
            // Suppression removes quieter tones; those at the low partials of the voice stay.
            if (band_at > kMostNotches || t.frequency < 1000.0 || t.level < facts_.noise.level - 12.0)
                continue;
            set_band(s, band_at, {FilterType::notch, std::round(t.frequency), 0.0, 30.0, 12});
            line("tone", s, {static_cast<size_t>(band_at * kBandParameters + kBandFrequency)},
                 why("tone", "A steady tone at {0}, {1} dB above what is around it.",
                     {{t.frequency, Unit::hertz, 0}, {t.prominence, Unit::decibel, 0}}),
                 "The whistle is gone; the notch is too narrow to be audible on a voice.", band_at);
            ++band_at;
        }
        return append(std::move(s));
    }

    /// What the make-up will lift in dB: up to the target, and what a compressor takes off the speech.
    double lift_to_target(const SectionLevels& levels) const {
        return target_ - levels.typical + kTypicalReduction;
    }

    Result<void> add_suppression() {
        const SectionLevels before = now();
        const double lift = lift_to_target(before);
        auto chosen = choose_suppression(facts_, steps_, out_.chain, at_, levels_, lift, shared_);
        if (!chosen.ok()) return chosen.error();
        if (!chosen.value()) {
            line_without_stage(
                "no_suppression",
                why("no_suppression", "The room is quiet: noise stays at about {0} dBFS without suppression.",
                    {{before.noise + lift, Unit::dbfs, 0}}),
                "Nothing is taken from the voice.");
            return {};
        }
        SuppressionChoice& best = *chosen.value();
        if (best.lowered < kLeastLowered) {
            line_without_stage("no_suppression",
                               why("suppression_fails",
                                   "Suppression would lower this noise by only {0} dB, so it is left out.",
                                   {{std::max(0.0, best.lowered), Unit::decibel, 0}}),
                               "Nothing is taken from the voice.");
            return {};
        }
        std::vector<size_t> rows{row_of(best.stage, "amount"), row_of(best.stage, "method")};
        if (best.stage.value("hum") != 0.0) rows.push_back(row_of(best.stage, "hum"));
        std::string_view words =
            "Noise is at {0} dBFS, {1} dB below the voice. On your recording the adaptive method lowers it "
            "by {2} dB; "
            "the neural one is not clearly better and costs more.";
        if (best.stage.value("method") == 1.0)
            words =
                "Noise is at {0} dBFS, {1} dB below the voice. On your recording the neural method lowers it "
                "by {2} dB "
                "and is better than the adaptive one.";
        else if (best.enough)
            words =
                "Noise is at {0} dBFS, {1} dB below the voice. The adaptive method lowers it by {2} dB, "
                "which is enough; "
                "the neural one costs more.";
        line("suppression", best.stage, std::move(rows),
             why("suppression", words,
                 {{facts_.noise.level, Unit::dbfs, 0},
                  {facts_.signal_to_noise, Unit::decibel, 0},
                  {best.lowered, Unit::decibel, 0}}),
             "The background noise is lower, also under your words.");
        accept(std::move(best.stage), best.run);
        return {};
    }

    Result<void> add_gate() {
        const SectionLevels before = now();
        const bool after_makeup =
            out_.chain.stages.size() > 0 && out_.chain.stages.back().kind == "compressor";
        const double lift = after_makeup ? 0.0 : lift_to_target(before);
        // Desk noises count if a threshold can separate them from quiet speech.
        double under = before.noise_high;
        double left = before.noise + lift;
        const bool with_noises = before.noises && *before.noises > under + kNoisesStandOut &&
                                 *before.noises + lift > kInaudibleNoise &&
                                 before.quiet - *before.noises >= kGateNeeds;
        if (with_noises) {
            under = *before.noises;
            left = *before.noises + lift;
        }
        if (left <= kInaudibleNoise) {
            line_without_stage("no_gate",
                               why("no_gate_needed", "No gate: noise in pauses is already at {0} dBFS.",
                                   {{left, Unit::dbfs, 0}}),
                               "No word can be cut off.");
            return {};
        }
        const double margin = before.quiet - under;
        if (margin < kExpanderNeeds) {
            line_without_stage(
                "no_gate",
                margin >= 0.0
                    ? why("no_gate_close",
                          "No gate: noise comes within {0} dB of your quiet speech, so a gate would "
                          "cut words off.",
                          {{margin, Unit::decibel, 0}})
                    : why("no_gate_overlap", "No gate: noise and your quiet speech overlap by {0} dB.",
                          {{-margin, Unit::decibel, 0}}),
                "No word can be cut off.");
            return {};
        }
        // Desk noises are short: what closes over them needs less depth than what hides a steady noise.
        const double range =
            std::clamp(std::ceil(left - kInaudibleNoise) + 2.0, 6.0, with_noises ? 12.0 : 20.0);
        // The first that cuts no word is used.
        std::vector<StageSpec> tries = gate_candidates(out_.chain, under, before.quiet, range);
        for (StageSpec& s : tries) {
            auto done = run(s);
            if (!done.ok()) return done.error();
            const SpeechLoss loss = steps_.loss(levels_, done.value().taps.back());
            const SectionLevels after = steps_.levels(done.value().taps.back());
            const double lowered = std::max(before.noise - after.noise,
                                            before.noises.value_or(0.0) - after.noises.value_or(0.0));
            if (loss.truncated > 0 || loss.cut > 0 || lowered < kLeastLowered) continue;
            const bool is_gate = s.kind == "gate";
            const double threshold = s.value(is_gate ? "open_threshold" : "threshold");
            line(is_gate ? "gate" : "expander", s,
                 is_gate ? std::vector<size_t>{row_of(s, "open_threshold"), row_of(s, "close_threshold"),
                                               row_of(s, "range")}
                         : std::vector<size_t>{row_of(s, "threshold"), row_of(s, "range")},
                 why(with_noises ? "gate_noises" : "gate_noise",
                     with_noises
                         ? "{0} dB above your desk noises and {1} dB below quiet speech; no word was cut on "
                           "your recordings."
                         : "{0} dB above the noise and {1} dB below quiet speech; no word was cut on your "
                           "recordings.",
                     {{threshold - under, Unit::decibel, 0}, {before.quiet - threshold, Unit::decibel, 0}}),
                 is_gate ? "Pauses are quieter; every word begins and ends as you speak it."
                         : "Pauses become quieter gradually; hardly noticeable.");
            accept(std::move(s), done.value());
            return {};
        }
        line_without_stage(
            "no_gate",
            why("no_gate_cuts",
                "No gate: every setting that was tried cut words off on your recordings, or did "
                "nothing."),
            "No word can be cut off.");
        return {};
    }

    Result<void> add_tone() {
        const std::vector<EqualizerMove> moves = equalizer_moves(facts_);
        if (moves.empty()) {
            line_without_stage(
                "no_tone",
                why("tone_right", "No equalizer: your voice is within {0} dB of average speech.",
                    {{kToneTolerance, Unit::decibel, 0}}),
                "Your voice sounds like you.");
            return {};
        }
        StageSpec* shared = last_equalizer();
        StageSpec s = shared != nullptr ? *shared : empty_equalizer("Equalizer");
        int band = shared != nullptr ? bands_on(*shared) : 0;
        for (const EqualizerMove& m : moves) {
            set_band(s, band, m.band);
            const auto row = static_cast<size_t>(band * kBandParameters);
            line(m.id, s, {row + kBandGain, row + kBandFrequency}, reason_of(m), effect_of(m), band);
            ++band;
        }
        if (shared == nullptr) return append(std::move(s));
        // Both in one stage: only the new bands still have to be rendered.
        StageSpec added = s;
        for (int b = 0; b < bands_on(*shared); ++b)
            added.values[static_cast<size_t>(b * kBandParameters + kBandOn)] = 0.0;
        auto done = run(added);
        if (!done.ok()) return done.error();
        at_ = std::move(done.value().out);
        levels_ = std::move(done.value().taps.back());
        out_.run.taps.back() = levels_;
        s.title = "Equalizer";
        *shared = std::move(s);
        return {};
    }

    Result<void> add_deesser() {
        if (facts_.sibilance < kSharpSibilance + 1.0) return {};
        StageSpec s = make("deesser");
        // The threshold by the real de-esser on the talk: the sharpest s sounds come back to what is common.
        const AudioBuffer talk = steps_.part(at_, SoundcheckStep::talk);
        const double by = std::min(kMostSharp, facts_.sibilance - kSharpSibilance + 1.0);
        s.set("depth", -8.0);
        const double lower = lower_sibilance(s, talk, steps_.sample_rate(), by);
        if (lower < 1.0) return {};
        line("deesser", s, {row_of(s, "threshold"), row_of(s, "depth")},
             why("deesser",
                 "Your sharpest s sounds are {0} dB against your voice; this lowers them by {1} dB.",
                 {{facts_.sibilance, Unit::decibel, 0}, {lower, Unit::decibel, 0}}),
             "s and sh are softer.");
        return append(std::move(s));
    }

    Result<void> add_compressor() {
        const SectionLevels before = now();
        const double spread = before.loud - before.quiet;
        StageSpec s = make("compressor");
        s.set("ratio", spread < 10.0 ? 2.0 : spread < 18.0 ? 2.5 : 3.0);
        s.set("attack", kAttack);
        s.set("release", kRelease);
        // The threshold by the real compressor on the talk.
        const AudioBuffer talk = steps_.part(at_, SoundcheckStep::talk);
        const double typical = reach_reduction(s, talk, steps_.sample_rate(),
                                               steps_.classes(SoundcheckStep::talk), kTypicalReduction);
        line(
            "compressor", s,
            {row_of(s, "threshold"), row_of(s, "ratio"), row_of(s, "attack"), row_of(s, "release")},
            why("compressor",
                "At this threshold normal talk is reduced by {0} dB. Quiet and loud speech are {1} dB apart. "
                "Attack and release are slow, which keeps words clear.",
                {{typical, Unit::decibel, 0}, {spread, Unit::decibel, 0}}),
            "Loud and quiet speech are closer together.");
        // A gain after everything else: it is known exactly from the loudness without it.
        auto done = run_chain({{s}}, talk, steps_.sample_rate());
        if (!done.ok()) return done.error();
        const double loudness =
            measure_loudness(done.value().out, steps_.sample_rate()).integrated.value_or(target_);
        const Parameter& p = s.stage_kind().parameters[row_of(s, "makeup")];
        s.set("makeup", std::clamp(std::round(10.0 * (target_ - loudness)) / 10.0, p.minimum, p.maximum));
        return append(std::move(s));
    }

    Result<void> add_limiter() {
        // The talk stays below; the loud step is what it is for.
        const SectionLevels before = now();
        StageSpec s = make("limiter");
        const double over = before.peak - before.talk_peak;
        const double ceiling = std::clamp(half_decibels(before.talk_peak + 1.0), -6.0, -1.5);
        s.set("ceiling", ceiling);
        line("limiter", s, {row_of(s, "ceiling")},
             steps_.has(SoundcheckStep::loud) && over > 0.0
                 ? why("limiter",
                       "Your loud talk peaks {0} dB above normal talk; nothing passes this ceiling.",
                       {{over, Unit::decibel, 0}})
                 : why("limiter", "Whatever happens, nothing passes this ceiling."),
             "Shouts and bumps can't clip.");
        return append(std::move(s));
    }

    void line_without_stage(std::string_view id, Finding reason, std::string_view effect) {
        out_.lines.push_back({id, {}, -1, {}, std::move(reason), effect});
    }

    /// The make-up is known only at the end, and belongs to the compressor.
    void add_makeup_line() {
        for (const StageSpec& s : out_.chain.stages) {
            if (s.kind != "compressor") continue;
            const auto place = std::ranges::find(out_.lines, s.id, &SoundcheckLine::stage);
            SoundcheckLine makeup{"makeup", {}, -1, {}, {}, "Your voice is as loud as the target."};
            makeup.why =
                why("makeup",
                    "Make-up gain of {0} dB brings the talk to {1} LUFS. It lifts the background noise by "
                    "as much.",
                    {{s.value("makeup"), Unit::decibel, 1}, {target_, Unit::decibel, 0}});
            out_.lines.insert(place + 1, std::move(makeup));
            return;
        }
    }

    const SoundcheckFacts& facts_;
    const StepSound& steps_;
    double target_;
    SuppressionRuns& shared_;
    BuiltChain out_;
    AudioBuffer at_;  // the recordings after the stages so far
    AudioBuffer before_compressor_;
    FrameLevels levels_;  // of at_
};

}  // namespace

std::span<const StageOrder> stage_orders() {
    return kOrders;
}

Result<BuiltChain> build_chain(const SoundcheckFacts& facts, const StepSound& steps, const StageOrder& order,
                               double target, SuppressionRuns& shared, TrialControl& control) {
    return Builder(facts, steps, target, shared).build(order, control);
}

}  // namespace reed
