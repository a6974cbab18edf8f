// Checks of the values of options, done while the command line is read.
#pragma once

#include <CLI/CLI.hpp>

namespace reed::cli {

/// Refuses what is not a finite number from `minimum` to `maximum`. (CLI::Range takes NaN for a number
/// inside.)
CLI::Validator number_between(double minimum, double maximum);

}  // namespace reed::cli
