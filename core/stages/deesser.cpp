#include "stages/deesser.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <numbers>

#include "dsp/lookahead.h"
#include "dsp/modulated_shelf.h"
#include "stages/voice_reference.h"

namespace reed {
namespace {

constexpr Choice kRanges[] = {{"band", "Sibilance band"}, {"whole", "Whole voice"}};

constexpr Parameter kTable[] = {
    parameter::number(
        "threshold", "Threshold", Unit::decibel, -40.0, 10.0, -22.0, Scale::linear,
        "Relative to your voice level: sharper s sounds are reduced. The marker shows how sharp yours are."),
    parameter::number("depth", "Max reduction", Unit::decibel, -24.0, 0.0, -10.0, Scale::linear,
                      "Maximum reduction. Too much causes a lisp."),
    parameter::choice("range", "Reduce", kRanges, 0,
                      "Sibilance band is the least noticeable; whole voice preserves the tone."),
    parameter::toggle("finds", "Auto frequency", true,
                      "Detects the frequency of your s sounds. Off: uses the manual frequency."),
    parameter::number(
        "frequency", "Frequency", Unit::hertz, 2000.0, 12000.0, 5000.0, Scale::logarithmic,
        "Lower limit of the sibilance band: 4 to 5 kHz for low voices, 6 to 8 kHz for high ones."),
    parameter::number("release", "Release", Unit::milliseconds, 10.0, 400.0, 60.0, Scale::logarithmic,
                      "Short keeps the vowel after an s bright."),
    parameter::structural(parameter::number("lookahead", "Look-ahead", Unit::milliseconds, 0.0, 5.0, 2.0,
                                            Scale::linear,
                                            "Catches the very start of an s. Adds the same latency.")),
    parameter::transient(parameter::toggle("removed", "Listen to removed signal", false,
                                           "You should hear only sharp sounds, no words.")),
};
enum Index { kThreshold, kDepth, kWhole, kFinds, kFrequency, kRelease, kLookahead, kRemoved };

constexpr Readout kReadouts[] = {
    {"sharpness", "Recent peak sharpness", Unit::decibel, "threshold"},
    {"found", "Sibilance from", Unit::hertz, "frequency"},
};

constexpr double kSharpFrom = 4000.0;  // Hz; what is listened to for sibilants
constexpr double kVoiceFrom = 150.0, kVoiceTo = 3000.0;
constexpr float kQuietWords = 10.0f;  // dB below the usual voice: less is a pause
constexpr float kRatio = 4.0f, kKnee = 4.0f;
constexpr double kAttackMs = 0.7;
constexpr double kCornerShare = 0.58;  // of the mean frequency of the sibilants

/// Where a voice's sibilants are: their mean frequency, from the mean squares of the sound and of its
/// differences (both in the sharp band), over the last two seconds of sibilants.
class SibilantBand {
  public:
    void prepare(double sample_rate) {
        rate_ = sample_rate;
        forget_ = std::exp(-kSubBlock / (2.0 * rate_));
    }
    /// Never across a grain boundary.
    void listen(const float* x, int frames) {
        for (int i = 0; i < frames; ++i) {
            const float difference = x[i] - before_;
            now_ += x[i] * x[i];
            now_differences_ += difference * difference;
            before_ = x[i];
        }
    }
    /// Call at a sub-block boundary. Whether the last sub-block was a sibilant.
    void end_grain(bool sibilant) {
        if (sibilant) {
            energy_ = forget_ * energy_ + static_cast<double>(now_);
            differences_ = forget_ * differences_ + static_cast<double>(now_differences_);
        }
        now_ = now_differences_ = 0.0f;
    }
    /// Hz; 0 before a twentieth of a second at -55 dBFS was heard.
    double mean() const {
        if (energy_ < 1.5e-7 * rate_) return 0.0;
        return std::acos(std::clamp(1.0 - differences_ / (2.0 * energy_), -1.0, 1.0)) * rate_ /
               (2.0 * std::numbers::pi);
    }
    /// As if half a second of sibilants of this mean frequency had been heard.
    void remember(double hertz) {
        energy_ = 5e-5 * rate_;
        differences_ = energy_ * 2.0 * (1.0 - std::cos(2.0 * std::numbers::pi * hertz / rate_));
    }

  private:
    double rate_ = 48000.0, forget_ = 1.0, energy_ = 0.0, differences_ = 0.0;
    float now_ = 0.0f, now_differences_ = 0.0f, before_ = 0.0f;
};

class DeesserStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        sharp_.prepare(rate_, {FilterType::low_cut, kSharpFrom, 0.0, 0.7071, 24}, 0.002);
        voice_.prepare(rate_, kVoiceFrom, kVoiceTo, kQuietWords);
        lookahead_.prepare(rate_, values[kLookahead]);
        threshold_.prepare(rate_, 0.005, values[kThreshold]);
        depth_.prepare(rate_, 0.005, -values[kDepth]);
        whole_.prepare(rate_, 0.010, values[kWhole]);
        taken_.prepare(rate_, values[kRemoved]);
        found_.prepare(rate_);
        lately_.prepare(rate_);
        corner_ = values[kFrequency];
        set_values(values);
        shelf_.prepare(rate_, corner_);
        reset();
    }
    void set_values(std::span<const double> values) override {
        threshold_.set(values[kThreshold]);
        depth_.set(-values[kDepth]);
        whole_.set(values[kWhole]);
        taken_.set(values[kRemoved]);
        finds_ = values[kFinds] >= 0.5;
        by_hand_ = values[kFrequency];
        reduction_.set(rate_, kAttackMs, values[kRelease]);
    }
    int latency() const override { return lookahead_.frames(); }
    std::vector<float> memory() const override {
        return {voice_.usual(), kept_mean_.load(std::memory_order_relaxed)};
    }
    void remember(std::span<const float> kept) override {
        if (kept.size() != 2) return;
        voice_.remember(kept[0]);
        if (kept[1] <= 0.0f) return;
        found_.remember(kept[1]);
        if (finds_) corner_ = wanted_corner();
        shelf_.set_corner(corner_);
    }
    float readout(size_t which) const override {
        return which == 0 ? lately_.shown() : shown_corner_.load(std::memory_order_relaxed);
    }

