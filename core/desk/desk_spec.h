// A desk as a plain value: its strips, and how they stand to each other.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "base/decibel.h"
#include "chain/chain_spec.h"
#include "chain/key_sound.h"

namespace reed {

/// What a strip is for: a person's microphone, or the sound of other programs.
enum class StripRole { voice, programme };
std::string_view role_id(StripRole role);  ///< "voice", "programme"

inline constexpr size_t kMostVoices = 6;
inline constexpr size_t kMostProgrammes = 2;
inline constexpr size_t kMostStrips = kMostVoices + kMostProgrammes;
inline constexpr int kStripColours = 8;

struct StripSpec {
    std::string id{};    ///< unique on the desk; never kAllVoices
    std::string name{};  ///< the person's; empty: what its role is called
    StripRole role = StripRole::voice;
    int colour = 0;      ///< 0 to kStripColours - 1
    double fader = 0.0;  ///< dB, kFaderLeast to kFaderMost
    bool mute = false;
    ChainSpec chain{};
    std::string extra{};  ///< of a newer version: fields that are not known here, as the JSON of an object

    bool operator==(const StripSpec&) const = default;
    std::string shown_name() const;
};

/// Strips in the order in which they are shown; there is always one voice.
struct DeskSpec {
    std::vector<StripSpec> strips{{.id = "voice"}};
    /// By how many LU the programme shall lie below the voices while somebody speaks. A choice, not a rule.
    double distance_least = 10.0, distance_most = 15.0;

    bool operator==(const DeskSpec&) const = default;
    int index_of(std::string_view id) const {
        for (size_t i = 0; i < strips.size(); ++i) {
            if (strips[i].id == id) return static_cast<int>(i);
        }
        return -1;
    }
    size_t count(StripRole role) const;
};

/// A strip of this role with an id, a name and a colour that no other one has, and `chain`.
StripSpec new_strip(const DeskSpec& desk, StripRole role, ChainSpec chain = {});

/// The desk with all transient parameters at their defaults: what is worth keeping of it.
DeskSpec without_transients(DeskSpec desk);

/// The strips whose sound the stages of strip `index` listen to, as indices, each once.
std::vector<size_t> listens_to(const DeskSpec& desk, size_t index);
/// An order in which every strip comes after those it listens to, voices as early as can be; empty when some
/// wait for each other.
std::vector<size_t> running_order(const DeskSpec& desk);

/// Everything wrong with a desk: too many strips, ids used twice, faders out of range, keys of strips that
/// are not there, strips that listen to each other in a circle, and all that is wrong with the chains. Places
/// begin with "strips[1]." for every strip when `places`, else with what chain_problems() says. Empty when it
/// can run.
std::vector<Error> desk_problems(const DeskSpec& desk, bool places = true);

}  // namespace reed
