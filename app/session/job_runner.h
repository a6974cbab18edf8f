// Long work off the window's thread, with how far it is.
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
#include "session/background.h"

namespace reed::ui {

/// Runs work that the person waits for, several at a time. What takes longer than a moment is shown: the
/// oldest of it, with what it does and how far it is, and it can be ended. The destructor waits for what
/// still runs.
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

    using JobId = int;  ///< 0: none
    /// `work(progress)`, or `work()` for what can't be ended, there; then `done(result)` here. `words`: what
    /// it does, "Writing evening.flac"; empty: it is never shown.
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
    /// It is no longer wanted: it ends where it can, and nobody hears of it any more.
    void drop(JobId ticket) {
        for (const auto& job : jobs_) {
            if (job->ticket == ticket) job->dropped = job->ended = true;
        }
    }

    /// What is shown now, and how far it is; empty: nothing takes long.
    QString words() const {
        const Job* job = shown();
        if (job == nullptr) return {};
        if (!job->ends) return tr("%1 ...").arg(job->words);
        return tr("%1: %2%").arg(job->words).arg(static_cast<int>(100.0f * job->part));
    }
    /// The one that is shown can be ended.
    bool canEnd() const { return shown() != nullptr && shown()->ends; }
    /// Ends it; ended() follows, unless it is done by then.
    void end() {
        if (Job* job = shown()) job->ended = true;
        emit changed();
    }

  signals:
    /// Another thing is shown, or it is further.
    void changed();
    /// The person has ended it.
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
