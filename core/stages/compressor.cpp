#include "stages/compressor.h"

#include <algorithm>

#include "base/decibel.h"
#include "dsp/gain_computer.h"
#include "dsp/level_detector.h"
#include "dsp/lookahead.h"
#include "dsp/smoothed.h"
#include "stages/detection.h"
#include "stages/sidechain_filter.h"
#include "stages/typical_reduction.h"

namespace reed {
namespace {

constexpr Parameter kTable[] = {
    parameter::marked(
        parameter::number("threshold", "Threshold", Unit::dbfs, -60.0, 0.0, -22.0, Scale::linear,
                          "Set it within your voice range, so that only loud words exceed it."),
        DiagramMark::threshold, "threshold"),
    parameter::number("ratio", "Ratio", Unit::ratio, 1.0, 20.0, 3.0, Scale::logarithmic,
                      "2:1 to 5:1 for speech; 10:1 sounds squeezed."),
    parameter::number("knee", "Knee", Unit::decibel, 0.0, 24.0, 6.0, Scale::linear,
                      "A wider knee starts more gradually."),
    parameter::number("attack", "Attack", Unit::milliseconds, 0.1, 200.0, 4.0, Scale::logarithmic,
                      "Short catches the start of a word; long lets it through and sounds livelier."),
    parameter::number(
        "release", "Release", Unit::milliseconds, 5.0, 2000.0, 140.0, Scale::logarithmic,
        "Short follows syllables; too short flutters, too long dulls what comes after a shout."),
    parameter::toggle(
        "auto_release", "Auto release", false,
        "Fast after a single loud word, slow after a loud sentence. Release sets the fast part."),
    detection_choice(1),
    parameter::number("makeup", "Make-up", Unit::decibel, -12.0, 24.0, 0.0, Scale::linear,
                      "Restores the level after compression. It raises the background noise too."),
    parameter::toggle("auto_makeup", "Auto make-up", false,
                      "Keeps the voice at its input loudness. Manual make-up gain is added on top."),
    parameter::number("mix", "Mix", Unit::percent, 0.0, 100.0, 100.0, Scale::linear,
                      "Below 100%, part of the uncompressed voice is mixed in."),
    parameter::structural(
        parameter::number("lookahead", "Look-ahead", Unit::milliseconds, 0.0, 10.0, 0.0, Scale::linear,
                          "Reduces the gain before the loud word arrives. Adds the same latency.")),
    detector_low_cut(),
    // These two sound nothing: they are what the reduction is held against.
    parameter::number("wanted_least", "Target min", Unit::decibel, 0.0, 24.0, 3.0, Scale::linear,
                      "Lower end of the target reduction while you talk (3 dB is common)."),
    parameter::number("wanted_most", "Target max", Unit::decibel, 0.0, 24.0, 10.0, Scale::linear,
                      "Upper end of the target reduction while you talk (10 dB is common)."),
};
enum Index {
    kThreshold,
    kRatio,
    kKnee,
    kAttack,
    kRelease,
    kAutoRelease,
    kDetection,
    kMakeup,
    kAutoMakeup,
    kMix,
    kLookahead,
    kLowCut,
    kWantedLeast,
    kWantedMost
};

class CompressorStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        detector_.prepare(rate_, 0.010);
        band_.prepare(format, values[kLowCut], 20000.0);
        lookahead_.prepare(rate_, values[kLookahead]);
        threshold_.prepare(rate_, 0.005, values[kThreshold]);
        ratio_.prepare(rate_, 0.005, values[kRatio]);
        knee_.prepare(rate_, 0.005, values[kKnee]);
        makeup_.prepare(rate_, 0.005, db_to_gain(values[kMakeup]));
        mix_.prepare(rate_, 0.005, values[kMix] / 100.0);
        auto_makeup_.prepare(rate_, 0.050, 1.0);
        set_values(values);
        reset();
    }
    void set_values(std::span<const double> values) override {
        threshold_.set(values[kThreshold]);
        ratio_.set(values[kRatio]);
        knee_.set(values[kKnee]);
        makeup_.set(db_to_gain(values[kMakeup]));
        mix_.set(values[kMix] / 100.0);
        mode_ = detection_mode(values[kDetection]);
        const bool peak = mode_ == LevelDetector::Mode::peak;
        ballistics_.set(rate_, values[kAttack], values[kRelease], peak);
        // A window longer than the attack would be the attack; one shorter than this follows the wave of low
        // voices.
        detector_.set(std::clamp(values[kAttack] / 1000.0, 0.003, 0.010));
        // The slow half of the automatic release: rises only during lasting reduction, so that talk after a
        // shout is not left low.
        slow_.set(rate_, 1200.0, 4.0 * values[kRelease], false);
        auto_release_ = values[kAutoRelease] >= 0.5;
        auto_makeup_on_ = values[kAutoMakeup] >= 0.5;
        band_.set(values[kLowCut], 20000.0);
    }
    void begin_sub_block() override {
        threshold_.begin_sub_block();
        ratio_.begin_sub_block();
        knee_.begin_sub_block();
        makeup_.begin_sub_block();
        mix_.begin_sub_block();
        band_.begin_sub_block();
        follow_voice();
        auto_makeup_.begin_sub_block();
    }
    std::vector<float> memory() const override {
        const auto state = typical_.state();
        return {state.begin(), state.end()};
    }
    void remember(std::span<const float> memory) override {
        TypicalReduction::State state{};
        if (memory.size() != state.size()) return;
        std::copy(memory.begin(), memory.end(), state.begin());
        typical_.set_state(state);
        auto_makeup_.snap(target_makeup());
    }
    void process(const AudioBlock& block) override {
        float work[kSubBlock];
        detector_.process(band_.listen(side_chain(block)), mode_, work);
        lookahead_.process(block);
        const auto t = static_cast<float>(threshold_.sub_block_value());
        const auto r = static_cast<float>(ratio_.sub_block_value());
        const auto k = static_cast<float>(knee_.sub_block_value());
        for (int i = 0; i < block.frames; ++i) {
            loudest_ = std::max(loudest_, work[i]);
            work[i] = compressor_reduction(work[i], t, r, k);
        }
        float deepest = 0.0f;
        Ballistics quick = ballistics_;  // in registers, where `work` can't alias them
        Ballistics slow = slow_;
        const bool automatic = auto_release_;
        for (int i = 0; i < block.frames; ++i) {
            float reduction = quick.next(work[i]);
            if (automatic) reduction = std::max(reduction, slow.next(reduction));
            deepest = std::max(deepest, reduction);
            work[i] = -kLog2PerDb * reduction;
        }
        ballistics_ = quick;
        slow_ = slow;
        report_reduction(deepest);
        taken_ = std::max(taken_, deepest);
        for (int i = 0; i < block.frames; ++i) work[i] = fast_exp2(work[i]);
        apply(block, work);
    }
    void reset() override {
        detector_.reset();
        band_.reset();
        lookahead_.reset();
        ballistics_.reset();
        slow_.reset();
        loudest_ = kSilenceDb;
        taken_ = 0.0f;
    }
    int latency() const override { return lookahead_.frames(); }

