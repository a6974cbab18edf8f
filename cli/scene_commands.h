// Scene files on the command line.
#pragma once

#include <CLI/CLI.hpp>
#include <functional>
#include <utility>
#include <vector>

namespace reed::cli {

/// scene check, schema, learn, note, fit, pack, unpack.
std::vector<std::pair<CLI::App*, std::function<int()>>> scene_commands(CLI::App& app);

}  // namespace reed::cli
