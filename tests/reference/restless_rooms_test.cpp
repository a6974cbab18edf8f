// Rooms that move while somebody speaks: gusts of wind, lorries, a noise that fades. The full tables, with
// human voices, come from bench/suppression.
#include <array>
#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "measure/intelligibility.h"
#include "support/noises.h"
#include "support/signals.h"
#include "support/suppressions.h"
#include "suppression/noise_update_control.h"

using namespace reed;
using namespace reed::test;

namespace {

constexpr double kLead = 6.0;  // seconds of room before the voice

struct Spoken {
    std::vector<float> clean, in;
};
/// Words after a lead of the room, over which they are 10 dB louder.
Spoken words_over(std::vector<float> room_of_one, size_t lead_samples) {
    const auto words = spoken_words();
    Spoken out;
    out.clean.assign(lead_samples, 0.0f);
    append(out.clean, words);
    room_of_one.resize(out.clean.size());
    out.in = mix(out.clean, scaled(room_of_one, 0.316 * rms(words, 40000, 40000)));
    return out;
}
Spoken words_over(Noise which, std::uint32_t seed) {
    return words_over(make_noise(which, kLead + 13.0, seed), static_cast<size_t>(kLead * 48000));
}

/// dB that are left of what sounds where nobody speaks: 0.3 s after words, 0.1 s before.
double left_in_pauses(const Spoken& x, const std::vector<float>& out) {
    constexpr size_t kPiece = 480;
    std::vector<double> loud;
    for (size_t at = 0; at + kPiece <= x.clean.size(); at += kPiece) loud.push_back(rms(x.clean, at, kPiece));
    const double most = *std::max_element(loud.begin(), loud.end());
    double before = 0.0;
    double after = 0.0;
    for (size_t i = 300; i + 11 < loud.size(); ++i) {
        const auto from = loud.begin() + static_cast<std::ptrdiff_t>(i);
        if (*std::max_element(from - 30, from + 10) > 0.003 * most) continue;
        before += std::pow(rms(x.in, i * kPiece, kPiece), 2);
        after += std::pow(rms(out, i * kPiece, kPiece), 2);
    }
    REQUIRE(before > 0.0);
    return 0.5 * db(after / before);
}

/// Wind into a microphone: gusts of rumble far below 150 Hz over a room that is even.
std::vector<float> gale(double seconds, std::uint32_t seed) {
    std::mt19937 random(seed);
    std::normal_distribution<double> normal;
    const auto count = static_cast<size_t>(seconds * 48000);
    std::vector<float> out = scaled(make_noise(Noise::fan, seconds + 0.01, seed), 0.1);
    out.resize(count);
    double a = 0.0;
    double b = 0.0;
    double c = 0.0;
    double slow = 0.0;
    std::vector<double> low(count);
    double power = 0.0;
    for (double& y : low) {
        a += 0.0104 * (normal(random) - a);
        b += 0.0104 * (a - b);
        c += 0.0104 * (b - c);
        slow += 0.0026 * (c - slow);
        y = c - slow;
        power += y * y / static_cast<double>(count);
    }
    for (size_t i = 0; i < count; ++i) {
        const double t = static_cast<double>(i) / 48000.0;
        const double gust = std::sin(2 * M_PI * 0.37 * t) + std::sin(2 * M_PI * 0.91 * t + 1.0);
        out[i] += static_cast<float>(low[i] / std::sqrt(power) * std::exp(0.6 * gust));
    }
    return out;
}

/// Levels in dB of the six groups of bands a NoiseUpdateControl listens to, each spread over its bands.
using Groups = std::array<double, 6>;

class Watched {
  public:
    static constexpr double kHop = 0.005, kBin = 50.0;

    /// Hears `level` above a room of 0 dB per band for `seconds`; true when the last was `quickly`.
    Learning hear(const Groups& level, double seconds, float periodic = 0.0f) {
        Learning last = Learning::usual;
        for (int i = 0; i < static_cast<int>(seconds / kHop); ++i) {
            std::vector<float> power(481);
            for (size_t k = 0; k < power.size(); ++k)
                power[k] = static_cast<float>(std::pow(10.0, 0.1 * level[group_of(k)]));
            last = watch.judge(power, noise, periodic);
        }
        return last;
    }
    static size_t group_of(size_t k) {
        const double edges[] = {300, 800, 2000, 4500, 9000};
        size_t g = 0;
        while (g < 5 && static_cast<double>(k) * kBin >= edges[g]) ++g;
        return g;
    }

