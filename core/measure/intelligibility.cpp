#include "measure/intelligibility.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "dsp/fourier.h"
#include "dsp/resample.h"

namespace reed {
namespace {

constexpr double kRate = 10000.0;
constexpr int kFrame = 256, kTransform = 512, kBands = 15, kSegment = 30;
constexpr double kLowestBand = 150.0;  // Hz, centre
constexpr double kRange = 40.0;        // dB below the loudest frame that still count
constexpr double kBeta = -15.0;        // dB, lower bound of signal to distortion

using Bands = std::array<double, kBands>;

/// Hann over kFrame + 2 points without its zeros, as the paper's frames have it.
std::vector<float> window() {
    std::vector<float> out(kFrame);
    for (int i = 0; i < kFrame; ++i)
        out[static_cast<size_t>(i)] =
            static_cast<float>(0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * (i + 1) / (kFrame + 1)));
    return out;
}

/// Both sounds without the frames in which the clean one is silent, overlap-added again.
void leave_out_silence(std::vector<float>& clean, std::vector<float>& processed) {
    const std::vector<float> shape = window();
    const size_t hop = kFrame / 2;
    std::vector<double> energy;
    double loudest = 1e-20;
    for (size_t at = 0; at + kFrame <= clean.size(); at += hop) {
        double sum = 1e-20;
        for (size_t i = 0; i < kFrame; ++i) {
            const double x = shape[i] * clean[at + i];
            sum += x * x;
        }
        energy.push_back(sum);
        loudest = std::max(loudest, sum);
    }
    std::vector<float> kept_clean(clean.size(), 0.0f);
    std::vector<float> kept_processed(clean.size(), 0.0f);
    size_t kept = 0;
    for (size_t f = 0; f < energy.size(); ++f) {
        if (10.0 * std::log10(energy[f] / loudest) < -kRange) continue;
        for (size_t i = 0; i < kFrame; ++i) {
            kept_clean[kept * hop + i] += shape[i] * clean[f * hop + i];
            kept_processed[kept * hop + i] += shape[i] * processed[f * hop + i];
        }
        ++kept;
    }
    const size_t length = kept == 0 ? 0 : (kept - 1) * hop + kFrame;
    kept_clean.resize(length);
    kept_processed.resize(length);
    clean = std::move(kept_clean);
    processed = std::move(kept_processed);
}

std::vector<Bands> band_amplitudes(const std::vector<float>& sound) {
    static const std::vector<float> shape = window();
    Fourier fourier(kTransform);
    std::array<size_t, kBands + 1> first{};
    std::array<size_t, kBands + 1> end{};
    for (int b = 0; b < kBands; ++b) {
        const double centre = kLowestBand * std::pow(2.0, b / 3.0);
        const auto bin = [](double f) { return static_cast<size_t>(std::lround(f * kTransform / kRate)); };
        first[static_cast<size_t>(b)] = bin(centre * std::pow(2.0, -1.0 / 6.0));
        end[static_cast<size_t>(b)] = bin(centre * std::pow(2.0, 1.0 / 6.0));
    }
    std::vector<Bands> out;
    for (size_t at = 0; at + kFrame <= sound.size(); at += kFrame / 2) {
        const auto frame = fourier.samples();
        std::fill(frame.begin(), frame.end(), 0.0f);
        for (size_t i = 0; i < kFrame; ++i) frame[i] = shape[i] * sound[at + i];
        fourier.forward();
        Bands bands{};
        for (size_t b = 0; b < kBands; ++b) {
            for (size_t k = first[b]; k < end[b]; ++k) bands[b] += std::norm(fourier.spectrum()[k]);
            bands[b] = std::sqrt(bands[b]);
        }
        out.push_back(bands);
    }
    return out;
}

double correlation(const std::array<double, kSegment>& x, const std::array<double, kSegment>& y) {
    double mx = 0.0;
    double my = 0.0;
    for (size_t i = 0; i < kSegment; ++i) {
        mx += x[i] / kSegment;
        my += y[i] / kSegment;
    }
    double xy = 0.0;
    double xx = 1e-20;
    double yy = 1e-20;
    for (size_t i = 0; i < kSegment; ++i) {
        xy += (x[i] - mx) * (y[i] - my);
        xx += (x[i] - mx) * (x[i] - mx);
        yy += (y[i] - my) * (y[i] - my);
    }
    return xy / std::sqrt(xx * yy);
}

}  // namespace

std::optional<double> stoi(const std::vector<float>& clean, const std::vector<float>& processed,
                           double sample_rate) {
    std::vector<float> x = resample(clean, sample_rate, kRate);
    std::vector<float> y = resample(processed, sample_rate, kRate);
    y.resize(x.size());
    leave_out_silence(x, y);
    const std::vector<Bands> clean_bands = band_amplitudes(x);
    const std::vector<Bands> heard_bands = band_amplitudes(y);
    const double clip = 1.0 + std::pow(10.0, -kBeta / 20.0);
    double sum = 0.0;
    size_t count = 0;
    for (size_t end = kSegment; end <= clean_bands.size(); ++end) {
        for (size_t b = 0; b < kBands; ++b) {
            std::array<double, kSegment> said{};
            std::array<double, kSegment> heard{};
            double said_power = 0.0;
            double heard_power = 1e-20;
            for (size_t i = 0; i < kSegment; ++i) {
                said[i] = clean_bands[end - kSegment + i][b];
                heard[i] = heard_bands[end - kSegment + i][b];
                said_power += said[i] * said[i];
                heard_power += heard[i] * heard[i];
            }
            const double level = std::sqrt(said_power / heard_power);
            for (size_t i = 0; i < kSegment; ++i) heard[i] = std::min(level * heard[i], said[i] * clip);
            sum += correlation(said, heard);
            ++count;
        }
    }
    if (count == 0) return std::nullopt;
    return sum / static_cast<double>(count);
}

std::optional<double> si_sdr(const std::vector<float>& clean, const std::vector<float>& processed) {
    const size_t n = std::min(clean.size(), processed.size());
    if (n == 0) return std::nullopt;
    double mean_clean = 0.0;
    double mean_heard = 0.0;
    for (size_t i = 0; i < n; ++i) {
        mean_clean += clean[i];
        mean_heard += processed[i];
    }
    mean_clean /= static_cast<double>(n);
    mean_heard /= static_cast<double>(n);
    double cross = 0.0;
    double power = 0.0;
    double heard_power = 0.0;
    for (size_t i = 0; i < n; ++i) {
        const double s = clean[i] - mean_clean;
        const double y = processed[i] - mean_heard;
        cross += s * y;
        power += s * s;
        heard_power += y * y;
    }
    if (power <= 0.0 || heard_power <= 0.0) return std::nullopt;
    const double target = cross * cross / power;
    return 10.0 * std::log10(target / std::max(heard_power - target, 1e-20 * heard_power));
}

}  // namespace reed
