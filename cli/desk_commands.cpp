#include "desk_commands.h"

#include <unistd.h>

#include <cstdio>
#include <filesystem>
#include <memory>

#include "base/case_folding.h"
#include "base/sound_file.h"
#include "common.h"
#include "live_command.h"
#include "measure/balance.h"
#include "mixer/mixer_render.h"
#include "value_checks.h"

namespace reed::cli {

StripSpec* strip_of(MixerSpec& desk, const std::string& word) {
    if (word.empty()) return &desk.strips.front();
    if (const int i = desk.index_of(word); i >= 0) return &desk.strips[static_cast<size_t>(i)];
    for (StripSpec& s : desk.strips) {
        if (same_name(s.shown_name(), word)) return &s;
    }
    return nullptr;
}

std::string strips_of(const MixerSpec& desk) {
    std::string out;
    for (const StripSpec& s : desk.strips) {
        out += (out.empty() ? "" : ", ") + s.id;
        if (!s.name.empty() && !same_name(s.name, s.id)) out += " (" + s.name + ")";
    }
    return out;
}

namespace {

struct RenderOptions {
    std::string scene, out, character, samples = "auto";
    std::vector<std::string> in;
    int block = 1024;
};

class ShownProgress {
  public:
    ~ShownProgress() {
        if (terminal_) std::fprintf(stderr, "\r     \r");
    }
    bool operator()(double done) {
        const int percent = static_cast<int>(done * 100.0);
        if (terminal_ && percent != shown_) std::fprintf(stderr, "\r%3d %%", shown_ = percent);
        return true;
    }

