// What suppression does to voices that are no plain speech, to beginnings, to moving rooms and clicks: median
// and worst case by name. Argument: a folder with talk, cries, laughs and sung, WAV files at 48 kHz
// (bench/more_voices.sh). Whispers and held notes are made here.
#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <functional>

#include <numbers>
#include <random>
#include <string>
#include <thread>
#include <vector>

#include "base/decibel.h"
#include "base/sound_file.h"
#include "chain/chain.h"
#include "dsp/fourier.h"
#include "engine/render.h"
#include "made_voices.h"
#include "measure/intelligibility.h"
#include "measure/speech_level.h"
#include "stages/suppression.h"
#include "support/noises.h"

namespace {

using namespace reed;
using namespace reed::bench;

constexpr double kLead = 5.0;  // seconds of room before the voice

struct Way {
    const char* name;
    double method, counts;
};
constexpr Way kWays[] = {
    {"adaptive", 0, 0}, {"room tone", 2, 0}, {"neural", 1, 0}, {"neural, voice only", 1, 1}};

ChainSpec chain_of(const Way& way, const NoiseProfile& tone) {
    ChainSpec out;
    StageSpec s = new_stage(out, kSuppressionStage);
    s.set("method", way.method);
    if (kSuppressionStage.find("counts") >= 0) s.set("counts", way.counts);
    if (way.method == 2) s.taught = memory_of(tone);
    out.stages.push_back(s);
    return out;
}

Result<NoiseProfile> taught(const Sound& room) {
    return learn_noise_profile(std::span(room).first(static_cast<size_t>(4 * kRate)), kRate);
}

Sound through(const ChainSpec& chain, const Sound& x) {
    AudioBuffer in(1, x.size());
    in[0] = x;
    auto out = render(chain, in, kRate, 480);
    if (!out.ok()) {
        std::fprintf(stderr, "%s\n", out.error().text().c_str());
        std::exit(1);
    }
    return out.value()[0];
}

Sound through(const Way& way, const Sound& x, const Sound& room) {
    NoiseProfile tone;
    if (way.method == 2) {
        auto learnt = taught(room);
        if (learnt.ok()) tone = learnt.value();
    }
    return through(chain_of(way, tone), x);
}

double to_db(double ratio) {
    return 10.0 * std::log10(std::max(1e-12, ratio));
}

double loudest_piece(const Sound& x) {
    double most = 0.0;
    for (size_t at = 0; at + kPiece <= x.size(); at += kPiece) most = std::max(most, power(x, at, kPiece));
    return most;
}

std::vector<Voice> voices_in(const std::string& folder, size_t every) {
    std::vector<Voice> out;
    for (const auto& f : std::filesystem::directory_iterator(folder)) {
        auto sound = read_sound(f.path().string());
        if (!sound.ok()) continue;
        out.push_back({f.path().stem().string(), sound.value()[0]});
        level(out.back().sound);
    }
    std::sort(out.begin(), out.end(), [](const Voice& a, const Voice& b) { return a.name < b.name; });
    for (size_t i = 0; i < out.size() && every > 1; ++i) {
        if (i * every < out.size()) out[i] = out[i * every];
    }
    out.resize((out.size() + every - 1) / every);
    return out;
}

struct Mixed {
    Sound clean, mixed, room;
};
/// The voice over a room of which it is `snr` dB louder while active (P.56).
Mixed in_room(const Sound& voice, test::Noise which, double snr, std::uint32_t seed) {
    const auto lead = static_cast<size_t>(kLead * kRate);
    Mixed out;
    out.room = test::make_noise(which, kLead + static_cast<double>(voice.size()) / kRate + 0.1, seed);
    const auto active = speech_level(voice, kRate);
    const double loud =
        active ? active->active_dbfs
               : mean_square_to_dbfs(power(voice, 0, voice.size()) / static_cast<double>(voice.size()));
    const auto gain = static_cast<float>(std::pow(10.0, (loud - snr - 3.0103) / 20.0));
    for (float& v : out.room) v *= gain;
    out.clean.assign(out.room.size(), 0.0f);
    std::copy(voice.begin(), voice.end(), out.clean.begin() + static_cast<std::ptrdiff_t>(lead));
    out.mixed = out.clean;
    for (size_t i = 0; i < out.mixed.size(); ++i) out.mixed[i] += out.room[i];
    return out;
}

/// Change of level in dB of what lies within 20 dB of the loudest 10 ms.
double change(const Mixed& m, const Sound& y) {
    const double most = loudest_piece(m.clean);
    double before = 0.0;
    double after = 0.0;
    for (size_t at = 0; at + kPiece <= m.clean.size(); at += kPiece) {
        if (power(m.clean, at, kPiece) < 0.01 * most) continue;
        before += power(m.mixed, at, kPiece);
        after += power(y, at, kPiece);
    }
    return to_db(after / before);
}

/// The quietest tenth of a second of what is held.
double deepest(const Mixed& m, const Sound& y) {
    double worst = 0.0;
    const auto from = static_cast<size_t>((kLead + 0.2) * kRate);
    for (size_t at = from; at + 4800 < m.clean.size() - 24000; at += 2400)
        worst = std::min(worst, to_db(power(y, at, 4800) / power(m.mixed, at, 4800)));
    return worst;
}

/// Per word: change in dB of its first 60 ms.
std::vector<double> starts(const Mixed& m, const Sound& y) {
    double most = 0.0;
    std::vector<double> p;
    for (size_t at = 0; at + kPiece <= m.clean.size(); at += kPiece) {
        p.push_back(power(m.clean, at, kPiece));
        most = std::max(most, p.back());
    }
    std::vector<double> out;
    int quiet = 100;
    for (size_t i = 0; i + 6 < p.size(); ++i) {
        if (p[i] < 1e-4 * most) {  // 40 dB below the loudest
            ++quiet;
            continue;
        }
        if (p[i] > 1e-3 * most && quiet >= 10) {
            out.push_back(to_db(power(y, i * kPiece, 6 * kPiece) / power(m.mixed, i * kPiece, 6 * kPiece)));
            quiet = 0;
        } else if (p[i] > 1e-3 * most) {
            quiet = 0;
        }
    }
    return out;
}

struct Pause {
    double change = 0.0, kurtosis = 1.0;
};
/// What is left of the room where the voice is 50 dB down, and the ratio of the kurtosis of its power
/// spectrum after to before (Y. Uemura and others, IWAENC 2008).
Pause pauses(const Mixed& m, const Sound& y) {
    const double most = loudest_piece(m.clean);
    double before = 0.0;
    double after = 0.0;
    std::vector<double> moments[2];
    Fourier fourier(512);
    std::vector<std::vector<double>> powers[2];
    for (size_t at = static_cast<size_t>(3.0 * kRate); at + 4 * kPiece <= m.clean.size(); at += kPiece) {
        // 0.3 s after words, 0.1 s before: how it closes and opens is another matter.
        double loudest = 0.0;
        for (size_t near = at - 30 * kPiece; near < std::min(at + 10 * kPiece, m.clean.size());
             near += kPiece)
            loudest = std::max(loudest, power(m.clean, near, kPiece));
        if (loudest > 1e-5 * most) continue;
        before += power(m.mixed, at, kPiece);
        after += power(y, at, kPiece);
        for (int k = 0; k < 2; ++k) {
            const Sound& x = k == 0 ? m.mixed : y;
            const auto frame = fourier.samples();
            for (size_t i = 0; i < 512; ++i)
                frame[i] = x[at + i] * static_cast<float>(0.5 - 0.5 * std::cos(2 * std::numbers::pi *
                                                                               static_cast<double>(i) / 512));
            fourier.forward();
            std::vector<double> bins;
            for (size_t b = 2; b < 170; ++b) bins.push_back(std::norm(fourier.spectrum()[b]));
            powers[k].push_back(bins);
        }
    }
    Pause out;
    out.change = to_db(after / before);
    double kurtosis[2] = {0, 0};
    for (int k = 0; k < 2; ++k) {
        for (size_t b = 0; b < 168; ++b) {
            double second = 0.0;
            double fourth = 0.0;
            const double n = static_cast<double>(powers[k].size());
            for (const auto& f : powers[k]) {
                second += f[b] * f[b] / n;
                fourth += f[b] * f[b] * f[b] * f[b] / n;
            }
            kurtosis[k] += fourth / std::max(1e-300, second * second) / 168.0;
        }
    }
    out.kurtosis = kurtosis[1] / kurtosis[0];
    return out;
}

struct Result1 {
    std::string name;
    double value = 0.0;
};

/// f(i) for all i below `count`, on all cores.
void in_parallel(size_t count, const std::function<void(size_t)>& f) {
    std::atomic<size_t> next{0};
    std::vector<std::thread> threads;
    for (unsigned k = 0; k < std::max(1u, std::thread::hardware_concurrency()); ++k)
        threads.emplace_back([&] {
            for (size_t i = next++; i < count; i = next++) f(i);
        });
    for (auto& t : threads) t.join();
}

void tell(const char* way, const std::string& what, std::vector<Result1> all, bool low_is_worst = true) {
    if (all.empty()) return;
    std::sort(all.begin(), all.end(), [&](const auto& a, const auto& b) {
        return low_is_worst ? a.value < b.value : a.value > b.value;
    });
    std::printf("%-20s %-34s %9.3f %9.3f  %s\n", way, what.c_str(), all[all.size() / 2].value, all[0].value,
                all[0].name.c_str());
    std::fflush(stdout);
}

using Measure = double (*)(const Mixed&, const Sound&);

void losses(const Way& way, const char* what, const std::vector<Voice>& voices, double snr, Measure measure) {
    std::vector<Result1> out(voices.size());
    in_parallel(voices.size(), [&](size_t i) {
        const Mixed m = in_room(voices[i].sound, test::Noise::fan, snr, static_cast<std::uint32_t>(i + 1));
        out[i] = {voices[i].name, measure(m, through(way, m.mixed, m.room))};
    });
    char text[80];
    std::snprintf(text, sizeof text, "%s, %.0f dB over fan, dB", what, snr);
    tell(way.name, text, out);
}

double stoi_change(const Mixed& m, const Sound& y) {
    return stoi(m.clean, y, kRate).value_or(0) - stoi(m.clean, m.mixed, kRate).value_or(0);
}
double sdr_change(const Mixed& m, const Sound& y) {
    return si_sdr(m.clean, y).value_or(0) - si_sdr(m.clean, m.mixed).value_or(0);
}

void word_starts(const Way& way, const std::vector<Voice>& talk) {
    std::vector<std::vector<double>> all(talk.size());
    in_parallel(talk.size(), [&](size_t i) {
        const Mixed m = in_room(talk[i].sound, test::Noise::fan, 40, static_cast<std::uint32_t>(i + 1));
        all[i] = starts(m, through(way, m.mixed, m.room));
    });
    size_t count = 0;
    size_t lost = 0;
    std::vector<Result1> each;
    for (size_t i = 0; i < talk.size(); ++i) {
        for (const double d : all[i]) {
            ++count;
            lost += d < -6.0;
            each.push_back({talk[i].name, d});
        }
    }
    char text[80];
    std::snprintf(text, sizeof text, "word starts, %zu of %zu lose 6 dB", lost, count);
    tell(way.name, text, each);
}

void rooms(const Way& way, const std::vector<Voice>& talk, double snr) {
    for (const test::Noise which : test::kRooms) {
        std::vector<Result1> left(talk.size());
        std::vector<Result1> understood(talk.size());
        std::vector<Result1> musical(talk.size());
        std::vector<Result1> sdr(talk.size());
        in_parallel(talk.size(), [&](size_t i) {
            const Mixed m = in_room(talk[i].sound, which, snr, static_cast<std::uint32_t>(i + 1));
            if (way.method == 2 && !taught(m.room).ok()) return;
            const Sound y = through(way, m.mixed, m.room);
            const Pause p = pauses(m, y);
            left[i] = {talk[i].name, p.change};
            musical[i] = {talk[i].name, p.kurtosis};
            understood[i] = {talk[i].name, stoi_change(m, y)};
            sdr[i] = {talk[i].name, sdr_change(m, y)};
        });
        const auto refused = std::erase_if(left, [](const auto& one) { return one.name.empty(); });
        for (auto* all : {&understood, &musical, &sdr})
            std::erase_if(*all, [](const auto& one) { return one.name.empty(); });
        if (refused > 0)
            std::printf("%-20s %s: not even enough to teach, %zu of %zu\n", way.name, test::noise_name(which),
                        static_cast<size_t>(refused), talk.size());
        const std::string name =
            std::string(test::noise_name(which)) + " " + std::to_string(static_cast<int>(snr));
        tell(way.name, name + ": left, dB", left, false);
        tell(way.name, name + ": STOI", understood);
        tell(way.name, name + ": kurtosis ratio", musical, false);
        tell(way.name, name + ": SI-SDR, dB", sdr);
    }
}

/// What no method but a network can know: other people's voices out of a box, and music.
void programmes(const Way& way, const std::vector<Voice>& talk) {
    std::vector<Result1> left(talk.size());
    in_parallel(talk.size(), [&](size_t i) {
        // A small loudspeaker: nothing below 300 Hz, and four echoes.
        Sound x(talk[i].sound.size() + 9600, 0.0f);
        float slow = 0.0f;
        for (size_t k = 0; k < talk[i].sound.size(); ++k) {
            slow += 0.04f * (talk[i].sound[k] - slow);
            for (size_t e = 0; e < 5; ++e)
                x[k + e * 1900] += 0.05f * (talk[i].sound[k] - slow) / static_cast<float>(1 + e);
        }
        const Sound y = through(way, x, x);
        left[i] = {talk[i].name, to_db(power(y, 96000, x.size()) / power(x, 96000, x.size()))};
    });
    tell(way.name, "television, dB", left);
    Sound music = test::make_music(20.0);
    for (float& v : music) v *= 0.1f;
    const Sound y = through(way, music, music);
    tell(way.name, "music, dB",
         {{"", to_db(power(y, 96000, music.size()) / power(music, 96000, music.size()))}});
}

/// A low cut before suppression, compared with one after it: what is left in pauses, speech intelligibility,
/// and distortion of the voice (which has passed the same low cut).
void low_cut_order(const Way& way, const std::vector<Voice>& talk, double snr) {
    ChainSpec cut;
    cut.stages.push_back(new_stage(cut, *find_stage_kind("equalizer")));
    cut.stages[0].set("band1_frequency", 80.0);  // its first band is a low cut, the others change nothing
    for (const test::Noise which :
         {test::Noise::hum, test::Noise::traffic, test::Noise::wind, test::Noise::street}) {
        std::vector<Result1> left(talk.size()), understood(talk.size()), sdr(talk.size());
        in_parallel(talk.size(), [&](size_t i) {
            const Mixed m = in_room(talk[i].sound, which, snr, static_cast<std::uint32_t>(i + 1));
            const Sound before = through(way, through(cut, m.mixed), through(cut, m.room));
            const Sound after = through(cut, through(way, m.mixed, m.room));
            const Mixed heard = {through(cut, m.clean), m.mixed, m.room};
            const std::string& name = talk[i].name;
            left[i] = {name, pauses(heard, before).change - pauses(heard, after).change};
            understood[i] = {name, stoi_change(heard, before) - stoi_change(heard, after)};
            sdr[i] = {name, sdr_change(heard, before) - sdr_change(heard, after)};
        });
        const std::string name = std::string("low cut first, ") + test::noise_name(which) + " " +
                                 std::to_string(static_cast<int>(snr));
        tell(way.name, name + ": left, dB", left, false);
        tell(way.name, name + ": STOI", understood);
        tell(way.name, name + ": SI-SDR, dB", sdr);
    }
}

void clicks(const Way& way) {
    for (const test::Noise which : {test::Noise::keyboard, test::Noise::mouse}) {
        Sound x = test::make_noise(which, 20.0, 5);
        for (float& v : x) v *= 0.02f;
        const Sound y = through(way, x, x);
        tell(way.name, std::string(test::noise_name(which)) + " clicks, dB",
             {{"", to_db(power(y, 96000, x.size()) / power(x, 96000, x.size()))}});
    }
}

}  // namespace

