// The manual page dusky-reed-cli(1), in the language of man(7).
#pragma once

#include <string>

#include "command_tree.h"

namespace reed::cli {

/// `version`: "0.1.0". The same input gives the same bytes: no date is in it.
std::string manual_page(const CommandTree& tree, const std::string& version);

}  // namespace reed::cli
