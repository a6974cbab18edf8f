#include "stages/tone.h"

#include <array>
#include <atomic>
#include <cmath>
#include <string>
#include <utility>

#include "dsp/band_bank.h"
#include "dsp/biquad_cascade.h"
#include "dsp/loudness_compensator.h"
#include "dsp/pitch_detector.h"
#include "dsp/smoothed.h"
#include "stages/equalizer.h"
#include "stages/registry.h"

namespace reed {
namespace {

constexpr Parameter kTable[] = {
    parameter::number("body", "Body", Unit::decibel, -6.0, 6.0, 0.0, Scale::linear,
                      "Low end: raise it for a thin voice, lower it for a boomy one."),
    parameter::number("clarity", "Clarity", Unit::decibel, -6.0, 6.0, 0.0, Scale::linear,
                      "Consonants: raise it for a dull voice, lower it if it sounds harsh."),
    parameter::number("air", "Air", Unit::decibel, -6.0, 6.0, 0.0, Scale::linear,
                      "Airy top end. Lower it if the voice hisses."),
    parameter::toggle("follow", "Track voice", true,
                      "Places body and clarity at the frequencies of the current voice."),
    parameter::number("body_at", "Body frequency", Unit::hertz, 60.0, 400.0, 110.0, Scale::logarithmic,
                      "Used while Track voice is off. Choose the pitch of the voice."),
    parameter::number("clarity_at", "Clarity frequency", Unit::hertz, 1500.0, 7000.0, 3800.0,
                      Scale::logarithmic, "Used while Track voice is off."),
};
constexpr Readout kReadouts[] = {{"body_at", "Body frequency", Unit::hertz, "body_at"},
                                 {"clarity_at", "Clarity frequency", Unit::hertz, "clarity_at"},
                                 {"pitch", "Pitch of the voice", Unit::hertz},
                                 {"body_more", "Body, relative to average", Unit::decibel},
                                 {"clarity_more", "Clarity, relative to average", Unit::decibel},
                                 {"loudness", "Loudness correction", Unit::decibel}};

constexpr double kQ = 0.7;
constexpr double kAirAt = 9000.0;                            // Hz
constexpr double kLeastBody = 70.0, kMostBody = 280.0;       // Hz
constexpr double kLeastClear = 2500.0, kMostClear = 5000.0;  // Hz
constexpr double kPace = 0.020;                              // s between two looks at the pitch
constexpr double kKnown = 1.0;                               // s of voice before its places are taken
constexpr double kSpan = 10.0;                               // s of voice over which they are found
constexpr double kWorthIt = 0.04;                            // octaves: a centre that moves by less stays

/// Bands of an octave in which the voice is weighed: two about the chest, one in the middle, four where
/// consonants are.
constexpr size_t kBands = 8;
constexpr std::array<double, kBands> kMiddles{100.0, 160.0, 250.0, 500.0, 2000.0, 2800.0, 4000.0, 5600.0};
/// What many voices have in them, in dB: Byrne and others, 1994, all languages, men and women; thirds of an
/// octave from memory, added up to the width of these bands.
constexpr std::array<double, kBands> kUsual{59.5, 63.3, 64.6, 66.4, 54.7, 52.2, 50.5, 49.2};
constexpr float kDamping = 1.1f;  // two in a row are an octave wide between half powers; consonants are far
                                  // below what is loud in a voice, so one would not do
constexpr size_t kMiddle = 3, kFirstClear = 4;

BandSettings body_band(double gain, double at) {
    return {FilterType::bell, at, gain, kQ, 12};
}
BandSettings clarity_band(double gain, double at) {
    return {FilterType::bell, at, gain, kQ, 12};
}
BandSettings air_band(double gain) {
    return {FilterType::high_shelf, kAirAt, gain, kQ, 12};
}

class ToneStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        finder_.prepare(rate_);
        bands_.prepare(kMiddles, kDamping, rate_);
        sums_ = {};
        loudness_.prepare(format, 0);
        every_ = std::max(1, static_cast<int>(std::lround(kPace * rate_ / kSubBlock)));
        for (size_t i = 0; i < gains_.size(); ++i) gains_[i].prepare(rate_, 0.010, values[i]);
        set_values(values);
        aim();
        body_.prepare(rate_, 0.150, body_aim_);
        clarity_.prepare(rate_, 0.150, clarity_aim_);
        snap();
        filters_[2].snap(design(air_band(gains_[2].sub_block_value()), rate_));
    }
    void set_values(std::span<const double> values) override {
        for (size_t i = 0; i < gains_.size(); ++i) gains_[i].set(values[i]);
        follow_ = values[kToneFollow] >= 0.5;
        body_by_hand_ = std::log2(values[kToneBodyAt]);
        clarity_by_hand_ = std::log2(values[kToneClarityAt]);
    }
    /// Seconds of voice, its pitch (log2 Hz), and its power in the bands.
    std::vector<float> memory() const override {
        std::vector<float> out;
        for (const auto& v : kept_) out.push_back(v.load(std::memory_order_relaxed));
        return out;
    }
    void remember(std::span<const float> kept) override {
        if (kept.size() != kept_.size() || !(kept[0] > 0.0f)) return;
        voiced_ = kept[0];
        pitch_ = kept[1];
        for (size_t b = 0; b < kBands; ++b) powers_[b] = kept[2 + b];
        aim();
        body_.snap(body_aim_);
        clarity_.snap(clarity_aim_);
        snap();
        tell();
    }
    float readout(size_t which) const override { return told_[which].load(std::memory_order_relaxed); }