    void begin_sub_block() override {
        threshold_.begin_sub_block();
        depth_.begin_sub_block();
        whole_.begin_sub_block();
        taken_.begin_sub_block();
        hear();
        // A tenth of a second for most of the way, in steps too small to be heard.
        if (const double wanted = wanted_corner(); std::abs(wanted - corner_) > 1.0) {
            corner_ += pace() * (wanted - corner_);
            shelf_.set_corner(corner_);
        }
        shown_corner_.store(static_cast<float>(corner_), std::memory_order_relaxed);
        kept_mean_.store(static_cast<float>(found_.mean()), std::memory_order_relaxed);
    }

    void process(const AudioBlock& block) override {
        const AudioBlock& side = side_chain(block);
        sharp_.listen(side);
        voice_.listen(side);
        found_.listen(sharp_.rows()[0], side.frames);
        float reduction[kSubBlock] = {};
        report_reduction(reduction_.write(reduction, block.frames));
        lookahead_.process(block);
        taken_.keep(block);
        take(block, reduction);
        taken_.swap(block);
    }
    void reset() override {
        sharp_.reset();
        voice_.reset();
        lookahead_.reset();
        shelf_.reset();
        reduction_.reset();
    }

  private:
    double pace() const { return 1.0 - std::exp(-kSubBlock / (0.070 * rate_)); }
    double wanted_corner() const {
        const double mean = finds_ ? found_.mean() : 0.0;
        return mean > 0.0 ? std::clamp(kCornerShare * mean, 3000.0, 9000.0) : by_hand_;
    }

    /// What the grain that is over sounded like, and the reduction wanted for it.
    void hear() {
        voice_.begin_sub_block();
        const float sharp = sharp_.next();
        const float sharpness = sharp - voice_.level();
        lately_.note(sharpness, kSubBlock);
        lately_.begin_sub_block();
        found_.end_grain(sharpness > kSomewhatSharp && sharp > voice_.raw() - 6.0f && sharp > kLeast);
        reduction_.begin_sub_block(
            std::min(static_cast<float>(depth_.sub_block_value()),
                     compressor_reduction(sharpness, static_cast<float>(threshold_.sub_block_value()), kRatio,
                                          kKnee)));
    }

    void take(const AudioBlock& block, float* reduction) {
        float band[kSubBlock] = {};
        if (!whole_.moving() && whole_.sub_block_value() == 0.0) {
            for (int i = 0; i < block.frames; ++i) band[i] = -reduction[i];
            return shelf_.process(block, band);
        }
        for (int i = 0; i < block.frames; ++i) {
            // In between, while the choice moves, each takes its share.
            const float whole = whole_.next();
            band[i] = -(1.0f - whole) * reduction[i];
            reduction[i] = fast_exp2(-kLog2PerDb * whole * reduction[i]);
        }
        shelf_.process(block, band);
        for (int c = 0; c < block.channels; ++c) {
            for (int i = 0; i < block.frames; ++i) block[c][i] *= reduction[i];
        }
    }

    static constexpr float kSomewhatSharp = -24.0f;  // dB against the voice
    static constexpr float kLeast = -70.0f;          // dBFS

    double rate_ = 48000.0;
    FilteredLevel sharp_;
    VoiceReference voice_;
    SibilantBand found_;
    Lookahead lookahead_;
    ModulatedShelf shelf_{ModulatedShelf::Side::high};
    GrainReduction reduction_;
    Smoothed threshold_, depth_, whole_;
    DeltaListen taken_;
    PeakHold lately_;
    bool finds_ = true;
    double by_hand_ = 5000.0, corner_ = 5000.0;
    std::atomic<float> shown_corner_{5000.0f}, kept_mean_{0.0f};
};

Finding finding(const FindingContext& now) {
    if (!now.in.voice_known) return waiting_for_voice();
    const StageReduction& r = now.reduction;
    if (r.usual > 2.0) {
        return {"takes_always",
                FindingTone::warning,
                "Reducing {0} dB most of the time, not only s sounds. Raise the threshold.",
                {{r.usual}},
                propose(kTable, kThreshold, now.values[kThreshold] + 6.0, "Set threshold to {0} dB")};
    }
    if (r.deepest < 1.0)
        return {"takes_nothing",
                FindingTone::neutral,
                "No s exceeded the threshold. Lower it if yours still sound sharp.",
                {},
                {}};
    return {"takes_s",
            FindingTone::good,
            "Reduces sharp s sounds by up to {0} dB and leaves the rest unchanged.",
            {{r.deepest}},
            {}};
}

}  // namespace

const StageKind kDeesserStage{.id = "deesser",
                              .title = "De-esser",
                              .purpose = "Softens sharp s and sh sounds",
                              .parameters = kTable,
                              .make = make_stage<DeesserStage>,
                              .reports_reduction = true,
                              .finding = finding,
                              .readouts = kReadouts};

}  // namespace reed
