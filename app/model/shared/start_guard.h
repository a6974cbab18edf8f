// Notifications that a start crashed, so that the next one does without what it may have stumbled over.
#pragma once

#include <filesystem>

namespace reed::ui {

/// While armed, a crash of the program (not its being killed) leaves a mark: an empty file. Process-wide, one
/// at a time.
class StartGuard {
  public:
    /// Takes a mark of the start before away; true when there was one.
    static bool take_mark(const std::filesystem::path& mark);

    /// From now on a crash leaves `mark` (in a folder that exists).
    explicit StartGuard(const std::filesystem::path& mark);
    ~StartGuard();
    StartGuard(const StartGuard&) = delete;
    StartGuard& operator=(const StartGuard&) = delete;
};

}  // namespace reed::ui