  private:
    void apply(const AudioBlock& block, float* gain) {
        if (mix_.moving() || mix_.target() != 1.0) {
            for (int i = 0; i < block.frames; ++i) gain[i] = 1.0f + mix_.next() * (gain[i] - 1.0f);
        }
        if (makeup_.moving() || auto_makeup_.moving()) {
            for (int i = 0; i < block.frames; ++i) gain[i] *= makeup_.next() * auto_makeup_.next();
        } else {
            const auto whole = static_cast<float>(makeup_.sub_block_value() * auto_makeup_.sub_block_value());
            for (int i = 0; i < block.frames; ++i) gain[i] *= whole;
        }
        for (int c = 0; c < block.channels; ++c) {
            float* x = block[c];
            for (int i = 0; i < block.frames; ++i) x[i] *= gain[i];
        }
    }
    /// What the curve takes at `level` dBFS with the values of this grain, in dB.
    double curve(double level) const {
        return compressor_reduction(
            static_cast<float>(level), static_cast<float>(threshold_.sub_block_value()),
            static_cast<float>(ratio_.sub_block_value()), static_cast<float>(knee_.sub_block_value()));
    }
    /// Automatic make-up: restores the typical loss of the voice.
    double target_makeup() {
        if (!auto_makeup_on_) return 1.0;
        return std::min(typical_.makeup([this](float level) { return curve(level); }, mix_.sub_block_value()),
                        kMaxMakeup);
    }
    void follow_voice() {
        const double seconds = kSubBlock / rate_;
        typical_.add(loudest_, taken_, curve(loudest_), seconds, voice());
        loudest_ = kSilenceDb;
        taken_ = 0.0f;
        since_update_ += seconds;
        if (since_update_ < kUpdateSeconds) return;
        since_update_ = 0.0;
        const double target = target_makeup();
        typical_.publish();
        auto_makeup_.set(target);
    }

