#include "stages/gate.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/decibel.h"
#include "dsp/biquad_cascade.h"
#include "dsp/level_detector.h"
#include "dsp/lookahead.h"
#include "dsp/periodicity.h"
#include "dsp/smoothed.h"
#include "stages/sidechain_filter.h"

namespace reed {
namespace {

constexpr Parameter kTable[] = {
    parameter::marked(
        parameter::number(
            "open_threshold", "Opens at", Unit::dbfs, -80.0, 0.0, -42.0, Scale::linear,
            "Below your quietest words, above the background noise. A whisper should open the gate."),
        DiagramMark::threshold, "opens"),
    parameter::marked(
        parameter::number("close_threshold", "Closes at", Unit::dbfs, -80.0, 0.0, -50.0, Scale::linear,
                          "Several dB below the opening threshold, so that the gate doesn't chatter."),
        DiagramMark::threshold, "closes"),
    parameter::number("attack", "Attack", Unit::milliseconds, 0.1, 100.0, 5.0, Scale::logarithmic,
                      "Too long cuts off the first sound of a word; too short clicks."),
    parameter::number("hold", "Hold", Unit::milliseconds, 0.0, 1000.0, 200.0, Scale::linear,
                      "Long enough to bridge the gaps inside a sentence."),
    parameter::number("release", "Release", Unit::milliseconds, 5.0, 2000.0, 180.0, Scale::logarithmic,
                      "Long enough to let the last sound of a word fade."),
    parameter::number("range", "Range", Unit::decibel, -80.0, 0.0, -30.0, Scale::linear,
                      "Attenuation when closed. Less is less noticeable."),
    parameter::structural(parameter::number("lookahead", "Look-ahead", Unit::milliseconds, 0.0, 10.0, 3.0,
                                            Scale::linear,
                                            "Opens before the word arrives. Adds the same latency.")),
    detector_low_cut(),
    detector_high_cut(),
    parameter::toggle("voice_only", "Speech only", false,
                      "Key clicks, mouse and machines don't open the gate. Works best after neural noise "
                      "suppression; otherwise it waits 20 ms to detect speech."),
    parameter::toggle("no_breaths", "Ignore breaths", false,
                      "Breaths more than 12 dB below your voice don't open the gate. A soft s before a word "
                      "doesn't either."),
};
enum Index {
    kOpen,
    kClose,
    kAttack,
    kHold,
    kRelease,
    kRange,
    kLookahead,
    kLowCut,
    kHighCut,
    kVoiceOnly,
    kNoBreaths
};

constexpr float kOpensFor = 0.5f;  // probability of speech that lets the gate open,
constexpr float kStaysFor = 0.2f;  // and that lets it stay open

class GateStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        detector_.prepare(rate_, 0.005);
        band_.prepare(format, values[kLowCut], values[kHighCut]);
        lookahead_.prepare(rate_, values[kLookahead]);
        open_at_.prepare(rate_, 0.005, values[kOpen]);
        close_at_.prepare(rate_, 0.005, values[kClose]);
        closed_gain_.prepare(rate_, 0.005, db_to_gain(values[kRange]));
        periodicity_.emplace(rate_);
        grains_per_look_ = std::max(1, static_cast<int>(std::lround(0.010 * rate_ / kSubBlock)));
        click_ = static_cast<int>(0.020 * rate_);
        word_ = static_cast<int>(0.6 * rate_);
        moment_ = static_cast<int>(0.060 * rate_);
        set_values(values);
        reset();
    }
    void set_values(std::span<const double> values) override {
        open_at_.set(values[kOpen]);
        close_at_.set(values[kClose]);
        closed_gain_.set(db_to_gain(values[kRange]));
        attack_ = pole(values[kAttack]);
        release_ = pole(values[kRelease]);
        hold_frames_ = static_cast<int>(std::lround(values[kHold] * 0.001 * rate_));
        band_.set(values[kLowCut], values[kHighCut]);
        voice_only_ = values[kVoiceOnly] >= 0.5;
        no_breaths_ = values[kNoBreaths] >= 0.5;
    }
    void begin_sub_block() override {
        open_at_.begin_sub_block();
        close_at_.begin_sub_block();
        closed_gain_.begin_sub_block();
        band_.begin_sub_block();
        if (!listens_ || ++grains_ % grains_per_look_ != 0) return;
        // A click rings as well, but for less than 50 ms.
        alike_ = periodicity_->strength() > kPeriodic ? std::min(alike_ + 1, kLooks) : 0;
        periodic_ = alike_ == kLooks;
        if (!periodic_ || level_ < open_at_.sub_block_value()) return;
        // The usual level of the voice is that of its louder part.
        usual_ = usual_ < kUnknown ? level_ : usual_ + (level_ > usual_ ? 0.1f : 0.005f) * (level_ - usual_);
    }
    void process(const AudioBlock& block) override {
        float level[kSubBlock] = {};
        detector_.process(band_.listen(side_chain(block)), LevelDetector::Mode::rms, level);
        lookahead_.process(block);
        const auto open_at = static_cast<float>(open_at_.sub_block_value());
        hear_voice(side_chain(block), open_at, level);
        // A closing threshold above the opening one would flutter; the lower of the two closes.
        const auto close_at = std::min(open_at, static_cast<float>(close_at_.sub_block_value()));
        if (steady(level, block.frames, open_at, close_at)) {
            if (open_) held_ = hold_frames_;
            report_reduction(static_cast<float>(-gain_to_db(gain_)));
            for (int c = 0; c < block.channels; ++c) {
                float* x = block[c];
                for (int i = 0; i < block.frames; ++i) x[i] *= gain_;
            }
            return;
        }
        float gain[kSubBlock];
        float lowest = 1.0f;
        // State in registers, where the writes to `gain` can't alias it.
        bool open = open_;
        int held = held_;
        float now = gain_;
        const float attack = attack_;
        const float release = release_;
        const bool moving = closed_gain_.moving();
        auto floor = static_cast<float>(closed_gain_.sub_block_value());
        for (int i = 0; i < block.frames; ++i) {
            open = open || level[i] >= open_at;
            if (open && level[i] >= close_at) {
                held = hold_frames_;
            } else if (open && held > 0) {
                --held;
            } else {
                open = false;
            }
            if (moving) floor = closed_gain_.next();
            const float target = open ? 1.0f : floor;
            now += (target > now ? attack : release) * (target - now);
            lowest = std::min(lowest, now);
            gain[i] = now;
        }
        open_ = open;
        held_ = held;
        gain_ = now;
        for (int c = 0; c < block.channels; ++c) {
            float* x = block[c];
            for (int i = 0; i < block.frames; ++i) x[i] *= gain[i];
        }
        report_reduction(static_cast<float>(-gain_to_db(lowest)));
    }
    void reset() override {
        detector_.reset();
        band_.reset();
        lookahead_.reset();
        open_ = false;
        held_ = 0;
        if (periodicity_) periodicity_->reset();
        above_for_ = 0;
        since_periodic_ = word_;
        periodic_ = false;
        alike_ = 0;
        usual_ = kSilence;
        gain_ = static_cast<float>(closed_gain_.sub_block_value());
    }
    int latency() const override { return lookahead_.frames(); }

