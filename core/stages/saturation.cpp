#include "stages/saturation.h"

#include <algorithm>
#include <atomic>
#include <cmath>

#include "base/decibel.h"
#include "base/fast_math.h"
#include "dsp/biquad_cascade.h"
#include "dsp/delay_line.h"
#include "dsp/k_weighting.h"
#include "dsp/oversampler.h"
#include "dsp/smoothed.h"

namespace reed {
namespace {

constexpr Parameter kTable[] = {
    parameter::number("drive", "Drive", Unit::decibel, 0.0, 20.0, 6.0, Scale::linear,
                      "Amount of saturation. Stop when it starts to sound rough."),
    parameter::number("even", "Even harmonics", Unit::percent, 0.0, 100.0, 40.0, Scale::linear,
                      "Odd harmonics sound edgy, even ones full; listen on long vowels."),
    parameter::number("tone", "Tone", Unit::percent, -100.0, 100.0, -20.0, Scale::linear,
                      "Tone of the added harmonics: left darker, right brighter."),
    parameter::number("mix", "Mix", Unit::percent, 0.0, 100.0, 50.0, Scale::linear,
                      "Wet/dry mix; at 0% the signal passes through unchanged."),
};
enum Index { kDrive, kEven, kTone, kMix };
constexpr Readout kReadouts[] = {{"added", "Added to the voice", Unit::decibel}};

constexpr double kBias = 0.6585;   // artanh(1 / sqrt 3): there the third derivative of tanh is zero
constexpr double kTilt = 9.0;      // dB at either end of `tone`
constexpr double kPivot = 1500.0;  // Hz
constexpr double kLoudnessSeconds = 0.5;
constexpr double kQuiet = 1e-6;     // mean square, about -57 dBFS: below it the loudness is left as it is
constexpr double kUsual = 0.01;     // of talk, to begin with
constexpr double kMostLift = 40.0;  // of power: 16 dB

float soft(float v) {
    constexpr float kTwoLog2e = 2.8853901f;
    return 1.0f - 2.0f / (1.0f + fast_exp2(kTwoLog2e * v));
}

/// The curve and its derivative at the working point, so that quiet sound passes at unity.
struct Curve {
    float drive = 1.0f, bias = 0.0f, at_bias = 0.0f, scale = 1.0f;
    Curve() = default;
    Curve(double drive_db, double even) {
        const double d = db_to_gain(drive_db);
        const double b = kBias * even;
        const double t = std::tanh(b);
        drive = static_cast<float>(d);
        bias = static_cast<float>(b);
        at_bias = soft(bias);
        scale = static_cast<float>(1.0 / (d * (1.0 - t * t)));
    }
    float added(float x) const { return scale * (soft(drive * x + bias) - at_bias) - x; }
};

class SaturationStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        channels_ = format.channels;
        drive_.prepare(rate_, 0.010, values[kDrive]);
        even_.prepare(rate_, 0.010, 0.01 * values[kEven]);
        tone_.prepare(rate_, 0.020, values[kTone]);
        mix_.prepare(rate_, 0.005, 0.01 * values[kMix]);
        for (auto& d : dry_) d.prepare(Oversampler::kDelay);
        curve_ = Curve(values[kDrive], 0.01 * values[kEven]);
        tilt_.snap(tilt());
        ear_.snap(k_weighting(rate_));
        forget_ = std::exp(-kSubBlock / (kLoudnessSeconds * rate_));
        expect();
        reset();
    }
    void set_values(std::span<const double> values) override {
        drive_.set(values[kDrive]);
        even_.set(0.01 * values[kEven]);
        tone_.set(values[kTone]);
        mix_.set(0.01 * values[kMix]);
    }
    int latency() const override { return Oversampler::kDelay; }
    /// The powers before and after, from which the loudness is brought back.
    std::vector<float> memory() const override {
        return {kept_in_.load(std::memory_order_relaxed), kept_out_.load(std::memory_order_relaxed)};
    }
    void remember(std::span<const float> kept) override {
        if (kept.size() != 2 || kept[0] <= 0.0f || kept[1] <= 0.0f) return;
        power_in_ = kept[0];
        power_out_ = kept[1];
        lift_from_ = lift_to_ = lift();
    }
    float readout(size_t) const override { return added_.load(std::memory_order_relaxed); }

