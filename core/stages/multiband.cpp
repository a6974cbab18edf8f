#include "stages/multiband.h"

#include <atomic>
#include <cmath>

#include "base/decibel.h"
#include "base/fast_math.h"
#include "dsp/crossover.h"
#include "dsp/gain_computer.h"
#include "dsp/level_detector.h"
#include "dsp/smoothed.h"

namespace reed {
namespace {

constexpr Choice kCounts[] = {{"2", "Two"}, {"3", "Three"}, {"4", "Four"}};
constexpr Choice kListenChoices[] = {
    {"off", "Off"}, {"range1", "1"}, {"range2", "2"}, {"range3", "3"}, {"range4", "4"}};

struct RangeText {
    std::string_view group, threshold, ratio, attack, release, gain, level, taken;
};
constexpr RangeText kText[kMaxMultibandBands] = {
    {"Band 1", "range1_threshold", "range1_ratio", "range1_attack", "range1_release", "range1_gain",
     "range1_level", "range1_taken"},
    {"Band 2", "range2_threshold", "range2_ratio", "range2_attack", "range2_release", "range2_gain",
     "range2_level", "range2_taken"},
    {"Band 3", "range3_threshold", "range3_ratio", "range3_attack", "range3_release", "range3_gain",
     "range3_level", "range3_taken"},
    {"Band 4", "range4_threshold", "range4_ratio", "range4_attack", "range4_release", "range4_gain",
     "range4_level", "range4_taken"},
};
/// To begin with: the lower a range, the slower.
constexpr double kAttacks[kMaxMultibandBands] = {15.0, 8.0, 4.0, 3.0};
constexpr double kReleases[kMaxMultibandBands] = {200.0, 150.0, 120.0, 100.0};

consteval std::array<Parameter, kFirstRange + kMaxMultibandBands * kRangeParameters> make_table() {
    std::array<Parameter, kFirstRange + kMaxMultibandBands * kRangeParameters> t{};
    t[kRangeCount] = parameter::structural(parameter::choice(
        "ranges", "Bands", kCounts, 1, "Two for boom against the rest; three for boom, body and edge."));
    t[kMeets1] =
        parameter::number("meets1", "Crossover 1-2", Unit::hertz, 40.0, 16000.0, 220.0, Scale::logarithmic,
                          "Upper limit of the lows, where boom is: 150 to 300 Hz.");
    t[kMeets2] =
        parameter::number("meets2", "2 and 3 meet", Unit::hertz, 40.0, 16000.0, 3000.0, Scale::logarithmic,
                          "Lower limit of the highs, where voices sound harsh: 2.5 to 4 kHz.");
    t[kMeets3] = parameter::number("meets3", "3 and 4 meet", Unit::hertz, 40.0, 16000.0, 7500.0,
                                   Scale::logarithmic, "Where only s and breath are left.");
    t[kRangeKnee] = parameter::number("knee", "Knee", Unit::decibel, 0.0, 24.0, 6.0, Scale::linear,
                                      "A wider knee starts more gradually.");
    t[kRangeListen] = parameter::transient(parameter::choice(
        "listen", "Solo band", kListenChoices, 0, "Plays one band on its own, before compression."));
    for (int r = 0; r < kMaxMultibandBands; ++r) {
        const RangeText& n = kText[r];
        Parameter* row = &t[multiband_row(r, kRangeThreshold)];
        row[kRangeThreshold] = parameter::number(n.threshold, "Threshold", Unit::dbfs, -80.0, 0.0, -30.0,
                                                 Scale::linear, "Compares the level of this band alone.");
        row[kRangeRatio] =
            parameter::number(n.ratio, "Ratio", Unit::ratio, 1.0, 20.0, 2.0, Scale::logarithmic,
                              "1:1 is off, 2:1 evens out, 4:1 controls firmly.");
        row[kRangeAttack] =
            parameter::number(n.attack, "Attack", Unit::milliseconds, 1.0, 200.0, kAttacks[r],
                              Scale::logarithmic, "Low bands need longer times, or they distort.");
        row[kRangeRelease] = parameter::number(n.release, "Release", Unit::milliseconds, 10.0, 2000.0,
                                               kReleases[r], Scale::logarithmic, "Recovery time.");
        row[kRangeGain] = parameter::number(n.gain, "Gain", Unit::decibel, -12.0, 12.0, 0.0, Scale::linear,
                                            "Gain of this band after compression.");
        for (int p = 0; p < kRangeParameters; ++p) row[p].group = n.group;
    }
    return t;
}
constexpr auto kTable = make_table();

consteval std::array<Readout, 2 * kMaxMultibandBands> make_readouts() {
    std::array<Readout, 2 * kMaxMultibandBands> out{};
    for (size_t r = 0; r < kMaxMultibandBands; ++r) {
        out[2 * r] = {kText[r].level, "Band level", Unit::dbfs, kText[r].threshold};
        out[2 * r + 1] = {kText[r].taken, "Band reduction", Unit::decibel, {}};
    }
    return out;
}
constexpr auto kReadouts = make_readouts();

/// One range's compressor. Its level is taken over a grain; the gain it asks for is reached within the next.
class Range {
  public:
    void prepare(double rate, std::span<const double> values, int range) {
        rate_ = rate;
        threshold_.prepare(rate, 0.005, row(values, range, kRangeThreshold));
        ratio_.prepare(rate, 0.005, row(values, range, kRangeRatio));
        gain_.prepare(rate, 0.005, row(values, range, kRangeGain));
        heard_.prepare(rate, 0.005, 1.0);
        plain_.prepare(rate, 0.005, 0.0);
    }
    /// `lowest` Hz of the range; `heard`: 0 while another one is listened to; `plain`: this one is.
    void set(std::span<const double> values, int range, double lowest, bool heard, bool plain) {
        threshold_.set(row(values, range, kRangeThreshold));
        ratio_.set(row(values, range, kRangeRatio));
        gain_.set(row(values, range, kRangeGain));
        heard_.set(heard ? 1.0 : 0.0);
        plain_.set(plain ? 1.0 : 0.0);
        const double attack = row(values, range, kRangeAttack);
        ballistics_.set(rate_ / kSubBlock, attack, row(values, range, kRangeRelease), false);
        // At least one period of the lowest frequency in the band; a shorter window would follow the
        // waveform.
        const double period = std::clamp(1.0 / std::max(lowest, 1.0), 0.003, 0.020);
        level_.set(rate_, std::clamp(attack / 1000.0, period, 0.020));
    }
    /// At once where it is to go.
    void snap() {
        heard_.snap(heard_.target());
        plain_.snap(plain_.target());
        now_ = end_ = heard(db_to_gain(static_cast<double>(gain_.target())));
    }
    /// Returns what it takes in the grain that begins, in dB.
    float begin_sub_block(float knee) {
        for (Smoothed* s : {&threshold_, &ratio_, &gain_, &heard_, &plain_}) s->begin_sub_block();
        // Linked over channels: the louder one counts.
        const float level = level_.next(std::max(sum_[0], sum_[1]));
        sum_ = {};
        const float taken =
            ballistics_.next(compressor_reduction(level, static_cast<float>(threshold_.sub_block_value()),
                                                  static_cast<float>(ratio_.sub_block_value()), knee));
        shown_level_.store(level, std::memory_order_relaxed);
        shown_taken_.store(taken, std::memory_order_relaxed);
        now_ = end_;
        end_ = heard(static_cast<double>(
            fast_exp2(kLog2PerDb * (static_cast<float>(gain_.sub_block_value()) - taken))));
        step_ = (end_ - now_) / kSubBlock;
        return taken;
    }
    void reset() {
        ballistics_.reset();
        level_.reset();
        sum_ = {};
    }
    /// In place.
    void process(const AudioBlock& block) {
        float gain = now_;
        for (int c = 0; c < block.channels; ++c) {
            float sum = sum_[static_cast<size_t>(c)];
            gain = now_;
            float* x = block[c];
            for (int i = 0; i < block.frames; ++i) {
                sum += x[i] * x[i];
                gain += step_;
                x[i] *= gain;
            }
            sum_[static_cast<size_t>(c)] = sum;
        }
        now_ = gain;
    }
    float level() const { return shown_level_.load(std::memory_order_relaxed); }
    float taken() const { return shown_taken_.load(std::memory_order_relaxed); }

