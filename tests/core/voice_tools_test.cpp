// What the suppression stands on: conversion of rates sample by sample, periodicity, and who may be learnt.
#include <catch2/catch.hpp>
#include <cmath>

#include "dsp/periodicity.h"
#include "dsp/stream_resampler.h"
#include "support/noises.h"
#include "support/signals.h"
#include "support/suppressions.h"

using namespace reed;
using namespace reed::test;

namespace {

std::vector<float> converted(const std::vector<float>& x, int from, int to) {
    StreamResampler r(from, to);
    std::vector<float> out;
    r.process(x.data(), static_cast<int>(x.size()), [&](float y) { out.push_back(y); });
    return out;
}

/// The strongest repetition in each tenth of a second.
std::vector<float> strengths(const std::vector<float>& x, double rate) {
    Periodicity p(rate);
    std::vector<float> out;
    const auto tenth = static_cast<size_t>(0.1 * rate);
    for (size_t at = 0; at + tenth <= x.size(); at += tenth) {
        p.add(&x[at], static_cast<int>(tenth));
        if (at > 0) out.push_back(p.strength());
    }
    return out;
}

}  // namespace

TEST_CASE("conversion sample by sample keeps tones, their time, and nothing else", "[dsp]") {
    for (const int from : {44100, 88200, 96000, 176400, 192000, 44101}) {
        INFO(from);
        const auto rate = static_cast<double>(from);
        const StreamResampler asked(from, 48000);
        const double late = asked.delay() / rate;
        CHECK(late < 0.0006);
        for (const double f : {100.0, 1000.0, 12000.0}) {
            const auto y = converted(sine(f, 0.5, 1.0, rate), from, 48000);
            CHECK(std::abs(static_cast<double>(y.size()) - 48000.0) < 4.0);
            // Sample n lies at n / 48000 s of what came in, less the delay.
            double worst = 0.0;
            for (size_t n = 4800; n < 43000; ++n) {
                const double t = static_cast<double>(n) / 48000.0 - late;
                worst = std::max(worst, std::abs(y[n] - 0.5 * std::sin(2.0 * M_PI * f * t)));
            }
            INFO(f);
            CHECK(db(worst / 0.5) < -55.0);
        }
        // Above the new half there is nothing to be: a tone of 30 kHz is gone.
        if (from > 80000) CHECK(db(rms(converted(sine(30000, 0.5, 1.0, rate), from, 48000), 4800)) < -70.0);
    }
}

TEST_CASE("conversion does not hang on the blocks it comes in", "[dsp]") {
    const auto x = noise(0.1, 0.5, 3, 44100);
    const auto whole = converted(x, 44100, 48000);
    StreamResampler r(44100, 48000);
    std::vector<float> out;
    for (size_t at = 0, n = 1; at < x.size(); at += n, n = n % 97 + 3) {
        n = std::min(n, x.size() - at);
        r.process(&x[at], static_cast<int>(n), [&](float y) { out.push_back(y); });
    }
    CHECK((out == whole));
    r.reset();
    out.clear();
    r.process(x.data(), static_cast<int>(x.size()), [&](float y) { out.push_back(y); });
    CHECK((out == whole));
}

TEST_CASE("voices repeat themselves, rooms do not", "[dsp][figures]") {
    for (const double rate : {44100.0, 48000.0, 96000.0, 192000.0}) {
        INFO(rate);
        for (const double f0 : {80.0, 110.0, 220.0, 440.0, 900.0}) {
            std::vector<float> voice(static_cast<size_t>(rate));
            for (size_t i = 0; i < voice.size(); ++i) {
                const double t = static_cast<double>(i) / rate;
                for (int n = 1; n * f0 < 3000.0; ++n)
                    voice[i] += static_cast<float>(0.05 / n * std::sin(2.0 * M_PI * n * f0 * t));
            }
            INFO(f0);
            for (const float s : strengths(voice, rate)) CHECK(s > 0.8f);
            // Ten decibels over white noise it still does, most of the time.
            const auto noisy = strengths(mix(voice, noise(rms(voice) / 3.2, 1.0, 5, rate)), rate);
            CHECK(std::count_if(noisy.begin(), noisy.end(), [](float s) { return s > 0.45f; }) >= 7);
        }
        const auto hiss = strengths(noise(0.1, 4.0, 7, rate), rate);
        CHECK(*std::max_element(hiss.begin(), hiss.end()) < 0.5f);
        CHECK(strengths(silence(0.5, rate), rate).back() == 0.0f);
        // A struck glass rings for ever, and ever softer.
        auto glass = sine(700, 0.5, 0.6, rate);
        for (size_t i = 0; i < glass.size(); ++i)
            glass[i] *= static_cast<float>(std::exp(-static_cast<double>(i) / rate / 0.012));
        for (const float s : strengths(glass, rate)) CHECK(s == 0.0f);
    }
    for (const Noise room : {Noise::fan, Noise::rain, Noise::wind, Noise::street}) {
        INFO(noise_name(room));
        const auto found = strengths(make_noise(room, 6.0, 3), 48000);
        CHECK(std::count_if(found.begin(), found.end(), [](float s) { return s > 0.45f; }) <= 6);
    }
}
