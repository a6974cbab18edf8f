// What moving bands of the equalizer did lately, from what the running stage tells.
#pragma once

#include <array>
#include <cmath>
#include <vector>

#include "model/chain/level_histogram.h"
#include "stages/equalizer.h"

namespace reed::ui {

/// Levels of the bands' ranges and how far the bands moved. Knows nothing of bands that stay.
class BandHistory {
  public:
    /// `readouts` as the equalizer tells them; `seconds` since the last ones.
    void add(const std::vector<double>& values, const std::vector<float>& readouts, double seconds) {
        if (readouts.size() < 2 * kEqualizerBands) return;
        for (size_t b = 0; b < kEqualizerBands; ++b) {
            const BandSettings range = band_settings(values, static_cast<int>(b));
            if (!band_moves(values, static_cast<int>(b))) {
                bands_[b] = {};
                continue;
            }
            // Another range has other levels.
            if (range.type != ranges_[b].type ||
                std::abs(std::log2(range.frequency / ranges_[b].frequency)) > 0.1) {
                bands_[b] = {};
                ranges_[b] = range;
            }
            bands_[b].add(static_cast<double>(readouts[2 * b]), static_cast<double>(readouts[2 * b + 1]),
                          seconds);
        }
    }
    void forget() { bands_ = {}; }
    const LevelHistogram& band(int b) const { return bands_[static_cast<size_t>(b)]; }
    /// What all bands do to `frequency` beyond their rest, in dB, each moved by what `at` gives for it.
    template <typename At>
    double response_db(const std::vector<double>& values, double frequency, double rate, At at) const {
        double sum = 0.0;
        for (int b = 0; b < kEqualizerBands; ++b) {
            const double moved = at(band(b));
            if (moved != 0.0)
                sum += band_motion_response_db(band_settings(values, b), moved, frequency, rate);
        }
        return sum;
    }

  private:
    std::array<LevelHistogram, kEqualizerBands> bands_{};
    std::array<BandSettings, kEqualizerBands> ranges_{};
};

}  // namespace reed::ui