    void begin_sub_block() override {
        if (++grains_ % every_ == 0) listen();
        for (Smoothed& g : gains_) g.begin_sub_block();
        body_.set(body_aim_);
        clarity_.set(clarity_aim_);
        body_.begin_sub_block();
        clarity_.begin_sub_block();
        move(0, gains_[0].moving() || body_.moving(),
             [&] { return body_band(gains_[0].sub_block_value(), std::exp2(body_.sub_block_value())); });
        move(1, gains_[1].moving() || clarity_.moving(), [&] {
            return clarity_band(gains_[1].sub_block_value(), std::exp2(clarity_.sub_block_value()));
        });
        move(2, gains_[2].moving(), [&] { return air_band(gains_[2].sub_block_value()); });
        bool rests = true;
        for (const Smoothed& g : gains_) rests = rests && g.sub_block_value() == 0.0;
        loudness_.allow(rests ? 1.0 : 0.5, rests ? 1.0 : 2.0);
        loudness_.begin_sub_block();
        told_[kToneLoudness].store(static_cast<float>(20.0 * std::log10(loudness_.gain())),
                                   std::memory_order_relaxed);
    }
    void process(const AudioBlock& block) override {
        loudness_.hear(block);
        float middle[kSubBlock] = {};
        const float share = 1.0f / static_cast<float>(block.channels);
        for (int c = 0; c < block.channels; ++c) {
            for (int i = 0; i < block.frames; ++i) middle[i] += share * block[c][i];
        }
        for (int i = 0; i < block.frames; ++i) {
            for (size_t b = 0; b < kBands; ++b) {
                const float y = bands_.next(b, middle[i]);
                sums_[b] += y * y;
            }
        }
        finder_.add(middle, block.frames);
        for (BiquadCascade& f : filters_) f.process(block);
        loudness_.process(block);
    }
    void reset() override {
        finder_.reset();
        bands_.reset();
        sums_ = {};
        loudness_.reset();
        for (BiquadCascade& f : filters_) f.reset();
    }

  private:
    /// The bands that follow, where they are to be, at once.
    void snap() {
        filters_[0].snap(design(body_band(gains_[0].sub_block_value(), std::exp2(body_aim_)), rate_));
        filters_[1].snap(design(clarity_band(gains_[1].sub_block_value(), std::exp2(clarity_aim_)), rate_));
    }
    /// Roughly while it moves, exactly where it comes to rest.
    template <typename Settings>
    void move(size_t which, bool moving, Settings settings) {
        if (moving || moved_[which])
            filters_[which].glide(design(settings(), rate_, moving ? Precision::rough : Precision::exact));
        else
            filters_[which].hold();
        moved_[which] = moving;
    }
    /// What the voice has had since the last look, if it was one.
    void listen() {
        const double period = finder_.find();
        const auto sums = std::exchange(sums_, {});
        if (period <= 0.0) return;
        const double share = std::max(kPace / (voiced_ + kPace), kPace / kSpan);
        voiced_ += kPace;
        pitch_ += share * (std::log2(rate_ / period) - pitch_);
        for (size_t b = 0; b < kBands; ++b)
            powers_[b] += share * (static_cast<double>(sums[b]) / (every_ * kSubBlock) - powers_[b]);
        aim();
        tell();
    }
    void aim() {
        const bool known = follow_ && voiced_ >= kKnown;
        double body = body_by_hand_, clarity = clarity_by_hand_;
        if (known) {
            body = std::clamp(pitch_, std::log2(kLeastBody), std::log2(kMostBody));
            // The middle of what consonants have, each band weighed against what it usually holds.
            double sum = 0.0, weighed = 0.0;
            for (size_t b = kFirstClear; b < kBands; ++b) {
                const double power = powers_[b] * std::pow(10.0, -0.1 * kUsual[b]);
                sum += power;
                weighed += power * std::log2(kMiddles[b]);
            }
            if (sum > 0.0) clarity = std::clamp(weighed / sum, std::log2(kLeastClear), std::log2(kMostClear));
        }
        if (!known || std::abs(body - body_aim_) > kWorthIt) body_aim_ = body;
        if (!known || std::abs(clarity - clarity_aim_) > kWorthIt) clarity_aim_ = clarity;
    }
    double more(double power, double usual) const {
        const double middle = powers_[kMiddle] * std::pow(10.0, -0.1 * kUsual[kMiddle]);
        return 10.0 * std::log10((power * std::pow(10.0, -0.1 * usual) + 1e-20) / (middle + 1e-20));
    }
    void tell() {
        const auto say = [&](size_t which, double value) {
            told_[which].store(static_cast<float>(value), std::memory_order_relaxed);
        };
        say(kToneBodyNow, follow_ && voiced_ >= kKnown ? std::exp2(body_aim_) : 0.0);
        say(kToneClarityNow, follow_ && voiced_ >= kKnown ? std::exp2(clarity_aim_) : 0.0);
        say(kTonePitch, voiced_ >= kKnown ? std::exp2(pitch_) : 0.0);
        double chest = 0.0, chest_usual = 0.0, words = 0.0, words_usual = 0.0;
        for (size_t b = 0; b < kMiddle; ++b) {
            chest += powers_[b];
            chest_usual += std::pow(10.0, 0.1 * kUsual[b]);
        }
        for (size_t b = kFirstClear; b < kBands; ++b) {
            words += powers_[b];
            words_usual += std::pow(10.0, 0.1 * kUsual[b]);
        }
        const bool known = voiced_ >= kKnown;
        say(kToneBodyMore, known ? more(chest, 10.0 * std::log10(chest_usual)) : 0.0);
        say(kToneClarityMore, known ? more(words, 10.0 * std::log10(words_usual)) : 0.0);
        kept_[0].store(static_cast<float>(voiced_), std::memory_order_relaxed);
        kept_[1].store(static_cast<float>(pitch_), std::memory_order_relaxed);
        for (size_t b = 0; b < kBands; ++b)
            kept_[2 + b].store(static_cast<float>(powers_[b]), std::memory_order_relaxed);
    }

