// What the stages that act only when needed do to recorded voices: median and worst case by name. Argument: a
// folder with WAV files of talk at 48 kHz (bench/more_voices.sh makes one).
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <numbers>
#include <random>
#include <string>
#include <vector>

#include "dsp/fourier.h"
#include "measure/intelligibility.h"
#include "measure/loudness.h"
#include "stages/dynamic_band.h"
#include "voices.h"

namespace {

using namespace reed;
using namespace reed::bench;
constexpr double kRate = 48000.0;
constexpr size_t kPiece = 480, kFrame = 1024;

double to_db(double ratio) {
    return 10.0 * std::log10(std::max(1e-12, ratio));
}

Sound through(const char* kind, const Sound& x,
              const std::vector<std::pair<const char*, double>>& values = {}) {
    return bench::through(stage(kind, values), x);
}

/// Power per band of every piece of 10 ms (Hann window of 1024).
struct Bands {
    double low = 0.0;    ///< 100 to 3000 Hz
    double sharp = 0.0;  ///< 5 to 10 kHz
    double sub = 0.0;    ///< 20 to 90 Hz
    bool wind = false;   ///< a tenth or more of what is below 200 Hz is below 50, where no voice is
    double under_200 = 0.0;
    double all = 0.0;
};

/// Told of 85 ms around a frame: shorter ones don't tell a bass from a gust.
bool windy(const Sound& x, size_t middle) {
    constexpr size_t kLong = 4096;
    if (middle < kLong / 2 || middle + kLong / 2 > x.size()) return false;
    static Fourier fourier(kLong);
    for (size_t i = 0; i < kLong; ++i) {
        const double w = 0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * static_cast<double>(i) / kLong);
        fourier.samples()[i] = static_cast<float>(w * x[middle - kLong / 2 + i]);
    }
    fourier.forward();
    double wind = 0.0, low = 0.0;
    const auto spectrum = fourier.spectrum();
    for (size_t k = 1; k * kRate < 200 * kLong; ++k) {
        const double p = std::norm(spectrum[k]);
        low += p;
        if (k * kRate < 50 * kLong) wind += p;
    }
    return wind > 0.1 * low;
}

std::vector<Bands> bands(const Sound& x) {
    Fourier fourier(kFrame);
    std::vector<Bands> out;
    for (size_t at = 0; at + kFrame <= x.size(); at += kPiece) {
        for (size_t i = 0; i < kFrame; ++i) {
            const double w = 0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * static_cast<double>(i) / kFrame);
            fourier.samples()[i] = static_cast<float>(w * x[at + i]);
        }
        Bands b;
        fourier.forward();
        const auto spectrum = fourier.spectrum();
        for (size_t k = 1; k < spectrum.size(); ++k) {
            const double f = static_cast<double>(k) * kRate / kFrame;
            const double p = std::norm(spectrum[k]);
            b.all += p;
            if (f >= 100 && f < 3000) b.low += p;
            if (f >= 5000 && f < 10000) b.sharp += p;
            if (f < 90) b.sub += p;
            if (f < 200) b.under_200 += p;
        }
        b.wind = windy(x, at + kFrame / 2);
        out.push_back(b);
    }
    return out;
}

void deesser(const std::vector<Voice>& voices) {
    std::vector<std::pair<double, std::string>> taken, rest, stoi, quiet_taken;
    for (const Voice& v : voices) {
        const Sound y = through("deesser", v.sound);
        Sound soft = v.sound;
        for (float& s : soft) s *= 0.1f;
        const Sound z = through("deesser", soft);
        const auto in = bands(v.sound);
        const auto out = bands(y);
        const auto out_soft = bands(z);
        double loudest = 0.0;
        for (const Bands& b : in) loudest = std::max(loudest, b.all);
        double s_in = 0.0, s_out = 0.0, s_soft = 0.0, r_in = 0.0, r_out = 0.0;
        for (size_t i = 0; i < in.size(); ++i) {
            const bool sibilant = in[i].sharp > in[i].low && in[i].sharp > 1e-3 * loudest;
            const bool other = in[i].sharp < 0.03 * in[i].low && in[i].all > 1e-4 * loudest;
            if (sibilant) {
                s_in += in[i].sharp;
                s_out += out[i].sharp;
                s_soft += 100.0 * out_soft[i].sharp;
            }
            if (other) {
                r_in += in[i].all;
                r_out += out[i].all;
            }
        }
        if (s_in > 0.0) {
            taken.emplace_back(to_db(s_out / s_in), v.name);
            quiet_taken.emplace_back(to_db(s_soft / s_in), v.name);
        }
        rest.emplace_back(std::abs(to_db(r_out / r_in)), v.name);
        if (const auto kept = reed::stoi(v.sound, y, kRate)) stoi.emplace_back(*kept, v.name);
    }
    std::printf("De-esser, as it comes\n");
    tell("5 to 10 kHz during s, dB", taken, false);
    tell("the same, voice 20 dB quieter", quiet_taken, false);
    tell("everything else, dB", rest, false);
    tell("STOI", stoi, true);
}

