// Takes and comparisons on the command line.
#pragma once

#include <CLI/CLI.hpp>
#include <functional>
#include <utility>
#include <vector>

namespace reed::cli {

/// take list, export, import; compare; report.
std::vector<std::pair<CLI::App*, std::function<int()>>> take_commands(CLI::App& app);

}  // namespace reed::cli
