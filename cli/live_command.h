// A live mixer without a window.
#pragma once

#include <CLI/CLI.hpp>
#include <functional>
#include <utility>

namespace reed::cli {

std::pair<CLI::App*, std::function<int()>> live_command(CLI::App& app);

}  // namespace reed::cli
