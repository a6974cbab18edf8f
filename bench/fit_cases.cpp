// How well the starting points fit recorded voices in rooms that they were not made for, after one step:
// where their gates stand, and how loud the voice is. Arguments: a folder with WAV files of talk at 48 kHz
// (bench/more_voices.sh makes one), and that of the scenes.
#include <cmath>
#include <map>

#include "base/decibel.h"
#include "measure/findings.h"
#include "measure/loudness.h"
#include "scenes/adaptation.h"
#include "scenes/library.h"
#include "support/noises.h"
#include "voices.h"

namespace {

using namespace reed;
using namespace reed::bench;
using reed::test::kRooms;
using reed::test::make_noise;
constexpr double kRate = 48000.0;
constexpr size_t kMost = 12 * 48000;

/// The voice so many dB louder, in a room so many dB below its loudness. Single sentences are repeated with a
/// pause of a second, as talk has pauses.
AudioBuffer voice_in_room(const Sound& voice, double louder, size_t room, double below) {
    AudioBuffer out(1, kMost);
    const auto pause = static_cast<size_t>(kRate);
    for (size_t at = 0; at < kMost; at += voice.size() + pause)
        std::copy_n(voice.begin(), std::min(voice.size(), kMost - at),
                    out[0].begin() + static_cast<std::ptrdiff_t>(at));
    for (float& x : out[0]) x *= static_cast<float>(db_to_gain(louder));
    const double level = measure_loudness(out, kRate).integrated.value_or(-40.0) - below;
    const auto behind =
        make_noise(kRooms[room % std::size(kRooms)], static_cast<double>(out.frames()) / kRate, 7);
    for (size_t i = 0; i < std::min(out.frames(), behind.size()); ++i)
        out[0][i] += behind[i] * static_cast<float>(db_to_gain(level));
    return out;
}

/// What came to a stage; nothing where it can't be told.
std::optional<VoiceLevels> before(const ChainSpec& chain, size_t stage, const AudioBuffer& sound) {
    ChainSpec up_to = chain;
    up_to.stages.resize(stage);
    const auto levels = sound_levels(up_to, sound, kRate);
    if (!levels.ok()) return std::nullopt;
    const TapLevels tap = levels.value().report().taps.back();
    return tap.voice_known && tap.room_known ? std::optional(voice_levels(tap)) : std::nullopt;
}

/// Warnings about the stages of a chain while `sound` plays, without the seconds in which the suppression
/// settles: "stage: message".
std::vector<std::string> warnings(const ChainSpec& chain, const AudioBuffer& sound) {
    // Twice, so that enough is left of it.
    AudioBuffer twice(1, 2 * sound.frames());
    for (const size_t at : {size_t{0}, sound.frames()})
        std::copy_n(sound[0].begin(), sound.frames(), twice[0].begin() + static_cast<std::ptrdiff_t>(at));
    std::vector<std::string> out;
    auto levels = sound_levels(chain, twice, kRate);
    if (!levels.ok()) return out;
    levels.value().set_window(static_cast<double>(sound.frames()) / kRate);
    const LevelReport report = levels.value().report();
    for (size_t i = 0; i < chain.stages.size(); ++i) {
        const Finding f = stage_finding(chain, i, report);
        if (f.tone == FindingTone::warning) out.push_back(chain.stages[i].kind + ": " + format_message(f));
    }
    return out;
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 3) {
        std::fprintf(stderr, "usage: %s FOLDER_OF_TALK FOLDER_OF_SCENES\n", argv[0]);
        return 2;
    }
    const auto voices = voices_in(argv[1]);
    const auto scenes = SceneLibrary(argv[2]).list().scenes;
    std::vector<std::pair<double, std::string>> off, unfitted, room_under, voice_over;
    int none = 0, gates = 0, placed = 0;
    std::string not_placed;
    std::map<std::string, std::vector<std::string>> warned;  // per stage: message and where
    size_t without = 0, cases = 0;
    for (size_t v = 0; v < voices.size(); ++v) {
        for (size_t turn = 0; turn < 2; ++turn) {
            const Scene& scene = scenes[(2 * v + turn) % scenes.size()].scene;
            const auto strip = std::ranges::find(scene.desk.strips, StripRole::voice, &StripSpec::role);
            const auto made = scene.made_for.find(strip->id);
            if (made == scene.made_for.end()) continue;
            const double louder = -20.0 + 13.0 * static_cast<double>((v + turn) % 3);
            const double below = 22.0 + 8.0 * static_cast<double>((v / 3 + turn) % 3);
            const AudioBuffer sound = voice_in_room(voices[v].sound, louder, v + 4 * turn, below);
            const std::string name = voices[v].name + " in " +
                                     reed::test::noise_name(kRooms[(v + 4 * turn) % std::size(kRooms)]) +
                                     ", " + scene.name;
            const auto fit = adapt_chain(strip->chain, strip->fader, made->second, sound, kRate);
            if (!fit.ok()) {
                ++none;
                std::printf("  no fit: %s (%s)\n", name.c_str(), fit.error().what.c_str());
                continue;
            }
            const Fit& f = fit.value();
            off.emplace_back(std::abs(f.loudness - f.loudness_made), name);
            const auto said = warnings(f.chain, sound);
            ++cases;
            if (said.empty()) ++without;
            for (const std::string& w : said) warned[w.substr(0, w.find(':'))].push_back(w + "   " + name);
            if (const auto as_it_was = measure_made_for(strip->chain, strip->fader, sound, kRate))
                unfitted.emplace_back(std::abs(as_it_was->loudness - f.loudness_made), name);
            for (size_t i = 0; i < f.chain.stages.size(); ++i) {
                const StageSpec& s = f.chain.stages[i];
                if (s.kind != "gate" || s.bypass) continue;
                const auto there = before(f.chain, i, sound);
                if (!there) continue;
                ++gates;
                room_under.emplace_back(s.value("close_threshold") - there->room, name);
                voice_over.emplace_back(there->quiet - s.value("open_threshold"), name);
                if (room_under.back().first > 0.0 && voice_over.back().first > 0.0)
                    ++placed;
                else
                    not_placed += "    " + name + "\n";
            }
        }
    }
    std::printf("%zu scenes on %zu voices, 12 s each\n", scenes.size(), voices.size());
    tell("LU off before", unfitted, false);
    tell("LU off after one step", off, false);
    tell("dB from the room up to where a gate closes", room_under, true);
    tell("dB from where it opens up to quiet words", voice_over, true);
    std::printf("  gates between room and quiet words: %d of %d; no fit: %d\n%s", placed, gates, none,
                not_placed.c_str());
    std::printf("  without a warning of any stage: %zu of %zu\n", without, cases);
    for (const auto& [stage, messages] : warned) {
        std::printf("  warnings of %s: %zu\n", stage.c_str(), messages.size());
        for (const std::string& m : messages) std::printf("    %s\n", m.c_str());
    }
    return 0;
}
