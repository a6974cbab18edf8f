// Commands about the whole setup: backup, restore.
#pragma once

#include <CLI/CLI.hpp>
#include <functional>
#include <utility>
#include <vector>

namespace reed::cli {

/// Adds the commands to `app`; returns each with its function, which returns the exit status.
std::vector<std::pair<CLI::App*, std::function<int()>>> backup_commands(CLI::App& app);

}  // namespace reed::cli
