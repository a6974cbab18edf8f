#include "measure/narrow_tones.h"

#include <algorithm>
#include <cmath>

#include "base/decibel.h"
#include "base/quantile.h"
#include "dsp/fourier.h"
#include "measure/periodogram.h"

namespace reed {
namespace {

constexpr double kBinHz = 3.0;        // about
constexpr double kProminence = 12.0;  // dB
constexpr double kFrom = 40.0, kTo = 16000.0;
constexpr double kLeastSeconds = 2.0;
constexpr double kLeastLevel = -110.0;  // dBFS; quieter is not heard

double beside(const std::vector<double>& power, size_t k) {
    const auto from = static_cast<size_t>(static_cast<double>(k) / 1.122);
    const auto to = std::min(power.size() - 1, static_cast<size_t>(static_cast<double>(k) * 1.122) + 1);
    std::vector<double> near;
    for (size_t i = std::min(from, k - std::min<size_t>(k, 6));
         i <= std::max(to, std::min(k + 6, power.size() - 1)); ++i) {
        if (i + 3 < k || i > k + 3) near.push_back(power[i]);
    }
    if (near.empty()) return 0.0;
    return quantile(near, 0.5);
}

bool on_hum(double frequency, const Hum* hum, double bin) {
    if (hum == nullptr) return false;
    const double n = std::round(frequency / hum->frequency);
    return n >= 1.0 && std::abs(frequency - n * hum->frequency) < std::max(1.5 * bin, 0.006 * frequency);
}

}  // namespace

std::vector<NarrowTone> narrow_tones(std::span<const float> sound, double sample_rate, const Hum* hum,
                                     size_t most) {
    if (static_cast<double>(sound.size()) < kLeastSeconds * sample_rate) return {};
    const int length = fast_length(static_cast<int>(sample_rate / kBinHz));
    const auto spectrum_of = [&](std::span<const float> part) {
        return mean_periodogram(part, sample_rate, length).value_or(Periodogram{}).mean_square;
    };
    const double bin = sample_rate / length;
    const auto all = spectrum_of(sound);
    const auto first = spectrum_of(sound.first(sound.size() / 2));
    const auto second = spectrum_of(sound.subspan(sound.size() / 2));
    if (first.empty() || second.empty()) return {};
    const double prominent = std::pow(10.0, 0.1 * kProminence);
    const auto stands_out = [&](const std::vector<double>& power, size_t k) {
        const double highest = std::max({power[k - 1], power[k], power[k + 1]});
        return highest > prominent * beside(power, k);
    };
    std::vector<NarrowTone> out;
    const auto last = static_cast<size_t>(std::min(kTo, 0.48 * sample_rate) / bin);
    for (size_t k = static_cast<size_t>(kFrom / bin); k <= last; ++k) {
        if (all[k] <= all[k - 1] || all[k] < all[k + 1]) continue;
        const double frequency = static_cast<double>(k) * bin;
        if (on_hum(frequency, hum, bin)) continue;
        const double around = beside(all, k);
        if (all[k] < prominent * around || !stands_out(first, k) || !stands_out(second, k)) continue;
        // The main lobe of the window.
        double sum = 0.0;
        for (size_t i = k - 2; i <= std::min(k + 2, all.size() - 1); ++i) sum += all[i];
        const double level = mean_square_to_dbfs(sum);
        if (level < kLeastLevel) continue;
        out.push_back({frequency, level, 10.0 * std::log10(all[k] / std::max(around, 1e-30))});
    }
    std::ranges::sort(out, std::greater<>(), &NarrowTone::prominence);
    if (out.size() > most) out.resize(most);
    return out;
}

}  // namespace reed
