// The three methods against what they promise, on human speech (alsa-utils) and made noises. The full tables,
// with more voices and SNRs, come from bench/suppression.
#include <catch2/catch.hpp>
#include <cmath>
#include <thread>

#include "chain/chain.h"
#include "engine/engine.h"
#include "measure/intelligibility.h"
#include "stages/suppression.h"
#include "support/noises.h"
#include "support/realtime_guard.h"
#include "support/signals.h"
#include "support/suppressions.h"
#include "suppression/hum.h"
#include "suppression/log_spectral_gain.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("the exponential integral agrees with the handbook", "[suppression]") {
    // Abramowitz and Stegun 1964, table 5.1 (values from memory).
    CHECK(exponential_integral(0.5f) == Approx(0.559773595).epsilon(1e-5));
    CHECK(exponential_integral(1.0f) == Approx(0.219383934).epsilon(1e-5));
    CHECK(exponential_integral(2.0f) == Approx(0.048900511).epsilon(1e-4));
    CHECK(exponential_integral(0.01f) == Approx(4.037929577).epsilon(1e-5));
    // Ephraim and Malah 1985: for strong speech the gain becomes that of the Wiener filter.
    for (const float prior : {10.0f, 100.0f, 1000.0f})
        CHECK(log_spectral_gain(prior, 20.0f) == Approx(prior / (1.0f + prior)).epsilon(1e-4));
}

TEST_CASE("with amount 0 the spectral methods give back the input to better than -120 dB",
          "[suppression][figures]") {
    const auto in = mix(spoken_words(), noise(0.01, 11.0, 3));
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        for (const bool short_delay : {false, true}) {
            auto adaptive = make_adaptive(rate, short_delay);
            auto tone = make_profile_suppressor(rate, short_delay, tone_of(Noise::fan, 0.01));
            for (Suppressor* m : {adaptive.get(), tone.get()}) {
                m->set_amount(0.0);
                std::vector<float> out(in.size());
                m->process(in.data(), out.data(), static_cast<int>(in.size()));
                const auto delay = static_cast<size_t>(m->latency());
                double worst = 0.0;
                for (size_t i = delay; i < in.size(); ++i)
                    worst = std::max(worst, std::abs(static_cast<double>(out[i]) - in[i - delay]));
                INFO(rate << " " << short_delay);
                CHECK(db(worst) < -120.0);
                CHECK(worst > 0.0);  // it did go through the transforms
            }
        }
    }
}

TEST_CASE("every method has the delay it reports, at every rate", "[suppression][figures]") {
    for (const double rate : kRates) {
        // Speech-like: filtered noise in bursts, the same at every rate.
        std::vector<float> in = dull_noise(0.1, 900, 3.0, 4, rate);
        for (size_t i = 0; i < in.size(); ++i)
            in[i] *= std::fmod(static_cast<double>(i) / rate, 0.3) < 0.2 ? 1.0f : 0.003f;
        for (const Way& way : kWays) {
            INFO(way.method << " at " << rate);
            const auto out = run(chain_for(way, -12, tone_of(Noise::fan, 0.0005)), in, rate);
            CHECK(std::abs(lag_of(in, out, static_cast<size_t>(rate), static_cast<size_t>(rate), 60)) <= 1);
        }
    }
    // As shown to the user, at 48 kHz.
    const auto ms = [](const Way& way) {
        return Chain::build(chain_for(way, -20, {}), {48000, 1}).value()->latency() / 48.0;
    };
    CHECK(ms(kWays[0]) == 20.0);
    CHECK(ms(kWays[1]) == 10.0);
    CHECK(ms(kWays[2]) == 20.0);
    CHECK(ms(kWays[3]) == 20.0);
    CHECK(ms(kWays[4]) == 10.0);
}

TEST_CASE("silence in is silence out, at every rate and block size", "[suppression][figures]") {
    for (const double rate : kRates) {
        for (const Way& way : kWays) {
            for (const int block : {1, 128, 4096}) {
                INFO(way.method << " at " << rate << ", block " << block);
                const auto out =
                    run(chain_for(way, -30, tone_of(Noise::fan, 0.01)), silence(0.3, rate), rate, block);
                CHECK(peak(out) < 1e-6);
            }
        }
    }
}

TEST_CASE("the block size makes no difference to any method", "[suppression][figures]") {
    const auto in = mix(spoken_words(), scaled(make_noise(Noise::fan, 11.0, 5), 0.01));
    const std::vector<float> piece(in.begin(), in.begin() + 96000);
    for (const double rate : {44100.0, 48000.0}) {
        for (const Way& way : kWays) {
            const ChainSpec chain = chain_for(way, -25, tone_of(Noise::fan, 0.01));
            const auto whole = run(chain, piece, rate, 8192);
            INFO(way.method << " at " << rate);
            for (const int block : {1, 100, 480, 1024}) CHECK((run(chain, piece, rate, block) == whole));
        }
    }
}

