#include "stages/limiter.h"

#include <cmath>
#include <vector>

#include "base/decibel.h"
#include "dsp/delay_line.h"
#include "dsp/gain_computer.h"
#include "dsp/intersample_peak.h"
#include "dsp/sliding_minimum.h"
#include "dsp/smoothed.h"

namespace reed {
namespace {

constexpr Parameter kTable[] = {
    parameter::marked(parameter::number("ceiling", "Ceiling", Unit::dbfs, -24.0, 0.0, -1.5, Scale::linear,
                                        "Maximum peak level. Normal speech should stay just below it."),
                      DiagramMark::ceiling, "ceiling"),
    parameter::number("release", "Release", Unit::milliseconds, 5.0, 1000.0, 60.0, Scale::logarithmic,
                      "Recovery time after a loud passage. Single peaks recover five times faster."),
    parameter::structural(parameter::number("lookahead", "Look-ahead", Unit::milliseconds, 0.5, 10.0, 1.5,
                                            Scale::linear, "Longer is smoother. Adds the same latency.")),
    parameter::structural(parameter::toggle("true_peak", "True peak", true,
                                            "Also limits peaks between samples (inter-sample peaks).")),
};
enum Index { kCeiling, kRelease, kLookahead, kTruePeak };

class LimiterStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        true_peak_ = values[kTruePeak] >= 0.5;
        window_ = std::max(2, static_cast<int>(std::lround(values[kLookahead] * 0.001 * rate_)));
        minimum_.prepare(window_ + 1);
        rest_after_ = 2 * window_ + 4;
        average_.assign(static_cast<size_t>(window_) + 1, 1.0f);
        for (auto& line : delays_) line.prepare(latency());
        limits_.prepare(window_);  // peaks between samples are known later than the samples
        ceiling_.prepare(rate_, 0.005, values[kCeiling]);
        slow_attack_ = Ballistics::pole(rate_, 100.0);
        hold_ = static_cast<int>(0.008 * rate_);
        set_values(values);
        reset();
    }
    void set_values(std::span<const double> values) override {
        ceiling_.set(values[kCeiling]);
        slow_release_ = Ballistics::pole(rate_, values[kRelease]);
        fast_release_ = Ballistics::pole(rate_, values[kRelease] / 5.0);
    }
    void begin_sub_block() override {
        ceiling_.begin_sub_block();
        // 1e-6 below, so that a value rounded to 24 bits or to float does not end above.
        const auto limit = static_cast<float>(db_to_gain(ceiling_.sub_block_value()) * (1.0 - 1e-6));
        limit_step_ = (limit - limit_) / kSubBlock;
        if (limit != limit_) {
            if (moved_ == 0) limits_.fill(limit_);
            moved_ = latency() + kSubBlock;
        }
        from_ = limit_;
        limit_ = limit;
        in_grain_ = 0;
        // Peaks between the samples rise a little again where the gain moves; a twentieth of a decibel
        // covers it (measured in tests/reference).
        margin_ = true_peak_ ? 0.9943f : 1.0f;
        aim_ = std::min(from_, limit_) * margin_;
    }
    void process(const AudioBlock& block) override {
        float peak[kSubBlock] = {};
        for (int c = 0; c < block.channels; ++c) {
            const float* x = block[c];
            if (true_peak_) {
                peaks_[c].process(x, block.frames, aim_, peak);
            } else {
                for (int i = 0; i < block.frames; ++i) peak[i] = std::max(peak[i], std::abs(x[i]));
            }
            delays_[c].process(block[c], block[c], block.frames);
        }
        float aim[kSubBlock];
        float limit[kSubBlock];
        follow_ceiling(aim, limit, block.frames);
        if (rested_ > rest_after_ && moved_ == 0) {
            float highest = 0.0f;
            for (int i = 0; i < block.frames; ++i) highest = std::max(highest, peak[i]);
            if (highest <= aim_) {
                return;  // nothing to do
            }
        }
        float gain[kSubBlock];
        float lowest = 1.0f;
        for (int i = 0; i < block.frames; ++i) {
            gain[i] = peak[i] <= aim[i] && rested_ > rest_after_ ? 1.0f : smooth_gain(peak[i], aim[i]);
            lowest = std::min(lowest, gain[i]);
        }
        report_reduction(static_cast<float>(-gain_to_db(lowest)));
        for (int c = 0; c < block.channels; ++c) {
            float* x = block[c];
            for (int i = 0; i < block.frames; ++i)
                x[i] = std::min(std::max(x[i] * gain[i], -limit[i]), limit[i]);
        }
    }
    void reset() override {
        for (auto& p : peaks_) p.reset();
        for (auto& d : delays_) d.reset();
        rest();
        rested_ = rest_after_ + 1;
        limit_ = static_cast<float>(db_to_gain(ceiling_.sub_block_value()) * (1.0 - 1e-6));
        begin_sub_block();
        moved_ = 0;
    }
    int latency() const override { return window_ + (true_peak_ ? IntersamplePeak::kDelay : 0); }

