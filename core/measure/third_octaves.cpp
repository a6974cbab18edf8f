#include "measure/third_octaves.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "base/decibel.h"
#include "dsp/fourier.h"
#include "measure/periodogram.h"

namespace reed {
namespace {

constexpr int kFirstBand = -16;          // of 1 kHz, in thirds of an octave: 25 Hz
constexpr double kPieceSeconds = 0.171;  // 8208 frames at 48 kHz
constexpr size_t kByrneFrom = 4;         // 63 Hz
constexpr double kByrne[] = {38.6, 43.5, 54.4, 57.7, 56.8, 60.2, 60.3, 59.0, 62.1, 62.1, 60.5, 56.8, 53.7,
                             53.0, 52.0, 48.7, 48.1, 46.8, 45.6, 44.5, 44.3, 43.7, 43.4, 41.3, 40.7};

double edge(size_t k) {
    return 1000.0 * std::pow(10.0, (static_cast<double>(k) + kFirstBand - 0.5) / 10.0);
}

}  // namespace

double third_octave_centre(size_t k) {
    return 1000.0 * std::pow(10.0, (static_cast<double>(k) + kFirstBand) / 10.0);
}

size_t third_octave_of(double frequency) {
    const double k = std::round(10.0 * std::log10(std::max(frequency, 1.0) / 1000.0)) - kFirstBand;
    return static_cast<size_t>(std::clamp(k, 0.0, static_cast<double>(kThirdOctaves - 1)));
}

std::optional<ThirdOctaveLevels> third_octave_levels(std::span<const float> sound, double sample_rate,
                                                     const std::function<bool(size_t, size_t)>& use) {
    const int length = fast_length(static_cast<int>(std::ceil(kPieceSeconds * sample_rate)));
    const auto spectrum = mean_periodogram(sound, sample_rate, length, use);
    if (!spectrum) return std::nullopt;
    const std::vector<double>& power = spectrum->mean_square;
    const double bin = spectrum->bin_hz;
    ThirdOctaveLevels out;
    for (size_t band = 0; band < kThirdOctaves; ++band) {
        const double from = edge(band);
        const double to = edge(band + 1);
        double sum = 0.0;
        if (from < 0.5 * sample_rate) {
            const auto first = static_cast<size_t>(std::floor(from / bin + 0.5));
            for (size_t k = first; k < power.size() && (static_cast<double>(k) - 0.5) * bin < to; ++k) {
                const double lower = std::max(from, (static_cast<double>(k) - 0.5) * bin);
                const double upper = std::min(to, (static_cast<double>(k) + 0.5) * bin);
                sum += power[k] * std::max(0.0, upper - lower) / bin;
            }
        }
        out[band] = mean_square_to_dbfs(sum);
    }
    return out;
}

ThirdOctaveLevels without_noise(const ThirdOctaveLevels& sound, const ThirdOctaveLevels& noise) {
    ThirdOctaveLevels out{};
    for (size_t k = 0; k < kThirdOctaves; ++k) {
        out[k] =
            mean_square_to_dbfs(std::max(0.0, dbfs_to_mean_square(sound[k]) - dbfs_to_mean_square(noise[k])));
    }
    return out;
}

double sum_of_bands(const ThirdOctaveLevels& levels, size_t first, size_t last) {
    double sum = 0.0;
    for (size_t k = first; k <= last; ++k) sum += dbfs_to_mean_square(levels[k]);
    return mean_square_to_dbfs(sum);
}

double a_weighting(double frequency) {
    const double f2 = frequency * frequency;
    const auto response = [](double x) {
        constexpr double kF1 = 20.598997, kF2 = 107.65265, kF3 = 737.86223, kF4 = 12194.217;
        return kF4 * kF4 * x * x /
               ((x + kF1 * kF1) * std::sqrt((x + kF2 * kF2) * (x + kF3 * kF3)) * (x + kF4 * kF4));
    };
    return 20.0 * std::log10(response(f2) / response(1e6));
}

double a_weighted_level(const ThirdOctaveLevels& levels) {
    double sum = 0.0;
    for (size_t k = 0; k < kThirdOctaves; ++k)
        sum += dbfs_to_mean_square(levels[k] + a_weighting(third_octave_centre(k)));
    return mean_square_to_dbfs(sum);
}

std::optional<double> byrne_speech_level(size_t band) {
    if (band < kByrneFrom || band >= kByrneFrom + std::size(kByrne)) return std::nullopt;
    return kByrne[band - kByrneFrom];
}

ThirdOctaveLevels against_average_speech(const ThirdOctaveLevels& voice) {
    ThirdOctaveLevels out;
    out.fill(kSilenceDb);
    std::vector<double> middle;
    for (size_t k = kByrneFrom; k < kThirdOctaves; ++k) {
        out[k] = voice[k] - *byrne_speech_level(k);
        if (k >= third_octave_of(315.0) && k <= third_octave_of(5000.0)) middle.push_back(out[k]);
    }
    std::nth_element(middle.begin(), middle.begin() + static_cast<std::ptrdiff_t>(middle.size() / 2),
                     middle.end());
    const double offset = middle[middle.size() / 2];
    for (size_t k = kByrneFrom; k < kThirdOctaves; ++k) out[k] = std::max(kSilenceDb + 1.0, out[k] - offset);
    return out;
}

}  // namespace reed
