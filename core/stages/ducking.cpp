#include "stages/ducking.h"

#include <algorithm>
#include <atomic>
#include <optional>

#include "dsp/level_detector.h"
#include "dsp/smoothed.h"
#include "stages/voice_reference.h"
#include "suppression/neural_gain_estimator.h"

namespace reed {
namespace {

constexpr Choice kWhenChoices[] = {{"speech", "Speech"}, {"level", "Level above threshold"}};

constexpr Parameter kTable[] = {
    parameter::number("amount", "Amount", Unit::decibel, 0.0, 24.0, 5.0, Scale::linear,
                      "Reduction while active. 3 to 6 dB is barely noticeable and usually enough."),
    parameter::choice(
        "when", "Trigger", kWhenChoices, 0,
        "Speech ignores coughs, key clicks and chairs. Level reacts to anything above the threshold."),
    parameter::number("threshold", "Threshold", Unit::dbfs, -70.0, 0.0, -40.0, Scale::linear,
                      "Level of the sidechain: below its quiet speech, above its background noise."),
    parameter::number("attack", "Attack", Unit::milliseconds, 5.0, 500.0, 80.0, Scale::logarithmic,
                      "Time to reduce the level. Shorter is more noticeable."),
    parameter::number("hold", "Hold", Unit::milliseconds, 0.0, 5000.0, 600.0, Scale::linear,
                      "Long enough to bridge the gaps between words."),
    parameter::number("release", "Release", Unit::milliseconds, 50.0, 5000.0, 900.0, Scale::logarithmic,
                      "Time to return. Never faster than 20 dB per second."),
};
enum Index { kAmount, kWhen, kThreshold, kAttack, kHold, kRelease };

constexpr Readout kReadouts[] = {{"voice", "Sidechain level", Unit::dbfs, "threshold"}};

constexpr double kFastestRelease = 20.0;         // dB a second
constexpr float kBegins = 0.6f, kGoesOn = 0.3f;  // probability of speech
constexpr float kTooSoft = -65.0f;               // dBFS: below, speech can't be separated from the noise
constexpr float kFallsBelow = 6.0f;              // dB under the threshold, at which it is no longer loud

class DuckingStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        detector_.prepare(rate_, 0.010);
        // Its spectrum is not asked for.
        auto network = make_voice_network();
        ear_.emplace(network.ok() ? std::move(network.value()) : nullptr, rate_, rate_, 1, 0);
        amount_.prepare(rate_, 0.020, values[kAmount]);
        threshold_.prepare(rate_, 0.005, values[kThreshold]);
        lately_.prepare(rate_);
        set_values(values);
        reset();
    }
    void set_values(std::span<const double> values) override {
        amount_.set(values[kAmount]);
        threshold_.set(values[kThreshold]);
        by_speech_ = values[kWhen] < 0.5;
        down_ = per_frame(values[kAmount], values[kAttack]);
        up_ = std::min(per_frame(values[kAmount], values[kRelease]),
                       static_cast<float>(kFastestRelease / rate_));
        hold_ = static_cast<int>(std::lround(values[kHold] * 0.001 * rate_));
    }
    void begin_sub_block() override {
        amount_.begin_sub_block();
        threshold_.begin_sub_block();
        lately_.begin_sub_block();
        voice_ = ear_->failed() ? -1.0f : ear_->voice();  // one word a grain, however it is cut
        kept_.store(reduction_, std::memory_order_relaxed);
    }
    std::vector<float> memory() const override { return {kept_.load(std::memory_order_relaxed)}; }
    void remember(std::span<const float> kept) override {
        if (kept.size() == 1) reduction_ = std::clamp(kept[0], 0.0f, 24.0f);
    }
    float readout(size_t) const override { return lately_.shown(); }

