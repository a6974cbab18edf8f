// The mixer as a plain value: its strips and their sidechains.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "base/decibel.h"
#include "chain/chain_spec.h"
#include "chain/sidechain.h"

namespace reed {

/// Role of a strip: a microphone, or app audio.
enum class StripRole { voice, programme };
std::string_view role_id(StripRole role);  ///< "voice", "programme"

inline constexpr size_t kMaxVoices = 6;
inline constexpr size_t kMaxAppAudioStrips = 2;
inline constexpr size_t kMostStrips = kMaxVoices + kMaxAppAudioStrips;
inline constexpr int kStripColours = 8;

struct StripSpec {
    std::string id{};    ///< unique in the mixer; never kAllVoices
    std::string name{};  ///< name by the user; empty: the default of the role
    StripRole role = StripRole::voice;
    int colour = 0;      ///< 0 to kStripColours - 1
    double fader = 0.0;  ///< dB, kFaderMinDb to kFaderMaxDb
    bool mute = false;
    ChainSpec chain{};
    std::string extra{};  ///< unknown fields of a newer version, as a JSON object

    bool operator==(const StripSpec&) const = default;
    std::string shown_name() const;
};

/// Strips in display order; there is always a voice.
struct MixerSpec {
    std::vector<StripSpec> strips{{.id = "voice"}};
    /// Target loudness distance of app audio below the voices during speech, in LU. Empirical values.
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

/// Creates a strip of this role with unique id, name and colour, and with `chain`.
StripSpec new_strip(const MixerSpec& desk, StripRole role, ChainSpec chain = {});

/// The mixer with all transient parameters at their defaults, as it is saved.
MixerSpec without_transients(MixerSpec desk);
/// Whether they are equal without_transients(). Copies nothing.
bool same_but_transients(const StripSpec& a, const StripSpec& b);

/// Indices of the strips that are sidechain sources of strip `index`, without duplicates.
std::vector<size_t> sidechain_sources(const MixerSpec& desk, size_t index);
/// Order in which every strip follows its sidechain sources, voices as early as possible; empty if sidechains
/// form a loop.
std::vector<size_t> processing_order(const MixerSpec& desk);

/// Validates a mixer: number of strips, duplicate ids, faders out of range, unknown sidechain sources,
/// sidechain loops, and all chains. Places begin with "strips[1]." if `places`, otherwise as in
/// chain_problems(). Empty if it can run.
std::vector<Error> mixer_problems(const MixerSpec& desk, bool places = true);

}  // namespace reed
