// What every stage of the chain is: one kind of processing with a parameter table.
#pragma once

#include <algorithm>
#include <atomic>
#include <functional>
#include <memory>
#include <span>
#include <string_view>
#include <vector>

#include "base/audio_block.h"
#include "stages/finding.h"
#include "stages/parameter.h"

namespace reed {

/// One running stage. prepare() may allocate; everything else runs on the audio thread and may not.
class Stage {
  public:
    Stage() = default;
    virtual ~Stage() = default;
    Stage(const Stage&) = delete;
    Stage& operator=(const Stage&) = delete;

    /// Sets the learned data. Call before prepare(). Kinds that learn nothing ignore it.
    virtual void teach(const LearnedData&) {}

    /// Adaptive state for the stage with the same id in the next chain; empty if there is none. Thread-safe.
    virtual std::vector<float> memory() const { return {}; }
    /// Restores the adaptive state of a stage of the same kind. Call after prepare() and before process().
    virtual void remember(std::span<const float>) {}

    /// Allocates for `format` and starts with `values` (one per table row, each within its range).
    virtual void prepare(const StreamFormat& format, std::span<const double> values) = 0;

    /// Sets new target values, reached smoothly. Called at a sub-block boundary.
    virtual void set_values(std::span<const double> values) = 0;

    /// Advances smoothed parameters by one sub-block. Called at every sub-block boundary before process().
    virtual void begin_sub_block() {}

    /// Processes in place. At most kSubBlock frames; the block must not cross a sub-block boundary. Finite
    /// input only.
    virtual void process(const AudioBlock& block) = 0;

    /// Clears the signal history (after a fault) and keeps the parameters.
    virtual void reset() = 0;

    /// Latency in frames, exact and constant from prepare() on.
    virtual int latency() const { return 0; }

    /// Maximum gain reduction in dB (>= 0) since the last call; 0 for stages without dynamics.
    float consume_reduction() {
        const float out = reduction_;
        reduction_ = 0.0f;
        return out;
    }

    /// Probability of speech in the newest audio, 0 to 1; negative if this stage does not estimate it.
    virtual float voice_probability() const { return -1.0f; }
    /// Sets the probability from an earlier stage for the next process() call; negative if unknown.
    void set_voice(float probability) { voice_ = probability; }

    /// Current value of readout `which` of its kind. Thread-safe.
    virtual float readout(size_t which) const {
        (void)which;
        return 0.0f;
    }

    /// Fault text with what to do; nullptr if there is no fault. Thread-safe during the lifetime of the
    /// stage.
    const char* trouble() const { return trouble_.load(std::memory_order_relaxed); }

    /// Sidechain for the detector in the next process() call: same frames, its own channel count, no channels
    /// if its source is unknown. nullptr: the stage's own input. Kinds without StageKind::accepts_sidechain
    /// ignore it.
    void set_side_chain(const AudioBlock* side) { side_ = side; }

  protected:
    bool keyed() const { return side_ != nullptr; }
    const AudioBlock& side_chain(const AudioBlock& own) const { return side_ != nullptr ? *side_ : own; }
    float voice() const { return voice_; }
    /// `text` must live as long as the stage.
    void set_fault(const char* text) { trouble_.store(text, std::memory_order_relaxed); }
    void report_reduction(float db) { reduction_ = std::max(reduction_, db); }

  private:
    float reduction_ = 0.0f;
    float voice_ = -1.0f;
    const AudioBlock* side_ = nullptr;
    std::atomic<const char*> trouble_{nullptr};
};

/// A value that a running stage reports.
struct Readout {
    std::string_view id;
    std::string_view title;  ///< title in the interface
    Unit unit = Unit::none;
    std::string_view beside = {};  ///< parameter it is compared with, if any
};

/// Describes a kind of stage: names, parameter table, factory. What it points to lives as long as the kind:
/// static for built-in kinds; for kinds found at run time, the pointer given to add_stage_kind() owns both.
struct StageKind {
    std::string_view id;       ///< key in scene files
    std::string_view title;    ///< title in the interface
    std::string_view purpose;  ///< purpose in one line
    std::span<const Parameter> parameters = {};
    /// Creates a stage, or returns an error; the signal then passes through. Not on the audio thread.
    std::function<Result<std::unique_ptr<Stage>>()> make;
    bool reports_reduction = false;
    bool closes_in_pauses = false;  ///< attenuates between words, so it may cut them off
    bool usual = false;             ///< is part of a new chain
    bool lid = false;               ///< is a limiter that belongs at the end
    /// Static curve: output level for a steady input level, both in dBFS. `rising` selects the branch if
    /// there is hysteresis. nullptr if the gain does not depend on the level.
    double (*transfer)(std::span<const double> values, double level, bool rising) = nullptr;
    /// True if the stage is suspended while bypassed because of its cost; the engine builds and warms up a
    /// new chain to resume it. nullptr: never.
    bool (*rests)(std::span<const double> values) = nullptr;
    /// Evaluates the settings against the measured levels; nullptr: no findings. Not on the audio thread.
    Finding (*finding)(const FindingContext& now) = nullptr;
    /// Whether `row` is a threshold of a part of the spectrum, which adapts to the level of the voice as
    /// marked thresholds (DiagramMark::threshold) adapt to noise and voice. nullptr: none is.
    bool (*is_band_threshold)(std::span<const double> values, size_t row) = nullptr;
    /// Target gain reduction during speech in dB, minimum and maximum. nullptr: none.
    std::pair<double, double> (*wanted)(std::span<const double> values) = nullptr;
    /// Role and row of a gain in dB that sets the output level: `trim` brings the voice to working level
    /// first, `makeup` corrects the rest.
    enum class Lift { none, trim, makeup } lift = Lift::none;
    std::string_view lift_row = {};
    /// Values it reports (Stage::readout()).
    std::span<const Readout> readouts = {};
    /// What it can learn; nullptr: nothing.
    const LearningSpec* teaching = nullptr;
    /// Analysis it offers; nullptr: none.
    const Search* search = nullptr;
    /// Rows of its times in ms, if any; they set the length of the burst that an editor draws.
    struct Timing {
        std::string_view attack = {}, hold = {}, release = {}, lookahead = {};
    } timing = {};
    /// Whether it accepts a sidechain (StageSpec::key), and the default sidechain in app audio; empty: its
    /// own input.
    bool accepts_sidechain = false;
    std::string_view default_sidechain = {};
    /// Row of a toggle for a gain that adapts over seconds; off when an editor draws a single burst.
    std::string_view slow_row = {};

    /// Index of a parameter by id, or -1.
    int find(std::string_view parameter_id) const {
        for (size_t i = 0; i < parameters.size(); ++i) {
            if (parameters[i].id == parameter_id) return static_cast<int>(i);
        }
        return -1;
    }
};

/// Default factory of a kind.
template <typename T>
Result<std::unique_ptr<Stage>> make_stage() {
    return std::unique_ptr<Stage>(std::make_unique<T>());
}

}  // namespace reed