/// A shelf that brightens by 5 dB above 5 kHz and comes down where that range is loud, its threshold where
/// half of the words lie below: what s and what all else gets of it.
void brightness(const std::vector<Voice>& voices) {
    std::vector<std::pair<double, std::string>> sharp, rest, still_sharp;
    for (const Voice& v : voices) {
        const auto in = bands(v.sound);
        double loudest = 0.0;
        for (const Bands& b : in) loudest = std::max(loudest, b.all);
        const std::vector<std::pair<const char*, double>> at_rest{
            {"band1_on", 0}, {"band5_frequency", 5000}, {"band5_gain", 5}};
        // The level of its own range, as a person sees it, where there are words.
        const BandSettings shelf{FilterType::high_shelf, 5000.0, 5.0, 0.71, 12};
        BandMotions range;
        range.prepare(kRate);
        range.set(0, {DynamicMode::tames, 0.0});
        std::vector<float> levels;
        Sound copy = v.sound;
        for (size_t i = 0; i + kSubBlock <= copy.size(); i += kSubBlock) {
            AudioBlock block;
            block.channels = 1;
            block.frames = kSubBlock;
            block.rows[0] = copy.data() + i;
            range.begin_sub_block(0, shelf, 1.0);
            range.listen(block);
            const size_t piece = i / kPiece;
            if (piece < in.size() && in[piece].all > 1e-3 * loudest) levels.push_back(range.level(0));
        }
        if (levels.empty()) continue;
        std::ranges::sort(levels);
        auto moves = at_rest;
        moves.insert(moves.end(), {{"band5_moves", 1},
                                   {"band5_threshold", std::round(levels[levels.size() / 2])},
                                   {"band5_ratio", 2.5},
                                   {"band5_attack", 10},
                                   {"band5_release", 60},
                                   {"band5_depth", 9}});
        const auto plain = bands(through("equalizer", v.sound, at_rest));
        const auto out = bands(through("equalizer", v.sound, moves));
        double s_in = 0.0, s_out = 0.0, s_plain = 0.0, r_in = 0.0, r_out = 0.0;
        for (size_t i = 0; i < in.size(); ++i) {
            if (in[i].sharp > in[i].low && in[i].sharp > 1e-3 * loudest) {
                s_in += in[i].sharp;
                s_out += out[i].sharp;
                s_plain += plain[i].sharp;
            } else if (in[i].sharp < 0.03 * in[i].low && in[i].all > 1e-3 * loudest) {
                r_in += in[i].sharp;
                r_out += out[i].sharp;
            }
        }
        if (s_in <= 0.0 || r_in <= 0.0) continue;
        sharp.emplace_back(to_db(s_out / s_in), v.name);
        still_sharp.emplace_back(to_db(s_plain / s_in), v.name);
        rest.emplace_back(to_db(r_out / r_in), v.name);
    }
    std::printf("Equalizer, a shelf of +5 dB that moves\n");
    tell("5 to 10 kHz during s, dB", sharp, false);
    tell("the same, a shelf that stays, dB", still_sharp, false);
    tell("5 to 10 kHz of all else, dB", rest, true);
}