  private:
    /// What is surely no voice counts as silence.
    void hear_voice(const AudioBlock& heard, float open_at, float* level) {
        const bool known = voice() >= 0.0f;
        listens_ = no_breaths_ || (voice_only_ && !known);
        if (voice_only_ && known && voice() < (open_ ? kStaysFor : kOpensFor))
            std::fill_n(level, heard.frames, kSilence);
        if (!listens_) return;
        float mean[kSubBlock];
        for (int i = 0; i < heard.frames; ++i)
            mean[i] = heard.channels > 1    ? 0.5f * (heard[0][i] + heard[1][i])
                      : heard.channels == 1 ? heard[0][i]
                                            : 0.0f;
        periodicity_->add(mean, heard.frames);
        level_ = level[heard.frames - 1];
        for (int i = 0; i < heard.frames; ++i) {
            above_for_ = level[i] >= open_at ? above_for_ + 1 : 0;
            if (above_for_ <= 1) peak_ = lowest_ = level[i];
            lowest_ = std::min(lowest_, level[i]);
            if (lowest_ < peak_ - kDiesAway &&
                level[i] > lowest_ + kAnew) {  // another click in the tail of one
                above_for_ = 1;
                peak_ = lowest_ = level[i];
            }
            peak_ = std::max(peak_, level[i]);
            since_periodic_ = periodic_ ? 0 : std::min(since_periodic_ + 1, word_);
            const bool soft = level[i] < usual_ - kBreath && since_periodic_ >= moment_;
            if ((voice_only_ && !known && !may_be_voice(level[i])) || (no_breaths_ && soft))
                level[i] = kSilence;
        }
    }
    /// Without a network: what repeats itself like a voice, or did within the last word; and what has lasted
    /// longer than a click, does not die away like one, and has not gone on for longer than a word.
    bool may_be_voice(float level) const {
        return since_periodic_ < word_ ||
               (above_for_ >= click_ && above_for_ < word_ && level >= peak_ - kDiesAway);
    }
    static constexpr float kSilence = -200.0f, kUnknown = -190.0f;
    static constexpr float kPeriodic = 0.5f;
    static constexpr int kLooks = 5;                                         // of 10 ms
    static constexpr float kBreath = 12.0f, kDiesAway = 9.0f, kAnew = 6.0f;  // dB

