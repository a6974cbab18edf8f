#include "take_commands.h"

#include <cstdio>
#include <filesystem>
#include <memory>

#include "base/file.h"
#include "common.h"
#include "recordings.h"
#include "takes/comparison.h"
#include "takes/take_report.h"

namespace reed::cli {
namespace {

struct Options {
    std::vector<std::string> files, scenes;
    std::string folder, in, out, scene, strip;
    bool json = false;
};

Json take_json(const Take& take) {
    Json out;
    out["name"] = take.notes.name;
    out["file"] = take.path.string();
    out["date"] = take.notes.date;
    out["strip"] = take.notes.strip;
    out["device"] = take.notes.device;
    out["notes"] = take.notes.notes;
    out["seconds"] = take.problem.empty() ? Json(take.seconds()) : Json(nullptr);
    out["sample_rate_hz"] = take.info.sample_rate;
    out["channels"] = take.info.channels;
    out["problem"] = take.problem.empty() ? Json(nullptr) : Json(take.problem);
    return out;
}

int list(const Options& o) {
    const auto takes = take_store(o.folder).list();
    if (o.json) {
        Json all = Json::array();
        for (const Take& t : takes) all.push_back(take_json(t));
        std::cout << Json{{"takes", all}}.dump(2, ' ', false, Json::error_handler_t::replace) << "\n";
        return 0;
    }
    for (const Take& t : takes) {
        if (t.problem.empty())
            std::printf("%8.1f s  %s  %s\n", t.seconds(), t.notes.date.c_str(), t.notes.name.c_str());
        else
            std::printf("         -  %s: %s\n", t.path.filename().c_str(), t.problem.c_str());
    }
    return 0;
}

int import(const Options& o) {
    int status = 0;
    for (const auto& file : o.files) {
        const auto taken = take_store(o.folder).import(file);
        if (taken.ok())
            std::printf("%s\n", taken.value().path.c_str());
        else
            status = refuse(taken.error());
    }
    return status;
}

/// The chain of a scene's strip; prints the error and returns nothing if there is none.
std::optional<ChainSpec> chain_of(const std::string& path, const std::string& strip) {
    auto scene = scene_or_complain(path);
    if (!scene) return {};
    const StripSpec* found = strip_of(scene->desk, strip);
    if (found != nullptr) return found->chain;
    refuse({"is not a strip of this scene.", strip, "It has " + strips_of(scene->desk) + "."});
    return {};
}

int export_take(const Options& o) {
    const auto take = take_store(o.folder).find(o.in);
    if (!take.ok()) return refuse(take.error());
    std::optional<ChainSpec> chain;
    if (!o.scene.empty() && !(chain = chain_of(o.scene, o.strip))) return kBadInput;
    const auto done = take_store(o.folder).write_out(take.value(), o.out, chain ? &*chain : nullptr);
    return done.ok() ? 0 : refuse(done.error());
}

Result<void> write_sound(const std::filesystem::path& path, AudioBuffer& sound, double rate) {
    auto created = SoundWriter::create(path, {rate, sound.channels()}, SampleFormat::float32);
    if (!created.ok()) return created.error();
    constexpr size_t kPiece = 65536;
    for (size_t done = 0; done < sound.frames(); done += kPiece) {
        const auto n = static_cast<int>(std::min(kPiece, sound.frames() - done));
        if (auto written = created.value()->write(sound.block(done, n)); !written.ok()) return written;
    }
    return created.value()->finish();
}

int compare_scenes(const Options& o) {
    const auto take = recording_named(o.in, o.folder);
    if (!take.ok()) return refuse(take.error());
    if (o.scenes.size() != 2)
        return refuse({"Two sides are needed.", std::to_string(o.scenes.size()) + " given",
                       "Give two scenes with --scene; one of them may be \"unprocessed\"."});
    Side sides[2];
    for (size_t i = 0; i < 2; ++i) {
        if (o.scenes[i] == "unprocessed" || o.scenes[i] == "plain") continue;
        const auto chain = chain_of(o.scenes[i], o.strip);
        if (!chain) return kBadInput;
        sides[i] = {Side::What::processed, *chain, 0, 0};
    }
    SoundInfo info;
    const auto sound = read_sound(take.value().path, &info);
    if (!sound.ok()) return refuse(sound.error());
    auto done = compare(sides[0], sides[1], sound.value(), info.sample_rate);
    if (!done.ok()) return refuse(done.error());
    Compared& c = done.value();
    if (!o.out.empty()) {
        std::error_code ec;
        std::filesystem::create_directories(o.out, ec);
        for (auto& [name, side] : {std::pair<const char*, AudioBuffer&>("a.wav", c.a),
                                   std::pair<const char*, AudioBuffer&>("b.wav", c.b)}) {
            if (auto written = write_sound(std::filesystem::path(o.out) / name, side, info.sample_rate);
                !written.ok())
                return refuse(written.error());
        }
    }
    Json out;
    out["a_lufs"] = optional_number(c.a_lufs);
    out["b_lufs"] = optional_number(c.b_lufs);
    out["gain_applied_db"] = c.gain_applied_db();
    out["a_true_peak_dbtp"] = optional_number(c.a_true_peak_dbtp);
    out["b_true_peak_dbtp"] = optional_number(c.b_true_peak_dbtp);
    out["delay_frames"] = c.delay_frames;
    if (o.json) {
        std::cout << out.dump(2) << "\n";
        return 0;
    }
    for (const auto& [key, value] : out.items()) std::printf("%-18s %s\n", key.c_str(), value.dump().c_str());
    return 0;
}

int report(const Options& o) {
    const auto take = recording_named(o.in, o.folder);
    if (!take.ok()) return refuse(take.error());
    const auto chain = chain_of(o.scene, o.strip);
    if (!chain) return kBadInput;
    SoundInfo info;
    const auto sound = read_sound(take.value().path, &info);
    if (!sound.ok()) return refuse(sound.error());
    const auto made = report_on(sound.value(), info.sample_rate, *chain);
    if (!made.ok()) return refuse(made.error());
    const std::string name = std::filesystem::path(o.scene).stem().string();
    const auto written = write_file(o.out, report_page(made.value(), take.value(), *chain, name));
    return written.ok() ? 0 : refuse(written.error());
}

}  // namespace

std::vector<std::pair<CLI::App*, std::function<int()>>> take_commands(CLI::App& app) {
    auto o = std::make_shared<Options>();
    std::vector<std::pair<CLI::App*, std::function<int()>>> out;
    const auto folder = [&](CLI::App* c) {
        c->add_option("--folder", o->folder, "Folder of the takes (default: the window's)")
            ->type_name("FOLDER");
        return c;
    };
    const auto strip = [&](CLI::App* c) {
        c->add_option("--strip", o->strip, "Id or name of the strip (default: the first)")
            ->type_name("STRIP");
    };
    auto* take = app.add_subcommand("take", "Manage takes (recordings for tuning)");
    take->require_subcommand(1);
    auto* l = folder(take->add_subcommand("list", "List takes, newest first"));
    l->add_flag("--json", o->json, "Print JSON");
    out.emplace_back(l, [o] { return list(*o); });
    auto* e = folder(take->add_subcommand("export", "Export a take as .wav, .flac or .opus"));
    e->add_option("name", o->in, "Its name, or its file's")->type_name("TAKE")->required();
    e->add_option("--out", o->out, "File to write")->type_name("FILE")->required();
    e->add_option("--scene", o->scene, "Process with this scene's chain (default: unprocessed)")
        ->type_name("FILE");
    strip(e);
    out.emplace_back(e, [o] { return export_take(*o); });
    auto* i = folder(take->add_subcommand("import", "Import audio files"));
    i->add_option("files", o->files, "Audio files")->type_name("FILE")->required();
    out.emplace_back(i, [o] { return import(*o); });
    auto* c = folder(app.add_subcommand("compare", "Compare two scenes on one recording at equal loudness"));
    c->add_option("--scene", o->scenes, "First and second scene file, or \"unprocessed\"")
        ->type_name("FILE")
        ->required()
        ->take_all();
    c->add_option("--in", o->in, "Audio file or name of a take")->type_name("FILE")->required();
    c->add_option("--out", o->out, "Folder for a.wav and b.wav at equal loudness")->type_name("FOLDER");
    c->add_flag("--json", o->json, "Print JSON");
    strip(c);
    out.emplace_back(c, [o] { return compare_scenes(*o); });
    auto* r =
        folder(app.add_subcommand("report", "Write an HTML report of a recording before and after a scene"));
    r->add_option("--scene", o->scene, "Scene file")->type_name("FILE")->required();
    r->add_option("--in", o->in, "Audio file or name of a take")->type_name("FILE")->required();
    r->add_option("--out", o->out, "Page to write (.html)")->type_name("FILE")->required();
    strip(r);
    out.emplace_back(r, [o] { return report(*o); });
    return out;
}

}  // namespace reed::cli
