// Default chains.
#pragma once

#include "scenes/scene.h"

namespace reed::ui {

/// A scene with the stages of StageKind::usual at their default values, in the order of the registry.
inline Scene defaultScene() {
    Scene out;
    out.name = "New scene";
    for (const StageKind* kind : stage_kinds()) {
        if (kind->usual) out.chain().stages.push_back(new_stage(out.chain(), *kind));
    }
    return out;
}

/// Default chain of an app audio strip: ducking by the voices.
inline ChainSpec programmeChain() {
    ChainSpec out;
    out.stages.push_back(new_stage(out, *find_stage_kind("ducking")));
    out.stages.back().key = kAllVoices;
    return out;
}

}  // namespace reed::ui
