#include "soundcheck_command.h"

#include <cmath>
#include <memory>

#include "base/file.h"
#include "common.h"
#include "dsp/resample.h"
#include "recordings.h"
#include "scenes/adaptation.h"
#include "soundcheck/proposal.h"
#include "soundcheck/report.h"

namespace reed::cli {
namespace {

struct Options {
    std::array<std::string, kSoundcheckSteps> files;
    std::string folder, out, name = "Soundcheck";
    double target = kSoundcheckTarget;
    bool json = false;
};

Result<StepRecordings> read_steps(const Options& o) {
    StepRecordings out;
    bool first = true;
    for (const StepInfo& info : soundcheck_steps()) {
        const std::string& word = o.files[static_cast<size_t>(info.step)];
        if (word.empty()) continue;
        const auto take = recording_named(word, o.folder);
        if (!take.ok()) return take.error();
        const std::string path = take.value().path.string();
        SoundInfo sound_info;
        auto sound = read_recording(path, sound_info);
        if (!sound.ok()) return sound.error();
        if (first) out.sample_rate = sound_info.sample_rate;
        first = false;
        if (sound_info.sample_rate != out.sample_rate) {
            AudioBuffer same(sound.value().channels(), 0);
            for (int c = 0; c < same.channels(); ++c)
                same[c] = resample(sound.value()[c], sound_info.sample_rate, out.sample_rate);
            same.resize(same[0].size());
            out[info.step] = std::move(same);
        } else {
            out[info.step] = std::move(sound.value());
        }
        if (const auto problem =
                step_problem(info.step, out[info.step], out.sample_rate, &out[SoundcheckStep::silence]))
            return Error{
                "can't be used for the step “" + std::string(info.title) + "”: " + format_message(*problem),
                path, ""};
    }
    return out;
}

int run_soundcheck(const Options& o) {
    if (!std::isfinite(o.target) || o.target < -40.0 || o.target > -5.0)
        return refuse({"is outside -40 to -5 LUFS.", "--target", "Streams are often at -16."});
    const auto steps = read_steps(o);
    if (!steps.ok()) return refuse(steps.error());
    const auto facts = analyse_steps(steps.value());
    if (!facts.ok()) return refuse(facts.error());
    const auto joined = StepSound::join(steps.value());
    if (!joined.ok()) return refuse(joined.error());
    const auto proposal = propose_chain(facts.value(), joined.value(), o.target);
    if (!proposal.ok()) return refuse(proposal.error());
    if (!o.out.empty()) {
        Scene scene;
        scene.name = o.name;
        scene.note = "Made by a soundcheck.";
        scene.chain() = proposal.value().chain;
        const auto made = measure_made_for(scene.chain(), 0.0, steps.value()[SoundcheckStep::talk],
                                           steps.value().sample_rate);
        if (made) scene.made_for[scene.desk.strips.front().id] = *made;
        if (const auto saved = write_file(o.out, write_scene(scene)); !saved.ok())
            return refuse(saved.error());
    }
    std::cout << (o.json ? soundcheck_json(facts.value(), &proposal.value()) + "\n"
                         : soundcheck_text(facts.value(), &proposal.value()));
    return 0;
}

}  // namespace

std::vector<std::pair<CLI::App*, std::function<int()>>> soundcheck_command(CLI::App& app) {
    auto o = std::make_shared<Options>();
    auto* c = app.add_subcommand("soundcheck", "Measure a voice and its room, and propose a chain for them");
    for (const StepInfo& info : soundcheck_steps()) {
        auto* option = c->add_option("--" + std::string(info.id), o->files[static_cast<size_t>(info.step)],
                                     "Audio file or take: " + std::string(info.title))
                           ->type_name("FILE");
        if (info.required) option->required();
    }
    c->add_option("--out", o->out, "Scene file to write with the proposed chain")->type_name("FILE");
    c->add_option("--name", o->name, "Name of that scene (default: Soundcheck)")->type_name("NAME");
    c->add_option("--target", o->target, "Loudness of the output in LUFS (default: -16)");
    c->add_option("--folder", o->folder, "Folder of the takes (default: the window's)")->type_name("FOLDER");
    c->add_flag("--json", o->json, "Print JSON");
    return {{c, [o] { return run_soundcheck(*o); }}};
}

}  // namespace reed::cli
