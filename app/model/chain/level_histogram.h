// Distribution of a level over the last half minute, and the gain change it caused.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>

namespace reed::ui {

/// Decaying histogram of a level, with the newest and the largest recent gain change. Add a reading while it
/// is shown.
struct LevelHistogram {
    static constexpr int kBins = 100;  ///< 1 dB each, from -100 to 0 dBFS

    double level = -150.0;  ///< dBFS, newest
    double moved = 0.0;     ///< dB, newest
    double farthest = 0.0;  ///< largest recent gain change; returns to 0 by 3 dB a second
    double heard = 0.0;     ///< number of readings, older ones weighted less

    void add(double now, double moved_now, double seconds) {
        level = now;
        moved = moved_now;
        const double back = std::max(0.0, std::abs(farthest) - 3.0 * seconds);
        farthest = std::abs(moved) >= back ? moved : std::copysign(back, farthest);
        if (level < -1.0 - kBins) return;  // no signal
        constexpr double kForgets = 15.0;  // s, time constant
        const double keep = std::exp(-seconds / kForgets);
        for (double& x : often_) x *= keep;
        heard = heard * keep + 1.0;
        const int bin = std::clamp(static_cast<int>(std::floor(level)) + kBins, 0, kBins - 1);
        often_[static_cast<size_t>(bin)] += 1.0;
    }
    /// Share of the readings in a bin, 0 to 1.
    double share(int bin) const { return heard > 0.0 ? often_[static_cast<size_t>(bin)] / heard : 0.0; }
    /// Level in dBFS below which `part` (0 to 1) of the readings are.
    double quantile(double part) const {
        double sum = 0.0;
        for (int i = 0; i < kBins; ++i) {
            sum += share(i);
            if (sum >= part) return i + 1.0 - kBins;
        }
        return 0.0;
    }

  private:
    std::array<double, kBins> often_{};
};

}  // namespace reed::ui
