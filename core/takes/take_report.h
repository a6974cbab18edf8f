// Report on a take before and after its chain: over time and as values.
#pragma once

#include <string>
#include <vector>

#include "measure/file_measure.h"
#include "takes/take.h"

namespace reed {

/// Values over time, one every kStep seconds.
struct TakeTimeline {
    static constexpr double kStep = 0.01;
    std::vector<float> plain, made;  ///< level in dBFS, before and after the chain
    std::vector<std::vector<float>>
        reductions;  ///< gain reduction of each stage in dB; empty for stages without
    struct Cut {
        double at = 0.0;  ///< seconds
        size_t stage = 0;
        bool beginning = false;
    };
    std::vector<Cut> cuts;  ///< truncated words, in order
};

/// Effect of a chain on a take.
struct TakeReport {
    TakeTimeline course;
    LevelReport levels;
    SoundMeasures plain, made;
    std::vector<std::pair<double, std::pair<double, double>>> spectrum;  ///< Hz; dBFS before and after
};

/// Peaks of `columns` equal parts of a file, 0 to 1 and above; empty if it can't be read.
std::vector<float> waveform_peaks(const std::filesystem::path& path, size_t columns);

Result<TakeReport> report_on(const AudioBuffer& sound, double sample_rate, const ChainSpec& chain,
                             const Progress& progress = {});

/// A self-contained HTML page with plots. `scene`: name of the scene.
std::string report_page(const TakeReport& report, const Take& take, const ChainSpec& chain,
                        const std::string& scene);

}  // namespace reed