/// Gusts as a "p" makes them: noise between 20 and 110 Hz that rises in 4 ms and dies away with 40 ms, as
/// high as the voice's peak, one every 0.7 s.
Sound gusts(const Voice& v, std::vector<size_t>& at) {
    Sound out(v.sound.size(), 0.0f);
    float peak = 0.0f;
    for (const float x : v.sound) peak = std::max(peak, std::abs(x));
    std::mt19937 random(7);
    std::normal_distribution<double> normal;
    for (size_t start = 24000; start + 14400 < out.size(); start += 33600) {
        at.push_back(start);
        Sound one(14400);
        double low = 0.0, lower = 0.0, high = 0.0, highest = 0.0;
        for (size_t i = 0; i < one.size(); ++i) {
            const double t = static_cast<double>(i) / kRate;
            const double shape = std::min(1.0, t / 0.004) * std::exp(-t / 0.040);
            low += 0.0143 * (normal(random) - low);
            lower += 0.0143 * (low - lower);
            high += 0.0026 * (lower - high);
            one[i] = static_cast<float>(shape * (lower - high));
            highest = std::max(highest, std::abs(static_cast<double>(one[i])));
        }
        for (size_t i = 0; i < one.size(); ++i) out[start + i] += static_cast<float>(peak * one[i] / highest);
    }
    return out;
}

void plosives(const std::vector<Voice>& voices) {
    std::vector<std::pair<double, std::string>> gust, own, voice, low_voice, stoi;
    for (const Voice& v : voices) {
        const Sound y = through("plosives", v.sound);
        const auto in = bands(v.sound);
        const auto out = bands(y);
        double loudest = 0.0;
        for (const Bands& b : in) loudest = std::max(loudest, b.all);
        double all_in = 0.0, all_out = 0.0, sub_in = 0.0, sub_out = 0.0, own_in = 0.0, own_out = 0.0;
        for (size_t i = 0; i < in.size(); ++i) {
            if (in[i].low < 1e-2 * loudest) continue;
            all_in += in[i].all;
            all_out += out[i].all;
            // The recording's own gusts and knocks are no vowels.
            if (in[i].wind) {
                own_in += in[i].under_200;
                own_out += out[i].under_200;
                continue;
            }
            sub_in += in[i].under_200;
            sub_out += out[i].under_200;
        }
        voice.emplace_back(std::abs(to_db(all_out / all_in)), v.name);
        low_voice.emplace_back(std::abs(to_db(sub_out / sub_in)), v.name);
        if (own_in > 0.0) own.emplace_back(to_db(own_out / own_in), v.name);
        if (const auto kept = reed::stoi(v.sound, y, kRate)) stoi.emplace_back(*kept, v.name);
        std::vector<size_t> at;
        const Sound wind = gusts(v, at);
        Sound both = v.sound;
        for (size_t i = 0; i < both.size(); ++i) both[i] += wind[i];
        const auto with = bands(both);
        const auto tamed = bands(through("plosives", both));
        const auto only = bands(wind);
        double before = 0.0, after = 0.0;
        for (size_t i = 0; i < only.size(); ++i) {
            // Where the gust is most of what is below 90 Hz.
            if (only[i].sub < 0.5 * with[i].sub || only[i].sub < 1e-3 * loudest) continue;
            before += with[i].sub;
            after += tamed[i].sub;
        }
        if (before > 0.0) gust.emplace_back(to_db(after / before), v.name);
    }
    std::printf("Plosives, as they come\n");
    tell("below 90 Hz during gusts, dB", gust, false);
    tell("the recording's own, below 200 Hz, dB", own, false);
    tell("loud vowels, dB", voice, false);
    tell("loud vowels below 200 Hz, dB", low_voice, false);
    tell("STOI", stoi, true);
}

/// Loudness of stretches of three seconds that hold speech, in LUFS.
std::vector<double> loudness(const Sound& x) {
    std::vector<double> out;
    for (size_t at = 0; at + 144000 <= x.size(); at += 24000) {
        LoudnessMeter meter({kRate, 1});
        AudioBuffer piece(1, 144000);
        std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(at), 144000, piece[0].begin());
        meter.add(piece.block(0, 144000));
        const auto read = meter.read();
        out.push_back(read.integrated ? *read.integrated : -100.0);
    }
    return out;
}