    double rate_ = 48000.0;
    int every_ = 1, grains_ = 0;
    bool follow_ = true;
    double body_by_hand_ = 7.0, clarity_by_hand_ = 12.0, body_aim_ = 7.0, clarity_aim_ = 12.0;
    double voiced_ = 0.0, pitch_ = 0.0;  // seconds of voice; log2 Hz
    std::array<double, kBands> powers_{};
    PitchDetector finder_;
    BandBank<kBands> bands_;
    std::array<float, kBands> sums_{};  // of the squares in each, since the last look
    LoudnessCompensator loudness_;
    std::array<BiquadCascade, 3> filters_;
    std::array<bool, 3> moved_{};
    std::array<Smoothed, 3> gains_;
    Smoothed body_, clarity_;
    std::array<std::atomic<float>, 6> told_{};
    std::array<std::atomic<float>, 2 + kBands> kept_{};
};

Finding finding(const FindingContext& now) {
    double most = 0.0;
    size_t row = 0;
    for (size_t i = kToneBody; i <= kToneAir; ++i) {
        if (std::abs(now.values[i]) > std::abs(most)) {
            most = now.values[i];
            row = i;
        }
    }
    // Common practice, no source: within 4 dB a voice stays the same person's.
    if (std::abs(most) > 4.0)
        return {"colours",
                FindingTone::warning,
                "More than 4 dB sounds coloured. Try moving or turning the microphone first.",
                {},
                propose(kTable, row, std::copysign(4.0, most), "Back to {0} dB")};
    return {};
}

}  // namespace

double tone_centre(std::span<const double> values, ToneIndex at, double found) {
    return values[kToneFollow] >= 0.5 && found > 0.0 ? found : values[static_cast<size_t>(at)];
}

std::vector<double> tone_as_equalizer(std::span<const double> values, double body_at, double clarity_at) {
    std::vector<double> out = default_values(kEqualizerStage);
    const auto set = [&](const std::string& row, double value) {
        out[static_cast<size_t>(kEqualizerStage.find(row))] = value;
    };
    for (int b = 1; b <= kEqualizerBands; ++b) set("band" + std::to_string(b) + "_on", 0.0);
    int n = 1;
    for (const BandSettings& band :
         {body_band(values[kToneBody], body_at), clarity_band(values[kToneClarity], clarity_at),
          air_band(values[kToneAir])}) {
        const std::string name = "band" + std::to_string(n++);
        set(name + "_on", 1.0);
        set(name + "_type", static_cast<double>(band.type));
        set(name + "_frequency", band.frequency);
        set(name + "_gain", band.gain_db);
        set(name + "_q", band.q);
    }
    return out;
}

double tone_gain(std::span<const double> values, double body_at, double clarity_at, double frequency,
                 double sample_rate) {
    double out = 0.0;
    for (const BandSettings& band :
         {body_band(values[kToneBody], body_at), clarity_band(values[kToneClarity], clarity_at),
          air_band(values[kToneAir])})
        out += 20.0 * std::log10(std::abs(design(band, sample_rate).response(frequency, sample_rate)));
    return out;
}

const StageKind kToneStage{.id = "tone",
                           .title = "Tone",
                           .purpose = "Adjusts body, clarity and air at the frequencies of your voice",
                           .parameters = kTable,
                           .make = make_stage<ToneStage>,
                           .finding = finding,
                           .readouts = kReadouts};

}  // namespace reed
