#include "scene_commands.h"

#include <cstdio>
#include <memory>

#include "base/file.h"
#include "base/sound_file.h"
#include "common.h"
#include "engine/render.h"
#include "recordings.h"
#include "scenes/adaptation.h"
#include "scenes/library.h"
#include "scenes/scene_archive.h"
#include "scenes/scene_schema.h"

namespace reed::cli {

StripSpec* strip_or_complain(Scene& scene, const std::string& strip) {
    StripSpec* found = strip_of(scene.desk, strip);
    if (found == nullptr)
        refuse({"is not a strip of this scene.", strip, "It has " + strips_of(scene.desk) + "."});
    return found;
}

namespace {

struct Options {
    std::vector<std::string> files;
    std::string scene, strip, stage, in, out, folder, clash = "both";
    bool json = false;
};

/// Teaches a stage the room tone of a sound file, and writes the scene with it.
int learn_command(const Options& o) {
    auto scene = scene_or_complain(o.scene);
    if (!scene) return kBadInput;
    StripSpec* strip = strip_or_complain(*scene, o.strip);
    if (strip == nullptr) return kBadInput;
    ChainSpec* chain = &strip->chain;
    int index = -1;
    for (size_t i = 0; i < chain->stages.size(); ++i) {
        const StageSpec& s = chain->stages[i];
        if (s.stage_kind().teaching != nullptr && (o.stage.empty() ? index < 0 : s.id == o.stage))
            index = static_cast<int>(i);
    }
    if (index < 0) {
        return refuse(o.stage.empty()
                          ? Error{"has no stage that learns.", o.scene, "Add one, e.g. a noise suppression."}
                          : Error{"is not a stage that learns.", o.stage, ""});
    }
    StageSpec& stage = chain->stages[static_cast<size_t>(index)];
    SoundInfo info;
    const auto sound = read_recording(o.in, info);
    if (!sound.ok()) return refuse(sound.error());
    ChainSpec before = *chain;
    before.stages.resize(static_cast<size_t>(index));
    const auto heard = render(before, sound.value(), info.sample_rate, 1024);
    if (!heard.ok()) return refuse({heard.error().what, o.in, heard.error().remedy});
    std::vector<float> room(heard.value().frames());
    for (int c = 0; c < heard.value().channels(); ++c) {
        for (size_t i = 0; i < room.size(); ++i)
            room[i] += heard.value()[c][i] / static_cast<float>(heard.value().channels());
    }
    const LearningSpec& teaching = *stage.stage_kind().teaching;
    const auto learnt = teaching.learn(room, info.sample_rate);
    if (!learnt.ok()) return refuse({learnt.error().what, o.in, learnt.error().remedy});
    stage.taught = learnt.value();
    teaching.use(stage.values);
    if (const auto saved = write_file(o.out, write_scene(*scene)); !saved.ok()) return refuse(saved.error());
    std::printf("%s: stage %s learned a %s at %.1f dBFS\n", o.out.c_str(), stage.id.c_str(),
                std::string(teaching.title).c_str(), teaching.level(stage.taught));
    return 0;
}

int check_command(const std::vector<std::string>& paths) {
    int status = 0;
    for (const auto& path : paths) {
        const SceneReading reading = load_scene(path);
        if (reading.scene) {
            std::cout << path << ": valid\n";
            for (const auto& remark : reading.remarks) std::cout << path << ": note: " << remark << "\n";
            continue;
        }
        for (const auto& problem : reading.problems) std::cerr << problem.text(path) << "\n";
        status = kBadInput;
    }
    return status;
}

/// Writes what the scene is made for into it, measured on speech.
int note_command(const Options& o) {
    auto scene = scene_or_complain(o.scene);
    if (!scene) return kBadInput;
    const StripSpec* strip = strip_or_complain(*scene, o.strip);
    if (strip == nullptr) return kBadInput;
    SoundInfo info;
    const auto sound = read_recording(o.in, info);
    if (!sound.ok()) return refuse(sound.error());
    const auto made = measure_made_for(strip->chain, strip->fader, sound.value(), info.sample_rate);
    if (!made) return refuse({"has no speech with pauses.", o.in, "Record some sentences with pauses."});
    scene->made_for[strip->id] = *made;
    if (const auto saved = write_file(o.out, write_scene(*scene)); !saved.ok()) return refuse(saved.error());
    std::printf(
        "%s: reference levels stored: noise %.1f, speech %.1f (quiet), %.1f (typical), %.1f dBFS (loud), "
        "output %.1f LUFS\n",
        o.out.c_str(), made->in.room, made->in.quiet, made->in.usual, made->in.loud, made->loudness);
    return 0;
}

/// Fits a scene to the voice and room of a sound file.
int fit_command(const Options& o) {
    auto scene = scene_or_complain(o.scene);
    if (!scene) return kBadInput;
    StripSpec* strip = strip_or_complain(*scene, o.strip);
    if (strip == nullptr) return kBadInput;
    const auto made = scene->made_for.find(strip->id);
    if (made == scene->made_for.end())
        return refuse(
            {"has no reference levels.", o.scene, "Use “scene set-reference” with a recording to add them."});
    SoundInfo info;
    const auto sound = read_recording(o.in, info);
    if (!sound.ok()) return refuse(sound.error());
    const auto fit = adapt_chain(strip->chain, strip->fader, made->second, sound.value(), info.sample_rate);
    if (!fit.ok()) return refuse({fit.error().what, o.in, fit.error().remedy});
    Json changes = Json::array();
    for (const AdaptationChange& c : fit.value().changes) {
        const int i = strip->chain.index_of(c.stage);
        const StageSpec* stage = i < 0 ? nullptr : &strip->chain.stages[static_cast<size_t>(i)];
        const std::string value =
            stage == nullptr ? "fader" : std::string(stage->stage_kind().parameters[c.row].id);
        const std::string why = format_message(fit_reason(c));
        changes.push_back(
            {{"stage", c.stage}, {"value", value}, {"from", c.from}, {"to", c.to}, {"why", why}});
        if (!o.json)
            std::printf("%-14s %-12s %7.1f -> %7.1f  %s\n", c.stage.c_str(), value.c_str(), c.from, c.to,
                        why.c_str());
    }
    const Json told{{"changes", changes},
                    {"loudness_lufs", fit.value().loudness},
                    {"loudness_made_lufs", fit.value().loudness_made}};
    if (o.json) std::cout << told.dump(2) << "\n";
    strip->chain = fit.value().chain;
    strip->fader = fit.value().fader;
    if (const auto saved = write_file(o.out, write_scene(*scene)); !saved.ok()) return refuse(saved.error());
    return 0;
}

int pack_command(const Options& o) {
    std::vector<Scene> scenes;
    for (const std::string& path : o.files) {
        auto scene = scene_or_complain(path);
        if (!scene) return kBadInput;
        scenes.push_back(std::move(*scene));
    }
    if (const auto written = write_scene_archive(o.out, scenes); !written.ok())
        return refuse(written.error());
    std::printf("%s: %zu scenes\n", o.out.c_str(), scenes.size());
    return 0;
}

int unpack_command(const Options& o) {
    const auto reading = read_scene_archive(o.in);
    if (!reading.ok()) return refuse(reading.error());
    for (const Error& e : reading.value().problems) std::cerr << e.text(o.in) << "\n";
    const ConflictPolicy clash = o.clash == "replace" ? ConflictPolicy::replace
                                 : o.clash == "skip"  ? ConflictPolicy::leave_out
                                                      : ConflictPolicy::keep_both;
    const auto names = SceneLibrary(o.folder).take_in(reading.value().scenes, clash);
    if (!names.ok()) return refuse(names.error());
    for (const std::string& name : names.value()) {
        if (!name.empty()) std::printf("%s\n", name.c_str());
    }
    return reading.value().problems.empty() ? 0 : kBadInput;
}

}  // namespace

std::vector<std::pair<CLI::App*, std::function<int()>>> scene_commands(CLI::App& app) {
    std::vector<std::pair<CLI::App*, std::function<int()>>> out;
    const auto o = std::make_shared<Options>();
    auto* scenes = app.add_subcommand("scene", "Work on scene files");
    scenes->require_subcommand(1);
    const auto add = [&](const char* name, const char* what, auto work) {
        CLI::App* command = scenes->add_subcommand(name, what);
        out.emplace_back(command, [o, work] { return work(*o); });
        return command;
    };
    const auto about = [&](CLI::App* command, const char* sound) {
        command->add_option("--scene", o->scene, "Scene file to read")->type_name("FILE")->required();
        command->add_option("--strip", o->strip, "Id or name of the strip (default: the first)")
            ->type_name("STRIP");
        command->add_option("--in", o->in, sound)->type_name("FILE")->required();
        command->add_option("--out", o->out, "Scene file to write")->type_name("FILE")->required();
    };
    add("check", "Validate scene files", [](const Options& of) { return check_command(of.files); })
        ->add_option("files", o->files, "Scene files")
        ->type_name("FILE")
        ->required();
    add("schema", "Print the JSON Schema of scene files", [](const Options&) {
        std::cout << scene_schema();
        return 0;
    });
    CLI::App* learn = add("learn", "Learn a noise profile from a recording of silence", learn_command);
    about(learn, "Audio file of the background noise without speech, 3 s or longer");
    learn->add_option("--stage", o->stage, "Id of the stage (default: the first that learns)")
        ->type_name("STAGE");
    const char* speech = "Unprocessed audio file with some sentences and pauses";
    CLI::App* reference =
        add("set-reference", "Store a recording's voice and noise levels in a scene as its reference",
            note_command);
    reference->alias("note");
    about(reference, speech);
    CLI::App* fit = add("adapt", "Adapt a scene to another voice and room", fit_command);
    fit->alias("fit");
    about(fit, speech);
    fit->add_flag("--json", o->json, "Print JSON");
    CLI::App* pack = add("pack", "Pack scene files into a zip", pack_command);
    pack->add_option("files", o->files, "Scene files")->type_name("FILE")->required();
    pack->add_option("--out", o->out, "Zip to write")->type_name("FILE")->required();
    CLI::App* unpack = add("unpack", "Unpack a zip of scenes into a folder", unpack_command);
    unpack->add_option("file", o->in, "Zip of scene files")->type_name("FILE")->required();
    unpack->add_option("--folder", o->folder, "Folder of the scenes")->type_name("FOLDER")->required();
    unpack->add_option("--clash", o->clash, "What to do with scenes that already exist")
        ->check(CLI::IsMember({"both", "replace", "skip"}));
    return out;
}

}  // namespace reed::cli
