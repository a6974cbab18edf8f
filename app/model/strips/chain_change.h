// Whether what determines the loudness of a strip has changed.
#pragma once

#include <string>
#include <utility>

#include "model/chain/chain_model.h"

namespace reed::ui {

/// Compares stages, character, fader and mute of a strip with those of the call before.
class ChainChange {
  public:
    /// Whether they have changed since the last call; false at the first. Cheap while nothing is edited.
    bool changed(const ChainModel& now) {
        const SharedState before = std::exchange(state_, now.state());
        const std::string character = std::exchange(character_, now.character());
        if (before == nullptr) return false;
        if (character != character_) return true;
        if (before == state_) return false;
        const StripSpec &was = before->scene.desk.strips.front(), &is = now.spec();
        return was.fader != is.fader || was.mute != is.mute || !(before->scene.chain() == now.chain());
    }

  private:
    SharedState state_;
    std::string character_;
};

}  // namespace reed::ui
