#include "stages/robot.h"

#include <array>
#include <cmath>
#include <numbers>

#include "dsp/band_bank.h"
#include "dsp/smoothed.h"

namespace reed {
namespace {

constexpr Choice kWays[] = {{"tone", "Vocoder"}, {"ring", "Ring modulator"}};
constexpr Parameter kTable[] = {
    parameter::choice("way", "Mode", kWays, 0, "Vocoder: speaks at one pitch. Ring modulator: metallic."),
    parameter::number("pitch", "Tone", Unit::hertz, 30.0, 1000.0, 110.0, Scale::logarithmic,
                      "The pitch it speaks at: 80 to 130 Hz heavy, 200 Hz light."),
    parameter::number("mix", "Mix", Unit::percent, 0.0, 100.0, 100.0, Scale::linear, "Wet/dry mix."),
    parameter::number("hiss", "Consonant noise", Unit::percent, 0.0, 100.0, 60.0, Scale::linear,
                      "Uses noise for consonants so that s and t stay clear."),
};
enum Index { kWay, kPitch, kMix, kHiss };

constexpr size_t kBands = 16;
constexpr double kLow = 140.0, kHigh = 7600.0;  // Hz, middles of the outer bands
constexpr double kHisses = 3500.0;              // Hz: bands above may hiss
constexpr double kFollow = 0.008;               // s
constexpr float kFloor = 1e-10f;                // power in a band that is silence

class RobotStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        const double ratio = std::pow(kHigh / kLow, 1.0 / (kBands - 1));
        const double q = std::sqrt(ratio) / (ratio - 1.0);
        std::array<double, kBands> middles{};
        for (size_t b = 0; b < kBands; ++b) {
            middles[b] = kLow * std::pow(ratio, static_cast<double>(b));
            hisses_[b] = middles[b] > kHisses ? 1.0f : 0.0f;
        }
        // Two in a row have the width of one band.
        const auto damping = static_cast<float>(1.0 / (0.8 * q));
        voice_.prepare(middles, damping, rate_);
        carrier_.prepare(middles, damping, rate_);
        follow_ = static_cast<float>(1.0 - std::exp(-1.0 / (kFollow * rate_)));
        tone_.prepare(rate_, 0.010, std::log(values[kPitch]));
        mix_.prepare(rate_, 0.010, 0.01 * values[kMix]);
        hiss_.prepare(rate_, 0.010, 0.01 * values[kHiss]);
        ring_.prepare(rate_, 0.010, values[kWay]);
        phase_ = 0.0f;
        turn_ = next_turn_ = static_cast<float>(values[kPitch] / rate_);
        noise_ = 22222;
        reset();
    }
    void set_values(std::span<const double> values) override {
        tone_.set(std::log(values[kPitch]));
        mix_.set(0.01 * values[kMix]);
        hiss_.set(0.01 * values[kHiss]);
        ring_.set(values[kWay]);
    }
    void begin_sub_block() override {
        for (Smoothed* s : {&tone_, &mix_, &hiss_, &ring_}) s->begin_sub_block();
        turn_ = next_turn_;
        next_turn_ = static_cast<float>(std::exp(tone_.sub_block_value()) / rate_);
        turn_step_ = (next_turn_ - turn_) / kSubBlock;
    }
    void process(const AudioBlock& block) override {
        const bool words = ring_.moving() || ring_.sub_block_value() < 1.0;
        const float share = 1.0f / static_cast<float>(block.channels);
        for (int i = 0; i < block.frames; ++i) {
            float x = 0.0f;
            for (int c = 0; c < block.channels; ++c) x += share * block[c][i];
            turn_ += turn_step_;
            phase_ += turn_;
            if (phase_ >= 1.0f) phase_ -= 1.0f;
            const float ring = ring_.next();
            const float hiss = hiss_.next();
            const float mix = mix_.next();
            float robot = 0.0f;
            if (ring > 0.0f) robot = ring * kRoot * std::sin(2.0f * std::numbers::pi_v<float> * phase_) * x;
            if (words) robot += (1.0f - ring) * on_a_tone(x, hiss);
            // Voice and robot have nothing in common: their powers add up. A mix that moves may be rounded
            // past its ends.
            const float voice = std::sqrt(std::max(1.0f - mix, 0.0f));
            const float with = std::sqrt(std::max(mix, 0.0f));
            for (int c = 0; c < block.channels; ++c) block[c][i] = voice * block[c][i] + with * robot;
        }
    }
    void reset() override {
        voice_.reset();
        carrier_.reset();
        heard_ = {};
        carried_.fill(kFloor);
    }