TEST_CASE("no method takes memory or locks while it runs", "[suppression][figures]") {
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        for (const Way& way : kWays) {
            StageSpec s = stage("suppression", {{"method", way.index}, {"delay", way.delay}, {"hum", 1}});
            auto chain = Chain::build(chain_of({s}), {rate, 2});
            REQUIRE(chain.ok());
            AudioBuffer work = stereo(noise(0.1, 2.0, 1, rate), noise(0.1, 2.0, 2, rate));
            int allocations = 0;
            int locks = 0;
            {
                const RealtimeGuard guard;
                for (size_t i = 0; i + 128 <= work.frames(); i += 128)
                    chain.value()->process(work.block(i, 128));
                allocations = guard.allocations();
                locks = guard.locks();
            }
            INFO(way.method << " at " << rate);
            CHECK(allocations == 0);
            CHECK(locks == 0);
        }
    }
}

TEST_CASE("clean speech keeps its level, quiet, loud and after a minute of silence",
          "[suppression][figures]") {
    const auto words = spoken_words();
    const double loudest = peak(words);
    for (const Way& way : kWays) {
        INFO(way.method);
        const ChainSpec chain = chain_for(way, -25, tone_of(Noise::fan, 0.0005));
        CHECK(std::abs(follows(words, run(chain, words))) < 0.5);
        const auto shout = scaled(words, 0.7079 / loudest);  // -3 dBFS
        CHECK(std::abs(follows(shout, run(chain, shout))) < 1.0);
    }
    for (const Way& way : {kWays[0], kWays[2], kWays[3]}) {
        INFO(way.method);
        std::vector<float> late = scaled(make_noise(Noise::fan, 60.0, 6), 0.0005);
        const size_t start = late.size();
        append(late, {words.begin(), words.begin() + 96000});
        const auto out = run(chain_for(way, -25, tone_of(Noise::fan, 0.0005)), late);
        const auto after = [start](const std::vector<float>& x) {
            return std::vector<float>(x.begin() + static_cast<std::ptrdiff_t>(start), x.end());
        };
        CHECK(std::abs(follows(after(late), after(out))) < 1.0);
    }
}

TEST_CASE("steady noise falls by the amount and the words stay as clear", "[suppression][figures]") {
    // 10 dB SNR: the words are at about -24 dBFS while spoken.
    const auto words = spoken_words();
    for (const Noise which : {Noise::fan, Noise::rain}) {
        std::vector<float> clean = silence(5.0);
        append(clean, words);
        const auto speech_rms = rms(words, 40000, 40000);
        const double gain = speech_rms * std::pow(10.0, -10.0 / 20.0);
        const auto in =
            mix(clean, scaled(make_noise(which, static_cast<double>(clean.size()) / 48000.0, 8), gain));
        for (const Way& way : kWays) {
            INFO(noise_name(which) << ", " << way.method);
            const bool neural = way.index == 1;
            const auto out = run(chain_for(way, neural ? -40 : -25, tone_of(which, gain)), in);
            const double fall = db(rms(out, 120000, 110000) / rms(in, 120000, 110000));
            if (neural)
                CHECK(fall < -25.0);
            else
                CHECK(fall == Approx(-25.0).margin(way.index == 2 ? 2.0 : 3.0));
            CHECK(stoi(clean, out, 48000).value() > stoi(clean, in, 48000).value() - 0.02);
        }
    }
}

TEST_CASE("what is taken away and what is left add up to the input", "[suppression][figures]") {
    const auto in = mix(spoken_words(), scaled(make_noise(Noise::fan, 11.0, 9), 0.01));
    for (const Way& way : kWays) {
        ChainSpec chain = chain_for(way, -25, tone_of(Noise::fan, 0.01));
        chain.stages[0].set("hum", 1);
        const auto left = run(chain, in);
        chain.stages[0].set("removed", 1);
        const auto taken = run(chain, in);
        INFO(way.method);
        CHECK(largest_difference(mix(left, taken), in) < 1e-5);
        CHECK(rms(taken, 48000) > 0.003);
    }
}

