#include "stages/plosives.h"

#include <algorithm>
#include <atomic>

#include "dsp/lookahead.h"
#include "dsp/modulated_shelf.h"
#include "stages/voice_reference.h"

namespace reed {
namespace {

constexpr Parameter kTable[] = {
    parameter::number("threshold", "Threshold", Unit::decibel, -10.0, 30.0, 5.0, Scale::linear,
                      "Relative to the low end of your voice: pops exceed it, words don't."),
    parameter::number("depth", "Max reduction", Unit::decibel, -40.0, 0.0, -24.0, Scale::linear,
                      "Maximum reduction of a pop."),
    parameter::number("frequency", "Frequency", Unit::hertz, 60.0, 400.0, 170.0, Scale::logarithmic,
                      "Upper frequency of the reduction (half-gain point)."),
    parameter::number("release", "Release", Unit::milliseconds, 20.0, 500.0, 90.0, Scale::logarithmic,
                      "Long enough that the gust's tail does not come back."),
    parameter::structural(parameter::number("lookahead", "Look-ahead", Unit::milliseconds, 0.0, 10.0, 5.0,
                                            Scale::linear,
                                            "Catches the very start of a pop. Adds the same latency.")),
    parameter::transient(parameter::toggle("removed", "Listen to removed signal", false,
                                           "You should hear only thumps, no words.")),
};
enum Index { kThreshold, kDepth, kFrequency, kRelease, kLookahead, kRemoved };

constexpr Readout kReadouts[] = {{"gust", "Recent strongest pop", Unit::decibel, "threshold"}};

// A gust is mostly below what any voice has; the slope is gentle because a steep one is late.
constexpr double kGustTo = 50.0, kVoiceFrom = 150.0, kVoiceTo = 1500.0;  // Hz
// A gust has about as much below 50 Hz as between these; of a low voice's own tones, from 85 Hz up, the
// gust's filter lets 7 dB less pass. What is below the first is the voice, what is above the second a gust.
constexpr double kTonesFrom = 75.0, kTonesTo = 200.0;  // Hz
constexpr float kIsTone = -10.0f, kIsGust = -7.0f;     // dB
constexpr float kQuietWords = 12.0f;  // dB below the usual voice: a gust comes before its vowel
constexpr float kUsualLows = -20.0f, kLeastLows = -30.0f,
                kMostLows = 0.0f;                    // dB against the voice, to begin with
constexpr double kLearn = 4.0, kUnlearn = 1.0;       // dB a second: a gust is too short to be learnt
constexpr double kVowelLearn = 40.0, kVowel = 0.15;  // dB a second of what lasts longer than a gust, s
constexpr float kRatio = 10.0f, kKnee = 6.0f;
constexpr double kAttackMs = 0.5;

class PlosivesStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        gust_.prepare(rate_, {FilterType::high_cut, kGustTo, 0.0, 0.7071, 12}, 0.005);
        tones_.prepare(rate_, {FilterType::high_cut, kTonesTo, 0.0, 0.7071, 12}, 0.005);
        tones_from_.snap(design({FilterType::low_cut, kTonesFrom, 0.0, 0.7071, 12}, rate_));
        voice_.prepare(rate_, kVoiceFrom, kVoiceTo, kQuietWords);
        lookahead_.prepare(rate_, values[kLookahead]);
        threshold_.prepare(rate_, 0.005, values[kThreshold]);
        depth_.prepare(rate_, 0.005, -values[kDepth]);
        corner_.prepare(rate_, 0.020, values[kFrequency]);
        taken_.prepare(rate_, values[kRemoved]);
        shelf_.prepare(rate_, values[kFrequency]);
        lately_.prepare(rate_);
        learn_ = static_cast<float>(kLearn * kSubBlock / rate_);
        vowel_learn_ = static_cast<float>(kVowelLearn * kSubBlock / rate_);
        vowel_ = static_cast<int>(kVowel * rate_ / kSubBlock);
        unlearn_ = static_cast<float>(kUnlearn * kSubBlock / rate_);
        set_values(values);
        reset();
    }
    void set_values(std::span<const double> values) override {
        threshold_.set(values[kThreshold]);
        depth_.set(-values[kDepth]);
        corner_.set(values[kFrequency]);
        taken_.set(values[kRemoved]);
        reduction_.set(rate_, kAttackMs, values[kRelease]);
    }
    int latency() const override { return lookahead_.frames(); }
    std::vector<float> memory() const override {
        return {voice_.usual(), kept_lows_.load(std::memory_order_relaxed)};
    }
    void remember(std::span<const float> kept) override {
        if (kept.size() != 2) return;
        voice_.remember(kept[0]);
        lows_ = kept[1];
    }
    float readout(size_t) const override { return lately_.shown(); }

