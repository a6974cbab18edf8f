// What a chain starts with where there is no scene at all.
#pragma once

#include "scenes/scene.h"

namespace reed::ui {

/// The usual stages (StageKind::usual) with their default values, in the usual order.
inline Scene defaultScene() {
    Scene out;
    out.name = "New scene";
    for (const StageKind* kind : stage_kinds()) {
        if (kind->usual) out.chain().stages.push_back(new_stage(out.chain(), *kind));
    }
    return out;
}

/// What a programme starts with: it gives way to the voices.
inline ChainSpec programmeChain() {
    ChainSpec out;
    out.stages.push_back(new_stage(out, *find_stage_kind("ducking")));
    out.stages.back().key = kAllVoices;
    return out;
}

}  // namespace reed::ui