    NoiseUpdateControl watch{kHop, kBin};
    std::vector<float> noise = std::vector<float>(481, 1.0f);
};

constexpr Groups all(double level) {
    return {level, level, level, level, level, level};
}
/// A room that grows louder and quieter, as the noise that is expected does not: gusts become known.
void gusts(Watched& room, int count) {
    for (int i = 0; i < count; ++i) {
        for (double level = 0.0; level < 12.0; level += 0.1) room.hear(all(level), Watched::kHop);
        for (double level = 12.0; level > 0.0; level -= 0.1) room.hear(all(level), Watched::kHop);
    }
}

}  // namespace

TEST_CASE("wind goes between words as steady rooms go, and the words stay", "[suppression][figures]") {
    for (const std::uint32_t seed : {1U, 2U, 3U}) {
        const Spoken x = words_over(Noise::wind, seed);
        for (const Way& way : {kWays[0], kWays[2]}) {
            INFO(way.method << ", wind " << seed);
            const auto out = run(chain_for(way, -25, {}), x.in);
            CHECK(left_in_pauses(x, out) < -20.0);
            CHECK(stoi(x.clean, out, 48000).value() > stoi(x.clean, x.in, 48000).value() - 0.01);
        }
    }
}

TEST_CASE("cars and lorries that come while somebody speaks are gone as soon as he ends",
          "[suppression][figures]") {
    for (const Noise room : {Noise::street, Noise::traffic, Noise::fountain}) {
        for (const std::uint32_t seed : {1U, 4U}) {
            const Spoken x = words_over(room, seed);
            for (const Way& way : {kWays[0], kWays[2]}) {
                INFO(way.method << ", " << noise_name(room) << " " << seed);
                const auto out = run(chain_for(way, -25, {}), x.in);
                CHECK(left_in_pauses(x, out) < -24.0);
                CHECK(stoi(x.clean, out, 48000).value() > stoi(x.clean, x.in, 48000).value() - 0.01);
            }
        }
    }
}

TEST_CASE("a noise that fades while somebody speaks takes no words with it", "[suppression][figures]") {
    // Words without a pause in which it could be learnt: 14 dB less within the first four seconds.
    std::vector<float> words = spoken_words();
    std::vector<float> dense;
    for (size_t at = 0; at + 480 <= words.size(); at += 480) {
        if (rms(words, at, 480) > 0.02 * rms(words, 40000, 40000))
            dense.insert(dense.end(), words.begin() + static_cast<std::ptrdiff_t>(at),
                         words.begin() + static_cast<std::ptrdiff_t>(at + 480));
    }
    dense.resize(std::min<size_t>(dense.size(), 5 * 48000));
    auto clean = silence(4.0);
    append(clean, dense);
    auto room = make_noise(Noise::fan, static_cast<double>(clean.size()) / 48000.0 + 0.01, 6);
    room.resize(clean.size());
    for (size_t i = 0; i < room.size(); ++i) {
        const double t = std::clamp(static_cast<double>(i) / 48000.0 - 4.0, 0.0, 4.0);
        room[i] *=
            static_cast<float>(0.316 * rms(words, 40000, 40000) * std::pow(10.0, -14.0 / 20.0 * t / 4));
    }
    const auto in = mix(clean, room);
    const double before = stoi(clean, in, 48000).value();
    for (const Way& way : {kWays[0], kWays[2]}) {
        INFO(way.method);
        CHECK(stoi(clean, run(chain_for(way, -25, {}), in), 48000).value() > before - 0.0065);
    }
}

