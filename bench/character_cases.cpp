// What characters and the stages they are made of do to recorded voices, and what they cost: median and worst
// case by name. Arguments: a folder with WAV files of talk at 48 kHz (bench/more_voices.sh makes one), and
// the folder of the characters; with "loudness" as a third one only how loud the characters are.
#include <chrono>
#include <cmath>
#include <optional>

#include "chain/chain.h"
#include "engine/render.h"
#include "measure/intelligibility.h"
#include "measure/loudness.h"
#include "scenes/library.h"
#include "voices.h"

namespace {

using namespace reed;
using namespace reed::bench;
constexpr double kRate = 48000.0;

double loudness(const AudioBuffer& sound) {
    AudioBuffer copy = sound;
    return measure_loudness(copy, kRate).integrated.value_or(-100.0);
}

/// Through a chain with a character on from the beginning, with one channel or two.
AudioBuffer with(const CharacterSpec& character, const Sound& x, int channels) {
    ChainSpec spec;
    spec.characters = {character};
    spec.character = character.name;
    AudioBuffer out(channels, x.size());
    for (int c = 0; c < channels; ++c) out[c] = x;
    auto chain = Chain::build(spec, {kRate, channels});
    for (size_t i = 0; i + 480 <= x.size(); i += 480) chain.value()->process(out.block(i, 480));
    return out;
}

/// Pitch of every 20 ms by the normalised autocorrelation over 60 ms: another method than the stage's. 0
/// where it is below 0.8.
std::vector<double> pitches(const Sound& x) {
    constexpr size_t kWindow = 2880, kShortest = 30, kLongest = 740;
    std::vector<double> out;
    for (size_t at = 0; at + kWindow + kLongest < x.size(); at += 960) {
        std::vector<double> alike(kLongest + 1, -1.0);
        for (size_t lag = kShortest; lag <= kLongest; ++lag) {
            double both = 0.0, one = 1e-9, other = 1e-9;
            for (size_t i = at; i < at + kWindow; i += 2) {
                const double a = x[i], b = x[i + lag];
                both += a * b;
                one += a * a;
                other += b * b;
            }
            alike[lag] = both / std::sqrt(one * other);
        }
        const double most = *std::ranges::max_element(alike);
        size_t best = 0;
        // The shortest lag that is about as good: else two periods would do as well.
        for (size_t lag = kShortest + 1; best == 0 && lag < kLongest; ++lag) {
            if (alike[lag] > 0.95 * most && alike[lag] >= alike[lag - 1] && alike[lag] >= alike[lag + 1])
                best = lag;
        }
        out.push_back(most > 0.8 && best > 0 ? kRate / static_cast<double>(best) : 0.0);
    }
    return out;
}

double median(std::vector<double> all) {
    std::ranges::sort(all);
    return all.empty() ? 0.0 : all[all.size() / 2];
}

void pitch(const std::vector<Voice>& voices) {
    std::printf("Pitch\n");
    for (const auto& [shift, size] : {std::pair{-7.0, 0.0}, {-4.0, -3.0}, {4.0, 3.0}, {7.0, 0.0}}) {
        std::vector<std::pair<double, std::string>> off, far, louder;
        for (const Voice& v : voices) {
            const Sound x(v.sound.begin(), v.sound.begin() + static_cast<std::ptrdiff_t>(
                                                                 std::min<size_t>(v.sound.size(), 480000)));
            const Sound y = through(stage("pitch", {{"shift", shift}, {"size", size}}), x);
            const auto before = pitches(x), after = pitches(y);
            std::vector<double> cents;
            size_t wrong = 0;
            for (size_t i = 0; i < std::min(before.size(), after.size()); ++i) {
                if (before[i] == 0.0 || after[i] == 0.0) continue;
                cents.push_back(1200.0 * std::log2(after[i] / before[i]) - 100.0 * shift);
                wrong += std::abs(cents.back()) > 100.0 ? 1 : 0;
            }
            if (cents.size() < 20) continue;
            off.emplace_back(std::abs(median(cents)), v.name);
            far.emplace_back(100.0 * static_cast<double>(wrong) / static_cast<double>(cents.size()), v.name);
            AudioBuffer in(1, x.size()), out(1, y.size());
            in[0] = x;
            out[0] = y;
            louder.emplace_back(std::abs(loudness(out) - loudness(in)), v.name);
        }
        std::printf(" %+.0f st, formants %+.0f\n", shift, size);
        tell("pitch off by, cents (median of the voice)", off, false);
        tell("more than a semitone off, % of the time", far, false);
        tell("loudness off by, LU", louder, false);
    }
    std::vector<std::pair<double, std::string>> clear;
    for (const Voice& v : voices) {
        if (const auto s =
                stoi(v.sound,
                     through(stage("pitch", {{"shift", 0.0}, {"size", 0.0}, {"snap", 1.0}}), v.sound), kRate))
            clear.emplace_back(*s, v.name);
    }
    tell("STOI, cut into periods and laid where they were", clear, true);
}

void characters(const std::vector<Voice>& voices, const std::vector<CharacterSpec>& all) {
    std::printf("Characters: louder than the voice by, LU (one channel, then two)\n");
    for (const CharacterSpec& c : all) {
        std::vector<std::pair<double, std::string>> one, two;
        for (const Voice& v : voices) {
            const AudioBuffer a = with(c, v.sound, 1), b = with(c, v.sound, 2);
            AudioBuffer plain(1, v.sound.size()), wide(2, v.sound.size());
            plain[0] = wide[0] = wide[1] = v.sound;
            one.emplace_back(loudness(a) - loudness(plain), v.name);
            two.emplace_back(loudness(b) - loudness(wide), v.name);
        }
        tell(c.name.c_str(), one, false);
        tell("  the quietest", one, true);
        tell("  with two channels", two, false);
        tell("  the quietest", two, true);
    }
}

void costs(const std::vector<Voice>& voices, const std::vector<CharacterSpec>& all) {
    const Sound& x = voices.front().sound;
    std::printf("Share of a core, %% (one channel, two)\n");
    const auto line = [&](const std::string& name, const ChainSpec& spec) {
        std::printf("  %-16s %5.2f %5.2f\n", name.c_str(), cost(spec, 1, x), cost(spec, 2, x));
    };
    ChainSpec empty;
    line("nothing", empty);
    empty.characters = all;
    line("all off", empty);
    for (const auto& s : {stage("tone", {{"body", 3}, {"clarity", 3}}), stage("pitch", {{"shift", 4}}),
                          stage("doubler", {}), stage("robot", {}), stage("deesser", {})}) {
        ChainSpec one;
        one.stages = {s};
        line(s.kind, one);
    }
    for (const CharacterSpec& c : all) {
        ChainSpec one;
        one.characters = {c};
        one.character = c.name;
        line(c.name, one);
    }
    const auto built = [](const ChainSpec& spec) {
        double least = 1e9;
        for (int round = 0; round < 20; ++round) {
            const auto start = std::chrono::steady_clock::now();
            auto chain = Chain::build(spec, {kRate, 1});
            const std::chrono::duration<double, std::milli> took = std::chrono::steady_clock::now() - start;
            if (chain.ok()) least = std::min(least, took.count());
        }
        return least;
    };
    std::printf("Building a chain that all of them wait with: %.2f ms\n", built(empty));
}

}  // namespace

int main(int argc, char** argv) {
    const bool loudness_only = argc == 4 && std::string_view(argv[3]) == "loudness";
    if (argc != 3 && !loudness_only) return 2;
    const auto voices = voices_in(argv[1]);
    std::vector<CharacterSpec> all;
    for (const SceneEntry& e : SceneLibrary(argv[2]).list().scenes)
        all.push_back({e.scene.name, e.scene.chain().stages});
    std::printf("%zu voices, %zu characters\n", voices.size(), all.size());
    if (!loudness_only) pitch(voices);
    characters(voices, all);
    if (loudness_only) return 0;
    costs(voices, all);
    return 0;
}
