// Background jobs with progress, which can be cancelled.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QString>
#include <QTimer>
#include <algorithm>
#include <atomic>
#include <memory>
#include <type_traits>
#include <utility>
#include <vector>

#include "base/progress.h"
#include "model/shared/background.h"

namespace reed::ui {

/// Runs cancellable background jobs in parallel. The oldest job that takes longer than a moment is shown with
/// its progress. The destructor waits for running jobs.
class JobRunner final : public QObject {
    Q_OBJECT
  public:
    explicit JobRunner(QObject* parent = nullptr) : QObject(parent) {
        pace_.setInterval(kPace);
        connect(&pace_, &QTimer::timeout, this, &JobRunner::changed);
    }
    ~JobRunner() override {
        for (const auto& job : jobs_) {
            if (job->words.isEmpty()) job->ended = true;  // writes nothing
        }
    }

    using JobId = int;  ///< 0: no job
    /// Runs `work(progress)`, or `work()` if it can't be cancelled, on another thread, then `done(result)` on
    /// this one. `words`: text, e.g. "Exporting evening.flac"; empty: never shown.
    template <typename Work, typename Done>
    JobId run(const QString& words, Work work, Done done) {
        constexpr bool kEnds = std::is_invocable_v<const Work&, const Progress&>;
        auto job = std::make_shared<Job>();
        job->ticket = ++last_;
        job->words = words;
        job->ends = kEnds;
        job->since.start();
        jobs_.push_back(job);
        pace_.start();
        background_.run(
            [job, work = std::move(work)] {
                if constexpr (kEnds) {
                    return work(Progress([job](double part) {
                        job->part = static_cast<float>(part);
                        return !job->ended;
                    }));
                } else {
                    return work();
                }
            },
            [this, job, done = std::move(done)](auto&& result) {
                std::erase(jobs_, job);
                if (jobs_.empty()) pace_.stop();
                emit changed();
                if (job->dropped) return;
                if constexpr (kEnds) {
                    if (job->ended && !result.ok()) return void(emit ended(job->ticket, job->words));
                }
                done(std::forward<decltype(result)>(result));
            });
        return job->ticket;
    }
    /// Discards a job: cancels it if possible and drops its result.
    void drop(JobId ticket) {
        for (const auto& job : jobs_) {
            if (job->ticket == ticket) job->dropped = job->ended = true;
        }
    }

    /// Status text with progress; empty if no job takes long.
    QString words() const {
        const Job* job = shown();
        if (job == nullptr) return {};
        if (!job->ends) return tr("%1 ...").arg(job->words);
        return tr("%1: %2%").arg(job->words).arg(static_cast<int>(100.0f * job->part));
    }
    /// Whether the shown job can be cancelled.
    bool canEnd() const { return shown() != nullptr && shown()->ends; }
    /// Cancels it; ended() follows unless it completes first.
    void end() {
        if (Job* job = shown()) job->ended = true;
        emit changed();
    }

  signals:
    /// The status text changed.
    void changed();
    /// The user cancelled it.
    void ended(int ticket, const QString& words);

  private:
    static constexpr int kPace = 150, kShownAfter = 400;  // ms
    struct Job {
        JobId ticket = 0;
        QString words;
        bool ends = false, dropped = false;
        QElapsedTimer since;
        std::atomic<bool> ended{false};
        std::atomic<float> part{0.0f};
    };
    Job* shown() const {
        const auto first = std::ranges::find_if(jobs_, [](const auto& job) {
            return !job->words.isEmpty() && !job->ended && job->since.elapsed() >= kShownAfter;
        });
        return first == jobs_.end() ? nullptr : first->get();
    }

    std::vector<std::shared_ptr<Job>> jobs_;
    JobId last_ = 0;
    QTimer pace_;
    Background background_;  // ends first
};

}  // namespace reed::ui
