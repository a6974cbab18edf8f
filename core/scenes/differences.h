// What is other in a chain than in another one, piece by piece.
#pragma once

#include <string>
#include <vector>

#include "mixer/mixer_spec.h"

namespace reed {

/// One thing that is other now than it was saved.
struct Difference {
    enum class What {
        value,        ///< of parameter `row`: `saved` and `now`
        bypassed,     ///< it was at work
        enabled,      ///< it was bypassed
        added,        ///< the stage is new
        removed,      ///< the stage is gone
        moved,        ///< it stands elsewhere in the order
        renamed,      ///< it had another name
        taught,       ///< it was taught something else
        keyed,        ///< it listens to another strip
        strip_added,  ///< of a whole strip: `title` is its name
        strip_removed,
        strip_moved,  ///< they stand in another order
        distance,     ///< of the mixer: target distance of app audio below the voices
        strip_set     ///< its name, colour, fader or mute
    };
    What what = What::value;
    std::string stage;  ///< its id
    std::string title;  ///< as it is shown; of a stage that is gone, as it was
    size_t row = 0;
    double saved = 0.0, now = 0.0;
    std::string strip{};  ///< id of the strip it is in

    bool operator==(const Difference&) const = default;
};

/// In the order of the signal, stages that are gone last. What is of the moment only is left out. Both chains
/// must be valid.
std::vector<Difference> differences(const ChainSpec& saved, const ChainSpec& now);
/// Of all strips, known by their ids, in their order, then of what they share.
std::vector<Difference> differences(const MixerSpec& saved, const MixerSpec& now);

}  // namespace reed
