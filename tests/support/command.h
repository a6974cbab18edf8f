// Runs a command as a person would.
#pragma once

#include <string>
#include <vector>

namespace reed::test {

struct CommandResult {
    int status = -1;
    std::string out, err;
};

/// Arguments are passed as they are, without a shell.
CommandResult run_command(const std::vector<std::string>& arguments);

}  // namespace reed::test
