// The soundcheck on recordings.
#pragma once

#include <CLI/CLI.hpp>
#include <functional>
#include <utility>
#include <vector>

namespace reed::cli {

/// soundcheck --silence FILE --talk FILE [--quiet, --loud, --desk FILE] [--out SCENE] [--json]
std::vector<std::pair<CLI::App*, std::function<int()>>> soundcheck_command(CLI::App& app);

}  // namespace reed::cli
