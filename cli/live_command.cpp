#include "live_command.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <csignal>
#include <cstdio>
#include <filesystem>
#include <memory>
#include <optional>
#include <thread>

#include "base/file.h"
#include "common.h"
#include "devices/make_source.h"
#include "engine/meter_reader.h"
#include "mixer/live_mixer.h"
#include "scenes/mute_marker.h"
#include "scenes/working_state.h"
#include "value_checks.h"

namespace reed::cli {
namespace {

struct LiveOptions {
    std::string scene, title = kVirtualMicTitle;
    std::vector<std::string> inputs;
    double seconds = 0.0, every = 0.5;
    int block = 256, channels = 1;
    std::optional<double> fixed_latency, output_delay;  // ms; none: as the window remembers it
    bool json = false, no_feed = false, unmute = false;
};

volatile std::sig_atomic_t g_asked_to_end = 0;

using Clock = std::chrono::steady_clock;

/// What the window remembers of this computer; nothing where it never ran.
WorkingState remembered() {
    const auto text = read_file(user_state_folder() / kStateFile, 2 * kMaxSceneBytes);
    if (!text.ok()) return {};
    auto read = parse_working_state(text.value());
    return read.ok() ? std::move(read.value()) : WorkingState{};
}

/// The window is muted, or was when it ended in whatever way. Where that can't be read it counts as muted.
bool window_muted() {
    const auto state = user_state_folder() / kStateFile;
    if (MuteMarker(state.parent_path()).muted()) return true;
    std::error_code ec;
    if (!std::filesystem::exists(state, ec)) return false;
    const auto text = read_file(state, 2 * kMaxSceneBytes);
    const auto read = text.ok() ? parse_working_state(text.value()) : Result<WorkingState>(text.error());
    return !read.ok() || read.value().muted;
}

std::filesystem::path demo_data() {
    std::error_code ec;
    const auto self = std::filesystem::read_symlink("/proc/self/exe", ec);
    return self.parent_path() / "../share/dusky-reed/demo_data";
}

/// "default", "room", "file:PATH", or a node's name, perhaps with "#3" for one of its channels.
DeviceChoice choice_of(const std::string& word) {
    if (word == "room") return {DeviceKind::simulated_room, ""};
    if (word == "default") return {DeviceKind::pipewire, ""};
    if (word.rfind("file:", 0) == 0) return {DeviceKind::sound_file, word.substr(5)};
    const size_t mark = word.rfind('#');
    int channel = 0;
    const char* end = word.data() + word.size();
    if (mark != std::string::npos && std::from_chars(word.data() + mark + 1, end, channel).ptr == end &&
        channel > 0) {
        const std::string node = word.substr(0, mark);
        return {DeviceKind::pipewire, node == "default" ? "" : node, channel};
    }
    return {DeviceKind::pipewire, word};
}

DeviceChoice choice_of(const StripDeviceSettings& kept) {
    if (kept.kind == "file") return {DeviceKind::sound_file, kept.target};
    if (kept.kind == "room") return {DeviceKind::simulated_room, ""};
    return {DeviceKind::pipewire, kept.target, kept.channel};
}

struct Seat {
    std::string id;
    std::shared_ptr<LiveStrip> strip;
    std::unique_ptr<MeterReader> readings;
    std::unique_ptr<SoundSource> source;  // none: silent
    std::string told;                     // its problem, once
};

class Live {
  public:
    Live(Scene scene, const LiveOptions& options) : scene_(std::move(scene)), options_(options) {}

    ~Live() {
        for (Seat& s : seats_) {
            if (s.source) s.source->stop();
        }
        desk_.set_sink(nullptr);
        for (const Seat& s : seats_) {
            s.strip->set_output(nullptr);
            s.strip->set_plain_output(nullptr);
        }
    }

    Result<void> open() {
        std::map<std::string, DeviceChoice> choices;
        if (auto chosen = choose(choices); !chosen.ok()) return chosen;
        PipeWireHubOptions o;
        o.channels = options_.channels;
        o.block = options_.block;
        o.mic_title = options_.title;
        o.on_takeover = [this] {
            if (!muted_ && window_muted())
                mute("muted, as the other Dusky Reed was that fed the microphone until now.");
        };
        hub_ = std::make_unique<PipeWireHub>(o);
        for (const StripSpec& s : scene_.desk.strips) {
            if (auto isAttached = seat(s, choices); !isAttached.ok()) return isAttached;
        }
        return start();
    }

