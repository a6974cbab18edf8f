// dusky-reed-cli: the chain without a window. Same core, same scenes, same numbers.
#include <CLI/CLI.hpp>
#include <algorithm>
#include <cstdio>
#include <functional>
#include <iostream>
#include <iterator>
#include <map>
#include <string>

#include "backup_commands.h"
#include "base/decibel.h"
#include "base/file.h"
#include "base/sound_file.h"
#include "command_tree.h"
#include "common.h"
#include "completion.h"
#include "desk_commands.h"
#include "engine/render.h"
#include "manual_page.h"
#include "measure/file_measure.h"
#include "scene_commands.h"
#include "soundcheck_command.h"
#include "stage_commands.h"
#include "take_commands.h"

namespace {

using namespace reed;
using namespace reed::cli;

int measure_command(const std::string& path, bool json) {
    auto opened = SoundReader::open(path);
    if (!opened.ok()) return refuse(opened.error());
    SoundReader& reader = *opened.value();
    const SoundInfo info = reader.info();
    if (info.channels > kMaxChannels) {
        return refuse(
            {"has " + std::to_string(info.channels) + " channels; 1 or 2 can be measured.", path, ""});
    }
    if (info.sample_rate < 8000 || info.sample_rate > kMaxSampleRate) {
        return refuse({"has a sample rate outside 8000 to 192000 Hz.", path, ""});
    }
    FileMeasure measure({info.sample_rate, info.channels});
    AudioBuffer buffer(info.channels, 8192);
    for (size_t n = reader.read(buffer); n > 0; n = reader.read(buffer)) {
        measure.add(buffer.block(0, static_cast<int>(n)));
    }
    if (auto whole = reader.complete(); !whole.ok()) return refuse(whole.error());
    const SoundMeasures m = measure.result();
    if (m.duration_s == 0.0) {
        return refuse({"holds no audio.", path, "It may have been cut off while it was written."});
    }
    if (json) {
        Json out;
        out["duration_s"] = m.duration_s;
        out["sample_rate_hz"] = m.sample_rate_hz;
        out["channels"] = m.channels;
        out["sample_peak_dbfs"] = optional_number(m.sample_peak_dbfs);
        out["true_peak_dbtp"] = optional_number(m.true_peak_dbtp);
        out["integrated_lufs"] = optional_number(m.integrated_lufs);
        out["loudness_range_lu"] = optional_number(m.loudness_range_lu);
        out["noise_floor_dbfs"] = optional_number(m.noise_floor_dbfs);
        out["clipped_samples"] = m.clipped_samples;
        std::cout << out.dump(2) << "\n";
        return 0;
    }
    const auto line = [](const char* name, const std::optional<double>& v, const char* unit) {
        if (v)
            std::printf("%-16s %8.2f %s\n", name, *v, unit);
        else
            std::printf("%-16s %8s\n", name, "none");
    };
    line("duration", m.duration_s, "s");
    line("sample rate", m.sample_rate_hz, "Hz");
    line("channels", m.channels, "");
    line("sample peak", m.sample_peak_dbfs, "dBFS");
    line("true peak", m.true_peak_dbtp, "dBTP");
    line("loudness", m.integrated_lufs, "LUFS");
    line("loudness range", m.loudness_range_lu, "LU");
    line("noise floor", m.noise_floor_dbfs, "dBFS");
    line("clipped", static_cast<double>(m.clipped_samples), "samples");
    return 0;
}

Json level(bool known, double v) {
    return known && v > kSilenceDb ? Json(v) : Json(nullptr);
}

int levels_command(const std::string& scene_path, const std::string& strip, const std::string& in,
                   bool json) {
    auto scene = scene_or_complain(scene_path);
    if (!scene) return kBadInput;
    const StripSpec* found = strip_or_complain(*scene, strip);
    if (found == nullptr) return kBadInput;
    const ChainSpec* chain = &found->chain;
    const auto report = file_levels(*chain, in);
    if (!report.ok()) return refuse(report.error());
    const LevelReport& r = report.value();
    Json taps = Json::array();
    Json stages = Json::array();
    for (size_t t = 0; t < r.taps.size(); ++t) {
        const TapLevels& l = r.taps[t];
        Json tap;
        tap["tap"] = t;
        tap["after"] = t == 0 ? "input" : chain->stages[t - 1].id;
        tap["peak_dbfs"] = level(true, l.peak);
        tap["room_dbfs"] = level(l.room_known, l.room);
        tap["room_high_dbfs"] = level(l.room_known, l.room_high);
        tap["voice_dbfs"] = level(l.voice_known, l.voice);
        tap["voice_low_dbfs"] = level(l.voice_known, l.voice_low);
        tap["voice_high_dbfs"] = level(l.voice_known, l.voice_high);
        taps.push_back(std::move(tap));
        if (t == 0) continue;
        const StageSpec& s = chain->stages[t - 1];
        stages.push_back({{"id", s.id},
                          {"kind", s.kind},
                          {"bypass", s.bypass},
                          {"reduction_usual_db", r.stages[t - 1].usual},
                          {"reduction_deepest_db", r.stages[t - 1].deepest},
                          {"open_share", r.stages[t - 1].open}});
    }
    if (json) {
        std::cout << Json{{"taps", taps}, {"stages", stages}}.dump(2) << "\n";
        return 0;
    }
    std::printf("%-16s %8s %8s %8s  (dBFS)\n", "after", "room", "voice", "peak");
    for (const auto& tap : taps) {
        const auto text = [](const Json& v) {
            char out[16];
            if (v.is_null()) return std::string("-");
            std::snprintf(out, sizeof out, "%.1f", v.get<double>());
            return std::string(out);
        };
        std::printf("%-16s %8s %8s %8s\n", tap["after"].get<std::string>().c_str(),
                    text(tap["room_dbfs"]).c_str(), text(tap["voice_dbfs"]).c_str(),
                    text(tap["peak_dbfs"]).c_str());
    }
    return 0;
}

int run(int argc, char** argv) {
    CLI::App app("Dusky Reed on the command line: render, measure and check without a window.");
    app.require_subcommand(1);
    app.set_version_flag("--version", "dusky-reed-cli " REED_VERSION);
    bool json = false;

    std::vector<std::pair<CLI::App*, std::function<int()>>> others = desk_commands(app);
    std::ranges::move(stage_commands(app), std::back_inserter(others));
    std::ranges::move(take_commands(app), std::back_inserter(others));
    std::ranges::move(scene_commands(app), std::back_inserter(others));
    std::ranges::move(soundcheck_command(app), std::back_inserter(others));
    std::ranges::move(backup_commands(app), std::back_inserter(others));

    std::string sound;
    auto* measure =
        app.add_subcommand("measure", "Measure an audio file: levels, loudness, true peak, noise floor");
    measure->add_option("file", sound, "Audio file")->type_name("FILE")->required();
    measure->add_flag("--json", json, "Print JSON");

    std::string scene;
    auto* levels = app.add_subcommand("levels", "Noise, speech and peak levels at every point of the chain");
    levels->add_option("--scene", scene, "Scene file")->type_name("FILE")->required();
    std::string strip;
    const char* which = "Id or name of the strip (default: the first)";
    levels->add_option("--strip", strip, which)->type_name("STRIP");
    levels->add_option("--in", sound, "Audio file")->type_name("FILE")->required();
    levels->add_flag("--json", json, "Print JSON");

    // Both are made from the parser: they describe what it accepts, whatever is added to it.
    const std::map<std::string, std::string (*)(const CommandTree&)> shells = {
        {"bash", bash_completion}, {"fish", fish_completion}, {"zsh", zsh_completion}};
    std::string shell;
    auto* completion =
        app.add_subcommand("completion", "Print the script by which a shell completes commands");
    completion->add_option("shell", shell, "The shell")
        ->required()
        ->type_name("SHELL")
        ->check(CLI::IsMember({"bash", "fish", "zsh"}));
    auto* manual = app.add_subcommand("manual", "Print the manual page (for man)")->group("");

    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        const int code = app.exit(e);
        return code == 0 ? 0 : kBadInput;
    }
    if (*measure) return measure_command(sound, json);
    if (*levels) return levels_command(scene, strip, sound, json);
    if (*completion) {
        std::cout << shells.at(shell)(command_tree(app));
        return 0;
    }
    if (*manual) {
        std::cout << manual_page(command_tree(app), REED_VERSION);
        return 0;
    }
    for (const auto& [command, work] : others) {
        if (*command) return work();
    }
    return kBadInput;
}

}  // namespace

int main(int argc, char** argv) {
    try {
        const int status = run(argc, argv);
        // A full disk, or the reader is gone: the result was not delivered.
        if (std::fflush(stdout) == 0 && std::ferror(stdout) == 0) return status;
        std::fputs("dusky-reed-cli: the output can't be written. Check the free space of where it goes.\n",
                   stderr);
    } catch (const std::bad_alloc&) {
        std::fputs("dusky-reed-cli: not enough memory. Use a shorter file.\n", stderr);
    } catch (const std::exception& e) {
        std::fprintf(stderr, "dusky-reed-cli: %s\n", e.what());
    }
    return kBadInput;
}