  private:
    bool terminal_ = isatty(STDERR_FILENO) != 0;
    int shown_ = -1;
};

void tell_faults(std::uint64_t faults, const std::string& in, std::int64_t clipped, const std::string& out) {
    if (faults > 0)
        std::cerr << "dusky-reed-cli: " << in << ": " << faults
                  << " non-finite samples were replaced by silence.\n";
    if (clipped > 0) {
        std::cerr << "dusky-reed-cli: " << out << ": " << clipped
                  << " samples were above full scale and were clipped; a limiter at the end prevents that.\n";
    }
}

int render_one(const Scene& scene, const RenderOptions& o) {
    auto report = [&] {
        ShownProgress progress;
        return render_file(scene.chain(), o.in.front(), o.out, o.samples == "24", o.block,
                           [&](double done) { return progress(done); });
    }();
    if (!report.ok()) return refuse(report.error());
    tell_faults(report.value().faults, o.in.front(), report.value().clipped, o.out);
    return 0;
}

int render_all(Scene& scene, const RenderOptions& o) {
    DeskRender all;
    for (const std::string& in : o.in) {
        const size_t split = in.find('=');
        const std::string word = in.substr(0, split);
        const StripSpec* strip = split == std::string::npos ? nullptr : strip_of(scene.desk, word);
        if (strip == nullptr) {
            return refuse({split == std::string::npos
                               ? "With several inputs, each needs its strip (STRIP=FILE)."
                               : "is not a strip of this scene.",
                           split == std::string::npos ? in : word, "It has " + strips_of(scene.desk) + "."});
        }
        if (!all.in.emplace(strip->id, in.substr(split + 1)).second)
            return refuse({"is given two input files.", strip->id, "Give one file for each strip."});
    }
    all.folder = o.out;
    all.pcm24 = o.samples == "24";
    all.block = o.block;
    auto report = [&] {
        ShownProgress progress;
        return render_desk(scene.desk, all, [&](double done) { return progress(done); });
    }();
    if (!report.ok()) return refuse(report.error());
    for (const auto& [id, path] : report.value().out) std::printf("%s: %s\n", id.c_str(), path.c_str());
    std::printf("sum of the voices: %s\n", report.value().sum.c_str());
    tell_faults(report.value().faults, "the inputs", report.value().clipped, o.out);
    return 0;
}

int render_command(const RenderOptions& o) {
    auto scene = scene_or_complain(o.scene);
    if (!scene) return kBadInput;
    // A file whose name has an = in it is a file all the same.
    std::error_code ec;
    const bool one = o.in.size() == 1 && (o.in.front().find('=') == std::string::npos ||
                                          std::filesystem::exists(o.in.front(), ec));
    if (!o.character.empty()) {
        if (!one)
            return refuse({"A character can be used with one voice only.", o.character,
                           "Give one input file, without the name of a strip."});
        auto laid = scene_or_complain(o.character);
        if (!laid) return kBadInput;
        scene->chain().characters = {{laid->name, laid->chain().stages}};
        scene->chain().character = laid->name;
    }
    return one ? render_one(*scene, o) : render_all(*scene, o);
}

/// The loudness of a file along time, or why it can't be had.
Result<std::unique_ptr<LoudnessTrack>> track_of(const std::string& path) {
    auto opened = SoundReader::open(path);
    if (!opened.ok()) return opened.error();
    SoundReader& reader = *opened.value();
    const SoundInfo info = reader.info();
    if (info.channels > kMaxChannels || info.sample_rate < 8000 || info.sample_rate > kMaxSampleRate) {
        return Error{"must have 1 or 2 channels and a sample rate from 8000 to 192000 Hz.", path,
                     "Convert it first."};
    }
    auto out = std::make_unique<LoudnessTrack>(StreamFormat{info.sample_rate, info.channels});
    AudioBuffer buffer(info.channels, 8192);
    for (size_t n = reader.read(buffer); n > 0; n = reader.read(buffer))
        out->add(buffer.block(0, static_cast<int>(n)));
    if (auto whole = reader.complete(); !whole.ok()) return whole.error();
    return out;
}

struct BalanceOptions {
    std::string voice, programme;
    double least = 10.0, most = 15.0;
    bool json = false;
};

int balance_command(const BalanceOptions& o) {
    if (o.least > o.most) return refuse({"--min is greater than --max.", "", "Swap them."});
    const auto voice = track_of(o.voice);
    if (!voice.ok()) return refuse(voice.error());
    const auto programme = track_of(o.programme);
    if (!programme.ok()) return refuse(programme.error());
    const Balance b = balance_of(*voice.value(), *programme.value());
    const Finding verdict = balance_finding(b, o.least, o.most);
    if (o.json) {
        Json out;
        out["voice_lufs"] = optional_number(b.voice);
        out["programme_lufs"] = optional_number(b.programme);
        out["programme_under_voice_lufs"] = optional_number(b.beneath);
        out["distance_lu"] = optional_number(b.distance);
        out["speech_s"] = b.speech_seconds;
        out["wanted_least_lu"] = o.least;
        out["wanted_most_lu"] = o.most;
        out["verdict"] = verdict.id;
        out["words"] = format_message(verdict);
        std::cout << out.dump(2) << "\n";
        return 0;
    }
    const auto line = [](const char* name, const std::optional<double>& v, const char* unit) {
        if (v)
            std::printf("%-28s %7.1f %s\n", name, *v, unit);
        else
            std::printf("%-28s    none\n", name);
    };
    line("voice", b.voice, "LUFS");
    line("programme", b.programme, "LUFS");
    line("App audio below the voice", b.beneath, "LUFS");
    line("distance while it speaks", b.distance, "LU");
    std::printf("%s\n", format_message(verdict).c_str());
    return 0;
}

}  // namespace

std::vector<std::pair<CLI::App*, std::function<int()>>> desk_commands(CLI::App& app) {
    auto options = std::make_shared<RenderOptions>();
    auto* render = app.add_subcommand("render", "Process audio files with a scene");
    render->add_option("--scene", options->scene, "Scene file")->type_name("FILE")->required();
    render
        ->add_option("--in", options->in,
                     "Input file for the first strip (WAV, FLAC, Ogg or Opus, mono or stereo), or "
                     "STRIP=FILE; may be repeated")
        ->type_name("[STRIP=]FILE")
        ->required()
        ->take_all();
    render
        ->add_option("--out", options->out,
                     "Output file (.wav or .flac), or output folder when STRIP=FILE is used")
        ->type_name("FILE")
        ->required();
    render
        ->add_option("--character", options->character,
                     "Character file: its stages are applied after the chain, before the limiter")
        ->type_name("FILE");
    render
        ->add_option("--block", options->block,
                     "Frames processed at a time, 1 to 8192; the result is the same")
        ->check(number_between(1, 8192));
    render
        ->add_option("--samples", options->samples,
                     "Sample format: 24, float or auto (float for WAV, 24 for FLAC)")
        ->check(CLI::IsMember({"auto", "24", "float"}));

    auto pair = std::make_shared<BalanceOptions>();
    auto* balance = app.add_subcommand("balance", "Loudness of app audio relative to a voice during speech");
    balance->add_option("--voice", pair->voice, "Audio file of the voice or voices")
        ->type_name("FILE")
        ->required();
    balance
        ->add_option("--app-audio,--programme", pair->programme, "App audio file, starting at the same time")
        ->type_name("FILE")
        ->required();
    balance->add_option("--min,--least", pair->least, "Minimum target distance in LU")
        ->check(number_between(0.0, 40.0));
    balance->add_option("--max,--most", pair->most, "Maximum target distance in LU")
        ->check(number_between(0.0, 40.0));
    balance->add_flag("--json", pair->json, "Print JSON");

    return {live_command(app),
            {render, [options] { return render_command(*options); }},
            {balance, [pair] { return balance_command(*pair); }}};
}

}  // namespace reed::cli