    int run() {
        std::signal(SIGINT, [](int) { g_asked_to_end = 1; });
        std::signal(SIGTERM, [](int) { g_asked_to_end = 1; });
        std::signal(SIGHUP, [](int) { g_asked_to_end = 1; });
        const auto start = Clock::now();
        auto due = start;
        while (g_asked_to_end == 0) {
            const double passed = std::chrono::duration<double>(Clock::now() - start).count();
            if (options_.seconds > 0.0 && passed >= options_.seconds) break;
            tend();
            if (Clock::now() >= due) {
                due += std::chrono::milliseconds(static_cast<int>(1000.0 * options_.every));
                tell(passed);
                if (std::fflush(stdout) != 0) return kBadInput;  // the reader is gone
            }
            std::this_thread::sleep_for(std::chrono::milliseconds(30));
        }
        return 0;
    }

  private:
    /// By the words given, else as the window remembers it, else the default microphone for the first voice.
    Result<void> choose(std::map<std::string, DeviceChoice>& choices) {
        for (const std::string& word : options_.inputs) {
            const size_t split = word.find('=');
            const StripSpec* strip =
                strip_of(scene_.desk, split == std::string::npos ? "" : word.substr(0, split));
            if (strip == nullptr) {
                return Error{"is not a strip of this scene.", word.substr(0, split),
                             "It has " + strips_of(scene_.desk) + "."};
            }
            const std::string source = split == std::string::npos ? word : word.substr(split + 1);
            if (!choices.emplace(strip->id, choice_of(source)).second)
                return Error{"is given two inputs.", strip->id, "Give one."};
        }
        const WorkingState state = remembered();
        kept_ = state.inputs;
        latency_ = state.latency;
        kept_[scene_.desk.strips.front().id] = state.input;
        for (const StripSpec& s : scene_.desk.strips) {
            if (choices.contains(s.id) || s.role == StripRole::programme) continue;
            const bool first = &s == &scene_.desk.strips.front();
            const auto kept = state.inputs.find(s.id);
            if (first)
                choices[s.id] = choice_of(state.input);
            else if (kept != state.inputs.end())
                choices[s.id] = choice_of(kept->second);
            else
                std::cerr << "dusky-reed-cli: " << s.id << ": no input set, so it is silent. Set one: "
                          << "--input " << s.id << "=...\n";
        }
        for (auto a = choices.begin(); a != choices.end(); ++a) {
            for (auto b = std::next(a); b != choices.end(); ++b) {
                const DeviceChoice &one = a->second, &other = b->second;
                const bool same = one.target == other.target &&
                                  (one.channel == other.channel || one.channel == 0 || other.channel == 0);
                if (one.kind == DeviceKind::pipewire && other.kind == one.kind && same)
                    return Error{"is the input of " + a->first + " already.", b->first,
                                 "Choose another microphone for one of them."};
            }
        }
        return {};
    }

    Result<void> seat(const StripSpec& s, const std::map<std::string, DeviceChoice>& choices) {
        Seat out;
        out.id = s.id;
        out.strip = desk_.make(s.id, s.role);
        const auto choice = choices.find(s.id);
        if (choice != choices.end()) {
            const int channels = s.role == StripRole::voice ? options_.channels : 2;
            auto made = make_source(choice->second, demo_data(), *hub_, channels, false);
            if (!made.ok()) return made.error();
            out.source = std::move(made.value());
            pipewire_ = pipewire_ || choice->second.kind == DeviceKind::pipewire;
        } else if (s.role == StripRole::programme) {
            const std::string node = std::string(kProgrammeOutput) + (programmes_++ > 0 ? "-2" : "");
            out.source = hub_->programme(node, options_.title + " " + s.shown_name());
            pipewire_ = true;
        }
        seats_.push_back(std::move(out));
        return {};
    }

