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

    /// What it was taught, before prepare(). Kinds that learn nothing ignore it.
    virtual void teach(const LearnedData&) {}

    /// What it has learnt of the voice while it ran, for the stage of the same id in the next chain; empty:
    /// nothing. Any thread.
    virtual std::vector<float> memory() const { return {}; }
    /// The memory of a stage of the same kind, after prepare() and before it runs.
    virtual void remember(std::span<const float>) {}

    /// Takes memory for `format` and starts at `values` (one per table row, each inside its range).
    virtual void prepare(const StreamFormat& format, std::span<const double> values) = 0;

    /// New target values. Called at a grain boundary; the sound moves there smoothly.
    virtual void set_values(std::span<const double> values) = 0;

    /// Called at every grain boundary before process(): moves smoothed parameters one grain on.
    virtual void begin_sub_block() {}

    /// Processes in place; at most kSubBlock frames, never across a grain boundary. Finite input only.
    virtual void process(const AudioBlock& block) = 0;

    /// Forgets all signal history (after a fault), keeps the parameters.
    virtual void reset() = 0;

    /// Exact delay in frames between input and output, fixed from prepare() on.
    virtual int latency() const { return 0; }

    /// Largest gain reduction in dB (>= 0) since the last call. 0 for stages without dynamics.
    float consume_reduction() {
        const float out = reduction_;
        reduction_ = 0.0f;
        return out;
    }

    /// Probability of speech in the newest sound, 0 to 1; below 0: this stage does not know.
    virtual float voice_probability() const { return -1.0f; }
    /// What a stage before this one knows of that, for the next process() call; below 0: nothing.
    void set_voice(float probability) { voice_ = probability; }

    /// Its kind's readout `which`, as it is now. Any thread.
    virtual float readout(size_t which) const {
        (void)which;
        return 0.0f;
    }

    /// Why the stage does not do its work, with what to do; nullptr while all is well. Any thread, while the
    /// stage lives.
    const char* trouble() const { return trouble_.load(std::memory_order_relaxed); }

    /// Sound for the detection of the next process() call in place of the stage's own input; same frames,
    /// channels of its own, none where what it is to listen to is not known. nullptr: its own. Kinds without
    /// StageKind::accepts_sidechain ignore it.
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

/// A figure that a running stage tells: what it has found, what it measures now.
struct Readout {
    std::string_view id;
    std::string_view title;  ///< what the interface calls it
    Unit unit = Unit::none;
    std::string_view beside = {};  ///< parameter it is held against, if any
};

/// One kind of stage: its names, its table and how to make one. What it points to lives as long as the kind:
/// for ever with ours; one found at run time is held together with its names by the pointer that
/// add_stage_kind() keeps.
struct StageKind {
    std::string_view id;       ///< key in scene files
    std::string_view title;    ///< what the interface calls it
    std::string_view purpose;  ///< one line: what it is for
    std::span<const Parameter> parameters = {};
    /// Makes a stage, or says why it can't be; the sound then passes. Any thread but the audio thread.
    std::function<Result<std::unique_ptr<Stage>>()> make;
    bool reports_reduction = false;
    bool closes_in_pauses = false;  ///< takes the sound away between words, so it may cut them
    bool usual = false;             ///< stands in a chain that is begun anew
    bool lid = false;               ///< nothing leaves it louder than its ceiling; belongs at the end
    /// Static curve: level out for a steady level in, both in dBFS, at these values; `rising` tells the
    /// branch where there are two (hysteresis). nullptr for kinds whose gain does not hang on the level.
    double (*transfer)(std::span<const double> values, double level, bool rising) = nullptr;
    /// True where it costs so much that it is not run while bypassed; the engine then builds and warms a new
    /// chain before it is heard again. nullptr: it always runs.
    bool (*rests)(std::span<const double> values) = nullptr;
    /// What the levels say about its settings; nullptr: nothing. Any thread but the audio thread.
    Finding (*finding)(const FindingContext& now) = nullptr;
    /// Whether `row` is a threshold that acts on a part of the sound's spectrum: it goes along with the
    /// voice's level, as a marked one (DiagramMark::threshold) goes along with room and voice. nullptr: none
    /// is.
    bool (*is_band_threshold)(std::span<const double> values, size_t row) = nullptr;
    /// The reduction that is wanted while there is a voice, in dB: least and most. nullptr: none is.
    std::pair<double, double> (*wanted)(std::span<const double> values) = nullptr;
    /// Row that lifts or lowers all that leaves it, in dB, and in which order such rows are turned to bring
    /// the voice to its level: `trim` for the level to work with, `makeup` for what is lacking at the end.
    enum class Lift { none, trim, makeup } lift = Lift::none;
    std::string_view lift_row = {};
    /// What it tells while it runs (Stage::readout()).
    std::span<const Readout> readouts = {};
    /// What it can be taught; nullptr: nothing.
    const LearningSpec* teaching = nullptr;
    /// What it can look for; nullptr: nothing.
    const Search* search = nullptr;
    /// Rows of its times in ms, where it has them: how long a burst must be that shows all of them.
    struct Timing {
        std::string_view attack = {}, hold = {}, release = {}, lookahead = {};
    } timing = {};
    /// It can listen to another strip (StageSpec::key); and what a new one in a programme listens to, its own
    /// sound when empty.
    bool accepts_sidechain = false;
    std::string_view default_sidechain = {};
    /// Row of a toggle that makes its gain follow the voice over seconds; off where a single burst is drawn.
    std::string_view slow_row = {};

    /// Index of a parameter by id, or -1.
    int find(std::string_view parameter_id) const {
        for (size_t i = 0; i < parameters.size(); ++i) {
            if (parameters[i].id == parameter_id) return static_cast<int>(i);
        }
        return -1;
    }
};

/// How most kinds make their stages.
template <typename T>
Result<std::unique_ptr<Stage>> make_stage() {
    return std::unique_ptr<Stage>(std::make_unique<T>());
}

}  // namespace reed
