// Command about the stage kinds: stages.
#pragma once

#include <CLI/CLI.hpp>
#include <functional>
#include <utility>
#include <vector>

namespace reed::cli {

/// Adds the command `stages` to `app`; returns it with its function, which returns the exit status.
std::vector<std::pair<CLI::App*, std::function<int()>>> stage_commands(CLI::App& app);

}  // namespace reed::cli