  private:
    static double row(std::span<const double> values, int range, MultibandParameter parameter) {
        return values[multiband_row(range, parameter)];
    }
    float heard(double gain) const {
        return static_cast<float>(heard_.sub_block_value() *
                                  (gain + plain_.sub_block_value() * (1.0 - gain)));
    }
    double rate_ = 48000.0;
    Smoothed threshold_, ratio_, gain_, heard_, plain_;
    Ballistics ballistics_;
    GrainLevel level_;
    std::array<float, kMaxChannels> sum_{};
    float now_ = 1.0f, end_ = 1.0f, step_ = 0.0f;  // gain within the grain, at its end, a sample
    std::atomic<float> shown_level_{-150.0f}, shown_taken_{0.0f};
};

class MultibandStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        count_ = range_count(values);
        const auto meet = crossover_frequencies(values);
        for (size_t i = 0; i < meets_.size(); ++i) meets_[i].prepare(rate_, 0.010, std::log(meet[i]));
        knee_.prepare(rate_, 0.005, values[kRangeKnee]);
        for (int r = 0; r < kMaxMultibandBands; ++r)
            ranges_[static_cast<size_t>(r)].prepare(rate_, values, r);
        set_values(values);
        for (Range& r : ranges_) r.snap();
        place();
        reset();
    }
    void set_values(std::span<const double> values) override {
        const auto meet = crossover_frequencies(values);
        for (size_t i = 0; i < meets_.size(); ++i) meets_[i].set(std::log(meet[i]));
        knee_.set(values[kRangeKnee]);
        const int listened = static_cast<int>(values[kRangeListen]);
        for (int r = 0; r < kMaxMultibandBands; ++r) {
            const double lowest = r == 0 ? 60.0 : meet[static_cast<size_t>(r - 1)];
            // One that is not there can't be listened to.
            const bool alone = listened > 0 && listened <= count_;
            ranges_[static_cast<size_t>(r)].set(values, r, lowest, !alone || listened == r + 1,
                                                alone && listened == r + 1);
        }
    }
    void begin_sub_block() override {
        bool moves = false;
        for (Smoothed& m : meets_) {
            m.begin_sub_block();
            moves = moves || m.moving();
        }
        if (moves || placed_moving_) place();
        placed_moving_ = moves;
        knee_.begin_sub_block();
        const auto knee = static_cast<float>(knee_.sub_block_value());
        for (int r = 0; r < count_; ++r)
            report_reduction(ranges_[static_cast<size_t>(r)].begin_sub_block(knee));
    }
    void process(const AudioBlock& block) override {
        float rows[kMaxMultibandBands][kMaxChannels][kSubBlock];
        std::array<AudioBlock, kMaxMultibandBands> parts;
        const int channels = std::min(block.channels, kMaxChannels);
        for (int r = 0; r < count_; ++r) {
            AudioBlock& p = parts[static_cast<size_t>(r)];
            p.channels = channels;
            p.frames = block.frames;
            for (int c = 0; c < channels; ++c) p.rows[static_cast<size_t>(c)] = rows[r][c];
        }
        for (int c = 0; c < channels; ++c) split(block, parts, c);
        for (int r = 0; r < count_; ++r)
            ranges_[static_cast<size_t>(r)].process(parts[static_cast<size_t>(r)]);
        for (int c = 0; c < channels; ++c) {
            std::copy_n(rows[0][c], block.frames, block[c]);
            for (int r = 1; r < count_; ++r) {
                for (int i = 0; i < block.frames; ++i) block[c][i] += rows[r][c][i];
            }
        }
    }
    void reset() override {
        for (auto* all : {&splits_, &beside_}) {
            for (Crossover& x : *all) x.reset();
        }
        for (Range& r : ranges_) r.reset();
    }
    float readout(size_t which) const override {
        const Range& r = ranges_[which / 2];
        return which % 2 == 0 ? r.level() : r.taken();
    }