TEST_CASE("a room tone has the level of its room and refuses what is none", "[suppression][figures]") {
    // White noise of RMS 0.01: -36.99 dBFS (AES17), the same in every band of 50 Hz.
    const auto tone = learn_noise_profile(noise(0.01, 5.0, 1), 48000);
    REQUIRE(tone.ok());
    CHECK(tone.value().band_hz == 50.0);
    CHECK(tone.value().levels.size() == 481);
    CHECK(tone.value().level() == Approx(-36.99).margin(0.2));
    CHECK(tone.value().levels[100] == Approx(-36.99 - 10.0 * std::log10(480.0)).margin(1.5));
    CHECK(tone.value().density(5000.0) == Approx(1e-4 / 24000.0).epsilon(0.35));

    const auto refusal = [](const std::vector<float>& x) {
        const auto out = learn_noise_profile(x, 48000);
        REQUIRE_FALSE(out.ok());
        return out.error().text();
    };
    CHECK_THAT(refusal(noise(0.01, 1.2, 1)),
               Catch::Contains("only 1.2 s long; a noise profile needs at least 3 s"));
    CHECK_THAT(refusal(silence(5.0)), Catch::Contains("The recording is silent"));
    CHECK_THAT(refusal(mix(spoken_words(), noise(0.001, 11.0, 2))), Catch::Contains("There is speech at"));
    for (const Noise clicks : {Noise::keyboard, Noise::mouse}) {
        INFO(noise_name(clicks));
        const auto room = scaled(make_noise(Noise::fan, 5.0, 2), 0.001);
        CHECK_THAT(refusal(mix(room, scaled(make_noise(clicks, 5.0, 3), 0.005))),
                   Catch::Contains("such as key clicks, a mouse or drops of water, start at"));
    }
    for (const double level : {1.0, 0.05})
        CHECK_THAT(refusal(mix(scaled(make_music(6.0), level), noise(0.0005, 6.0, 3))),
                   Catch::Contains("There is music, or several voices, at"));
    // One creak is left out; machines with tones are rooms.
    for (const Noise room : kRooms) {
        if (room == Noise::wind || room == Noise::street) continue;
        INFO(noise_name(room));
        CHECK(learn_noise_profile(scaled(make_noise(room, 5.0, 3), 0.01), 48000).ok());
    }
    // A machine that hums like a voice is learnt all the same.
    CHECK(learn_noise_profile(scaled(make_noise(Noise::lathe, 5.0, 3), 0.02), 48000).ok());
    // One creak does not count.
    auto creak = noise(0.01, 5.0, 4);
    for (size_t i = 100000; i < 104800; ++i) creak[i] *= 30.0f;
    const auto without = learn_noise_profile(creak, 48000);
    REQUIRE(without.ok());
    CHECK(without.value().level() == Approx(-36.99).margin(0.3));
}

TEST_CASE("a room tone learnt at one rate works at another", "[suppression]") {
    const NoiseProfile tone = tone_of(Noise::fan, 0.01);  // at 48 kHz
    for (const double rate : {44100.0, 96000.0, 192000.0}) {
        // The same room at the other rate.
        auto room = dull_noise(0.01, 900, 6.0, 5, 48000);
        const auto here = learn_noise_profile(room, 48000);
        REQUIRE(here.ok());
        const auto there = dull_noise(0.01, 900, 6.0, 6, rate);
        INFO(rate);
        const auto out = run(chain_for(kWays[3], -25, here.value()), there, rate);
        const auto from = static_cast<size_t>(2.0 * rate);
        CHECK(db(rms(out, from) / rms(there, from)) == Approx(-25.0).margin(2.5));
    }
    CHECK_FALSE(noise_profile_problem(tone).has_value());
}

