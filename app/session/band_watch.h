// What moving bands of the equalizer did lately, from what the running stage tells.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "stages/equalizer.h"

namespace reed::ui {

/// Levels of the bands' ranges, with how often each was there in the last half minute, and how far the bands
/// moved. Fed with the stage's readouts at every reading while somebody looks; knows nothing of bands that
/// stay.
class BandWatch {
  public:
    static constexpr int kBins = 100;  ///< 1 dB each, from -100 to 0 dBFS

    struct Band {
        double level = -150.0;  ///< dBFS, newest
        double moved = 0.0;     ///< dB from rest, newest
        double farthest = 0.0;  ///< the farthest it was from rest lately, back by 3 dB a second
        double heard = 0.0;     ///< readings, the older ones for less
        std::array<float, kBins> often{};
        /// Share of the readings in a bin, 0 to 1.
        double share(int bin) const {
            return heard > 0.0 ? static_cast<double>(often[static_cast<size_t>(bin)]) / heard : 0.0;
        }
        /// The level below which `part` of the readings lie; nothing below a second of them.
        double quantile(double part) const {
            double sum = 0.0;
            for (int i = 0; i < kBins; ++i) {
                sum += share(i);
                if (sum >= part) return i + 1.0 - kBins;
            }
            return 0.0;
        }
    };

    /// `readouts` as the equalizer tells them; `seconds` since the last ones.
    void add(const std::vector<double>& values, const std::vector<float>& readouts, double seconds) {
        if (readouts.size() < 2 * kEqualizerBands) return;
        const auto keep = static_cast<float>(std::exp(-seconds / kForgets));
        for (int b = 0; b < kEqualizerBands; ++b) {
            Band& band = bands_[static_cast<size_t>(b)];
            const bool on = values[static_cast<size_t>(b * kBandParameters + kBandOn)] >= 0.5;
            const BandSettings range = band_settings(values, b);
            if (!on || band_motion(values, b).moves == BandMoves::stays || !can_move(range.type)) {
                band = {};
                continue;
            }
            // Another range has other levels.
            if (range.type != ranges_[static_cast<size_t>(b)].type ||
                std::abs(std::log2(range.frequency / ranges_[static_cast<size_t>(b)].frequency)) > 0.1) {
                band = {};
                ranges_[static_cast<size_t>(b)] = range;
            }
            band.level = static_cast<double>(readouts[static_cast<size_t>(2 * b)]);
            band.moved = static_cast<double>(readouts[static_cast<size_t>(2 * b + 1)]);
            const double back = std::max(0.0, std::abs(band.farthest) - 3.0 * seconds);
            band.farthest = std::abs(band.moved) >= back ? band.moved : std::copysign(back, band.farthest);
            if (band.level < -1.0 - kBins) continue;  // nothing comes in
            for (float& x : band.often) x *= keep;
            band.heard = band.heard * static_cast<double>(keep) + 1.0;
            const int bin = std::clamp(static_cast<int>(std::floor(band.level)) + kBins, 0, kBins - 1);
            band.often[static_cast<size_t>(bin)] += 1.0f;
        }
    }
    void forget() { bands_ = {}; }
    const Band& band(int b) const { return bands_[static_cast<size_t>(b)]; }
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
    static constexpr double kForgets = 15.0;  // s, to a third
    std::array<Band, kEqualizerBands> bands_{};
    std::array<BandSettings, kEqualizerBands> ranges_{};
};

}  // namespace reed::ui
