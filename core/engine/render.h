// A chain on a whole sound, offline.
#pragma once

#include <filesystem>

#include "base/progress.h"
#include "base/sound_file.h"
#include "chain/chain_spec.h"
#include "measure/level_statistics.h"

namespace reed {

/// `in` through `chain`, in blocks of `block` frames (1 to 8192), latency taken out: out[i] belongs to
/// in[i] and both have one length.
Result<AudioBuffer> render(const ChainSpec& chain, const AudioBuffer& in, double sample_rate,
                           int block = 1024, const Progress& progress = {});

struct RenderReport {
    std::int64_t frames = 0;
    std::int64_t clipped = 0;  ///< samples cut to full scale in a 24-bit file
    std::uint64_t faults = 0;  ///< samples in the input that were no numbers
    int latency = 0;           ///< frames taken out
};

/// File to file; WAV as 32-bit float or 24-bit, FLAC as 24-bit, Opus at its own rate. Nothing is left behind
/// on failure or cancel.
Result<RenderReport> render_file(const ChainSpec& chain, const std::filesystem::path& in,
                                 const std::filesystem::path& out, bool pcm24, int block,
                                 const Progress& progress, const SoundTags& tags = {});

/// Levels at every tap over a whole sound, frame by frame; who speaks is known. Both have the sound's length.
/// `made`: gets what render() gives of it.
Result<LevelStatistics> sound_levels(const ChainSpec& chain, const AudioBuffer& sound, double sample_rate,
                                     const Progress& progress = {}, AudioBuffer* made = nullptr);

/// Levels at every tap over the whole file.
Result<LevelReport> file_levels(const ChainSpec& chain, const std::filesystem::path& in);

}  // namespace reed
