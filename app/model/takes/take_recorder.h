// Records what strips say, from now on.
#pragma once

#include <QPointer>
#include <functional>
#include <memory>
#include <vector>

#include "base/ring_reader.h"
#include "takes/take.h"

namespace reed::ui {

class Notifications;
class StripModel;

/// Writes beside the takes, under names that are no takes yet, as 32-bit floats that can be read at any
/// moment, however it ends; call pump() some times a second.
class TakeRecorder {
  public:
    /// `longest`: seconds after which a recording ends by itself.
    explicit TakeRecorder(Notifications& notices, double longest = kLongestTake);
    ~TakeRecorder();
    TakeRecorder(const TakeRecorder&) = delete;
    TakeRecorder& operator=(const TakeRecorder&) = delete;

    /// All begin at the same moment, to within a block. Problems are told.
    void start(const std::vector<StripModel*>& strips, const std::filesystem::path& folder);
    bool running() const { return !recordings_.empty(); }
    double seconds() const;
    /// False when it can't go on: the disk is full, half an hour is over, the input is another one. What
    /// there is until then is whole; stop() gives it.
    bool pump();
    /// The files, a strip each, with what is to be told of them as tags; the caller's from then on.
    std::vector<std::filesystem::path> stop();
    /// A recording becomes a take; where it can't, it stays, and that is told.
    static Result<Take> takeIn(const TakeStore& store, const std::filesystem::path& recording);
    /// What programs that ended while they recorded have left in a folder; not what is still recorded.
    static std::vector<std::filesystem::path> leftIn(const std::filesystem::path& folder);

  private:
    struct Recording;
    Notifications& notices_;
    double longest_;
    std::vector<std::unique_ptr<Recording>> recordings_;
};

}  // namespace reed::ui