/// A voice that goes from the microphone and comes back by 12 dB (5 to 40 cm and 3 dB of the room's), in
/// turns of 8 s, over a room 45 dB below it. Voices that keep within 2 LU by themselves.
void leveller(const std::vector<Voice>& voices) {
    std::vector<std::pair<double, std::string>> evenly, wanders, levelled, room;
    for (const Voice& v : voices) {
        Sound x;
        while (x.size() < static_cast<size_t>(40 * kRate)) x.insert(x.end(), v.sound.begin(), v.sound.end());
        double power = 0.0;
        for (const float s : x) power += static_cast<double>(s) * s;
        const double usual = std::sqrt(power / static_cast<double>(x.size()));
        std::mt19937 random(3);
        std::normal_distribution<double> normal;
        Sound still = x;
        for (size_t i = 0; i < x.size(); ++i) {
            const double t = static_cast<double>(i) / kRate;
            const double gain = -6.0 - 6.0 * std::cos(2.0 * std::numbers::pi * t / 16.0);
            const double level = 0.06 / usual;
            still[i] *= static_cast<float>(level * 0.5);
            x[i] = static_cast<float>(x[i] * level * std::pow(10.0, 0.05 * gain) + 0.0003 * normal(random));
        }
        const Sound y = through("leveller", x);
        const auto before = loudness(x);
        const auto after = loudness(y);
        const auto plain = loudness(still);
        // From the tenth second on, when it has found the voice. How far 3 s are from the middle of all.
        const auto spread = [](std::vector<double> all) {
            all.erase(all.begin(), all.begin() + 20);
            std::ranges::sort(all);
            const double middle = all[all.size() / 2];
            return std::max(all.back() - middle, middle - all.front());
        };
        // Speakers who are not even themselves are another matter.
        if (spread(plain) > 2.0) continue;
        evenly.emplace_back(spread(plain), v.name);
        wanders.emplace_back(spread(before), v.name);
        levelled.emplace_back(spread(after), v.name);
        // Pauses: what is 30 dB below the loudest and a second from it.
        Sound quiet = x;
        for (size_t i = static_cast<size_t>(30 * kRate); i < quiet.size(); ++i)
            quiet[i] = static_cast<float>(0.0003 * normal(random));
        const Sound z = through("leveller", quiet);
        double in = 0.0, out = 0.0;
        for (size_t i = static_cast<size_t>(34 * kRate); i < quiet.size(); ++i) {
            in += static_cast<double>(quiet[i]) * quiet[i];
            out += static_cast<double>(z[i]) * z[i];
        }
        room.emplace_back(to_db(out / in), v.name);
    }
    std::printf("Leveller, as it comes\n");
    tell("from its middle, not wandering, LU", evenly, false);
    tell("from its middle, wandering, LU", wanders, false);
    tell("from its middle, levelled, LU", levelled, false);
    tell("the room in a pause, dB", room, false);
}

/// At 48 kHz: mono, but for what needs two channels.
void costs(const std::vector<Voice>& voices) {
    std::printf("Share of a core, %%\n");
    for (const char* name : {"deesser", "plosives", "leveller", "gate", "compressor", "saturation", "widener",
                             "balance", "multiband", "echo", "reverb", "equalizer", "4 bands move"}) {
        const std::string_view what = name;
        const bool moves = what == "4 bands move";
        StageSpec one = stage(moves ? "equalizer" : name);
        for (int b = 2; moves && b <= 5; ++b) {
            const std::string band = "band" + std::to_string(b);
            one.set(band + "_moves", 1);
            one.set(band + "_threshold", -50);
        }
        if (what == "multiband") one.set("ranges", 2);
        const int channels = what == "widener" || what == "balance" ? 2 : 1;
        std::printf("  %-12s %5.2f\n", name, cost({{one}}, channels, voices.front().sound));
    }
}

}  // namespace

/// A folder of voices, and one of deesser, brightness, plosives, leveller, costs for that alone.
int main(int argc, char** argv) {
    if (argc != 2 && argc != 3) return 2;
    const auto voices = voices_in(argv[1]);
    std::printf("%zu voices\n", voices.size());
    const std::string_view only = argc == 3 ? argv[2] : "";
    const std::pair<const char*, void (*)(const std::vector<Voice>&)> parts[] = {{"deesser", deesser},
                                                                                 {"brightness", brightness},
                                                                                 {"plosives", plosives},
                                                                                 {"leveller", leveller},
                                                                                 {"costs", costs}};
    for (const auto& [name, part] : parts) {
        if (only.empty() || only == name) part(voices);
    }
    return 0;
}
