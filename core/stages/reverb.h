// Reverb: from a booth to a cathedral.
#pragma once

#include "stages/stage.h"

namespace reed {

/// A feedback delay network of eight lines mixed by a Hadamard matrix (J.-M. Jot, A. Chaigne, "Digital delay
/// networks for designing artificial reverberators", 90th AES Convention, 1991): each line is attenuated
/// according to its length, so that the reverb decays by 60 dB in the set time (decay of ISO 3382, up to a
/// few kHz), faster at high frequencies with a darker setting. Preserves the loudness of noise at any mix.
/// The dry voice is not delayed.
extern const StageKind kReverbStage;

}  // namespace reed