    void begin_sub_block() override {
        fold();
        const bool bends =
            drive_.target() != drive_.sub_block_value() || even_.target() != even_.sub_block_value();
        for (Smoothed* s : {&drive_, &even_, &tone_, &mix_}) s->begin_sub_block();
        if (bends || drive_.moving() || even_.moving())
            curve_ = Curve(drive_.sub_block_value(), even_.sub_block_value());
        if (tone_.moving())
            tilt_.glide(tilt());
        else
            tilt_.hold();
        lift_from_ = lift_to_;
        lift_to_ = lift();
        in_grain_ = 0;
    }

    void process(const AudioBlock& block) override {
        float added[kMaxChannels][kSubBlock];
        AudioBlock wet = block;
        for (int c = 0; c < block.channels; ++c) {
            float inner[Oversampler::kFactor][kSubBlock];
            Oversampler& o = oversamplers_[static_cast<size_t>(c)];
            o.up(block[c], block.frames, inner);
            // Always a whole grain: the compiler unrolls what it knows the length of.
            const Curve curve = curve_;
            for (auto& phase : inner) {
                for (float& x : phase) x = curve.added(x);
            }
            o.down(inner, block.frames, added[c]);
            wet.rows[static_cast<size_t>(c)] = added[c];
            dry_[static_cast<size_t>(c)].process(block[c], block[c], block.frames);
        }
        tilt_.process(wet);
        float mix[kSubBlock];
        for (int i = 0; i < block.frames; ++i) mix[i] = mix_.next();
        // What the ear weighs of the middle, before and after, side by side.
        float heard[2][kSubBlock] = {};
        for (int c = 0; c < block.channels; ++c) {
            for (int i = 0; i < block.frames; ++i) {
                const float more = mix[i] * added[c][i];
                heard[0][i] += block[c][i];
                block[c][i] += more;
                heard[1][i] += block[c][i];
                sum_added_ += static_cast<double>(more) * more;
            }
        }
        AudioBlock ears = block;
        ears.channels = 2;
        ears.rows = {heard[0], heard[1]};
        ear_.process(ears);
        for (int i = 0; i < block.frames; ++i) {
            sum_in_ += static_cast<double>(heard[0][i]) * heard[0][i];
            sum_out_ += static_cast<double>(heard[1][i]) * heard[1][i];
        }
        const double step = (lift_to_ - lift_from_) / kSubBlock;
        for (int i = 0; i < block.frames; ++i) {
            const auto lift_now = static_cast<float>(lift_from_ + step * (in_grain_ + i + 1));
            for (int c = 0; c < block.channels; ++c) block[c][i] *= lift_now;
        }
        in_grain_ += block.frames;
    }
    void reset() override {
        for (auto& o : oversamplers_) o.reset();
        for (auto& d : dry_) d.reset();
        tilt_.reset();
        ear_.reset();
        sum_in_ = sum_out_ = sum_added_ = 0.0;
        in_grain_ = 0;
    }