    Result<void> start() {
        double rate = 48000.0;
        if (!pipewire_) {
            for (const Seat& s : seats_) {
                if (s.source) rate = s.source->format().sample_rate;
            }
        }
        if (auto opened = desk_.open({rate, options_.channels}); !opened.ok()) return opened;
        const double fixed = options_.fixed_latency.value_or(latency_.fixed_ms);
        desk_.desk().limit_single_voice(fixed > 0.0);
        desk_.set_output_delay(options_.output_delay.value_or(latency_.output_delay_ms));
        const double limiter = 1000.0 * desk_.desk().limiter_latency() / rate;
        std::vector<std::shared_ptr<LiveStrip>> strips;
        for (size_t i = 0; i < seats_.size(); ++i) {
            const StripSpec& spec = scene_.desk.strips[i];
            Seat& s = seats_[i];
            const int channels = s.source ? s.source->format().channels : 1;
            ChainSpec chain = spec.chain;
            if (spec.role == StripRole::voice) chain.least_latency = std::max(0.0, fixed - limiter);
            auto prepared = Engine::prepare({rate, channels}, chain);
            if (!prepared.ok()) return prepared.error();
            s.strip->engine().set_fader(spec.fader);
            s.strip->engine().set_mute(spec.mute);
            const double own = 1000.0 * prepared.value().chain->latencies().stages / rate + limiter;
            if (fixed > 0.0 && spec.role == StripRole::voice && own > fixed) {
                std::cerr << "dusky-reed-cli: " << s.id << ": its latency of " << std::lround(own)
                          << " ms is longer than the fixed latency of " << std::lround(fixed) << " ms.\n";
            }
            s.strip->open(std::move(prepared.value()));
            s.readings = std::make_unique<MeterReader>(s.strip->engine());
            s.readings->set_window(10.0);
            if (spec.role == StripRole::programme) s.readings->expect_no_voice();
            strips.push_back(s.strip);
        }
        if (pipewire_ && !options_.no_feed && !options_.unmute && window_muted())
            mute("muted, as the window was when it quit.");
        desk_.arrange(strips, processing_order(scene_.desk));
        if (pipewire_ && !options_.no_feed) desk_.set_sink(&hub_->feed());
        for (size_t i = 0; i < seats_.size() && !options_.no_feed; ++i) {
            offer(scene_.desk.strips[i], seats_[i]);
        }
        meter_ = std::make_unique<LoudnessMeter>(desk_.format());
        feed_.follow(desk_.desk().feed_history());
        for (Seat& s : seats_) {
            if (!s.source) continue;
            s.strip->expect(s.source->format(), s.source->steady());
            if (auto started = s.source->start(*s.strip, s.strip.get()); !started.ok()) return started;
        }
        return {};
    }

    /// Programmes, and voices as the window remembers it.
    void offer(const StripSpec& spec, Seat& seat) {
        const int channels = seat.strip->engine().format().channels;
        const bool programme = spec.role == StripRole::programme;
        const auto kept = kept_.find(spec.id);
        const std::string title = options_.title + (programme ? " " : ": ") + spec.shown_name();
        if (programme || (kept != kept_.end() && kept->second.offered))
            seat.strip->set_output(&hub_->offer(node_of(spec.id), title, channels));
        if (!programme && kept != kept_.end() && kept->second.plain)
            seat.strip->set_plain_output(
                &hub_->offer(node_of(spec.id) + "-plain", title + ", unprocessed", channels));
    }

    /// All voices, before any sound of them goes out.
    void mute(const char* why) {
        muted_ = true;
        for (Seat& s : seats_) {
            if (s.strip->role() == StripRole::voice) s.strip->engine().set_mute(true);
        }
        std::cerr << "dusky-reed-cli: " << why << " To unmute, start again with --unmute.\n";
    }

    void tend() {
        for (Seat& s : seats_) {
            if (!s.source) continue;
            s.source->tend();
            s.readings->poll();
            const std::string problem = s.source->status().problem;
            if (problem != s.told && !problem.empty())
                std::cerr << "dusky-reed-cli: " << s.id << ": " << problem << "\n";
            s.told = problem;
        }
        desk_.tend();
        AudioBlock piece;
        while (feed_.next(4096, piece) == RingReader::Got::sound) meter_->add(piece);
    }

