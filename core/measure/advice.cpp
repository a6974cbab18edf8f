#include "measure/advice.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "base/decibel.h"
#include "stages/equalizer.h"

namespace reed {
namespace {

constexpr double kUsualVoice = -22.0;  // dBFS after the gain, the same
constexpr double kAtTheMark = 1.5;     // LU
constexpr double kSpare = 6.0;         // dB

/// A level or difference as it is spoken of: whole decibels.
std::string db(double v) {
    char text[24];
    std::snprintf(text, sizeof text, "%.0f", v);
    return std::string(text) == "-0" ? "0" : text;
}

Advice keep_out_advice(double opens, double closes, const char* below, const TapLevels& in,
                       const StageReduction& r) {
    if (!in.room_known && !in.voice_known)
        return {AdviceTone::neutral,
                in.peak > kSilentPeak ? "Nothing heard yet." : "Nothing but digital silence so far."};
    // Where the loudest of the room is as loud as quiet words, every threshold is wrong for one of them.
    if (in.room_known && in.voice_known && in.room_high > in.voice_low - 2.0) {
        return {AdviceTone::warning, "Room reaches " + db(in.room_high) + " dB and quiet words are at " +
                                         db(in.voice_low) +
                                         ": no threshold tells them apart. Take noise out first."};
    }
    if (in.room_known && in.room_high >= closes) {
        return {AdviceTone::warning, "Room reaches " + db(in.room_high) + " dB. " + below + " " + db(closes) +
                                         ", so the room passes. Raise it above " + db(in.room_high) + "."};
    }
    if (in.voice_known && in.voice_low <= opens) {
        return {AdviceTone::warning, "Quiet words are at " + db(in.voice_low) + " dB and the threshold at " +
                                         db(opens) + ", so they are cut. Lower it below " + db(in.voice_low) +
                                         "."};
    }
    if (!in.voice_known || !in.room_known) {
        return {AdviceTone::neutral, in.voice_known
                                         ? "Waiting for a pause, to hear the room."
                                         : "Room reaches " + db(in.room_high) + " dB. Waiting for a voice."};
    }
    const std::string here =
        "Room reaches " + db(in.room_high) + " dB here, quiet words " + db(in.voice_low) + ". ";
    const std::string open = " Open " + db(100.0 * r.open) + " % of the time.";
    const double above = closes - in.room_high;
    const double below_words = in.voice_low - opens;
    // In the middle both sides have most.
    const double gap = in.voice_low - in.room_high - (opens - closes);
    if (std::min(above, below_words) < kSpare && gap >= 2.0 * kSpare) {
        const double better = in.voice_low - 0.5 * gap;
        return {AdviceTone::neutral, here + "Only " + db(std::min(above, below_words)) +
                                         " dB to spare: better at " + db(better) + " dB, " +
                                         (better > opens ? "higher." : "lower.") + open};
    }
    return {AdviceTone::good, here + "The thresholds stand between, with " + db(above) + " and " +
                                  db(below_words) + " dB to spare." + open};
}

Advice compressor_advice(const StageSpec& s, const TapLevels& in, const StageReduction& r) {
    if (!in.voice_known) return {AdviceTone::neutral, "Waiting for a voice."};
    const double least = s.value("wanted_least");
    const double most = std::max(least, s.value("wanted_most"));
    const std::string wanted = db(least) + " to " + db(most) + " dB";
    const std::string takes =
        "While you talk it takes " + db(r.usual) + " dB, at most " + db(r.deepest) + ". ";
    if (r.usual < least)
        return {AdviceTone::neutral,
                takes + "Lower the threshold if the voice should be more even (" + wanted + " is wanted)."};
    if (r.usual > most)
        return {AdviceTone::warning, takes + "That is more than the " + wanted +
                                         " wanted; raise the threshold towards " + db(in.voice) + " dB."};
    return {AdviceTone::good, takes + "That is in the wanted range of " + wanted + "."};
}

Advice limiter_advice(double ceiling, const TapLevels& in, const StageReduction& r) {
    if (!in.voice_known) return {AdviceTone::neutral, "Waiting for a voice."};
    if (r.usual > 2.0) {
        return {AdviceTone::warning, "It works all the time (" + db(r.usual) +
                                         " dB). Lower the level before it by about " + db(r.usual) + " dB."};
    }
    if (r.deepest > 0.1)
        return {AdviceTone::good, "It caught the loudest peaks, by up to " + db(r.deepest) + " dB."};
    return {AdviceTone::good, "Peaks stay " + db(ceiling - in.peak) + " dB below the ceiling."};
}

Advice equalizer_advice(const StageSpec& stage) {
    double highest = 0.0;
    double at = 0.0;
    for (double f = 30.0; f < 16000.0; f *= 1.05) {
        const double gain = equalizer_response_db(stage.values, f, 48000.0);
        if (gain > highest) {
            highest = gain;
            at = f;
        }
    }
    if (highest <= 4.05) return {};
    const Parameter hertz = kEqualizerStage.parameters[kBandFrequency];
    return {AdviceTone::warning, "Together the bands lift " + format_value(hertz, round_value(hertz, at)) +
                                     " by " + db(highest) +
                                     " dB. More than 4 dB is seldom needed; try cutting elsewhere."};
}

Advice suppression_advice(const StageSpec& s, const TapLevels& in, const TapLevels& out) {
    if (s.value("removed") >= 0.5)
        return {AdviceTone::warning,
                "You hear what is taken away, and so does everybody else. Switch it off before you go on."};
    if (s.value("method") == 2.0 && s.tone.empty())
        return {AdviceTone::warning,
                "Nothing has been learnt yet, so the sound passes unchanged. Press Learn the room and stay "
                "silent."};
    if (!in.room_known || !out.room_known)
        return {AdviceTone::neutral, "Waiting for a pause, to hear the room."};
    const double fall = in.room - out.room;
    if (in.voice_known && out.voice_known && in.voice - out.voice > 2.0) {
        return {AdviceTone::warning, "The voice loses " + db(in.voice - out.voice) +
                                         " dB as well. Use less than " + db(s.value("amount")) + " dB."};
    }
    if (s.value("method") == 2.0 && in.room > s.tone.level() + 6.0) {
        return {AdviceTone::warning,
                "The room is " + db(in.room - s.tone.level()) +
                    " dB louder than the one learnt. Learn it anew while it sounds like this."};
    }
    return {AdviceTone::good,
            "The room falls by " + db(fall) + " dB, from " + db(in.room) + " to " + db(out.room) + "."};
}

}  // namespace

Advice stage_advice(const ChainSpec& chain, size_t index, const LevelReport& levels) {
    if (index >= chain.stages.size() || levels.taps.size() != chain.stages.size() + 1) return {};
    const StageSpec& s = chain.stages[index];
    if (s.bypass) return {AdviceTone::neutral, "Bypassed: the sound passes unchanged."};
    const TapLevels& in = levels.taps[index];
    const TapLevels& out = levels.taps[index + 1];
    if (s.kind == "gate") {
        return keep_out_advice(s.value("open_threshold"),
                               std::min(s.value("open_threshold"), s.value("close_threshold")),
                               "The gate closes at", in, levels.stages[index]);
    }
    if (s.kind == "expander") {
        return keep_out_advice(s.value("threshold"), s.value("threshold"), "The expander starts below", in,
                               levels.stages[index]);
    }
    if (s.kind == "compressor") return compressor_advice(s, in, levels.stages[index]);
    if (s.kind == "limiter") return limiter_advice(s.value("ceiling"), in, levels.stages[index]);
    if (s.kind == "equalizer") return equalizer_advice(s);
    if (s.kind == "suppression") return suppression_advice(s, in, out);
    if (s.kind == "gain" && out.peak > -1.0) {
        return {AdviceTone::warning,
                "Peaks reach " + db(out.peak) + " dBFS after it. Take " + db(out.peak + 6.0) + " dB back."};
    }
    return {};
}

Advice input_advice(const LevelReport& levels, std::uint64_t clipped) {
    if (clipped > 0) {
        return {AdviceTone::warning, "The source clips (" + std::to_string(clipped) +
                                         " samples). Turn the microphone down; nothing later repairs it."};
    }
    // Half a second at least: a device that starts may begin with zeros.
    if (!levels.taps.empty() && levels.seconds >= 0.5 && levels.taps[0].peak <= kSilentPeak)
        return {AdviceTone::warning,
                "Digital silence: check the microphone's switch and mute, or choose another input."};
    if (levels.taps.empty() || !levels.taps[0].voice_known)
        return {AdviceTone::neutral, "No voice heard yet."};
    const double peak = levels.taps[0].peak;
    if (peak > kHotPeak)
        return {AdviceTone::warning, "Too hot: peaks reach " + db(peak) + " dBFS, " + db(peak - kHotPeak) +
                                         " dB more than is safe."};
    if (peak < -36.0)
        return {AdviceTone::warning,
                "Too low: peaks reach only " + db(peak) + " dBFS. Come closer, or turn the microphone up."};
    if (peak < kLowPeak)
        return {AdviceTone::neutral, "Low: peaks reach " + db(peak) + " dBFS, " + db(kUsualPeak - peak) +
                                         " dB below the usual. Turn the microphone up where you can."};
    return {AdviceTone::good, "Level is right: peaks reach " + db(peak) + " dBFS."};
}

Verdict feed_verdict(const ChainSpec& chain, const LevelReport& levels, std::optional<double> loudness,
                     double target) {
    if (!loudness || levels.taps.size() != chain.stages.size() + 1 || !levels.taps[0].voice_known) return {};
    const double off = target - *loudness;
    char by[24];
    std::snprintf(by, sizeof by, "%.1f", std::abs(off));
    if (std::abs(off) <= kAtTheMark) return {{AdviceTone::good, "The feed is at its mark."}, std::nullopt};
    Verdict out;
    out.advice = {AdviceTone::warning, std::string(by) + (off > 0.0 ? " LU too quiet." : " LU too loud.")};
    const auto propose = [&](size_t stage, const char* id, double wanted, const char* what) {
        const int p = chain.stages[stage].stage_kind().find(id);
        const Parameter& row = chain.stages[stage].stage_kind().parameters[static_cast<size_t>(p)];
        const double now = chain.stages[stage].values[static_cast<size_t>(p)];
        const double value = std::clamp(std::round(2.0 * wanted) / 2.0, row.minimum, row.maximum);
        if (std::abs(value - now) < 0.5) return false;
        out.proposal = {stage, static_cast<size_t>(p), value,
                        std::string(what) + (value > now ? " +" : " -") + db(std::abs(value - now)) + " dB"};
        return true;
    };
    std::optional<size_t> gain;
    std::optional<size_t> makeup;
    for (size_t i = 0; i < chain.stages.size(); ++i) {
        const StageSpec& s = chain.stages[i];
        if (s.bypass) continue;
        if (s.kind == "gain" && !gain) gain = i;
        if (s.kind == "compressor") makeup = i;
    }
    const double made_up = makeup ? chain.stages[*makeup].value("makeup") : 0.0;
    if (off < 0.0) {
        // What was put on last goes first.
        if (makeup && made_up > 0.0 && propose(*makeup, "makeup", std::max(0.0, made_up + off), "Make-up"))
            return out;
        if (gain) (void)propose(*gain, "gain", chain.stages[*gain].value("gain") + off, "Gain");
        return out;
    }
    const double room = gain ? kUsualVoice - levels.taps[*gain + 1].voice : 0.0;
    if (gain && room >= 1.5 &&
        propose(*gain, "gain", chain.stages[*gain].value("gain") + std::min(off, room), "Gain"))
        return out;
    if (makeup && propose(*makeup, "makeup", made_up + off, "Make-up")) return out;
    if (gain) (void)propose(*gain, "gain", chain.stages[*gain].value("gain") + off, "Gain");
    return out;
}

}  // namespace reed