    /// Most of the time nothing happens: open and loud, or closed and quiet, and the gain at its goal. Then
    /// the long way round would end exactly where it is.
    bool steady(const float* level, int frames, float open_at, float close_at) const {
        if (closed_gain_.moving()) return false;
        float loudest = -200.0f;
        float quietest = 200.0f;
        for (int i = 0; i < frames; ++i) {
            loudest = std::max(loudest, level[i]);
            quietest = std::min(quietest, level[i]);
        }
        if (open_ ? quietest < close_at : loudest >= open_at) return false;
        const float target = open_ ? 1.0f : static_cast<float>(closed_gain_.sub_block_value());
        return gain_ + (target > gain_ ? attack_ : release_) * (target - gain_) == gain_;
    }
    float pole(double ms) const { return static_cast<float>(1.0 - std::exp(-1.0 / (ms * 0.001 * rate_))); }

    double rate_ = 48000.0;
    LevelDetector detector_;
    SidechainFilter band_;
    Lookahead lookahead_;
    Smoothed open_at_, close_at_, closed_gain_;
    float attack_ = 1.0f, release_ = 1.0f, gain_ = 0.0f;
    int hold_frames_ = 0, held_ = 0;
    bool open_ = false, voice_only_ = false;
    // How it listens for itself.
    std::optional<Periodicity> periodicity_;
    bool no_breaths_ = false, listens_ = false, periodic_ = false;
    int grains_ = 0, grains_per_look_ = 15, alike_ = 0;
    int click_ = 0, word_ = 0, moment_ = 0;   // frames
    int above_for_ = 0, since_periodic_ = 0;  // frames
    float peak_ = kSilence, lowest_ = kSilence, level_ = kSilence,
          usual_ = kSilence;  // dBFS; the voice's usual level
};

double transfer(std::span<const double> v, double level, bool rising) {
    const double threshold = rising ? v[kOpen] : std::min(v[kOpen], v[kClose]);
    return level >= threshold ? level : level + v[kRange];
}

Finding finding(const FindingContext& now) {
    const double opens = now.values[kOpen];
    return threshold_finding({kTable, kOpen, kClose, opens, std::min(opens, now.values[kClose]),
                              "Noise reaches {0} dBFS but the gate closes only below {1} dBFS, so noise gets "
                              "through. Raise the closing threshold above {0} dBFS.",
                              "Set to {0} dBFS"},
                             now);
}

}  // namespace

const StageKind kGateStage{
    .id = "gate",
    .title = "Gate",
    .purpose = "Lowers background noise between words",
    .parameters = kTable,
    .make = make_stage<GateStage>,
    .reports_reduction = true,
    .closes_in_pauses = true,
    .usual = true,
    .transfer = transfer,
    .finding = finding,
    .timing = {.attack = "attack", .hold = "hold", .release = "release", .lookahead = "lookahead"},
    .accepts_sidechain = true};

}  // namespace reed