  private:
    /// The tilt, and a low cut for the constant that even harmonics come with.
    Sections tilt() const {
        const double gain = kTilt * 0.01 * tone_.sub_block_value();
        Sections out = design({FilterType::tilt, kPivot, gain, 0.7071, 12}, rate_, Precision::rough);
        out.biquads[static_cast<size_t>(out.count++)] =
            design({FilterType::low_cut, 12.0, 0.0, 0.7071, 6}, rate_).biquads[0];
        return out;
    }
    /// As if talk of the usual level had been heard: what the curve does to a tone of its power.
    void expect() {
        constexpr int kPoints = 64;
        double out = 0.0;
        const auto mix = static_cast<float>(mix_.target());
        for (int i = 0; i < kPoints; ++i) {
            const auto x =
                static_cast<float>(std::sqrt(2.0 * kUsual) * std::sin(6.283185307 * (i + 0.5) / kPoints));
            const float y = x + mix * curve_.added(x);
            out += static_cast<double>(y) * y / kPoints;
        }
        power_in_ = kUsual;
        power_out_ = out;
        lift_from_ = lift_to_ = lift();
    }
    double lift() const {
        // Untouched at a mix of nothing, to the bit.
        if (mix_.sub_block_value() == 0.0 && mix_.target() == 0.0) return 1.0;
        return std::sqrt(std::clamp(power_in_ / power_out_, 1.0 / kMostLift, kMostLift));
    }
    /// Takes the grain that has ended into the powers.
    void fold() {
        const double n = kSubBlock * static_cast<double>(channels_) * channels_;
        if (sum_in_ / n > kQuiet) {
            power_in_ = forget_ * power_in_ + (1.0 - forget_) * sum_in_ / n;
            power_out_ = std::max(1e-9, forget_ * power_out_ + (1.0 - forget_) * sum_out_ / n);
            power_added_ = forget_ * power_added_ + (1.0 - forget_) * sum_added_ * channels_ / n;
            added_.store(static_cast<float>(10.0 * std::log10((power_added_ + 1e-12) / power_in_)),
                         std::memory_order_relaxed);
        }
        sum_in_ = sum_out_ = sum_added_ = 0.0;
        kept_in_.store(static_cast<float>(power_in_), std::memory_order_relaxed);
        kept_out_.store(static_cast<float>(power_out_), std::memory_order_relaxed);
    }

    double rate_ = 48000.0, forget_ = 0.0;
    int channels_ = 1, in_grain_ = 0;
    Smoothed drive_, even_, tone_, mix_;
    Curve curve_;
    std::array<Oversampler, kMaxChannels> oversamplers_;
    std::array<DelayLine, kMaxChannels> dry_;
    BiquadCascade tilt_, ear_;
    double sum_in_ = 0.0, sum_out_ = 0.0, sum_added_ = 0.0;
    double power_in_ = kUsual, power_out_ = kUsual, power_added_ = 0.0;
    double lift_from_ = 1.0, lift_to_ = 1.0;
    std::atomic<float> kept_in_{0.0f}, kept_out_{0.0f}, added_{-60.0f};
};

/// How far peaks reach beyond where the curve begins to bend (a level of 1 after the drive), common practice,
/// no source: up to 6 dB below and 9 above are gentle.
Finding finding(const FindingContext& now) {
    if (!now.in.voice_known) return waiting_for_voice();
    const double over = now.in.peak + now.values[kDrive];
    const auto drive = [&](double wanted) {
        return propose(kTable, kDrive, now.values[kDrive] + wanted - over, "Drive {0} dB");
    };
    if (over < -8.0) {
        return {"hardly_bends",
                FindingTone::neutral,
                "Peaks stay {0} dB below where the curve bends, so hardly anything is added.",
                {{-over}},
                drive(0.0)};
    }
    if (over > 12.0) {
        return {"bends_hard",
                FindingTone::warning,
                "Peaks are {0} dB into saturation and will sound rough.",
                {{over}},
                drive(6.0)};
    }
    return {"bends", FindingTone::good, "Loud words are saturated, quiet ones are unchanged.", {}, {}};
}

}  // namespace

const StageKind kSaturationStage{.id = "saturation",
                                 .title = "Saturation",
                                 .purpose = "Adds warmth with harmonics",
                                 .parameters = kTable,
                                 .make = make_stage<SaturationStage>,
                                 .finding = finding,
                                 .readouts = kReadouts};

}  // namespace reed
