#include "support/noises.h"

#include <cmath>
#include <numbers>
#include <random>

#include "base/decibel.h"

namespace reed::test {
namespace {

constexpr double kRate = 48000.0;

class Maker {
  public:
    Maker(double seconds, std::uint32_t seed)
        : random_(seed), x_(static_cast<size_t>(seconds * kRate), 0.0) {}

    /// White noise through one pole each: high-pass at `low`, low-pass twice at `high`.
    std::vector<double> band(double low, double high) {
        const double up = 1.0 - std::exp(-2.0 * std::numbers::pi * high / kRate);
        const double down = 1.0 - std::exp(-2.0 * std::numbers::pi * low / kRate);
        std::normal_distribution<double> normal;
        std::vector<double> out(x_.size());
        double a = 0.0;
        double b = 0.0;
        double slow = 0.0;
        for (auto& y : out) {
            a += up * (normal(random_) - a);
            b += up * (a - b);
            slow += down * (b - slow);
            y = b - slow;
        }
        double power = 0.0;
        for (const double y : out) power += y * y;
        const double scale = std::sqrt(static_cast<double>(out.size()) / power);
        for (auto& y : out) y *= scale;
        return out;
    }
    void add(const std::vector<double>& y, double gain) {
        for (size_t i = 0; i < x_.size(); ++i) x_[i] += gain * y[i];
    }
    void tone(double frequency, double amplitude, double wobble = 0.0) {
        double phase = 2.0 * std::numbers::pi * uniform();
        for (size_t i = 0; i < x_.size(); ++i) {
            const double t = static_cast<double>(i) / kRate;
            phase += 2.0 * std::numbers::pi * frequency * (1.0 + wobble * std::sin(2.0 * t)) / kRate;
            x_[i] += amplitude * std::sin(phase);
        }
    }
    /// Bursts of filtered noise at random times, `per_second` on average, ringing for `ring` seconds.
    void bursts(double per_second, double ring, double frequency, double amplitude) {
        double at = uniform() / per_second;
        while (at * kRate < static_cast<double>(x_.size())) {
            const double size = amplitude * (0.6 + 0.8 * uniform());
            const double f = frequency * (0.8 + 0.4 * uniform());
            std::normal_distribution<double> normal;
            const auto start = static_cast<size_t>(at * kRate);
            const auto length = static_cast<size_t>(8.0 * ring * kRate);
            for (size_t i = 0; i < length && start + i < x_.size(); ++i) {
                const double t = static_cast<double>(i) / kRate;
                const double attack = std::min(1.0, t / 0.0003);
                x_[start + i] += size * attack * std::exp(-t / ring) *
                                 (0.6 * normal(random_) + std::sin(2.0 * std::numbers::pi * f * t));
            }
            at += (0.5 + uniform()) / per_second;
        }
    }
    double uniform() { return std::uniform_real_distribution<double>()(random_); }
    std::vector<float> done() const {
        double power = 0.0;
        for (const double y : x_) power += y * y;
        const double scale = std::sqrt(static_cast<double>(x_.size()) / power);
        std::vector<float> out;
        for (const double y : x_) out.push_back(static_cast<float>(scale * y));
        return out;
    }
    std::vector<double>& sound() { return x_; }

