#include "support/vowel.h"

#include <cmath>
#include <numbers>
#include <utility>

namespace reed::test {

std::vector<float> vowel(double pitch, double seconds, double rate, double vibrato) {
    std::vector<double> x(static_cast<size_t>(seconds * rate));
    double phase = 0.0;
    for (size_t i = 0; i < x.size(); ++i) {
        const double t = static_cast<double>(i) / rate;
        const double f = pitch * std::exp2(vibrato / 1200.0 * std::sin(2.0 * std::numbers::pi * 5.0 * t));
        phase += f / rate;
        if (phase >= 1.0) {
            phase -= 1.0;
            // The pulse stands between two frames.
            const double late = phase / (f / rate);
            x[i] += 1.0 - late;
            if (i > 0) x[i - 1] += late;
        }
    }
    for (const auto& [f, width] : {std::pair{730.0, 90.0}, {1090.0, 110.0}, {2440.0, 160.0}}) {
        const double r = std::exp(-std::numbers::pi * width / rate);
        const double a1 = -2.0 * r * std::cos(2.0 * std::numbers::pi * f / rate), a2 = r * r,
                     gain = 1.0 + a1 + a2;
        double y1 = 0.0, y2 = 0.0;
        for (double& v : x) {
            const double y = gain * v - a1 * y1 - a2 * y2;
            y2 = y1;
            y1 = y;
            v = y;
        }
    }
    double most = 0.0;
    for (const double v : x) most = std::max(most, std::abs(v));
    std::vector<float> out(x.size());
    for (size_t i = 0; i < x.size(); ++i) out[i] = static_cast<float>(0.3 * x[i] / most);
    return out;
}

}  // namespace reed::test
