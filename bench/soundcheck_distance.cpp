// What has changed since a soundcheck, on constructed changes. Argument: a folder with WAV files of talk at
// 48 kHz (bench/more_voices.sh makes one); "--list" prints each case.
#include <cstring>
#include <map>

#include "constructed.h"
#include "measure/level_statistics.h"
#include "soundcheck/since_soundcheck.h"
#include "support/noises.h"

namespace {

using namespace reed;
using namespace reed::bench;

/// Rooms by their decay, how far the place of the soundcheck is in multiples of the critical distance, and
/// the low end of close talk there in dB. The thresholds were set by the first one.
struct Place {
    const char* name;
    double decay, distance, low_end;
};
constexpr Place kPlaces[] = {{"room of 0.4 s", 0.4, 0.3, 6.0},
                             {"dry room of 0.2 s", 0.2, 0.2, 3.0},
                             {"live room of 0.8 s", 0.8, 0.4, 4.0}};

/// A voice at a distance, in multiples of that of the soundcheck: the direct sound falls by the distance and
/// loses the low end of the near field, the room's answer stays. `softer`: dB by which it talks more softly,
/// which takes half as much again from the highs.
struct Change {
    const char* name;
    double distance = 1.0, softer = 0.0, gain = 0.0, noise = 0.0;
    const char* must = "";  // finding
};
constexpr Change kChanges[] = {
    {"the same", 1.0, 0.0, 0.0, 0.0, ""},
    {"4 dB softer", 1.0, 4.0, 0.0, 0.0, ""},
    {"9 dB softer", 1.0, 9.0, 0.0, 0.0, ""},
    {"half as far again", 1.5, 0.0, 0.0, 0.0, ""},
    {"three times as far", 3.0, 0.0, 0.0, 0.0, "farther"},
    {"five times as far", 5.0, 0.0, 0.0, 0.0, "farther"},
    {"gain 10 dB lower", 1.0, 0.0, -10.0, 0.0, "gain_changed"},
    {"gain 10 dB higher", 1.0, 0.0, 10.0, 0.0, "gain_changed"},
    {"noise 10 dB louder", 1.0, 0.0, 0.0, 10.0, "noise_louder"},
    {"noise 3 dB louder", 1.0, 0.0, 0.0, 3.0, ""},
};

constexpr double kSpeech = -26.0, kNoise = -62.0;  // dBFS at the soundcheck

Sound placed(Sound voice, const Place& place, const Change& c, std::uint32_t seed) {
    voice = filtered(std::move(voice), {FilterType::low_shelf, 250.0, place.low_end / c.distance, 0.7, 12});
    if (c.softer > 0.0)
        voice = filtered(std::move(voice), {FilterType::high_shelf, 1500.0, -c.softer / 2.0, 0.7, 12});
    voice = in_room(voice, place.decay, place.distance * c.distance, seed);
    scale(voice, -gain_to_db(c.distance) - c.softer + c.gain);
    Sound noise = test::make_noise(test::Noise::fan, 30.0, seed);
    scale(noise, kNoise + c.noise + c.gain - rms_db(noise));
    add(voice, noise, 0.0);
    return voice;
}

void measure(const std::vector<Voice>& voices, const Place& place, bool list) {
    std::map<std::string, std::pair<int, int>> right;
    std::string wrong;
    for (size_t v = 0; v < voices.size(); ++v) {
        Sound all = voices[v].sound;
        scale(all, kSpeech - speech_level(all, kRate)->active_dbfs);
        StepRecordings steps;
        steps.sample_rate = kRate;
        const auto put = [&](SoundcheckStep step, Sound x) {
            AudioBuffer b(1, x.size());
            b[0] = std::move(x);
            steps[step] = std::move(b);
        };
        put(SoundcheckStep::silence, placed(Sound(240000), place, kChanges[0], 11));
        put(SoundcheckStep::talk, placed(piece(all, 0, 12.0), place, kChanges[0], 12));
        const auto facts = analyse_steps(steps);
        if (!facts.ok()) {
            std::printf("  refused: %s: %s\n", voices[v].name.c_str(), facts.error().text().c_str());
            continue;
        }
        const SoundcheckRecord record = soundcheck_record(facts.value(), "", {});
        for (const Change& c : kChanges) {
            // Other words than at the soundcheck.
            const Sound now =
                placed(piece(all, all.size() / 2, 20.0), place, c, 20 + static_cast<std::uint32_t>(v));
            const auto since = since_soundcheck(record, now, kRate, kNoise + c.noise + c.gain);
            const auto finding = since ? since_finding(*since) : std::nullopt;
            const std::string said = finding ? std::string(finding->id) : "";
            auto& [good, total] = right[c.name];
            ++total;
            good += said == c.must ? 1 : 0;
            if (said != c.must) wrong += "    " + voices[v].name + ", " + c.name + ": " + said + "\n";
            if (list && since)
                std::printf(
                    "  %-28s %-20s %-12s noise %+5.1f speech %+5.1f balance %+5.1f echo x%.2f (%.2f)\n",
                    voices[v].name.c_str(), c.name, said.c_str(), since->noise, since->speech,
                    since->balance.value_or(0.0), since->echo.value_or(0.0), record.echo.value_or(0.0));
        }
    }
    std::printf("%s\n", place.name);
    for (const Change& c : kChanges)
        std::printf("  %-20s %d of %d right\n", c.name, right[c.name].first, right[c.name].second);
    std::printf("%s", wrong.c_str());
}

}  // namespace

int main(int argc, char** argv) {
    if (argc < 2) {
        std::fprintf(stderr, "usage: %s FOLDER_OF_TALK [--list]\n", argv[0]);
        return 2;
    }
    const bool list = std::strcmp(argv[argc - 1], "--list") == 0;
    const auto voices = voices_in(argv[1]);
    std::printf("What has changed since a soundcheck, %zu voices\n", voices.size());
    for (const Place& place : kPlaces) measure(voices, place, list);
    return 0;
}