TEST_CASE("hum is found with its frequency and taken out without the voice", "[suppression]") {
    std::vector<float> hum = noise(0.001, 6.0, 1);
    for (int n = 1; n <= 8; ++n) hum = mix(hum, sine(50.04 * n, 0.01 / n, 6.0));
    const auto found = find_hum(hum, 48000);
    REQUIRE(found);
    CHECK(found->frequency == Approx(50.04).margin(0.01));
    CHECK(found->tones == 8);
    CHECK(found->prominence > 20.0);
    double power = 0.0;
    for (int n = 1; n <= 8; ++n) power += 0.5 * 1e-4 / n / n;
    CHECK(found->level == Approx(10.0 * std::log10(2.0 * power)).margin(0.5));

    std::vector<float> american = noise(0.002, 4.0, 2, 44100);
    for (const int n : {2, 3, 5}) american = mix(american, sine(59.97 * n, 0.004, 4.0, 44100));
    const auto other = find_hum(american, 44100);
    REQUIRE(other);
    CHECK(other->frequency == Approx(59.97).margin(0.03));
    CHECK(other->tones == 5);

    CHECK_FALSE(find_hum(noise(0.01, 6.0, 3), 48000));
    CHECK_FALSE(find_hum(spoken_words(), 48000));
    CHECK_FALSE(find_hum(scaled(make_noise(Noise::fan, 6.0, 4), 0.01), 48000));
    CHECK_FALSE(find_hum(hum, 480000));  // too short to tell

    const auto chain = chain_of(
        {stage("suppression", {{"amount", 0}, {"hum", 1}, {"hum_frequency", 50.04}, {"hum_tones", 8}})});
    const auto out = run(chain, hum);
    for (int n = 1; n <= 8; ++n) {
        INFO("tone " << n);
        CHECK(db(tone_amplitude(out, 50.04 * n, 48000, 96000) / (0.01 / n)) < -30.0);
    }
    // Between the notches, and mains that has wandered by a tenth of a per cent.
    for (const double f : {75.0, 225.0, 1000.0}) {
        const auto tone = run(chain, sine(f, 0.1, 3.0));
        CHECK(db(tone_amplitude(tone, f, 48000, 48000) / 0.1) == Approx(0.0).margin(0.5));
    }
    CHECK(db(tone_amplitude(run(chain, sine(50.04 * 1.001 * 8, 0.1, 4.0)), 50.04 * 1.001 * 8, 48000, 96000) /
             0.1) < -9.0);
    const auto words = spoken_words();
    CHECK(std::abs(follows(words, run(chain, words))) < 0.5);
}

TEST_CASE("intelligibility falls with noise and does not see level", "[suppression]") {
    const auto words = spoken_words();
    CHECK(stoi(words, words, 48000).value() == Approx(1.0).margin(1e-6));
    CHECK(stoi(words, scaled(words, 0.2), 48000).value() == Approx(1.0).margin(1e-4));
    double before = 1.0;
    for (const double snr : {20.0, 10.0, 0.0, -10.0}) {
        const double gain = rms(words, 40000, 40000) * std::pow(10.0, -snr / 20.0);
        const auto noisy =
            mix(words, scaled(make_noise(Noise::rain, static_cast<double>(words.size()) / 48000, 3), gain));
        const double now = stoi(words, noisy, 48000).value();
        INFO(snr);
        CHECK(now < before - 0.005);
        before = now;
    }
    // Nothing of the words left: no better than at -10 dB. (The bound on distortion keeps it above zero.)
    CHECK(stoi(words, noise(0.1, static_cast<double>(words.size()) / 48000, 9), 48000).value() < before);
    CHECK_FALSE(stoi(silence(0.2), silence(0.2), 48000));
    // The distance of a sum of orthogonal parts is their ratio.
    const auto tone = sine(1000, 0.1, 1.0);
    CHECK(si_sdr(tone, mix(tone, sine(2000, 0.01, 1.0))).value() == Approx(20.0).margin(0.01));
    CHECK(si_sdr(tone, scaled(mix(tone, sine(2000, 0.01, 1.0)), 3.0)).value() == Approx(20.0).margin(0.01));
    CHECK_FALSE(si_sdr(silence(0.1), tone));
}

TEST_CASE("the method is switched while it runs without a click", "[suppression][figures]") {
    // A tone that no method takes for noise would be ideal; at amount 0 all of them pass it.
    const auto with = [](double method) {
        return chain_for({"", method, 0}, 0, tone_of(Noise::fan, 0.0005));
    };
    Engine engine;
    REQUIRE(engine.open({48000, 1}, with(0)).ok());
    const auto x = sine(200, 0.3, 8.0);
    std::vector<float> out;
    AudioBuffer work(1, 256);
    const double order[] = {1, 2, 0, 1, 0, 2};
    for (size_t at = 0, i = 0; at + 256 <= x.size(); at += 256, ++i) {
        if (i % 230 == 100 && i / 230 < 6) {
            REQUIRE(engine.chain().follow(with(order[i / 230])).ok());
            while (!engine.chain().settled()) std::this_thread::yield();
        }
        std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(at), 256, work[0].begin());
        engine.process(work.block(0, 256));
        out.insert(out.end(), work[0].begin(), work[0].end());
    }
    const auto high =
        run(chain_of(
                {stage("equalizer",
                       {{"band1_on", 1}, {"band1_type", 3}, {"band1_frequency", 5000}, {"band1_slope", 7}})}),
            out);
    CHECK(db(peak(high, 9600)) < -75.0);
    CHECK(db(rms(out, 9600)) == Approx(db(rms(x))).margin(0.2));
}