int main(int argc, char** argv) {
    const std::string folder = argc > 1 ? argv[1] : "";
    const std::string only = argc > 2 ? argv[2] : "";
    const size_t every = argc > 3 ? std::stoul(argv[3]) : 1;
    if (!std::filesystem::is_directory(folder + "/talk")) {
        std::fprintf(stderr, "usage: reed_suppression_cases FOLDER [PARTS [EVERY]]\n");
        return 2;
    }
    const auto talk = voices_in(folder + "/talk", every);
    const auto cries = voices_in(folder + "/cries", every);
    const auto laughs = voices_in(folder + "/laughs", every);
    const auto sung = voices_in(folder + "/sung", every);
    std::vector<Voice> whispers = talk;
    for (size_t i = 0; i < whispers.size(); ++i) {
        whispers[i].sound = whispered(whispers[i].sound, static_cast<std::uint32_t>(i + 1));
        level(whispers[i].sound);
        for (float& v : whispers[i].sound) v *= 0.2f;
    }
    std::vector<Voice> few;
    for (size_t i = 0; i<talk.size(); i += every> 1 ? 1 : 3) few.push_back(talk[i]);
    std::printf("%-20s %-34s %9s %9s  %s\n", "method", "case", "median", "worst", "of");
    const auto wanted = [&](const char* part) {
        return only.empty() || only[0] == '@' || only.find(part) != std::string::npos;
    };
    for (const Way& way : kWays) {
        if (only.find('@') != std::string::npos &&
            only.find(std::string("@") + way.name + ";") == std::string::npos)
            continue;
        if (wanted("voices")) {
            for (const double snr : {40.0, 20.0}) {
                losses(way, "cries", cries, snr, change);
                losses(way, "wails", wails(), snr, change);
                losses(way, "laughs", laughs, snr, change);
                losses(way, "sung", sung, snr, change);
                losses(way, "whispers", whispers, snr, change);
                losses(way, "talk", talk, snr, change);
            }
        }
        if (wanted("held")) losses(way, "held 10 s, quietest", held_notes(), 40, deepest);
        if (wanted("starts")) word_starts(way, talk);
        if (wanted("stoi")) losses(way, "talk: STOI", talk, 40, stoi_change);
        if (wanted("rooms")) rooms(way, few, 10.0);
        if (wanted("sdr")) {
            for (const double snr : {15.0, 20.0}) losses(way, "talk: SI-SDR", few, snr, sdr_change);
        }
        if (wanted("lowcut") && way.method != 2) {
            for (const double snr : {5.0, 15.0}) low_cut_order(way, few, snr);
        }
        if (wanted("clicks")) clicks(way);
        if (wanted("programmes")) programmes(way, few);
    }
}
