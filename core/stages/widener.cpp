#include "stages/widener.h"

#include <algorithm>
#include <atomic>
#include <cmath>

#include "dsp/all_pass.h"
#include "dsp/biquad_cascade.h"
#include "dsp/smoothed.h"

namespace reed {
namespace {

constexpr Parameter kTable[] = {
    parameter::number("width", "Width", Unit::percent, 0.0, 100.0, 20.0, Scale::linear,
                      "Level of the side signal. In mono nothing changes."),
    parameter::number("from", "Low cut", Unit::hertz, 60.0, 1000.0, 200.0, Scale::logarithmic,
                      "Below it the voice stays in the middle."),
};
enum Index { kWidth, kFrom };
constexpr Readout kReadouts[] = {{"correlation", "Channel correlation", Unit::percent}};

constexpr float kScatter = 0.6f;
constexpr double kDelays[] = {0.00071, 0.00103, 0.00147, 0.00191};  // s; no two share a multiple below 20 ms

class WidenerStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        width_.prepare(rate_, 0.010, 0.01 * values[kWidth]);
        from_.prepare(rate_, 0.010, std::log2(values[kFrom]));
        for (size_t i = 0; i < std::size(kDelays); ++i)
            scatter_[i].prepare(static_cast<int>(std::lround(kDelays[i] * rate_)), kScatter);
        low_.snap(low_cut());
        forget_ = std::exp(-kSubBlock / (0.4 * rate_));
        if (format.channels < 2)
            set_fault(
                "Needs stereo. Choose Stereo in the input menu; until then the signal passes through "
                "unchanged.");
    }
    void set_values(std::span<const double> values) override {
        width_.set(0.01 * values[kWidth]);
        from_.set(std::log2(values[kFrom]));
    }
    float readout(size_t) const override { return alike_.load(std::memory_order_relaxed); }

    void begin_sub_block() override {
        fold();
        width_.begin_sub_block();
        from_.begin_sub_block();
        if (from_.moving())
            low_.glide(low_cut());
        else
            low_.hold();
    }
    void process(const AudioBlock& block) override {
        if (block.channels < 2) return;
        float side[kSubBlock];
        for (int i = 0; i < block.frames; ++i) side[i] = 0.5f * (block[0][i] + block[1][i]);
        AudioBlock one = block;
        one.channels = 1;
        one.rows[0] = side;
        low_.process(one);
        for (auto& pass : scatter_) {
            for (int i = 0; i < block.frames; ++i) side[i] = pass.next(side[i]);
        }
        float* left = block[0];
        float* right = block[1];
        for (int i = 0; i < block.frames; ++i) {
            const float more = width_.next() * side[i];
            left[i] += more;
            right[i] -= more;
            both_ += static_cast<double>(left[i]) * right[i];
            lefts_ += static_cast<double>(left[i]) * left[i];
            rights_ += static_cast<double>(right[i]) * right[i];
        }
    }
    void reset() override {
        low_.reset();
        for (auto& pass : scatter_) pass.reset();
    }

  private:
    Sections low_cut() const {
        return design({FilterType::low_cut, std::exp2(from_.sub_block_value()), 0.0, 0.7071, 12}, rate_);
    }
    /// How alike both sides have been over the last half second.
    void fold() {
        both_ *= forget_;
        lefts_ *= forget_;
        rights_ *= forget_;
        const double power = std::sqrt(lefts_ * rights_);
        if (power > 1e-6) alike_.store(static_cast<float>(100.0 * both_ / power), std::memory_order_relaxed);
    }

    double rate_ = 48000.0, forget_ = 0.0;
    Smoothed width_, from_;
    BiquadCascade low_;
    AllPass scatter_[std::size(kDelays)];
    double both_ = 0.0, lefts_ = 0.0, rights_ = 0.0;
    std::atomic<float> alike_{100.0f};
};

Finding finding(const FindingContext& now) {
    const double width = now.values[kWidth];
    if (width > 60.0) {
        return {"too_wide",
                FindingTone::warning,
                "Too wide: on headphones the voice loses its centre.",
                {},
                propose(kTable, kWidth, 30.0, "Set width to {0}%")};
    }
    return {"one_voice", FindingTone::good, "The voice stays in the centre, on headphones too.", {}, {}};
}

}  // namespace

const StageKind kWidenerStage{.id = "widener",
                              .title = "Widener",
                              .purpose = "Adds stereo width; mono-compatible",
                              .parameters = kTable,
                              .make = make_stage<WidenerStage>,
                              .finding = finding,
                              .readouts = kReadouts};

}  // namespace reed
