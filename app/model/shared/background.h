// One worker thread per task.
#pragma once

#include <QObject>
#include <QPointer>
#include <QThread>
#include <algorithm>
#include <memory>
#include <utility>
#include <vector>

namespace reed::ui {

/// Runs each task on a thread of its own and returns the result to the GUI thread. The destructor waits for
/// running tasks and drops their results. For cancellation and progress see JobRunner.
class Background final : public QObject {
  public:
    explicit Background(QObject* parent = nullptr) : QObject(parent) {}
    ~Background() override {
        for (QThread* t : threads_) {
            t->wait();
            delete t;
        }
    }

    /// Runs `work()` on a new low-priority thread, then `done(result)` on this one.
    template <typename Work, typename Done>
    void run(Work work, Done done) {
        using Answer = decltype(work());
        auto answer = std::make_shared<std::unique_ptr<Answer>>();
        QThread* thread =
            QThread::create([answer, work = std::move(work)] { *answer = std::make_unique<Answer>(work()); });
        threads_.push_back(thread);
        connect(thread, &QThread::finished, this, [this, thread, answer, done = std::move(done)] {
            threads_.erase(std::remove(threads_.begin(), threads_.end(), thread), threads_.end());
            thread->deleteLater();
            if (*answer) done(std::move(**answer));
        });
        thread->start(QThread::LowPriority);
    }
    /// Whether a task is running.
    bool busy() const { return !threads_.empty(); }

  private:
    std::vector<QThread*> threads_;
};

}  // namespace reed::ui