  private:
    void place() {
        for (size_t i = 0; i < meets_.size(); ++i)
            splits_[i].set(std::exp(meets_[i].sub_block_value()), rate_);
        beside_[0].set(std::exp(meets_[1].sub_block_value()), rate_);
        beside_[1].set(std::exp(meets_[2].sub_block_value()), rate_);
        beside_[2].set(std::exp(meets_[2].sub_block_value()), rate_);
    }
    /// What is below a meeting has the phase of all meetings above it, so that all ranges add up.
    void split(const AudioBlock& block, const std::array<AudioBlock, kMaxMultibandBands>& parts, int c) {
        float rest[kSubBlock];
        const int n = block.frames;
        std::copy_n(block[c], n, parts[0][c]);
        // From the lowest crossover up: the rest above it is split at the next one.
        for (int m = 0; m + 1 < count_; ++m) {
            float* low = parts[static_cast<size_t>(m)][c];
            splits_[static_cast<size_t>(m)].split(low, rest, n, c);
            std::copy_n(rest, n, parts[static_cast<size_t>(m + 1)][c]);
        }
        // Range 1 lacks the phase of meetings 2 and 3, range 2 that of 3.
        if (count_ > 2) beside_[0].compensate(parts[0][c], n, c);
        if (count_ > 3) {
            beside_[1].compensate(parts[0][c], n, c);
            beside_[2].compensate(parts[1][c], n, c);
        }
    }

