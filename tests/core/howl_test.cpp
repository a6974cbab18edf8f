#include <catch2/catch.hpp>
#include <cmath>

#include "measure/feedback_guard.h"
#include "support/noises.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Second at which it cries, or below 0.
double cries(const std::vector<float>& x, double rate = 48000.0) {
    HowlDetector d(rate);
    for (size_t i = 0; i + 512 <= x.size(); i += 512) {
        if (d.add({&x[i], 512})) return static_cast<double>(i) / rate;
    }
    return -1.0;
}

struct Heard {
    double cut_at = -1.0;   // s
    int lowered = 0;        // times
    double most_low = 0.0;  // s in one go
};

/// A microphone that hears `own`, and the monitor `loop` times as loud, `delay` seconds later. The steps are
/// taken as the window takes them.
Heard with_monitor(const std::vector<float>& own, double loop, double delay, double rate = 48000.0) {
    FeedbackGuard watch(rate);
    Heard out;
    std::vector<float> played(own.size() + static_cast<size_t>(delay * rate) + 512, 0.0f);
    std::vector<float> in(512);
    double gain = 1.0;
    double low_since = 0.0;
    const auto late = static_cast<size_t>(delay * rate);
    for (size_t at = 0; at + 512 <= own.size(); at += 512) {
        const double t = static_cast<double>(at) / rate;
        for (size_t i = 0; i < 512; ++i) {
            in[i] = std::clamp(own[at + i] + static_cast<float>(loop) * played[at + i], -0.9f, 0.9f);
            played[at + i + late] = static_cast<float>(gain) * in[i];
        }
        const FeedbackAction step = watch.add(in);
        if (step == FeedbackAction::lower) {
            gain = std::pow(10.0, kHowlLoweredDb / 20.0);
            low_since = t;
            ++out.lowered;
        }
        if (step == FeedbackAction::restore) {
            gain = 1.0;
            out.most_low = std::max(out.most_low, t - low_since);
        }
        if (step == FeedbackAction::cut) {
            out.cut_at = t;
            return out;
        }
    }
    return out;
}

}  // namespace

TEST_CASE("the monitor is cut when it feeds the howl, whatever the loop", "[howl][figures]") {
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        for (const double delay : {0.015, 0.04, 0.09}) {
            for (const double loop : {1.2, 2.0}) {
                // The room's noise is enough to start it; a resonance makes it one tone.
                auto room = noise(0.0005, 14.0, 3, rate);
                auto tone = sine(1100, 0.002, 14.0, rate);
                for (size_t i = 0; i < room.size(); ++i) room[i] = 0.05f * room[i] + tone[i];
                const Heard h = with_monitor(room, loop, std::round(delay * 1100.0) / 1100.0, rate);
                INFO(rate << " " << delay << " " << loop);
                CHECK(h.cut_at > 0.0);
                CHECK(h.cut_at < 6.0);
                CHECK(h.lowered == 2);
            }
        }
    }
}

TEST_CASE("a whistle, a hummed note and a beep are not the monitor's", "[howl]") {
    auto hum = sine(220, 0.2, 6.0);
    for (size_t i = 0; i < hum.size(); ++i)
        hum[i] += 0.02f * static_cast<float>(std::sin(2.0 * M_PI * 440.0 * static_cast<double>(i) / 48000.0));
    int tried = 0;
    for (const auto& sound : {sine(1800, 0.3, 6.0), sine(1800, 0.03, 6.0), hum}) {
        const Heard h = with_monitor(mix(sound, noise(0.0005, 6.0, 3)), 0.1, 0.03);
        INFO("peak " << peak(sound));
        CHECK(h.cut_at < 0.0);
        tried += h.lowered;
        CHECK(h.lowered <= 3);  // and then left alone for a while
        CHECK(h.most_low < 0.45);
    }
    CHECK(tried >= 2);
    // Beeps of half a second, one after the other and at different heights: they end while they are tried.
    std::vector<float> beeps;
    for (const double f : {1000.0, 2000.0, 700.0}) {
        append(beeps, silence(1.0));
        append(beeps, sine(f, 0.4, 0.5));
    }
    append(beeps, silence(1.0));
    CHECK(with_monitor(mix(beeps, noise(0.0005, 5.5, 3)), 0.1, 0.03).cut_at < 0.0);
}

TEST_CASE("feedback that builds up is noticed within half a second of being heard", "[howl]") {
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        for (const double f : {310.0, 1240.0, 5200.0}) {
            // Grows by 30 dB a second, under a talking voice's noise floor at first.
            auto x = noise(0.002, 3.0, 1, rate);
            for (size_t i = 0; i < x.size(); ++i) {
                const double t = static_cast<double>(i) / rate;
                x[i] += static_cast<float>(std::min(0.9, 0.0005 * std::pow(10.0, 1.5 * t)) *
                                           std::sin(2.0 * 3.14159265358979 * f * t));
            }
            const double at = cries(x, rate);
            INFO(rate << " " << f);
            CHECK(at > 0.5);
            // -40 dBFS is reached after 0.87 s.
            CHECK(at < 1.9);
        }
    }
}

TEST_CASE("voices, noises and chimes are no feedback", "[howl]") {
    CHECK(cries(spoken_words(2)) < 0.0);
    for (const Noise n : kNoises) {
        auto x = make_noise(n, 5.0, 3);
        for (float& v : x) v *= 0.05f;
        INFO(noise_name(n));
        CHECK(cries(x) < 0.0);
    }
    // A struck glass rings out.
    auto glass = sine(2100, 0.3, 3.0);
    for (size_t i = 0; i < glass.size(); ++i)
        glass[i] *= static_cast<float>(std::exp(-static_cast<double>(i) / 9600));
    CHECK(cries(glass) < 0.0);
    CHECK(cries(silence(1.0)) < 0.0);
}
