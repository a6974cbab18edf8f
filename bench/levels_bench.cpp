// Are room and voice told apart in bad rooms? Constructed cases: voices x noises x SNR, against what is known
// of the parts before they were mixed. Arguments: voice files, 48 kHz, with pauses.
#include <unistd.h>

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <string>
#include <vector>

#include "base/decibel.h"
#include "base/sound_file.h"
#include "engine/render.h"
#include "measure/findings.h"
#include "measure/speech_level.h"
#include "support/noises.h"
#include "support/signals.h"

namespace {

using namespace reed;
using Sound = std::vector<float>;

constexpr double kRate = 48000.0;
constexpr double kSeconds = 24.0;

Sound looped(const Sound& x, size_t length, size_t from = 0) {
    Sound out(length);
    for (size_t i = 0; i < length; ++i) out[i] = x[(i + from) % x.size()];
    return out;
}

double rms(const Sound& x) {
    return test::rms(x);
}

void scale_to_rms(Sound& x, double to) {
    const double by = to / std::max(1e-12, rms(x));
    for (float& v : x) v *= static_cast<float>(by);
}

/// A voice in another corner: reverberation of 0.4 s and no direct sound to speak of.
Sound through_a_room(const Sound& x) {
    Sound out(x.size(), 0.0f);
    const Sound echo = test::noise(1.0, 0.4, 99);
    // Sixty reflections stand for all of them.
    for (int k = 0; k < 60; ++k) {
        const auto at = static_cast<size_t>(480 + k * 300 + (k * 7919) % 200);
        const auto gain = static_cast<float>(echo[static_cast<size_t>(k)] * std::exp(-k / 14.0));
        for (size_t i = at; i < x.size(); ++i) out[i] += gain * x[i - at];
    }
    return out;
}

/// Mouse: single clicks, a second or more apart.
Sound mouse(size_t length) {
    Sound out = test::noise(0.0005, static_cast<double>(length) / kRate, 5);
    out.resize(length);
    for (size_t at = 30000, k = 0; at + 2000 < length; at += 48000 + (k * 31337) % 60000, ++k) {
        const Sound click = test::noise(0.5, 0.02, static_cast<std::uint32_t>(k + 1));
        for (size_t i = 0; i < click.size(); ++i)
            out[at + i] += click[i] * static_cast<float>(std::exp(-static_cast<double>(i) / 120.0));
    }
    return out;
}

Sound make(const std::string& name, size_t length, const std::vector<Sound>& voices, size_t not_this) {
    const double seconds = static_cast<double>(length) / kRate;
    for (const test::Noise n : test::kNoises) {
        if (name == test::noise_name(n)) {
            Sound out = test::make_noise(n, seconds, 3);
            out.resize(length);
            return out;
        }
    }
    if (name == "mouse") return mouse(length);
    if (name == "music") {
        Sound out = test::make_music(seconds);
        out.resize(length);
        return out;
    }
    if (name == "television")
        return through_a_room(looped(voices[(not_this + 1) % voices.size()], length, 7000));
    Sound babble(length, 0.0f);
    for (size_t k = 0; k < 8; ++k) {
        Sound one = through_a_room(
            looped(voices[(not_this + 1 + k % (voices.size() - 1)) % voices.size()], length, k * 91000));
        scale_to_rms(one, 0.1);
        for (size_t i = 0; i < length; ++i) babble[i] += one[i];
    }
    return babble;
}

std::vector<double> levels_of(const Sound& x) {
    std::vector<double> out;
    for (size_t at = 0; at + 2400 <= x.size(); at += 480) {
        double sum = 0.0;
        for (size_t i = at; i < at + 2400; ++i) sum += static_cast<double>(x[i]) * x[i];
        out.push_back(mean_square_to_dbfs(sum / 2400));
    }
    return out;
}

double median(std::vector<double> v) {
    if (v.empty()) return -999.0;
    std::nth_element(v.begin(), v.begin() + static_cast<long>(v.size() / 2), v.end());
    return v[v.size() / 2];
}

struct Truth {
    double room = 0.0, voice = 0.0;
    bool has_room = false;
};

/// What is voice is known of the clean voice (P.56: within 15.9 dB of its active level).
Truth truth_of(const Sound& clean, const Sound& mixed) {
    const auto active = speech_level(clean, kRate);
    const auto alone = levels_of(clean);
    const auto all = levels_of(mixed);
    std::vector<double> room;
    std::vector<double> voice;
    for (size_t i = 0; i < alone.size(); ++i) {
        if (active && alone[i] > active->active_dbfs - 15.9) voice.push_back(all[i]);
        if (!active || alone[i] < active->active_dbfs - 45.0) room.push_back(all[i]);
    }
    return {median(room), median(voice), room.size() > 50};
}

struct Count {
    int cases = 0, right = 0, wrong_way = 0, heard = 0;
};

TapLevels heard_in(const Sound& x) {
    static const auto file =
        std::filesystem::temp_directory_path() / ("reed-levels-" + std::to_string(::getpid()) + ".wav");
    AudioBuffer sound(1, x.size());
    sound[0] = x;
    auto writer = SoundWriter::create(file, {kRate, 1}, SampleFormat::float32);
    if (!writer.ok() || !writer.value()->write(sound.block(0, static_cast<int>(x.size()))).ok() ||
        !writer.value()->finish().ok())
        std::exit(1);
    const auto report = file_levels({}, file);
    std::filesystem::remove(file);
    if (!report.ok()) std::exit(1);
    return report.value().taps[0];
}

/// A threshold above quiet words that is advised all the same.
bool wrong_way(const TapLevels& t, const Truth& truth) {
    LevelReport r;
    r.taps = {t, t};
    r.stages.resize(1);
    const ChainSpec gate =
        test::chain_of({test::stage("gate", {{"open_threshold", -60}, {"close_threshold", -70}})});
    const std::string text = format_message(stage_finding(gate, 0, r));
    const auto at = text.find("Raise it above ");
    return at != std::string::npos && std::atof(text.c_str() + at + 15) > truth.voice;
}

}  // namespace

