// Background tasks that run one after another, in order.
#pragma once

#include <QObject>
#include <QPointer>
#include <condition_variable>
#include <functional>
#include <memory>
#include <mutex>
#include <queue>
#include <thread>
#include <utility>

namespace reed::ui {

/// Runs tasks in order on one worker thread and returns results to the GUI thread. The destructor waits for
/// pending tasks and drops their results.
class SerialTaskQueue final : public QObject {
  public:
    explicit SerialTaskQueue(QObject* parent = nullptr) : QObject(parent), thread_([this] { work(); }) {}
    ~SerialTaskQueue() override {
        {
            const std::lock_guard lock(mutex_);
            quit_ = true;
        }
        wake_.notify_all();
        thread_.join();
    }

    /// Runs `work()` on the worker, then `done(result)` on this thread, unless `whose` was destroyed.
    template <typename Work, typename Done>
    void run(QObject* whose, Work work, Done done) {
        using Answer = decltype(work());
        Job job = [whose = QPointer<QObject>(whose), work = std::move(work), done = std::move(done)] {
            auto answer = std::make_shared<Answer>(work());
            return [whose, answer, done] {
                if (whose) done(std::move(*answer));
            };
        };
        ++asked_;
        {
            const std::lock_guard lock(mutex_);
            jobs_.push(std::move(job));
        }
        wake_.notify_all();
    }
    /// Whether a task is pending.
    bool busy() const { return came_ != asked_; }
    /// Waits until all tasks have completed, including new ones.
    void finish() {
        while (busy()) {
            {
                std::unique_lock lock(mutex_);
                wake_.wait(lock, [this] { return !results_.empty(); });
            }
            deliver();
        }
    }

  private:
    using Result = std::function<void()>;
    using Job = std::function<Result()>;

    void work() {
        std::unique_lock lock(mutex_);
        for (;;) {
            wake_.wait(lock, [this] { return quit_ || !jobs_.empty(); });
            if (jobs_.empty()) return;
            const Job job = std::move(jobs_.front());
            jobs_.pop();
            lock.unlock();
            Result result = job();
            lock.lock();
            results_.push(std::move(result));
            wake_.notify_all();
            if (!quit_)
                QMetaObject::invokeMethod(
                    this, [this] { deliver(); }, Qt::QueuedConnection);
        }
    }
    void deliver() {
        for (;;) {
            Result result;
            {
                const std::lock_guard lock(mutex_);
                if (results_.empty()) return;
                result = std::move(results_.front());
                results_.pop();
            }
            ++came_;
            result();
        }
    }

    std::mutex mutex_;
    std::condition_variable wake_;
    std::queue<Job> jobs_;
    std::queue<Result> results_;
    bool quit_ = false;
    int asked_ = 0, came_ = 0;  // tasks queued and completed; GUI thread only
    std::thread thread_;        // last: it uses the other members
};

}  // namespace reed::ui