  private:
    std::mt19937 random_;
    std::vector<double> x_;
};

}  // namespace

const char* noise_name(Noise which) {
    constexpr const char* kNames[] = {"fan",  "hum",      "rain", "traffic", "keyboard", "lathe",
                                      "hiss", "fountain", "wind", "street",  "mouse"};
    return kNames[static_cast<int>(which)];
}

std::vector<float> make_noise(Noise which, double seconds, std::uint32_t seed) {
    Maker m(seconds, seed);
    switch (which) {
        case Noise::fan:
            m.add(m.band(30, 700), 1.0);
            m.add(m.band(500, 6000), 0.25);
            m.tone(118, 0.25, 0.002);
            m.tone(236, 0.12, 0.002);
            break;
        case Noise::hum:
            for (int n = 1; n <= 10; ++n) m.tone(50.0 * n, (n % 2 == 1 ? 1.0 : 0.6) / n);
            m.add(m.band(100, 8000), 0.05);
            break;
        case Noise::rain:
            m.add(m.band(600, 9000), 1.0);
            m.bursts(60, 0.002, 2500, 1.2);
            break;
        case Noise::traffic: {
            const auto near = m.band(40, 400);
            auto swell = m.band(0.02, 0.15);
            for (size_t i = 0; i < swell.size(); ++i)
                m.sound()[i] = near[i] * std::exp(0.35 * std::min(2.0, std::max(-2.0, swell[i])));
            m.add(m.band(300, 2500), 0.2);
            break;
        }
        case Noise::keyboard:
            m.bursts(6, 0.006, 2200, 1.0);
            m.add(m.band(100, 5000), 0.002);
            break;
        case Noise::lathe:
            for (const double f : {97.0, 194.0, 291.0, 485.0, 776.0}) m.tone(f, 40.0 / f, 0.001);
            m.add(m.band(200, 5000), 0.5);
            m.bursts(24, 0.004, 1400, 0.8);
            break;
        case Noise::hiss:
            m.add(m.band(1, 20000), 1.0);
            break;
        case Noise::fountain: {
            const auto rush = m.band(300, 5000);
            const auto swell = m.band(0.2, 2.0);
            for (size_t i = 0; i < rush.size(); ++i)
                m.sound()[i] = rush[i] * std::exp(0.2 * std::min(2.0, std::max(-2.0, swell[i])));
            m.bursts(120, 0.006, 900, 1.0);
            m.bursts(90, 0.003, 2200, 0.8);
            break;
        }
        case Noise::wind: {
            const auto low = m.band(20, 250);
            const auto gust = m.band(0.1, 0.8);
            const auto whistle = m.band(300, 900);
            for (size_t i = 0; i < low.size(); ++i) {
                const double g = std::min(2.0, std::max(-2.0, gust[i]));
                m.sound()[i] = low[i] * std::exp(0.6 * g) + 0.1 * whistle[i] * std::exp(0.8 * g);
            }
            break;
        }
        case Noise::street: {
            m.add(m.band(40, 1500), 0.5);
            const auto car = m.band(80, 3000);
            for (size_t i = 0; i < car.size(); ++i) {
                // One passes every seven seconds, for about three.
                const double t = std::fmod(static_cast<double>(i) / kRate, 7.0) - 3.5;
                m.sound()[i] += 1.3 * car[i] * std::exp(-t * t / 1.5);
            }
            break;
        }
        case Noise::mouse:
            m.bursts(0.8, 0.003, 3000, 1.0);
            m.add(m.band(100, 5000), 0.002);
            break;
    }
    return m.done();
}

std::vector<float> louder(std::vector<float> x, double db) {
    for (float& v : x) v *= static_cast<float>(db_to_gain(db));
    return x;
}

std::vector<float> fan_noise(double dbfs, double seconds, std::uint32_t seed) {
    auto x = make_noise(Noise::fan, seconds, seed);
    const double by = dbfs - rms_dbfs(x);
    return louder(std::move(x), by);
}

std::vector<float> make_music(double seconds) {
    std::vector<float> out(static_cast<size_t>(seconds * kRate), 0.0f);
    const double roots[] = {110.0, 146.83, 98.0, 130.81};
    for (size_t beat = 0; beat * 24000 < out.size(); ++beat) {
        for (const double interval : {1.0, 1.25, 1.5, 2.0, 3.0}) {
            const double f = roots[beat / 4 % 4] * interval * 2.0;
            for (size_t i = 0; i < 48000 && beat * 24000 + i < out.size(); ++i) {
                const double t = static_cast<double>(i) / kRate;
                const double pluck = std::exp(-3.0 * t) * std::min(1.0, t / 0.005);
                const double w = 2.0 * std::numbers::pi * f * t;
                out[beat * 24000 + i] +=
                    static_cast<float>(0.2 * pluck * (std::sin(w) + 0.4 * std::sin(2.0 * w)));
            }
        }
    }
    return out;
}

}  // namespace reed::test