TEST_CASE("rumble of wind is kept out, and a low voice in it is not", "[suppression][figures]") {
    for (const std::uint32_t seed : {1U, 2U}) {
        INFO("gale " << seed);
        const Spoken x = words_over(gale(kLead + 13.0, seed), static_cast<size_t>(kLead * 48000));
        const auto out = run(chain_for(kWays[0], -25, {}), x.in);
        CHECK(left_in_pauses(x, out) < -13.5);
    }
    // A hum of 120 Hz, 20 dB over the gusts, begins after eight seconds.
    auto hum = silence(8.0);
    std::vector<float> tone = silence(3.0);
    for (int n = 1; n <= 12; ++n) tone = mix(tone, sine(120.0 * n, 1.0 / n, 3.0));
    for (size_t i = 0; i < 2400; ++i) tone[i] *= static_cast<float>(i) / 2400.0f;
    append(hum, tone);
    const auto in = mix(scaled(hum, 0.1), scaled(gale(11.1, 3), 0.005));
    const auto out = run(chain_for(kWays[0], -25, {}), in);
    for (size_t at = 8 * 48000 + 9600; at + 4800 < hum.size(); at += 4800)
        CHECK(db(rms(out, at, 4800) / rms(in, at, 4800)) > -1.0);
}

TEST_CASE("a microphone that is muted in the middle of a word and opened again brings the same room back",
          "[suppression]") {
    // A switch on the microphone gives zeros, which are no room and say nothing of one.
    for (const double opens : {0.2, 2.0}) {
        Spoken x = words_over(Noise::fan, 3);
        const auto from = static_cast<size_t>((kLead + 2.0) * 48000);
        size_t word = from;
        while (rms(x.clean, word, 2400) < 0.5 * rms(x.clean, from, 5 * 48000)) word += 240;
        const auto until = word + static_cast<size_t>(opens * 48000);
        std::fill(x.in.begin() + static_cast<std::ptrdiff_t>(word + 1200),
                  x.in.begin() + static_cast<std::ptrdiff_t>(until), 0.0f);
        // Nobody speaks after it.
        auto room = scaled(make_noise(Noise::fan, 3.0, 9), 0.316 * rms(spoken_words(), 40000, 40000));
        std::copy_n(room.begin(), 2 * 48000, x.in.begin() + static_cast<std::ptrdiff_t>(until));
        for (const Way& way : {kWays[0], kWays[1], kWays[2]}) {
            INFO(way.method << ", opened after " << opens << " s");
            const auto out = run(chain_for(way, -25, {}), x.in);
            CHECK(db(rms(out, until + 2400, 9600) / rms(x.in, until + 2400, 9600)) < -20.0);
            CHECK(db(rms(out, until + 24000, 24000) / rms(x.in, until + 24000, 24000)) < -20.0);
        }
    }
}

TEST_CASE("a gust that blows on after a word is not taken for its end", "[suppression][figures]") {
    // Gusts of 12 dB every 1.5 s; from the ninth second on somebody says "ah" into each, for a tenth of one.
    auto x = scaled(make_noise(Noise::fan, 22.0, 8), 0.02);
    std::vector<size_t> ends;
    for (size_t i = 0; i < x.size(); ++i) {
        const double t = static_cast<double>(i) / 48000.0;
        x[i] *= static_cast<float>(std::pow(10.0, 0.6 * std::sin(2 * M_PI * t / 1.5)) / 4.0);
    }
    for (double t = 9.0 + 0.30; t < 20.0; t += 1.5) {
        const auto from = static_cast<size_t>(t * 48000);
        for (size_t i = 0; i < 4800; ++i) {
            double y = 0.0;
            for (int n = 1; n <= 12; ++n)
                y += std::sin(2 * M_PI * 170.0 * n * static_cast<double>(i) / 48000.0) / n;
            x[from + i] += static_cast<float>(0.08 * y * std::sin(M_PI * static_cast<double>(i) / 4800));
        }
        ends.push_back(from + 4800);
    }
    const auto out = run(chain_for(kWays[0], -25, {}), x);
    double before = 0.0;
    double after = 0.0;
    for (const size_t end : ends) {
        // From when the ear for tones has forgotten it; nobody is known to be gone before 0.2 s are over.
        before += std::pow(rms(x, end + 5760, 4800), 2);
        after += std::pow(rms(out, end + 5760, 4800), 2);
    }
    CHECK(0.5 * db(after / before) < -12.0);
}

