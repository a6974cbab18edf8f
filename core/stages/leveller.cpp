#include "stages/leveller.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <optional>

#include "base/decibel.h"
#include "base/fast_math.h"
#include "dsp/gain_computer.h"
#include "dsp/periodicity.h"
#include "dsp/smoothed.h"

namespace reed {
namespace {

constexpr Parameter kTable[] = {
    parameter::number(
        "target", "Target level", Unit::dbfs, -40.0, -10.0, -22.0, Scale::linear,
        "Level your voice should have. Choose its normal level, so that little correction is needed."),
    parameter::number("lift", "Max boost", Unit::decibel, 0.0, 24.0, 12.0, Scale::linear,
                      "For when you turn away. Pauses are never boosted."),
    parameter::number("lower", "Max cut", Unit::decibel, 0.0, 24.0, 9.0, Scale::linear,
                      "For when you move closer."),
    parameter::number("pace", "Response time", Unit::milliseconds, 200.0, 20000.0, 1500.0, Scale::logarithmic,
                      "Short follows every sentence; long preserves natural dynamics."),
    parameter::number("slack", "Tolerance", Unit::decibel, 0.0, 6.0, 0.5, Scale::linear,
                      "Deviations smaller than this are not corrected."),
};
enum Index { kTarget, kLift, kLower, kPace, kSlack };

constexpr Readout kReadouts[] = {
    {"level", "Input speech level", Unit::dbfs, "target"},
    {"gain", "Current gain", Unit::decibel},
};

constexpr double kPieceSeconds = 0.010;
constexpr float kPeriodic = 0.5f, kSpeech = 0.5f;
constexpr float kAboveRoom = 8.0f;      // dB
constexpr float kLoudSyllables = 4.0f;  // dB above the usual level of a voice
constexpr double kFall = 14.0;          // dB in the time set
constexpr double kShareOfPace = 0.10;
constexpr float kUnknown = -200.0f, kSilence = -90.0f;
constexpr int kWord = 25, kBreath = 60;  // pieces: a word goes on after its last vowel; a gap in a sentence

class LevellerStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        piece_ = static_cast<int>(std::lround(kPieceSeconds * rate_));
        ear_.emplace(rate_);
        gain_.prepare(rate_, 0.020, 0.0);
        set_values(values);
        reset();
    }
    void set_values(std::span<const double> values) override {
        target_ = static_cast<float>(values[kTarget]);
        lift_ = static_cast<float>(values[kLift]);
        lower_ = static_cast<float>(values[kLower]);
        slack_ = static_cast<float>(values[kSlack]);
        const double pieces = kShareOfPace * 0.001 * values[kPace] / kPieceSeconds;
        follow_ = static_cast<float>(1.0 - std::exp(-1.0 / pieces));
        fall_ = static_cast<float>(kFall * kPieceSeconds / (0.001 * values[kPace]));
    }
    std::vector<float> memory() const override {
        return {kept_level_.load(std::memory_order_relaxed), kept_gain_.load(std::memory_order_relaxed)};
    }
    void remember(std::span<const float> kept) override {
        if (kept.size() != 2 || kept[0] <= kUnknown) return;
        level_ = kept[0];
        slow_ = kept[1];
    }
    float readout(size_t which) const override {
        const auto& shown = which == 0 ? kept_level_ : shown_gain_;
        return std::max(shown.load(std::memory_order_relaxed), kSilence);
    }
    void begin_sub_block() override { gain_.begin_sub_block(); }

    void process(const AudioBlock& block) override {
        const AudioBlock& side = side_chain(block);
        float sum[kSubBlock];
        for (int i = 0; i < block.frames; ++i) sum[i] = 0.0f;
        for (int c = 0; c < side.channels; ++c) {
            for (int i = 0; i < block.frames; ++i) sum[i] += side[c][i] / static_cast<float>(side.channels);
        }
        // Cut where a piece ends, so that the result does not hang on the size of the blocks.
        for (int done = 0; done < block.frames;) {
            const int n = std::min(block.frames - done, piece_ - in_piece_);
            ear_->add(sum + done, n);
            for (int i = done; i < done + n; ++i) {
                float loudest = 0.0f;
                for (int c = 0; c < side.channels; ++c) loudest = std::max(loudest, std::abs(side[c][i]));
                power_ += loudest * loudest;
            }
            in_piece_ += n;
            done += n;
            if (in_piece_ == piece_) close_piece();
        }
        for (int i = 0; i < block.frames; ++i) {
            const float gain = fast_exp2(kLog2PerDb * gain_.next());
            for (int c = 0; c < block.channels; ++c) block[c][i] *= gain;
        }
        report_reduction(std::max(0.0f, -static_cast<float>(gain_.sub_block_value())));
    }
    void reset() override {
        ear_->reset();
        in_piece_ = 0;
        power_ = 0.0f;
        since_vowel_ = kBreath;
        floor_ = 0.0f;
        lifted_ = 0.0f;
    }