  private:
    /// The ceiling the newest sound is measured by, and the one the sound was measured by that leaves the
    /// delay now: one that moves is in force when what it was measured for comes out, and cuts nothing that
    /// is on its way.
    void follow_ceiling(float* aim, float* limit, int frames) {
        for (int i = 0; i < frames; ++i) {
            const float now =
                ++in_grain_ >= kSubBlock ? limit_ : from_ + limit_step_ * static_cast<float>(in_grain_);
            aim[i] = now * margin_;
            limit[i] = now;
        }
        if (moved_ == 0) return;
        limits_.process(limit, limit, frames);
        moved_ = std::max(0, moved_ - frames);
    }
    /// The newest peak in, gain for the sample leaving the delay out. The minimum over the window holds
    /// every peak until it leaves; the mean over the same window turns the step into a ramp that ends at the
    /// peak and never lies above what it needs.
    float smooth_gain(float peak, float aim) {
        const double reduction = 1.0 - minimum_.next(peak > aim ? aim / peak : 1.0f);
        // Between the peaks of a low voice's wave it lets go of nothing, however short its release is.
        if (reduction >= 0.97 * fast_) held_ = hold_;
        if (reduction >= fast_)
            fast_ = reduction;
        else if (held_ > 0)
            --held_;
        else
            fast_ += fast_release_ * (reduction - fast_);
        slow_ += (fast_ > slow_ ? slow_attack_ : slow_release_) * (fast_ - slow_);
        const double taken = std::max(fast_, slow_);
        const auto gain = static_cast<float>(1.0 - taken);
        sum_ += static_cast<double>(gain) - average_[position_];
        average_[position_] = gain;
        if (++position_ == average_.size()) position_ = 0;
        // Once nothing (less than -120 dB) has been taken for longer than the windows are, it rests.
        rested_ = taken < 1e-6 ? rested_ + 1 : 0;
        if (rested_ > rest_after_) rest();
        return static_cast<float>(sum_ / static_cast<double>(average_.size()));
    }
    void rest() {
        minimum_.reset();
        std::fill(average_.begin(), average_.end(), 1.0f);
        sum_ = static_cast<double>(average_.size());
        position_ = 0;
        fast_ = slow_ = 0.0;
        held_ = 0;
    }

    double rate_ = 48000.0;
    bool true_peak_ = true;
    int window_ = 2;
    int rest_after_ = 0, rested_ = 0;
    int hold_ = 0, held_ = 0;  // frames for which a reduction is kept: half a wave of 62 Hz
    float limit_ = 1.0f, from_ = 1.0f, limit_step_ = 0.0f, aim_ = 1.0f, margin_ = 1.0f;
    int in_grain_ = 0;
    int moved_ = 0;  // frames until the delay holds no sound of another ceiling
    DelayLine limits_;
    double fast_release_ = 1.0, slow_release_ = 1.0, slow_attack_ = 1.0, fast_ = 0.0, slow_ = 0.0;
    Smoothed ceiling_;
    IntersamplePeak peaks_[kMaxChannels];
    DelayLine delays_[kMaxChannels];
    SlidingMinimum minimum_;
    std::vector<float> average_;
    size_t position_ = 0;
    double sum_ = 0.0;
};

double transfer(std::span<const double> v, double level, bool) {
    return std::min(level, v[kCeiling]);
}

Finding finding(const FindingContext& now) {
    if (!now.in.voice_known) return waiting_for_voice();
    const StageReduction& r = now.reduction;
    if (r.usual > 2.0) {
        return {"works_always",
                FindingTone::warning,
                "Limiting constantly ({0} dB). Reduce the level before it by about {0} dB.",
                {{r.usual}},
                {}};
    }
    if (r.deepest > 0.1) {
        return {"caught_peaks",
                FindingTone::good,
                "Limited the loudest peaks by up to {0} dB.",
                {{r.deepest}},
                {}};
    }
    return {"peaks_below",
            FindingTone::good,
            "Peaks stay {0} dB below the ceiling.",
            {{now.values[kCeiling] - now.in.peak}},
            {}};
}

}  // namespace

const StageKind kLimiterStage{.id = "limiter",
                              .title = "Limiter",
                              .purpose = "Keeps peaks below the ceiling",
                              .parameters = kTable,
                              .make = make_stage<LimiterStage>,
                              .reports_reduction = true,
                              .usual = true,
                              .lid = true,
                              .transfer = transfer,
                              .finding = finding,
                              .timing = {.release = "release", .lookahead = "lookahead"}};

}  // namespace reed