  private:
    static constexpr float kRoot = std::numbers::sqrt2_v<float>;

    /// A sawtooth whose step is rounded over two frames (V. Valimaki, A. Huovilainen, "Antialiasing
    /// oscillators in subtractive synthesis", IEEE Signal Processing Magazine 24 (2), 2007).
    float sawtooth() const {
        float y = 2.0f * phase_ - 1.0f;
        if (phase_ < turn_) {
            const float t = phase_ / turn_;
            y -= t + t - t * t - 1.0f;
        } else if (phase_ > 1.0f - turn_) {
            const float t = (phase_ - 1.0f) / turn_;
            y -= t * t + t + t + 1.0f;
        }
        return y;
    }
    float next_noise() {
        noise_ = noise_ * 1664525U + 1013904223U;
        return static_cast<float>(static_cast<std::int32_t>(noise_)) * (1.0f / 2147483648.0f);
    }
    float on_a_tone(float x, float hiss) {
        const float saw = sawtooth();
        const float white = next_noise();
        float out = 0.0f;
        std::array<float, kBands> band{}, tone{};
        for (size_t b = 0; b < kBands; ++b) {
            const float share = hiss * hisses_[b];
            const float carrier = saw + share * (white - saw);
            band[b] = voice_.next(b, x);
            tone[b] = carrier_.next(b, carrier);
        }
        for (size_t b = 0; b < kBands; ++b) {
            heard_[b] += follow_ * (band[b] * band[b] - heard_[b]);
            carried_[b] += follow_ * (tone[b] * tone[b] - carried_[b]);
        }
        for (size_t b = 0; b < kBands; ++b)
            out += tone[b] * std::sqrt(heard_[b] / std::max(carried_[b], kFloor));
        return kSum * out;
    }

    static constexpr float kSum = 1.4f;  // set by measuring: speech leaves it as loud as it came

    double rate_ = 48000.0;
    std::array<float, kBands> hisses_{};
    std::array<float, kBands> heard_{}, carried_{};
    BandBank<kBands> voice_, carrier_;
    float follow_ = 1.0f, phase_ = 0.0f, turn_ = 0.0f, next_turn_ = 0.0f, turn_step_ = 0.0f;
    std::uint32_t noise_ = 1;
    Smoothed tone_, mix_, hiss_, ring_;
};

Finding finding(const FindingContext& now) {
    if (now.values[kWay] == 0.0 && now.values[kPitch] > 400.0)
        return {"too_high",
                FindingTone::warning,
                "At this pitch too few harmonics are left to understand words.",
                {},
                propose(kTable, kPitch, 160.0, "Tone {0} Hz")};
    if (now.values[kMix] < 50.0) return {};  // more of the voice than of the robot
    const Quantity tone{now.values[kPitch], Unit::hertz, 0};
    if (now.values[kWay] != 0.0) return {"rings", FindingTone::good, "Ring modulation at {0}.", {tone}, {}};
    return {"speaks", FindingTone::good, "Every word is spoken at {0}.", {tone}, {}};
}

}  // namespace

const StageKind kRobotStage{.id = "robot",
                            .title = "Robot",
                            .purpose = "Makes the voice sound robotic",
                            .parameters = kTable,
                            .make = make_stage<RobotStage>,
                            .finding = finding};

}  // namespace reed