    void begin_sub_block() override {
        threshold_.begin_sub_block();
        depth_.begin_sub_block();
        corner_.begin_sub_block();
        taken_.begin_sub_block();
        if (corner_.moving()) shelf_.set_corner(corner_.sub_block_value());
        voice_.begin_sub_block();
        const float low = gust_.next(), over = low - voice_.level() - lows_;
        const float is_gust = std::clamp((low - tones_.next() - kIsTone) / (kIsGust - kIsTone), 0.0f, 1.0f);
        const float gust = over > 0.0f ? is_gust * over : over;
        learn_lows(over);
        kept_lows_.store(lows_, std::memory_order_relaxed);
        lately_.note(gust, kSubBlock);
        lately_.begin_sub_block();
        reduction_.begin_sub_block(std::min(
            static_cast<float>(depth_.sub_block_value()),
            compressor_reduction(gust, static_cast<float>(threshold_.sub_block_value()), kRatio, kKnee)));
    }
    void process(const AudioBlock& block) override {
        const AudioBlock& side = side_chain(block);
        gust_.listen(side);
        tones_.listen(side, &tones_from_);
        voice_.listen(side);
        float gain[kSubBlock] = {};
        report_reduction(reduction_.write(gain, block.frames));
        for (int i = 0; i < block.frames; ++i) gain[i] = -gain[i];
        lookahead_.process(block);
        taken_.keep(block);
        shelf_.process(block, gain);
        taken_.swap(block);
    }
    void reset() override {
        gust_.reset();
        tones_.reset();
        tones_from_.reset();
        voice_.reset();
        lookahead_.reset();
        shelf_.reset();
        reduction_.reset();
    }

  private:
    /// `over`: dB over what the voice itself has. Of a bass that is learnt within a vowel or two.
    void learn_lows(float over) {
        if (!voice_.speaks()) {
            over_ = 0;
            return;
        }
        over_ = over > 0.0f ? std::min(over_ + 1, vowel_ + 1) : 0;
        const float up = over_ > vowel_ ? vowel_learn_ : learn_;
        lows_ = std::clamp(lows_ + (over > 0.0f ? up : -unlearn_), kLeastLows, kMostLows);
    }

    double rate_ = 48000.0;
    FilteredLevel gust_, tones_;
    BiquadCascade tones_from_;
    VoiceReference voice_;
    Lookahead lookahead_;
    ModulatedShelf shelf_{ModulatedShelf::Side::low};
    GrainReduction reduction_;
    Smoothed threshold_, depth_, corner_;
    DeltaListen taken_;
    PeakHold lately_;
    float lows_ = kUsualLows, learn_ = 0.0f, unlearn_ = 0.0f, vowel_learn_ = 0.0f;
    int vowel_ = 0, over_ = 0;  // grains: that are longer than a gust, with lows above the voice's own
    std::atomic<float> kept_lows_{kUsualLows};
};

Finding finding(const FindingContext& now) {
    if (!now.in.voice_known) return waiting_for_voice();
    const StageReduction& r = now.reduction;
    if (r.usual > 2.0) {
        return {"takes_always",
                FindingTone::warning,
                "Reducing {0} dB most of the time, not only pops. Raise the threshold.",
                {{r.usual}},
                propose(kTable, kThreshold, now.values[kThreshold] + 6.0, "Set threshold to {0} dB")};
    }
    if (r.deepest < 1.0) return {"takes_nothing", FindingTone::good, "No pops detected recently.", {}, {}};
    return {"takes_gusts",
            FindingTone::good,
            "Reduced pops by up to {0} dB; the voice is unchanged.",
            {{r.deepest}},
            {}};
}

}  // namespace

const StageKind kPlosivesStage{.id = "plosives",
                               .title = "Plosives",
                               .purpose = "Reduces pops on p and b, and desk knocks",
                               .parameters = kTable,
                               .make = make_stage<PlosivesStage>,
                               .reports_reduction = true,
                               .finding = finding,
                               .readouts = kReadouts};

}  // namespace reed
