#include "stages/gain.h"

#include "base/decibel.h"
#include "dsp/biquad_cascade.h"
#include "dsp/smoothed.h"

namespace reed {
namespace {

constexpr Choice kChannelChoices[] = {
    {"as_is", "Unchanged"},       {"left", "Left"}, {"right", "Right"}, {"both", "Mono mix"},
    {"difference", "Difference"},
};

constexpr Parameter kTable[] = {
    parameter::number("gain", "Gain", Unit::decibel, -30.0, 30.0, 0.0, Scale::linear,
                      "Use as little as possible; gain raises the background noise too."),
    parameter::toggle("invert", "Invert polarity", false,
                      "Flips the waveform. Matters when two microphones pick up the same voice."),
    parameter::choice("channels", "Channels", kChannelChoices, 0, "Which channel of a stereo device to use."),
    parameter::toggle("dc_block", "DC block", false, "Removes a constant offset that some sound cards add."),
};
enum Index { kGain, kInvert, kChannels, kDcBlock };

class GainStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        const double rate = format.sample_rate;
        amount_.prepare(rate, 0.005, signed_gain(values));
        dc_mix_.prepare(rate, 0.01, values[kDcBlock]);
        for (int from = 0; from < kMaxChannels; ++from) {
            for (int to = 0; to < kMaxChannels; ++to) matrix_[from][to].prepare(rate, 0.005, 0.0);
        }
        route(values);
        for (auto& row : matrix_) {
            for (auto& cell : row) cell.snap(cell.target());
        }
        dc_.snap(design({FilterType::low_cut, 5.0, 0.0, 0.7071, 6}, rate));
    }
    void set_values(std::span<const double> values) override {
        amount_.set(signed_gain(values));
        dc_mix_.set(values[kDcBlock]);
        route(values);
    }
    void begin_sub_block() override {
        amount_.begin_sub_block();
        dc_mix_.begin_sub_block();
        routed_ = channels_ != 0;
        for (auto& row : matrix_) {
            for (auto& cell : row) {
                cell.begin_sub_block();
                routed_ = routed_ || cell.moving();
            }
        }
    }
    void process(const AudioBlock& block) override {
        if (block.channels == 2 && routed_) mix_channels(block);
        if (dc_mix_.moving() || dc_mix_.target() > 0.0) block_dc(block);
        if (amount_.moving()) {
            for (int i = 0; i < block.frames; ++i) {
                const float g = amount_.next();
                for (int c = 0; c < block.channels; ++c) block[c][i] *= g;
            }
            return;
        }
        const auto g = static_cast<float>(amount_.sub_block_value());
        for (int c = 0; c < block.channels; ++c) {
            float* x = block[c];
            for (int i = 0; i < block.frames; ++i) x[i] *= g;
        }
    }
    void reset() override { dc_.reset(); }

  private:
    static double signed_gain(std::span<const double> values) {
        return db_to_gain(values[kGain]) * (values[kInvert] >= 0.5 ? -1.0 : 1.0);
    }
    void route(std::span<const double> values) {
        // Rows: from left, right. Columns: to left, right.
        static constexpr double kRoutes[5][2][2] = {
            {{1, 0}, {0, 1}},     {{1, 1}, {0, 0}},       {{0, 0}, {1, 1}},
            {{.5, .5}, {.5, .5}}, {{.5, .5}, {-.5, -.5}},
        };
        channels_ = static_cast<size_t>(values[kChannels]);
        const auto& r = kRoutes[channels_];
        for (int from = 0; from < 2; ++from) {
            for (int to = 0; to < 2; ++to) matrix_[from][to].set(r[from][to]);
        }
    }
    void mix_channels(const AudioBlock& block) {
        float* left = block[0];
        float* right = block[1];
        for (int i = 0; i < block.frames; ++i) {
            const float l = left[i];
            const float r = right[i];
            left[i] = matrix_[0][0].next() * l + matrix_[1][0].next() * r;
            right[i] = matrix_[0][1].next() * l + matrix_[1][1].next() * r;
        }
    }
    void block_dc(const AudioBlock& block) {
        for (int i = 0; i < block.frames; ++i) {
            const float wet = dc_mix_.next();
            for (int c = 0; c < block.channels; ++c) {
                const float x = block[c][i];
                block[c][i] = x + wet * (dc_.next(c, x) - x);
            }
        }
    }

    size_t channels_ = 0;
    bool routed_ = true;  // the channels are mixed, or still on their way back to straight through
    Smoothed amount_;
    Smoothed dc_mix_;
    Smoothed matrix_[kMaxChannels][kMaxChannels];
    BiquadCascade dc_;
};

Finding finding(const FindingContext& now) {
    const double peak = now.out.peak;
    if (peak <= -1.0) return {};
    return {"too_loud",
            FindingTone::warning,
            "Peaks reach {0} dBFS after this stage. Reduce the gain by {1} dB.",
            {{peak}, {peak + 6.0}},
            propose(kTable, kGain, now.values[kGain] - peak - 6.0, "Gain {0} dB")};
}

}  // namespace

const StageKind kGainStage{.id = "gain",
                           .title = "Gain",
                           .purpose = "Sets the level, polarity and channel of the voice",
                           .parameters = kTable,
                           .make = make_stage<GainStage>,
                           .usual = true,
                           .finding = finding,
                           .lift = StageKind::Lift::trim,
                           .lift_row = "gain"};

}  // namespace reed
