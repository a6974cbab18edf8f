// Takes as the window works with them: kept, looped, compared.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QPointer>
#include <QTimer>
#include <algorithm>
#include <optional>
#include <vector>

#include "session/comparison_target.h"
#include "session/job_runner.h"
#include "session/take_recorder.h"
#include "session/take_waveforms.h"
#include "takes/blind_test.h"
#include "takes/take_loop.h"
#include "takes/take_report.h"

namespace reed::ui {

/// One take is chosen at a time; it loops in place of the microphone of one strip. Reading, writing and
/// rendering happen off the window's thread.
class TakesModel final : public QObject {
    Q_OBJECT
  public:
    explicit TakesModel(Session& first);
    ~TakesModel() override;

    const TakeStore& store() const { return store_; }
    /// The newest first. Empty until refresh() has read them.
    const std::vector<Take>& all() const { return all_; }
    void refresh();
    TakeWaveforms& outlines() { return outlines_; }
    /// What takes its time just now.
    JobRunner& work() { return work_; }

    /// Turns the last seconds of the strip that is worked on (`every`: of all voices, aligned to a block)
    /// into takes; the first of them is chosen.
    /// Empty, or why nothing can be kept.
    QString keep(double seconds, bool every = false);
    static constexpr double kUsual = 20.0;
    /// Records from now on until stop; half an hour at most.
    /// Again: stops. Empty, or why nothing can be recorded.
    QString record(bool every = false);
    void stopRecording();
    /// Recordings that the program was ended in the middle of become takes.
    void recoverUnfinished();
    bool recording() const { return recorder_.running(); }
    double recordedSeconds() const { return recorder_.seconds(); }

    /// Empty path: none.
    const Take& chosen() const { return chosen_; }
    void choose(const Take& take);
    void import(const QString& file);
    /// `processed`: through the chain of the strip that is worked on.
    void exportTo(const QString& file, bool processed);
    /// The one to `file`, the other beside it as "... through the chain", over nothing that is there.
    void exportBoth(const QString& file);
    void remove();
    bool canRestoreRemoved() const { return !removed_.empty(); }
    void restoreRemoved();
    void rename(const QString& name);
    /// To the part that is looped.
    void trim();
    /// The chosen take before and after, as a page.
    void writeReport(const QString& file);

    // The part that is looped, in seconds of the take.
    double from() const { return from_; }
    double to() const { return to_; }
    void setPart(double from, double to);

    bool looping() const { return strip_ != nullptr; }
    /// In which strip; nullptr: none.
    Session* strip() const { return strip_; }
    void setLooping(bool on);
    /// What loops goes out to the viewers as well; else nothing does.
    bool aloud() const { return aloud_; }
    void setAloud(bool aloud);
    /// Whose sound does not go out while the take loops.
    QString silenceText() const;
    /// Seconds of the take; below 0 while nothing loops.
    double position() const;
    void seek(double seconds);
    /// To the next word that lost its beginning or ending.
    void toNextCut();

    bool comparing() const { return against_.has_value(); }
    void compare(const ComparisonTarget& against);
    void endComparison();
    /// Names of the two sides.
    QString sideName(bool b) const;
    bool sideB() const;
    void chooseSide(bool b);
    /// What was done to make both equally loud, in words; empty until it is known.
    const QString& matched() const { return matched_; }

    /// Ten rounds of "which is X?"; chooseSide() then leads to a, b, and hearX() to X.
    void beginBlind();
    void endBlind();
    const BlindTest* blind() const { return blind_ ? &*blind_ : nullptr; }
    void hearX();
    void answer(bool b);

    /// The chosen take along time, through the chain as it is; nullptr until it is known. Of a long one its
    /// first mostReported() seconds: it is worked out anew with every change, and held in memory for that.
    static double mostReported(const Take& take) {
        constexpr double kSeconds = 300.0, kSamples = 30e6;
        return std::min(kSeconds, kSamples / std::max(1.0, take.info.sample_rate * take.info.channels));
    }
    const TakeReport* report() const { return report_ ? &*report_ : nullptr; }

  signals:
    void listChanged();
    void chosenChanged();
    /// It begins or ends, is aloud or not, or another part.
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
    /// Strips that an action is about.
    std::vector<Session*> meant(bool every) const;
    Session& worked() const;
    template <typename Work>
    void change(const QString& words, const QString& said, Work work);
    void writeFile(const QString& file, std::function<Result<void>(const Progress&)> write);

    Session& first_;
    TakeRecorder recorder_;
    TakeStore store_;
    std::vector<Take> all_;
    TakeWaveforms outlines_;
    Take chosen_;
    double from_ = 0.0, to_ = 0.0;
    std::filesystem::path removed_;
    QPointer<Session> strip_;
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
