// A soundcheck of one strip: records the steps, measures them, and proposes a chain.
#pragma once

#include <QObject>
#include <QPointer>
#include <array>
#include <atomic>
#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <vector>

#include "base/history_ring.h"
#include "devices/device.h"
#include "model/shared/job_runner.h"
#include "scenes/soundcheck_record.h"
#include "soundcheck/proposal.h"

namespace reed::ui {

struct AppContext;
class MixerModel;
class SceneManager;
class StripModel;
class TakesModel;

class SoundcheckModel final : public QObject {
    Q_OBJECT
  public:
    SoundcheckModel(AppContext& context, MixerModel& mixer, SceneManager& scenes, TakesModel& takes);
    ~SoundcheckModel() override;

    /// closed: none runs. steps: recording. working: measuring and trying chains. results: there is a
    /// proposal.
    enum class Phase { closed, steps, working, results };
    Phase phase() const { return phase_; }
    /// Strip that is checked; nullptr while closed, or if it was removed.
    StripModel* strip() const { return strip_; }

    /// Begins a soundcheck of the selected strip. Returns an empty text, or why it is not possible.
    QString open();
    /// Begins one with the recordings of the last soundcheck, of which `step` is to be recorded again.
    QString repeat(SoundcheckStep step);
    /// The last soundcheck of this strip with this microphone.
    std::optional<SoundcheckRecord> earlier() const;
    /// Whether its recordings can be used now: it has some, and no step was recorded since.
    bool canUseEarlier() const;
    /// Uses its recordings for the steps that have none, but for `except`; steps that were skipped stay
    /// skipped.
    void useEarlier(std::optional<SoundcheckStep> except = {});
    /// Opens all microphones to show or name the one that is spoken into, or closes them again.
    void listenToAll(bool on);
    /// Ends it; recordings that were not applied are dropped.
    void close();

    enum class StepState { waiting, recording, checking, done, failed, skipped };
    StepState state(SoundcheckStep step) const { return at(step).state; }
    /// Why its recording can't be used; empty if it can.
    const QString& problem(SoundcheckStep step) const { return at(step).problem; }
    /// The step that is shown.
    SoundcheckStep current() const { return current_; }
    /// Shows another step; a recording that runs is dropped.
    void choose(SoundcheckStep step);
    /// Starts recording the current step, again if it was recorded before.
    void record();
    /// Ends the recording now and uses what there is.
    void stop();
    /// Uses a take or another sound file for the current step.
    void useFile(const std::filesystem::path& file);
    /// Skips the current step, if it is not required.
    void skip();
    bool recording() const { return at(current_).state == StepState::recording; }
    /// Seconds recorded of the current step.
    double seconds() const { return seconds_; }
    /// Peak levels of the current step in dBFS, ten a second, oldest first.
    const std::vector<float>& levels() const { return at(current_).levels; }
    /// Level of the step of silence in dBFS, if it was recorded.
    std::optional<double> noise() const { return noise_; }
    /// Whether both required steps are recorded.
    bool complete() const;

    /// Measures and proposes, in the background.
    void analyse();
    /// Goes back to the steps.
    void cancel();
    /// Share of the work that is done, 0 to 1.
    double progress() const { return progress_ ? static_cast<double>(progress_->load()) : 0.0; }

    // Results.
    const SoundcheckFacts& facts() const { return result_->facts; }
    const std::vector<SoundcheckFinding>& findings() const { return findings_; }
    const SoundcheckProposal& proposal() const { return result_->proposal; }
    bool isOn(size_t line) const { return on_.at(line); }
    void setOn(size_t line, bool on);
    /// Replaces the chain of the strip by the lines that are on, as one undo step.
    void apply();
    /// Brings what line `line` proposes into the chain that the strip has, and nothing else, as one undo
    /// step.
    void applyAlone(size_t line);
    /// Whether the strip has the chain that was applied last.
    bool applied() const;
    /// Keeps the recordings as takes, and loops the talk to compare the chain before and after.
    void compare();
    /// Writes facts and proposal as JSON or text, by the extension of `file`.
    void saveReport(const QString& file);

  signals:
    /// Phase, step, state or lines changed.
    void changed();
    /// Recorded seconds, levels or progress changed.
    void moved();

  private:
    struct Step {
        StepState state = StepState::waiting;
        QString problem;
        std::vector<float> levels;
    };
    struct Outcome {
        SoundcheckFacts facts;
        std::shared_ptr<const StepSound> steps;
        SoundcheckProposal proposal;
    };
    struct Loaded {
        AudioBuffer sound;
        double sample_rate = 0.0;
    };
    static Result<Loaded> load(const std::filesystem::path& file);
    Step& at(SoundcheckStep step) { return steps_[static_cast<size_t>(step)]; }
    const Step& at(SoundcheckStep step) const { return steps_[static_cast<size_t>(step)]; }
    void tick();
    void finish();
    void check(AudioBuffer sound, double rate);
    void take(SoundcheckStep step, AudioBuffer sound);
    void fail(const QString& why);
    void next();
    void playRoom(std::optional<SoundcheckStep> step);
    bool anotherInput() const;
    void startAgain();
    void use(const ChainSpec& chain);
    void keep();
    void loaded(SoundcheckStep step, Result<Loaded> recording);

    AppContext& context_;
    MixerModel& mixer_;
    SceneManager& scenes_;
    TakesModel& takes_;
    QPointer<StripModel> strip_;
    Phase phase_ = Phase::closed;
    SoundcheckStep current_ = SoundcheckStep::silence;
    std::array<Step, kSoundcheckSteps> steps_;
    StepRecordings recordings_;
    std::shared_ptr<const HistoryRing> ring_;  // of the input, while it records
    std::int64_t from_ = 0;                    // frame of the ring
    double seconds_ = 0.0;
    std::optional<double> noise_;
    std::shared_ptr<std::atomic<float>> progress_;
    std::optional<Outcome> result_;
    std::vector<SoundcheckFinding> findings_;
    std::vector<bool> on_;
    std::optional<ChainSpec> applied_;
    bool kept_ = false, looped_ = false;
    std::map<std::string, std::string> files_;  // of the takes that steps come from, by id of the step
    DeviceChoice input_;                        // that the steps were recorded with
    QMetaObject::Connection chain_watch_;
    std::unique_ptr<QObject> listener_;  // all microphones are open while it lives
    std::vector<double> room_before_;    // controls of the simulated room
    JobRunner::JobId job_ = 0;
    JobRunner work_;  // ends first
};

}  // namespace reed::ui
