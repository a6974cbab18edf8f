// Detects at the next start that the program crashed while starting.
#pragma once

#include <filesystem>

namespace reed::ui {

/// While it exists, a crash of the process leaves a mark: an empty file. Being killed leaves none. One object
/// per process at a time.
class StartGuard {
  public:
    /// Removes the mark of the previous start; true if there was one.
    static bool take_mark(const std::filesystem::path& mark);

    /// `mark`: path of the mark. Its folder must exist.
    explicit StartGuard(const std::filesystem::path& mark);
    ~StartGuard();
    StartGuard(const StartGuard&) = delete;
    StartGuard& operator=(const StartGuard&) = delete;
};

}  // namespace reed::ui
