// Renders a mixer over whole sounds, offline.
#pragma once

#include <filesystem>
#include <map>

#include "engine/render.h"
#include "mixer/mixer.h"

namespace reed {

struct DeskRender {
    std::map<std::string, std::filesystem::path> in;  ///< by strip id; a strip without one is silent
    std::filesystem::path folder;                     ///< gets a file a strip and the sum; made when missing
    bool pcm24 = false;                               ///< 24-bit instead of 32-bit float
    int block = 1024;                                 ///< 1 to 8192 frames; the result is the same
};

struct DeskReport {
    std::int64_t frames = 0;
    std::map<std::string, std::filesystem::path> out;  ///< by strip id
    std::filesystem::path sum;
    std::int64_t clipped = 0;  ///< samples cut to full scale in 24-bit files
    std::uint64_t faults = 0;  ///< samples in the inputs that were no numbers
    int latency = 0;           ///< frames by which the sum lagged, taken out
};

/// All strips together, as live: each file, and the sum of the voices ("sum.wav"), in time with what came in
/// and as long as the longest of them. All inputs must have one sample rate. Nothing is left behind on
/// failure or cancel, but the folder.
Result<DeskReport> render_desk(const MixerSpec& desk, const DeskRender& options, const Progress& progress);

/// Prepares the strips of the mixer and connects them. `formats`: of each strip, all of one sample rate.
Result<void> set_up(Mixer& desk, const MixerSpec& spec, const std::vector<StreamFormat>& formats,
                    const std::shared_ptr<ChainBuilder>& builder);

}  // namespace reed