TEST_CASE("a restless room is known by its gusts, and what has its spectrum is the room", "[suppression]") {
    Watched calm;
    calm.hear(all(0), 2.0);
    // In a room that has always been even nothing is taken for a gust.
    calm.hear(all(12), 0.08);
    CHECK(calm.watch.louder() == 0.0f);
    CHECK(calm.watch.rise() > 8.0f);
    CHECK(calm.watch.restless_lows() == 0.0f);

    Watched wind;
    wind.hear(all(0), 1.0);
    gusts(wind, 4);
    CHECK(wind.watch.restless_lows() == 1.0f);
    CHECK(wind.watch.lows_end() == 6);
    CHECK(wind.hear(all(12), 0.3) == Learning::quickly);
    CHECK(wind.watch.louder() == Approx(12.0).margin(0.2));
    CHECK(wind.watch.rise() == 0.0f);
    // What repeats itself, or has another spectrum, is somebody, and at once.
    wind.hear(all(12), 0.01, 0.7f);
    CHECK(wind.watch.louder() == 0.0f);
    wind.hear(all(12), 0.5);
    CHECK(wind.watch.louder() > 11.0f);
    wind.hear({12, 24, 24, 12, 12, 12}, 0.1);
    CHECK(wind.watch.louder() == 0.0f);
    CHECK(wind.hear({12, 24, 24, 12, 12, 12}, 0.1) == Learning::hold);
    // Even again it is believed slowly: 60 ms.
    wind.hear(all(12), 0.015);
    CHECK(wind.watch.louder() == 0.0f);
    // Forgotten when the room has been even for long.
    wind.hear(all(0), 30.0);
    CHECK(wind.watch.restless_lows() == 0.0f);
    gusts(wind, 4);
    wind.watch.reset();
    CHECK(wind.watch.restless_lows() == 0.0f);
}

TEST_CASE("the noise expected never stays above all that is heard", "[suppression]") {
    Watched room;
    room.hear(all(0), 1.0);
    room.noise.assign(481, 10.0f);
    room.hear({0, 0, 20, 0, 0, 0}, 0.2);
    room.watch.bound(room.noise);
    CHECK(room.noise[10] == 10.0f);  // nobody speaks
    room.noise.assign(481, 1.0f);
    room.hear({0, 0, 20, 0, 0, 0}, 0.1, 0.7f);
    room.noise.assign(481, 10.0f);
    room.hear({0, 0, 20, 0, 0, 0}, 0.2);
    for (int i = 0; i < 40; ++i) {
        room.hear({0, 0, 20, 0, 0, 0}, Watched::kHop);
        room.watch.bound(room.noise);
    }
    for (const size_t k : {size_t{2}, size_t{10}, size_t{60}, size_t{120}, size_t{250}}) {
        INFO("band " << k);
        CHECK(10.0 * std::log10(room.noise[k]) == Approx(2.0).margin(0.3));
    }
    CHECK(room.noise[30] == 10.0f);  // something louder is heard there
    // Within 2 dB nothing is touched: a level falls that far by chance.
    room.noise.assign(481, 1.5f);
    room.hear(all(0), 0.1);
    room.watch.bound(room.noise);
    CHECK(room.noise[10] == 1.5f);
}

TEST_CASE("a jump has ended when only rumble is left, and the silence counts from its last sign",
          "[suppression]") {
    const auto after = [](const Groups& voice, const Groups& rest, double seconds) {
        Watched room;
        room.hear(all(0), 1.0);
        room.hear(voice, 0.5, 0.7f);
        return room.hear(rest, seconds);
    };
    // The lorry that came meanwhile is as loud as the voice was, but has no tones and nothing above 2 kHz.
    constexpr Groups kVoice{14, 14, 14, 6, 6, 6};
    CHECK(after(kVoice, {17, 17, 16, 1, 0, 0}, 0.25) == Learning::hold);
    CHECK(after(kVoice, {17, 17, 16, 1, 0, 0}, 0.45) == Learning::quickly);
    CHECK(after(kVoice, {17, 17, 16, 1, 6, 0}, 0.45) == Learning::hold);
    // Louder by 6 dB than before, but quieter by 5 than the voice: known 0.3 s after the last sign of it.
    CHECK(after({14, 14, 14, 14, 14, 14}, {9, 9, 9, 9, 9, 9}, 0.40) == Learning::quickly);
}
