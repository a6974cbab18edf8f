// Writes the working state on a worker thread, so that a slow disk never blocks the window.
#pragma once

#include <condition_variable>
#include <filesystem>
#include <functional>
#include <mutex>
#include <optional>
#include <string>
#include <thread>

#include "base/file.h"

namespace reed::ui {

/// Writes the newest text. A text that is replaced before its writing began is skipped.
class StateWriter {
  public:
    /// Writes `text` to the disk; called on the worker thread.
    using Write = std::function<Result<void>(const std::string& text)>;

    explicit StateWriter(Write write) : write_(std::move(write)), thread_([this] { run(); }) {}
    /// Writes a pending text first.
    ~StateWriter() {
        {
            const std::lock_guard lock(mutex_);
            quit_ = true;
        }
        wake_.notify_all();
        thread_.join();
    }
    StateWriter(const StateWriter&) = delete;
    StateWriter& operator=(const StateWriter&) = delete;

    /// Queues a text to be written. Doesn't block.
    void keep(std::string text) {
        {
            const std::lock_guard lock(mutex_);
            waiting_ = std::move(text);
        }
        wake_.notify_all();
    }
    /// Waits until all texts queued so far are written; false if the last one could not be.
    bool finish() {
        std::unique_lock lock(mutex_);
        wake_.wait(lock, [this] { return !waiting_ && !writing_; });
        return !problem_;
    }
    /// Why the last text could not be written; empty if it was.
    std::optional<Error> problem() const {
        const std::lock_guard lock(mutex_);
        return problem_;
    }

  private:
    void run() {
        std::unique_lock lock(mutex_);
        for (;;) {
            wake_.wait(lock, [this] { return quit_ || waiting_; });
            if (!waiting_) return;
            const std::string text = std::move(*waiting_);
            waiting_.reset();
            writing_ = true;
            lock.unlock();
            auto written = write_(text);
            lock.lock();
            problem_ = written.ok() ? std::nullopt : std::optional<Error>(written.error());
            writing_ = false;
            wake_.notify_all();
        }
    }

    Write write_;
    mutable std::mutex mutex_;
    std::condition_variable wake_;
    std::optional<std::string> waiting_;
    std::optional<Error> problem_;
    bool writing_ = false, quit_ = false;
    std::thread thread_;  // last: it uses the other members
};

}  // namespace reed::ui
