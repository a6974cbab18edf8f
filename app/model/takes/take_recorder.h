// Records the unprocessed input of strips.
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

/// Writes 32-bit float WAV files beside the takes, under names that are not listed as takes. The files are
/// readable at any moment, also after a crash. Call pump() about every 100 ms. GUI thread only.
class TakeRecorder {
  public:
    /// `longest`: seconds after which a recording ends automatically.
    explicit TakeRecorder(Notifications& notices, double longest = kLongestTake);
    ~TakeRecorder();
    TakeRecorder(const TakeRecorder&) = delete;
    TakeRecorder& operator=(const TakeRecorder&) = delete;

    /// Starts recordings of all strips at the same moment, within a block. Posts problems.
    void start(const std::vector<StripModel*>& strips, const std::filesystem::path& folder);
    bool running() const { return !recordings_.empty(); }
    /// Seconds recorded so far.
    double seconds() const;
    /// Writes new input. False if recording can't continue: full disk, maximum length, another input. The
    /// recordings up to then are complete; stop() returns them.
    bool pump();
    /// Ends the recordings and returns their files, one per strip, tagged with name and device. The caller
    /// owns them.
    std::vector<std::filesystem::path> stop();
    /// Imports a recording as a take. On an error the recording stays, and the error says so.
    static Result<Take> takeIn(const TakeStore& store, const std::filesystem::path& recording);
    /// Recordings that a crash left in a folder, without those that are still being recorded.
    static std::vector<std::filesystem::path> leftIn(const std::filesystem::path& folder);

  private:
    struct Recording;
    Notifications& notices_;
    double longest_;
    std::vector<std::unique_ptr<Recording>> recordings_;
};

}  // namespace reed::ui
