#include "stages/expander.h"

#include "dsp/gain_computer.h"
#include "dsp/level_detector.h"
#include "dsp/smoothed.h"
#include "stages/detection.h"
#include "stages/sidechain_filter.h"

namespace reed {
namespace {

constexpr Parameter kTable[] = {
    parameter::marked(parameter::number("threshold", "Threshold", Unit::dbfs, -80.0, 0.0, -45.0,
                                        Scale::linear, "Signals below it are reduced; the lower, the more."),
                      DiagramMark::threshold, "threshold"),
    parameter::number("ratio", "Ratio", Unit::ratio, 1.0, 10.0, 2.0, Scale::logarithmic,
                      "2:1 is gentle; beyond 4:1 it acts like a gate."),
    parameter::number("knee", "Knee", Unit::decibel, 0.0, 24.0, 6.0, Scale::linear,
                      "A wider knee starts more gradually."),
    parameter::number("range", "Range", Unit::decibel, -80.0, 0.0, -24.0, Scale::linear,
                      "Maximum attenuation."),
    parameter::number("attack", "Attack", Unit::milliseconds, 0.1, 200.0, 3.0, Scale::logarithmic,
                      "How fast it opens for the first sound of a word."),
    parameter::number("release", "Release", Unit::milliseconds, 5.0, 2000.0, 160.0, Scale::logarithmic,
                      "How slowly the level drops after the last sound."),
    detection_choice(1),
    detector_low_cut(),
    detector_high_cut(),
};
enum Index { kThreshold, kRatio, kKnee, kRange, kAttack, kRelease, kDetection, kLowCut, kHighCut };

class ExpanderStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        detector_.prepare(rate_, 0.010);
        band_.prepare(format, values[kLowCut], values[kHighCut]);
        threshold_.prepare(rate_, 0.005, values[kThreshold]);
        ratio_.prepare(rate_, 0.005, values[kRatio]);
        knee_.prepare(rate_, 0.005, values[kKnee]);
        range_.prepare(rate_, 0.005, -values[kRange]);
        set_values(values);
        reset();
    }
    void set_values(std::span<const double> values) override {
        threshold_.set(values[kThreshold]);
        ratio_.set(values[kRatio]);
        knee_.set(values[kKnee]);
        range_.set(-values[kRange]);
        mode_ = detection_mode(values[kDetection]);
        ballistics_.set(rate_, values[kAttack], values[kRelease], mode_ == LevelDetector::Mode::peak);
        band_.set(values[kLowCut], values[kHighCut]);
    }
    void begin_sub_block() override {
        threshold_.begin_sub_block();
        ratio_.begin_sub_block();
        knee_.begin_sub_block();
        range_.begin_sub_block();
        band_.begin_sub_block();
    }
    void process(const AudioBlock& block) override {
        float work[kSubBlock];
        detector_.process(band_.listen(side_chain(block)), mode_, work);
        const auto t = static_cast<float>(threshold_.sub_block_value());
        const auto r = static_cast<float>(ratio_.sub_block_value());
        const auto k = static_cast<float>(knee_.sub_block_value());
        const auto range = static_cast<float>(range_.sub_block_value());
        for (int i = 0; i < block.frames; ++i) work[i] = expander_reduction(work[i], t, r, k, range);
        report_reduction(apply_reduction(block, ballistics_, work));
    }
    void reset() override {
        detector_.reset();
        band_.reset();
        ballistics_.reset(static_cast<float>(range_.sub_block_value()));
    }

  private:
    double rate_ = 48000.0;
    LevelDetector detector_;
    SidechainFilter band_;
    Smoothed threshold_, ratio_, knee_, range_;
    Ballistics ballistics_{Ballistics::Attack::lowers};
    LevelDetector::Mode mode_ = LevelDetector::Mode::rms;
};

double transfer(std::span<const double> v, double level, bool) {
    return level - expander_reduction(static_cast<float>(level), static_cast<float>(v[kThreshold]),
                                      static_cast<float>(v[kRatio]), static_cast<float>(v[kKnee]),
                                      static_cast<float>(-v[kRange]));
}

Finding finding(const FindingContext& now) {
    const double threshold = now.values[kThreshold];
    return threshold_finding({kTable, kThreshold, kThreshold, threshold, threshold,
                              "Noise reaches {0} dBFS but the expander starts below {1} dBFS, so noise gets "
                              "through. Raise the threshold above {0} dBFS.",
                              "Set threshold to {0} dBFS"},
                             now);
}

}  // namespace

const StageKind kExpanderStage{.id = "expander",
                               .title = "Expander",
                               .purpose = "Reduces background noise gradually, less noticeable than a gate",
                               .parameters = kTable,
                               .make = make_stage<ExpanderStage>,
                               .reports_reduction = true,
                               .closes_in_pauses = true,
                               .transfer = transfer,
                               .finding = finding,
                               .timing = {.attack = "attack", .release = "release"},
                               .accepts_sidechain = true};

}  // namespace reed
