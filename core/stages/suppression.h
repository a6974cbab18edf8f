// Noise suppression by one of three methods, and notch filters for hum.
#pragma once

#include "stages/stage.h"
#include "suppression/noise_profile.h"
#include "suppression/suppressor.h"

namespace reed {

enum class SuppressionKind { adaptive, neural, room_tone };

/// Three methods (suppression/suppressor.h), selected by `method`. Attenuation 0 to -60 dB; at 0 audio passes
/// unchanged. Latency: 20 ms, 10 ms with the short delay, at every rate. The notches add none. Changing
/// method or latency rebuilds the chain. Identical channels share one suppressor.
extern const StageKind kSuppressionStage;

/// Converts between a noise profile and the learned data of a stage. Precondition: the data is complete.
LearnedData memory_of(const NoiseProfile& tone);
NoiseProfile room_tone_of(const LearnedData& memory);

/// Creates the stage with networks from a factory, one per channel; for tests of networks that fail.
using MakeVoiceNetwork = Result<std::unique_ptr<VoiceNetwork>> (*)();
std::unique_ptr<Stage> make_suppression(MakeVoiceNetwork make_network);

}  // namespace reed
