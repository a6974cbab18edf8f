// A soundcheck as text for people and as JSON for programs.
#pragma once

#include <string>

#include "soundcheck/proposal.h"

namespace reed {

/// Facts, findings and proposal as indented JSON. `proposal`: nullptr if there is none.
std::string soundcheck_json(const SoundcheckFacts& facts, const SoundcheckProposal* proposal);

/// The same as plain text, one line per statement.
std::string soundcheck_text(const SoundcheckFacts& facts, const SoundcheckProposal* proposal);

/// What a line sets, as shown: "Threshold -27.5 dBFS, Ratio 3.0:1"; empty without a stage.
std::string line_values(const ChainSpec& chain, const SoundcheckLine& line);
/// Title of a line: the title of its stage, or a short name.
std::string line_title(const ChainSpec& chain, const SoundcheckLine& line);

}  // namespace reed