    static constexpr double kMaxMakeup = 15.85;      // 24 dB
    static constexpr double kUpdateSeconds = 0.010;  // from one look at what is typical to the next
    double rate_ = 48000.0;
    LevelDetector detector_;
    SidechainFilter band_;
    Lookahead lookahead_;
    Smoothed threshold_, ratio_, knee_, makeup_, mix_, auto_makeup_;
    Ballistics ballistics_, slow_;
    LevelDetector::Mode mode_ = LevelDetector::Mode::rms;
    bool auto_release_ = false, auto_makeup_on_ = false;
    TypicalReduction typical_;
    double since_update_ = 0.0;
    float loudest_ = kSilenceDb, taken_ = 0.0f;  // of the grain before
};

double transfer(std::span<const double> v, double level, bool) {
    const double taken = compressor_reduction(static_cast<float>(level), static_cast<float>(v[kThreshold]),
                                              static_cast<float>(v[kRatio]), static_cast<float>(v[kKnee]));
    // Mixed as amplitudes. Automatic make-up depends on the signal and is left out.
    const double mixed = 1.0 + v[kMix] / 100.0 * (db_to_gain(-taken) - 1.0);
    return level + gain_to_db(mixed) + v[kMakeup];
}

std::pair<double, double> wanted(std::span<const double> v) {
    return {v[kWantedLeast], std::max(v[kWantedLeast], v[kWantedMost])};
}

Finding finding(const FindingContext& now) {
    if (!now.in.voice_known) return waiting_for_voice();
    const auto [least, most] = wanted(now.values);
    const double usual = now.reduction.usual;
    std::vector<Quantity> all{{usual}, {now.reduction.deepest}, {least}, {most}, {now.in.voice}};
    if (usual >= least && usual <= most) {
        return {"reduction_right",
                FindingTone::good,
                "Typical reduction while you talk: {0} dB, max {1} dB. Within the target of {2} to {3} dB.",
                std::move(all),
                {}};
    }
    // Above the threshold a decibel of it is worth 1 - 1/ratio of reduction.
    const double slope = std::max(0.1, 1.0 - 1.0 / now.values[kRatio]);
    const double by = (usual - 0.5 * (least + most)) / slope;
    const Proposal better =
        propose(kTable, kThreshold, now.values[kThreshold] + by, "Set threshold to {0} dBFS");
    if (usual < least) {
        return {"reduction_small", FindingTone::neutral,
                "Typical reduction while you talk: {0} dB, max {1} dB. Lower the threshold for a more even "
                "voice (target {2} to {3} dB).",
                std::move(all), better};
    }
    return {"reduction_large", FindingTone::warning,
            "Typical reduction while you talk: {0} dB, max {1} dB, more than the target of {2} to {3} dB. "
            "Raise the threshold to about {4} dBFS.",
            std::move(all), better};
}

}  // namespace

const StageKind kCompressorStage{
    .id = "compressor",
    .title = "Compressor",
    .purpose = "Evens out your voice by reducing loud words",
    .parameters = kTable,
    .make = make_stage<CompressorStage>,
    .reports_reduction = true,
    .usual = true,
    .transfer = transfer,
    .finding = finding,
    .wanted = wanted,
    .lift = StageKind::Lift::makeup,
    .lift_row = "makeup",
    .timing = {.attack = "attack", .release = "release", .lookahead = "lookahead"},
    .accepts_sidechain = true,
    .slow_row = "auto_makeup"};

}  // namespace reed
