// Takes as the window works with them: kept, looped, compared.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QPointer>
#include <QTimer>
#include <algorithm>
#include <optional>
#include <vector>

#include "model/shared/job_runner.h"
#include "model/takes/comparison_target.h"
#include "model/takes/take_recorder.h"
#include "model/takes/take_waveforms.h"
#include "takes/blind_test.h"
#include "takes/take_loop.h"
#include "takes/take_report.h"

namespace reed::ui {

struct AppContext;
class MixerModel;

/// The takes: one is selected at a time and can loop instead of the microphone of one strip. Reading, writing
/// and rendering run in the background.
class TakesModel final : public QObject {
    Q_OBJECT
  public:
    TakesModel(AppContext& context, MixerModel& mixer, SceneManager& scenes);
    ~TakesModel() override;

    const TakeStore& store() const { return store_; }
    /// Newest first; empty until refresh() has completed.
    const std::vector<Take>& all() const { return all_; }
    void refresh();
    TakeWaveforms& outlines() { return outlines_; }
    /// The running jobs.
    JobRunner& work() { return work_; }

    /// Saves the last seconds of the selected strip (`every`: of all voices, aligned to a block) as takes and
    /// selects the first. Returns an empty text, or why it is not possible.
    QString keep(double seconds, bool every = false);
    static constexpr double kUsual = 20.0;
    /// Starts recording (30 minutes at most), or stops it. Returns an empty text, or why it is not possible.
    QString record(bool every = false);
    void stopRecording();
    /// Imports recordings that a crash left unfinished.
    void recoverUnfinished();
    bool recording() const { return recorder_.running(); }
    double recordedSeconds() const { return recorder_.seconds(); }

    /// Selects a take; an empty path selects none.
    const Take& chosen() const { return chosen_; }
    void choose(const Take& take);
    void import(const QString& file);
    /// `processed`: with the chain of the selected strip.
    void exportTo(const QString& file, bool processed);
    /// Exports the unprocessed take to `file` and the processed one beside it; never overwrites a file.
    void exportBoth(const QString& file);
    void remove();
    bool canRestoreRemoved() const { return !removed_.empty(); }
    void restoreRemoved();
    void rename(const QString& name);
    /// Trims the take to the looped part.
    void trim();
    /// Exports the report of the selected take.
    void writeReport(const QString& file);

    // The part that is looped, in seconds of the take.
    double from() const { return from_; }
    double to() const { return to_; }
    void setPart(double from, double to);

    bool looping() const { return strip_ != nullptr; }
    /// Strip in which it loops; nullptr if none.
    StripModel* strip() const { return strip_; }
    void setLooping(bool on);
    /// Whether the loop is sent to the output; otherwise the output is muted.
    bool aloud() const { return aloud_; }
    void setAloud(bool aloud);
    /// Text that says which output is muted by the loop.
    QString silenceText() const;
    /// Position in the take in s; negative while nothing loops.
    double position() const;
    void seek(double seconds);
    /// Goes to the next cut-off word.
    void toNextCut();

    bool comparing() const { return against_.has_value(); }
    void compare(const ComparisonTarget& against);
    void endComparison();
    /// Names of the two sides.
    QString sideName(bool b) const;
    bool sideB() const;
    void chooseSide(bool b);
    /// Text about the loudness match; empty until known.
    const QString& matched() const { return matched_; }

    /// Starts a blind test of ten rounds; chooseSide() plays A or B, hearX() plays X.
    void beginBlind();
    void endBlind();
    const BlindTest* blind() const { return blind_ ? &*blind_ : nullptr; }
    void hearX();
    void answer(bool b);

    /// Levels and reductions of the selected take over time with the current chain; nullptr until known. Of a
    /// long take the first mostReported() seconds, since it is rendered again with every change.
    static double mostReported(const Take& take) {
        constexpr double kSeconds = 300.0, kSamples = 30e6;
        return std::min(kSeconds, kSamples / std::max(1.0, take.info.sample_rate * take.info.channels));
    }
    const TakeReport* report() const { return report_ ? &*report_ : nullptr; }

  signals:
    void listChanged();
    void chosenChanged();
    /// The loop started, stopped, or changed.
    void loopChanged();
    void recordingChanged();
    void comparisonChanged();
    void reportChanged();

  private:
    void takeIn(const std::filesystem::path& recording, const QString& said);
    struct Kept;
    static Result<Take> keepOne(const TakeStore& store, const Kept& kept, double seconds);
    void take(Result<Take> made, const QString& said);
    void restartLoop();
    void load();
    void renderComparison();
    void renderReport();
    void follow();
    /// Strips that an action applies to.
    std::vector<StripModel*> meant(bool every) const;
    StripModel& worked() const;
    template <typename Work>
    void change(const QString& words, const QString& said, Work work);
    void writeFile(const QString& file, std::function<Result<void>(const Progress&)> write);

    AppContext& context_;
    MixerModel& mixer_;
    SceneManager& scenes_;
    TakeRecorder recorder_;
    TakeStore store_;
    std::vector<Take> all_;
    TakeWaveforms outlines_;
    Take chosen_;
    double from_ = 0.0, to_ = 0.0;
    std::filesystem::path removed_;
    QPointer<StripModel> strip_;
    bool aloud_ = false, monitored_ = false;
    std::shared_ptr<const Loop> loop_;
    double loop_rate_ = 48000.0;
    std::optional<ComparisonTarget> against_;
    QString matched_;
    std::optional<BlindTest> blind_;
    std::optional<TakeReport> report_;
    JobRunner::JobId load_ = 0, compare_ = 0, rendering_ = 0, listing_ = 0;
    QTimer compare_later_, report_later_;
    JobRunner work_;  // ends first
};

}  // namespace reed::ui
