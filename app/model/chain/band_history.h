// Recent levels and gain changes of the dynamic bands of the equalizer.
#pragma once

#include <array>
#include <cmath>
#include <vector>

#include "model/chain/level_histogram.h"
#include "stages/equalizer.h"

namespace reed::ui {

/// One LevelHistogram per dynamic band, from the readouts of the running stage. Static bands have none.
class BandHistory {
  public:
    /// Adds a reading. `values`: of the stage; `readouts`: level and gain change per band, as the equalizer
    /// reports them; `seconds`: since the previous reading.
    void add(const std::vector<double>& values, const std::vector<float>& readouts, double seconds) {
        if (readouts.size() < 2 * kEqualizerBands) return;
        for (size_t b = 0; b < kEqualizerBands; ++b) {
            const BandSettings range = band_settings(values, static_cast<int>(b));
            if (!band_moves(values, static_cast<int>(b))) {
                bands_[b] = {};
                continue;
            }
            // Levels of another frequency range are not comparable.
            if (range.type != ranges_[b].type ||
                std::abs(std::log2(range.frequency / ranges_[b].frequency)) > 0.1) {
                bands_[b] = {};
                ranges_[b] = range;
            }
            bands_[b].add(static_cast<double>(readouts[2 * b]), static_cast<double>(readouts[2 * b + 1]),
                          seconds);
        }
    }
    /// Clears all bands.
    void forget() { bands_ = {}; }
    const LevelHistogram& band(int b) const { return bands_[static_cast<size_t>(b)]; }
    /// Gain in dB at `frequency` by the dynamics of all bands; `at(histogram)` is the gain change of a band
    /// in dB.
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