  private:
    void close_piece() {
        const float power = 2.0f * power_ / static_cast<float>(piece_);  // AES17: a sine's peak
        in_piece_ = 0;
        power_ = 0.0f;
        const float level = 10.0f * std::log10(std::max(power, 1e-15f));
        // The room: falls at once, rises by a decibel a second.
        floor_ = std::min(level, floor_ + static_cast<float>(kPieceSeconds));
        const bool stands_out = level > floor_ + kAboveRoom && level > kSilence;
        const bool speech = voice() >= 0.0f ? voice() > kSpeech : stands_out && ear_->strength() > kPeriodic;
        since_vowel_ = speech ? 0 : std::min(since_vowel_ + 1, 1000);
        if (since_vowel_ < kWord && stands_out) learn(power);
        const bool goes_on = since_vowel_ < kBreath;
        // A lift is there with the word, and goes in the pause.
        const float share = goes_on ? 0.3f : -0.02f;
        lifted_ = std::clamp(lifted_ + (share > 0.0f ? share * (1.0f - lifted_) : share), 0.0f, 1.0f);
        const float gain = slow_ > 0.0f ? lifted_ * slow_ : slow_;
        gain_.set(gain);
        shown_gain_.store(gain, std::memory_order_relaxed);
        kept_gain_.store(slow_, std::memory_order_relaxed);
    }

    /// The level of the loud syllables, which is steadier than a mean over words and gaps: rises at once with
    /// 50 ms that are louder, falls slowly, while there is speech.
    void learn(float power) {
        syllable_ = syllable_ < 0.0f ? power : syllable_ + 0.2f * (power - syllable_);
        const float level = 10.0f * std::log10(std::max(syllable_, 1e-15f)) - kLoudSyllables;
        level_ = std::max(level, level_ - fall_);
        kept_level_.store(level_, std::memory_order_relaxed);
        const float off = target_ - level_;
        const float wanted = std::clamp(
            off > 0.0f ? std::max(0.0f, off - slack_) : std::min(0.0f, off + slack_), -lower_, lift_);
        slow_ += follow_ * (wanted - slow_);
    }

    double rate_ = 48000.0;
    int piece_ = 480, in_piece_ = 0, since_vowel_ = kBreath;
    std::optional<Periodicity> ear_;
    Smoothed gain_;
    float target_ = -22.0f, lift_ = 9.0f, lower_ = 9.0f, slack_ = 1.0f, follow_ = 0.01f;
    float power_ = 0.0f, floor_ = 0.0f, lifted_ = 0.0f;
    float syllable_ = -1.0f;  // mean square of the newest 50 ms of speech; below 0: none yet
    float level_ = kUnknown;  // of the voice, dBFS
    float fall_ = 0.0f;       // dB a piece
    float slow_ = 0.0f;       // dB that it has come to
    std::atomic<float> kept_level_{kUnknown}, kept_gain_{0.0f}, shown_gain_{0.0f};
};

Finding finding(const FindingContext& now) {
    if (!now.in.voice_known || !now.out.voice_known) return waiting_for_voice();
    const double off = now.values[kTarget] - now.in.voice;
    const double most = off > 0.0 ? now.values[kLift] : now.values[kLower];
    if (std::abs(off) > most + now.values[kSlack] + 2.0) {
        return {off > 0.0 ? "far_below" : "far_above",
                FindingTone::warning,
                off > 0.0 ? "Your voice is {0} dB below the target, more than the max boost. Add gain before "
                            "this stage or move closer."
                          : "Your voice is {0} dB above the target, more than the max cut. Use less gain "
                            "before this stage.",
                {{std::abs(off)}},
                propose(kTable, kTarget, now.in.voice, "Voice at {0} dB")};
    }
    return {"near",
            FindingTone::good,
            "Speech level: {0} dBFS in, {1} dBFS out.",
            {{now.in.voice}, {now.out.voice}},
            {}};
}

}  // namespace

const StageKind kLevellerStage{.id = "leveller",
                               .title = "Leveller",
                               .purpose = "Keeps your voice at a steady level as you move",
                               .parameters = kTable,
                               .make = make_stage<LevellerStage>,
                               .reports_reduction = true,
                               .finding = finding,
                               .readouts = kReadouts};

}  // namespace reed
