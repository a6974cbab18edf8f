// A desk as a plain value: its strips, and how they stand to each other.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "base/decibel.h"
#include "chain/chain_spec.h"
#include "chain/sidechain.h"

namespace reed {

/// What a strip is for: a person's microphone, or the sound of other programs.
enum class StripRole { voice, programme };
std::string_view role_id(StripRole role);  ///< "voice", "programme"

inline constexpr size_t kMaxVoices = 6;
inline constexpr size_t kMaxAppAudioStrips = 2;
inline constexpr size_t kMostStrips = kMaxVoices + kMaxAppAudioStrips;
inline constexpr int kStripColours = 8;

struct StripSpec {
    std::string id{};    ///< unique on the desk; never kAllVoices
    std::string name{};  ///< the person's; empty: what its role is called
    StripRole role = StripRole::voice;
    int colour = 0;      ///< 0 to kStripColours - 1
    double fader = 0.0;  ///< dB, kFaderMinDb to kFaderMaxDb
    bool mute = false;
    ChainSpec chain{};
    std::string extra{};  ///< of a newer version: fields that are not known here, as the JSON of an object

    bool operator==(const StripSpec&) const = default;
    std::string shown_name() const;
};

/// Strips in the order in which they are shown; there is always one voice.
struct MixerSpec {
    std::vector<StripSpec> strips{{.id = "voice"}};
    /// By how many LU the programme shall lie below the voices while somebody speaks. A choice, not a rule.
    double target_distance_min = 10.0, target_distance_max = 15.0;

    bool operator==(const MixerSpec&) const = default;
    int index_of(std::string_view id) const {
        for (size_t i = 0; i < strips.size(); ++i) {
            if (strips[i].id == id) return static_cast<int>(i);
        }
        return -1;
    }
    size_t count(StripRole role) const;
};

/// A strip of this role with an id, a name and a colour that no other one has, and `chain`.
StripSpec new_strip(const MixerSpec& desk, StripRole role, ChainSpec chain = {});

/// The desk with all transient parameters at their defaults: what is worth keeping of it.
MixerSpec without_transients(MixerSpec desk);
/// Whether they are equal without_transients(). Copies nothing.
bool same_but_transients(const StripSpec& a, const StripSpec& b);

/// The strips whose sound the stages of strip `index` listen to, as indices, each once.
std::vector<size_t> sidechain_sources(const MixerSpec& desk, size_t index);
/// An order in which every strip comes after those it listens to, voices as early as can be; empty when some
/// wait for each other.
std::vector<size_t> processing_order(const MixerSpec& desk);

/// Everything wrong with a desk: too many strips, ids used twice, faders out of range, keys of strips that
/// are not there, strips that listen to each other in a circle, and all that is wrong with the chains. Places
/// begin with "strips[1]." for every strip when `places`, else with what chain_problems() says. Empty when it
/// can run.
std::vector<Error> mixer_problems(const MixerSpec& desk, bool places = true);

}  // namespace reed