    void tell(double passed) {
        const LoudnessReading loudness = meter_->read_quick();
        Json strips = Json::array();
        std::string line;
        for (const Seat& s : seats_) {
            const auto& taps = s.readings->levels().taps;
            const TapLevels l = taps.empty() ? TapLevels{} : taps.back();
            const auto known = [](bool is, double v) {
                return is && v > kSilenceDb ? std::optional(v) : std::nullopt;
            };
            const auto room = known(l.room_known, l.room), voice = known(l.voice_known, l.voice);
            const auto peak = known(!taps.empty(), l.peak);
            strips.push_back({{"id", s.id},
                              {"room_dbfs", optional_number(room)},
                              {"voice_dbfs", optional_number(voice)},
                              {"peak_dbfs", optional_number(peak)}});
            line +=
                "   " + s.id + ": noise " + text(room) + ", voice " + text(voice) + ", peak " + text(peak);
        }
        if (options_.json) {
            Json out;
            out["t_s"] = passed;
            out["strips"] = strips;
            out["feed_lufs"] = optional_number(loudness.short_term);
            std::printf("%s\n", out.dump().c_str());
        } else {
            std::printf("%7.1f s%s   output %s LUFS\n", passed, line.c_str(),
                        text(loudness.short_term).c_str());
        }
    }
    static std::string text(const std::optional<double>& v) {
        char out[24] = "-";
        if (v) std::snprintf(out, sizeof out, "%.1f", *v);
        return out;
    }

    Scene scene_;
    const LiveOptions& options_;
    LiveMixer desk_;
    std::unique_ptr<PipeWireHub> hub_;
    std::vector<Seat> seats_;
    std::map<std::string, StripDeviceSettings> kept_;  // by strip
    LatencySettings latency_;
    std::unique_ptr<LoudnessMeter> meter_;
    RingReader feed_;
    bool pipewire_ = false, muted_ = false;
    int programmes_ = 0;
};

int live(const LiveOptions& options) {
    auto scene = scene_or_complain(options.scene);
    if (!scene) return kBadInput;
    Live running(std::move(*scene), options);
    if (auto opened = running.open(); !opened.ok()) return refuse(opened.error());
    return running.run();
}

}  // namespace

std::pair<CLI::App*, std::function<int()>> live_command(CLI::App& app) {
    auto options = std::make_shared<LiveOptions>();
    auto* command = app.add_subcommand("live", "Run a scene live without a window until interrupted");
    command->add_option("--scene", options->scene, "Scene file")->type_name("FILE")->required();
    command
        ->add_option("--input", options->inputs,
                     "STRIP=SOURCE, where SOURCE is a PipeWire node (NAME#3 for one channel), default, "
                     "file:PATH or room. STRIP= may be omitted for the first strip. Unlisted strips use the "
                     "inputs saved by the window.")
        ->type_name("STRIP=SOURCE")
        ->take_all();
    command->add_option("--seconds", options->seconds, "Quit after this many seconds")
        ->check(number_between(0.1, 1e6));
    command->add_option("--every", options->every, "Interval between status lines, in seconds")
        ->check(number_between(0.05, 3600.0));
    command->add_option("--block", options->block, "Frames wished for, 32 to 2048")
        ->check(number_between(32, 2048));
    command->add_option("--channels", options->channels, "Channels of the virtual microphone (1 or 2)")
        ->check(number_between(1, 2));
    const auto milliseconds = [&](const char* name, std::optional<double>& value, LatencyRow row,
                                  const char* what) {
        const Parameter& p = latency_parameters()[static_cast<size_t>(row)];
        // CLI::Range takes NaN for a number inside.
        command->add_option(name, value, what)->check([&p](const std::string& text) {
            const auto parsed = parse_value(p, text);
            return parsed.ok() ? std::string() : parsed.error().text();
        });
    };
    milliseconds("--fixed-latency", options->fixed_latency, kLatencyFixed,
                 "Least latency of the voices in ms, 0 to 250 (default: as the window has it)");
    milliseconds("--output-delay", options->output_delay, kLatencyOutputDelay,
                 "Delay of the virtual microphones in ms, 0 to 1000 (default: as the window has it)");
    command->add_option("--title", options->title, "Name of the virtual microphone in other apps")
        ->type_name("NAME");
    command->add_flag("--no-virtual-microphone,--no-feed", options->no_feed,
                      "Don't create a virtual microphone");
    command->add_flag("--unmute", options->unmute, "Start unmuted even if the window was muted when it quit");
    command->add_flag("--json", options->json, "Print one JSON object per line");
    return {command, [options] { return live(*options); }};
}

}  // namespace reed::cli