namespace {
std::vector<std::string> g_files;
}

// A test case, as what is shared with the tests asks as they do.
TEST_CASE("levels") {
    std::vector<Sound> voices;
    std::vector<std::string> names;
    for (const std::string& path : g_files) {
        auto sound = read_sound(path);
        INFO(path);
        REQUIRE(sound.ok());
        voices.push_back(sound.value()[0]);
        names.push_back(path.substr(path.rfind('/') + 1));
    }
    REQUIRE(voices.size() >= 2);
    const auto length = static_cast<size_t>(kSeconds * kRate);
    const std::vector<std::string> noises = {"fan",      "rain",  "lathe", "hum",        "traffic",
                                             "keyboard", "mouse", "music", "television", "babble"};
    std::printf("%-12s %6s %8s %8s %8s %8s   %s\n", "noise", "SNR", "room +-", "voice +-", "right",
                "wrong way", "worst");
    Count better;
    Count worse;
    Count nobody;
    for (const auto& noise : noises) {
        for (const double snr : {20.0, 10.0, 5.0, 0.0}) {
            Count here;
            std::vector<double> room_off;
            std::vector<double> voice_off;
            double worst = 0.0;
            std::string worst_name;
            for (size_t v = 0; v < voices.size(); ++v) {
                Sound clean = looped(voices[v], length);
                const auto active = speech_level(clean, kRate);
                for (float& x : clean)
                    x *= static_cast<float>(std::pow(10.0, (-26.0 - active->active_dbfs) / 20.0));
                Sound room = make(noise, length, voices, v);
                scale_to_rms(room, std::pow(10.0, (-26.0 - 3.01 - snr) / 20.0));
                const Sound mixed = test::mix(clean, room);
                const Truth truth = truth_of(clean, mixed);
                const TapLevels t = heard_in(mixed);
                const double r =
                    !truth.has_room ? 0.0 : (t.room_known ? std::abs(t.room - truth.room) : 99.0);
                const double s = t.voice_known ? std::abs(t.voice - truth.voice) : 99.0;
                room_off.push_back(r);
                voice_off.push_back(s);
                if (std::max(r, s) > worst) {
                    worst = std::max(r, s);
                    worst_name = names[v];
                }
                Count& all = snr >= 5.0 ? better : worse;
                for (Count* c : {&here, &all}) {
                    ++c->cases;
                    c->right += r <= 3.0 && s <= 3.0 ? 1 : 0;
                    c->wrong_way += wrong_way(t, truth) ? 1 : 0;
                }
            }
            std::printf("%-12s %3.0f dB %8.1f %8.1f %5d/%-2d %8d   %.1f %s\n", noise.c_str(), snr,
                        median(room_off), median(voice_off), here.right, here.cases, here.wrong_way, worst,
                        worst_name.c_str());
            std::fflush(stdout);
        }
        for (const double level : {-30.0, -50.0}) {
            Sound room = make(noise, length, voices, 0);
            scale_to_rms(room, std::pow(10.0, (level - 3.01) / 20.0));
            const TapLevels t = heard_in(room);
            ++nobody.cases;
            nobody.heard += t.voice_known ? 1 : 0;
            std::printf("%-12s nobody talks, %3.0f dBFS: %s\n", noise.c_str(), level,
                        t.voice_known ? "VOICE" : "no voice");
        }
    }
    std::printf(
        "5 dB or better: %d of %d right (both within 3 dB); 0 dB: %d of %d; wrong-way advice %d; nobody "
        "talks: no "
        "voice in %d of %d\n",
        better.right, better.cases, worse.right, worse.cases, better.wrong_way + worse.wrong_way,
        nobody.cases - nobody.heard, nobody.cases);
}

int main(int argc, char** argv) {
    g_files.assign(argv + 1, argv + argc);
    return Catch::Session().run();
}
