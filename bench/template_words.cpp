// Words that the starting points cut, on recorded voices at three levels, before and after they are adapted.
// Arguments: a folder with WAV files of talk at 48 kHz (bench/more_voices.sh makes one), and that of the
// scenes.
#include "constructed.h"
#include "measure/speech_level.h"
#include "scenes/adaptation.h"
#include "scenes/library.h"
#include "soundcheck/step_sound.h"
#include "support/noises.h"

namespace {

using namespace reed;
using namespace reed::bench;

constexpr double kLevels[] = {-22.0, -30.0, -38.0};  // dBFS, active speech level
constexpr double kNoiseBelow = 34.0;                 // dB

AudioBuffer one_channel(Sound x) {
    AudioBuffer out(1, x.size());
    out[0] = std::move(x);
    return out;
}

/// What the stages before the compressor lose.
SpeechLoss loss_of(const ChainSpec& chain, const StepSound& steps) {
    ChainSpec part = chain;
    const auto end = std::ranges::find(part.stages, std::string_view("compressor"), &StageSpec::kind);
    part.stages.erase(end, part.stages.end());
    const auto run = run_chain(part, steps.sound(), kRate);
    return run.ok() ? steps.loss(steps.input(), run.value().taps.back()) : SpeechLoss{};
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 3) {
        std::fprintf(stderr, "usage: %s FOLDER_OF_TALK FOLDER_OF_SCENES\n", argv[0]);
        return 2;
    }
    const auto voices = voices_in(argv[1]);
    const auto scenes = SceneLibrary(argv[2]).list().scenes;
    std::printf("Words cut by the starting points, %zu voices: as they are, and adapted\n", voices.size());
    for (const SceneEntry& entry : scenes) {
        const auto strip = std::ranges::find(entry.scene.desk.strips, StripRole::voice, &StripSpec::role);
        const auto made = entry.scene.made_for.find(strip->id);
        if (made == entry.scene.made_for.end()) continue;
        std::printf("  %-30s", entry.scene.name.c_str());
        for (const double level : kLevels) {
            size_t words = 0;
            size_t cut = 0;
            size_t cut_adapted = 0;
            for (size_t v = 0; v < voices.size(); v += 2) {
                Sound talk = piece(voices[v].sound, 0, 12.0);
                scale(talk, level - speech_level(voices[v].sound, kRate)->active_dbfs);
                Sound noise = test::make_noise(test::Noise::fan, 17.0, 3);
                scale(noise, level - kNoiseBelow - rms_db(noise));
                add(talk, piece(noise, 240000, 12.0), 0.0);
                StepRecordings recorded;
                recorded.sample_rate = kRate;
                recorded[SoundcheckStep::silence] = one_channel(piece(noise, 0, 5.0));
                recorded[SoundcheckStep::talk] = one_channel(std::move(talk));
                const auto steps = StepSound::join(recorded);
                if (!steps.ok()) continue;
                const SpeechLoss plain = loss_of(strip->chain, steps.value());
                const auto fit =
                    adapt_chain(strip->chain, strip->fader, made->second, steps.value().sound(), kRate);
                words += plain.words;
                cut += plain.truncated;
                cut_adapted +=
                    fit.ok() ? loss_of(fit.value().chain, steps.value()).truncated : plain.truncated;
            }
            std::printf("  %.0f dBFS: %3zu, %3zu of %zu", level, cut, cut_adapted, words);
            std::fflush(stdout);
        }
        std::printf("\n");
    }
    return 0;
}