    void process(const AudioBlock& block) override {
        const AudioBlock& side = side_chain(block);
        float level[kSubBlock] = {};
        float gain[kSubBlock];
        const bool known = keyed() && side.channels > 0;
        if (known) {
            detector_.process(side, LevelDetector::Mode::rms, level);
            if (by_speech_) hear(side);
            lately_.note(level, block.frames);
        }
        const auto amount = static_cast<float>(amount_.sub_block_value());
        for (int i = 0; i < block.frames; ++i) {
            if (known) {
                there_ = is_there(level[i]);
                held_ = there_ ? hold_ : std::max(held_ - 1, 0);
                const float wanted = there_ || held_ > 0 ? amount : 0.0f;
                reduction_ = reduction_ < wanted ? std::min(reduction_ + down_, wanted)
                                                 : std::max(reduction_ - up_, wanted);
            }
            gain[i] = -kLog2PerDb * reduction_;
        }
        report_reduction(reduction_);
        if (reduction_ == 0.0f && gain[0] == 0.0f) return;
        for (int i = 0; i < block.frames; ++i) gain[i] = fast_exp2(gain[i]);
        for (int c = 0; c < block.channels; ++c) {
            for (int i = 0; i < block.frames; ++i) block[c][i] *= gain[i];
        }
    }
    void reset() override {
        detector_.reset();
        if (ear_) ear_->reset();
        there_ = false;
        held_ = 0;
    }

  private:
    float per_frame(double db, double ms) const {
        return static_cast<float>(std::max(db, 0.1) / (0.001 * ms * rate_));
    }
    void hear(const AudioBlock& side) {
        float mono[kSubBlock];
        for (int i = 0; i < side.frames; ++i)
            mono[i] = side.channels > 1 ? 0.5f * (side[0][i] + side[1][i]) : side[0][i];
        ear_->add(mono, side.frames);
    }
    bool is_there(float level) const {
        if (by_speech_ && voice_ >= 0.0f) return level > kTooSoft && voice_ > (there_ ? kGoesOn : kBegins);
        const auto threshold = static_cast<float>(threshold_.sub_block_value());
        return level > (there_ ? threshold - kFallsBelow : threshold);
    }

    double rate_ = 48000.0;
    LevelDetector detector_;
    std::optional<NeuralGainEstimator> ear_;
    Smoothed amount_, threshold_;
    PeakHold lately_;
    bool by_speech_ = true, there_ = false;
    float down_ = 0.0f, up_ = 0.0f, reduction_ = 0.0f, voice_ = 0.0f;
    int hold_ = 0, held_ = 0;
    std::atomic<float> kept_{0.0f};
};

Finding finding(const FindingContext& now) {
    const StageReduction& r = now.reduction;
    if (r.deepest < 0.5) {
        return {"ducks_nothing",
                FindingTone::neutral,
                "No recent ducking: no speech, or no sidechain source is set.",
                {},
                {}};
    }
    if (now.values[kAmount] > 8.0) {
        return {"ducks_much",
                FindingTone::warning,
                "Ducking by {0} dB is clearly audible. 3 to 6 dB is barely noticeable.",
                {{now.values[kAmount]}},
                propose(kTable, kAmount, 5.0, "Set amount to {0} dB")};
    }
    return {"ducks_right",
            FindingTone::good,
            "Ducks by up to {0} dB during speech; inactive {1}% of the time.",
            {{r.deepest, Unit::decibel, 1}, {100.0 * r.open}},
            {}};
}

}  // namespace

const StageKind kDuckingStage{.id = "ducking",
                              .title = "Ducking",
                              .purpose = "Lowers app audio while someone speaks",
                              .parameters = kTable,
                              .make = make_stage<DuckingStage>,
                              .reports_reduction = true,
                              .rests = [](std::span<const double> values) { return values[kWhen] < 0.5; },
                              .finding = finding,
                              .readouts = kReadouts,
                              .timing = {.attack = "attack", .hold = "hold", .release = "release"},
                              .accepts_sidechain = true,
                              .default_sidechain = "voices"};

}  // namespace reed
