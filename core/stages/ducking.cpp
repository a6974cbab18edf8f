#include "stages/ducking.h"

#include <algorithm>
#include <atomic>
#include <optional>

#include "dsp/level_detector.h"
#include "dsp/smoothed.h"
#include "stages/voice_reference.h"
#include "suppression/network_ear.h"

namespace reed {
namespace {

constexpr Choice kWhenChoices[] = {{"speech", "Somebody speaks"}, {"level", "It is loud"}};

constexpr Parameter kTable[] = {
    parameter::number("amount", "Amount", Unit::decibel, 0.0, 24.0, 5.0, Scale::linear,
                      "By how much it gives way. 3 to 6 dB are hardly noticed, and that is right."),
    parameter::choice("when", "While", kWhenChoices, 0,
                      "Somebody speaks: coughs, keys and chairs don't count. It is loud: whatever is above "
                      "the threshold does."),
    parameter::number("threshold", "Threshold", Unit::dbfs, -70.0, 0.0, -40.0, Scale::linear,
                      "Of the voice that is listened to: below its quiet words, above what is left of the "
                      "room."),
    parameter::number("attack", "Attack", Unit::milliseconds, 5.0, 500.0, 80.0, Scale::logarithmic,
                      "How long the way down takes. Shorter is noticed more."),
    parameter::number("hold", "Hold", Unit::milliseconds, 0.0, 5000.0, 600.0, Scale::linear,
                      "Long enough that it stays down from word to word."),
    parameter::number("release", "Release", Unit::milliseconds, 50.0, 5000.0, 900.0, Scale::logarithmic,
                      "How long the way up takes; never faster than 20 dB a second."),
};
enum Index { kAmount, kWhen, kThreshold, kAttack, kHold, kRelease };

constexpr Readout kReadouts[] = {{"voice", "The voice it gives way to", Unit::dbfs, "threshold"}};

constexpr double kFastestRelease = 20.0;         // dB a second
constexpr float kBegins = 0.6f, kGoesOn = 0.3f;  // probability of speech
constexpr float kTooSoft = -65.0f;               // dBFS: nothing this low is told from the room
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
    void begin_grain() override {
        amount_.begin_grain();
        threshold_.begin_grain();
        lately_.begin_grain();
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
        float level[kGrain] = {};
        float gain[kGrain];
        const bool known = keyed() && side.channels > 0;
        if (known) {
            detector_.process(side, LevelDetector::Mode::rms, level);
            if (by_speech_) hear(side);
            lately_.note(level, block.frames);
        }
        const auto amount = static_cast<float>(amount_.grain_value());
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
        note_reduction(reduction_);
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
        float mono[kGrain];
        for (int i = 0; i < side.frames; ++i)
            mono[i] = side.channels > 1 ? 0.5f * (side[0][i] + side[1][i]) : side[0][i];
        ear_->add(mono, side.frames);
    }
    bool is_there(float level) const {
        if (by_speech_ && voice_ >= 0.0f) return level > kTooSoft && voice_ > (there_ ? kGoesOn : kBegins);
        const auto threshold = static_cast<float>(threshold_.grain_value());
        return level > (there_ ? threshold - kFallsBelow : threshold);
    }

    double rate_ = 48000.0;
    LevelDetector detector_;
    std::optional<NetworkEar> ear_;
    Smoothed amount_, threshold_;
    HighestLately lately_;
    bool by_speech_ = true, there_ = false;
    float down_ = 0.0f, up_ = 0.0f, reduction_ = 0.0f, voice_ = 0.0f;
    int hold_ = 0, held_ = 0;
    std::atomic<float> kept_{0.0f};
};

Finding finding(const Situation& now) {
    const StageReduction& r = now.reduction;
    if (r.deepest < 0.5) {
        return {"ducks_nothing",
                FindingTone::neutral,
                "It has not given way lately: nobody spoke, or nobody was chosen whom it gives way to.",
                {},
                {}};
    }
    if (now.values[kAmount] > 8.0) {
        return {"ducks_much",
                FindingTone::warning,
                "It gives way by {0} dB, which everybody hears come and go. 3 to 6 are hardly noticed.",
                {{now.values[kAmount]}},
                propose(kTable, kAmount, 5.0, "Amount {0} dB")};
    }
    return {"ducks_right",
            FindingTone::good,
            "While somebody speaks it gives way by up to {0} dB; {1} % of the time it was not lowered.",
            {{r.deepest, Unit::decibel, 1}, {100.0 * r.open}},
            {}};
}

}  // namespace

const StageKind kDuckingStage{.id = "ducking",
                              .title = "Ducking",
                              .purpose = "Lowers a programme a little while somebody speaks",
                              .parameters = kTable,
                              .make = make_stage<DuckingStage>,
                              .reports_reduction = true,
                              .rests = [](std::span<const double> values) { return values[kWhen] < 0.5; },
                              .finding = finding,
                              .readouts = kReadouts,
                              .timing = {.attack = "attack", .hold = "hold", .release = "release"},
                              .takes_key = true,
                              .usual_key = "voices"};

}  // namespace reed