    double rate_ = 48000.0;
    int count_ = 3;
    bool placed_moving_ = false;
    std::array<Smoothed, kMaxMultibandBands - 1> meets_;  // logarithms
    std::array<Crossover, kMaxMultibandBands - 1> splits_, beside_;
    Smoothed knee_;
    std::array<Range, kMaxMultibandBands> ranges_;
};

Finding finding(const FindingContext& now) {
    if (!now.in.voice_known) return waiting_for_voice();
    const StageReduction& r = now.reduction;
    if (r.usual > 12.0)
        return {"takes_much",
                FindingTone::warning,
                "One band is reduced by {0} dB most of the time. Raise its threshold or lower its gain.",
                {{r.usual}},
                {}};
    if (r.deepest < 0.5)
        return {"takes_nothing",
                FindingTone::neutral,
                "No band exceeds its threshold. Lower a threshold into the levels of its band.",
                {},
                {}};
    return {"takes_some",
            FindingTone::good,
            "Largest band reduction: typical {0} dB, max {1} dB.",
            {{r.usual}, {r.deepest}},
            {}};
}

bool is_band_threshold(std::span<const double> values, size_t row) {
    if (row < kFirstRange || (row - kFirstRange) % kRangeParameters != kRangeThreshold) return false;
    const int range = static_cast<int>((row - kFirstRange) / kRangeParameters);
    return range < range_count(values) && values[multiband_row(range, kRangeRatio)] > 1.0;
}

}  // namespace

int range_count(std::span<const double> values) {
    return 2 + static_cast<int>(values[kRangeCount]);
}

std::array<double, kMaxMultibandBands - 1> crossover_frequencies(std::span<const double> values) {
    std::array<double, kMaxMultibandBands - 1> out{values[kMeets1], values[kMeets2], values[kMeets3]};
    constexpr double kApart = 1.26;  // a third of an octave
    for (size_t i = 1; i < out.size(); ++i) out[i] = std::max(out[i], kApart * out[i - 1]);
    return out;
}

const StageKind kMultibandStage{.id = "multiband",
                                .title = "Multiband",
                                .purpose = "Compresses lows, mids and highs separately",
                                .parameters = kTable,
                                .make = make_stage<MultibandStage>,
                                .reports_reduction = true,
                                .finding = finding,
                                .is_band_threshold = is_band_threshold,
                                .readouts = kReadouts};

}  // namespace reed
