// Recordings that commands work on: files, and takes by their names.
#pragma once

#include <string>

#include "takes/take.h"

namespace reed::cli {

/// The takes in `folder`; those of the window if it is empty.
TakeStore take_store(const std::string& folder);

/// A file that can be used as a recording, or a take of `folder` by its name. Returns an error with the path
/// or name.
Result<Take> recording_named(const std::string& word, const std::string& folder);

/// A recording that a chain can be run over, at most a minute of 192 kHz; its name is in every error.
Result<AudioBuffer> read_recording(const std::string& path, SoundInfo& info);

}  // namespace reed::cli
