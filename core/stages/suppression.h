// Suppression: takes noise out while the voice goes on, in one of three ways, and hum by narrow notches.
#pragma once

#include "stages/stage.h"
#include "suppression/noise_profile.h"
#include "suppression/suppressor.h"

namespace reed {

enum class SuppressionKind { adaptive, neural, room_tone };

/// Three methods (suppression/method.h), chosen by `method`. Amount 0 to -60 dB; at 0 the sound passes
/// unchanged. Latency: 20 ms, 10 ms with the short delay, at every rate. The notches add none. Changing
/// method or delay rebuilds the chain. Channels that are the same share one method.
extern const StageKind kSuppressionStage;

/// What a suppression is taught is a room tone; as the memory of a stage, and back. The memory has its
/// figures and its list.
LearnedData memory_of(const NoiseProfile& tone);
NoiseProfile room_tone_of(const LearnedData& memory);

/// The stage with a network of the caller's, one made per channel: how tests stand in for one that fails.
using MakeVoiceNetwork = Result<std::unique_ptr<VoiceNetwork>> (*)();
std::unique_ptr<Stage> make_suppression(MakeVoiceNetwork make_network);

}  // namespace reed
