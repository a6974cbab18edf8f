// Reverb: the voice in a room of one's own choice, from a booth to a cathedral.
#pragma once

#include "stages/stage.h"

namespace reed {

/// A feedback delay network of eight lines mixed by a Hadamard matrix (J.-M. Jot, A. Chaigne, "Digital delay
/// networks for designing artificial reverberators", 90th AES Convention, 1991): each line loses what its
/// length asks for, so that the room dies away by 60 dB in the time that is set (decay of ISO 3382, up to a
/// few kHz), sooner at the top the darker it is. Loudness kept: noise leaves it as loud as it came, whatever
/// the mix. The voice itself is not delayed.
extern const StageKind kReverbStage;

}  // namespace reed
