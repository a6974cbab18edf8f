// Writes the working state on a thread of its own, so that a slow disk never holds up the window.
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

/// Keeps the newest text it was given; what came in between and was not yet begun is left out.
class StateWriter {
  public:
    /// Writes `text`; write_file() to the state's path when nothing else is said.
    using Write = std::function<Result<void>(const std::string& text)>;

    explicit StateWriter(Write write) : write_(std::move(write)), thread_([this] { run(); }) {}
    ~StateWriter() {
        {
            const std::lock_guard lock(mutex_);
            quit_ = true;
        }
        wake_.notify_all();
        thread_.join();  // what waits is written first
    }
    StateWriter(const StateWriter&) = delete;
    StateWriter& operator=(const StateWriter&) = delete;

    /// Returns at once.
    void keep(std::string text) {
        {
            const std::lock_guard lock(mutex_);
            waiting_ = std::move(text);
        }
        wake_.notify_all();
    }
    /// Returns when everything given so far stands on the disk, or could not be written: then false.
    bool finish() {
        std::unique_lock lock(mutex_);
        wake_.wait(lock, [this] { return !waiting_ && !writing_; });
        return !problem_;
    }
    /// Why the last writing failed; nothing when it did not.
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
    std::thread thread_;  // last: it uses the others
};

}  // namespace reed::ui
