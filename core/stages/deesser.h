// De-esser: reduces sharp "s" and "sh" sounds.
#pragma once

#include "stages/stage.h"

namespace reed {

/// Compares the level above 4 kHz with the level of the voice below 3 kHz, so that it acts equally on quiet
/// and loud words. Reduces the excess above the threshold, up to the depth: in the sibilance band only (a
/// dynamic high shelf) or in the whole signal. The band follows the mean frequency of the sibilants, or is
/// set by hand. Latency: the look-ahead.
extern const StageKind kDeesserStage;

}  // namespace reed
