// Scripts by which a shell completes the commands, options and values of dusky-reed-cli.
#pragma once

#include <string>

#include "command_tree.h"

namespace reed::cli {

/// For `complete` of bash 4 and later.
std::string bash_completion(const CommandTree& tree);
/// For `compinit` of zsh: a file _dusky-reed-cli in a folder of $fpath.
std::string zsh_completion(const CommandTree& tree);
/// For fish 3 and later.
std::string fish_completion(const CommandTree& tree);

}  // namespace reed::cli
