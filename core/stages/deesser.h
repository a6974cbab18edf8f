// De-esser: takes the edge off "s" and "sh".
#pragma once

#include "stages/stage.h"

namespace reed {

/// Holds the level above 4 kHz against the voice's own level below 3 kHz, so that it works the same on quiet
/// and loud words, and takes what is above the threshold, up to the depth: from the sibilance band alone (a
/// moving high shelf) or from the whole sound. The band is found from the mean frequency of the voice's own
/// sibilants, or set by hand. Latency: the look-ahead.
extern const StageKind kDeesserStage;

}  // namespace reed
