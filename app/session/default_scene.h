// What a chain starts with where there is no scene at all.
#pragma once

#include "scenes/scene.h"

namespace reed::ui {

/// The six usual stages with their default values, in the usual order.
inline Scene defaultScene() {
    Scene out;
    out.name = "New scene";
    for (const char* kind : {"gain", "suppression", "gate", "equalizer", "compressor", "limiter"}) {
        out.chain.stages.push_back(new_stage(out.chain, *find_stage_kind(kind)));
    }
    return out;
}

}  // namespace reed::ui
