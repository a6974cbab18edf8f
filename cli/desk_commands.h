// Commands about whole desks: render, balance, live.
#pragma once

#include <CLI/CLI.hpp>
#include <functional>
#include <utility>
#include <vector>

namespace reed::cli {

/// Adds them to `app`; each with what it does, which gives the program's status.
std::vector<std::pair<CLI::App*, std::function<int()>>> desk_commands(CLI::App& app);

}  // namespace reed::cli
