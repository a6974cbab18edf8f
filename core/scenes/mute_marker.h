// Whether the microphone was muted, in a form that a full disk and a sudden end of the program do not change.
#pragma once

#include <filesystem>

namespace reed {

/// An empty file beside the working state whose name says it: "microphone-muted" or "microphone-open". It is
/// made at the start, and muting renames it, which needs no space on the disk and is done when set() returns.
class MuteMarker {
  public:
    explicit MuteMarker(std::filesystem::path folder) : folder_(std::move(folder)) {}

    /// Makes the file where there is none. False when that fails.
    bool create(bool muted) const;
    /// False when it can't be kept.
    bool set(bool muted) const;
    /// False as well when there is no such file.
    bool muted() const;

  private:
    std::filesystem::path path(bool muted) const {
        return folder_ / (muted ? "microphone-muted" : "microphone-open");
    }
    std::filesystem::path folder_;
};

}  // namespace reed
