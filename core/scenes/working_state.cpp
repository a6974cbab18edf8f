#include "scenes/working_state.h"

#include <algorithm>
#include <ctime>
#include <nlohmann/json.hpp>

#include "base/file.h"
#include "scenes/strict_json.h"

namespace reed {
namespace {

using Json = nlohmann::ordered_json;
constexpr size_t kMaxDepth = 14;  // a scene's, within memories

/// The stage of this id and kind, or nullptr.
const StageSpec* stage_of(const ChainSpec& chain, const std::string& id, const std::string& kind) {
    const int i = chain.index_of(id);
    if (i < 0) return nullptr;
    const StageSpec& s = chain.stages[static_cast<size_t>(i)];
    return s.kind == kind ? &s : nullptr;
}

/// The inactive A/B settings, as a mixer of the stages they belong to.
Json write_memories(const WorkingState& state) {
    Json in_work = Json::object();
    Scene other;
    other.name = "memories";
    other.desk = state.scene.desk;
    for (StripSpec& strip : other.desk.strips) {
        const ChainSpec chain = std::exchange(strip.chain, {});
        const auto found = state.memories.find(strip.id);
        if (found == state.memories.end()) continue;
        for (const auto& [id, memory] : found->second) {
            const StageSpec* stage = stage_of(chain, id, memory.kind);
            if (stage == nullptr) continue;
            StageSpec& s = strip.chain.stages.emplace_back(*stage);
            s.values = memory.values;
            s.taught = memory.taught;
            in_work[strip.id][id] = std::string(1, memory.in_work);
        }
    }
    return {{"in_work", std::move(in_work)}, {"stages", Json::parse(write_scene(other))}};
}

/// Removes null values, which the library writes for non-finite numbers, so that only they are lost;
/// returns where they were ("audio/target_lufs").
std::vector<std::string> remove_nulls(Json& from, const std::string& path = {}) {
    std::vector<std::string> removed;
    if (!from.is_structured()) return removed;
    for (auto it = from.begin(); it != from.end();) {
        const std::string here = path + (path.empty() ? "" : "/") +
                                 (from.is_object() ? it.key() : std::to_string(it - from.begin()));
        if (it->is_null() && from.is_object()) {
            removed.push_back(here);
            it = from.erase(it);
            continue;
        }
        for (std::string& inner : remove_nulls(*it, here)) removed.push_back(std::move(inner));
        ++it;
    }
    return removed;
}

/// A scene; where it can't be read, without its values that are null. `what`: how it is called in `left_out`.
SceneReading read_without_nulls(Json from, const std::string& what, WorkingState& out) {
    SceneReading reading = read_scene(from.dump());
    if (reading.scene) return reading;
    const auto removed = remove_nulls(from);
    if (removed.empty()) return reading;
    SceneReading again = read_scene(from.dump());
    if (!again.scene) return reading;
    for (const auto& path : removed) {
        out.left_out.push_back("the value " + what);
        out.left_out.back().append("/").append(path);
    }
    return again;
}

/// Invalid A/B settings are left out, so that the current chain is not lost because of them.
void read_memories(const Json& root, WorkingState& out) {
    const SceneReading other = read_without_nulls(root.at("stages"), "memories", out);
    if (!other.scene) {
        out.left_out.emplace_back("the A/B settings of the stages");
        return;
    }
    const Json& in_work = root.at("in_work");
    for (const StripSpec& strip : other.scene->desk.strips) {
        const int i = out.scene.desk.index_of(strip.id);
        if (i < 0) continue;
        const ChainSpec& chain = out.scene.desk.strips[static_cast<size_t>(i)].chain;
        // Before there were strips they stood there without one.
        const bool of_strips = in_work.contains(strip.id) && in_work[strip.id].is_object();
        const Json letters = of_strips ? in_work[strip.id] : in_work;
        for (const StageSpec& s : strip.chain.stages) {
            if (stage_of(chain, s.id, s.kind) == nullptr) continue;
            const char letter = letters.value(s.id, "A") == "B" ? 'B' : 'A';
            out.memories[strip.id][s.id] = {s.kind, s.values, s.taught, letter};
        }
    }
}

/// A free name with today's date.
std::filesystem::path beside(const std::filesystem::path& path) {
    const std::time_t now = std::time(nullptr);
    std::tm day{};
    localtime_r(&now, &day);
    char date[32];
    std::strftime(date, sizeof date, "%Y-%m-%d", &day);
    const std::string first = path.string() + ".broken-" + date;
    std::filesystem::path out = first;
    std::error_code ec;
    for (int n = 2;
         std::filesystem::symlink_status(out, ec).type() != std::filesystem::file_type::not_found && n < 1000;
         ++n)
        out = first + "-" + std::to_string(n);
    return out;
}

/// What is missing or out of range keeps its default.
void read_audio(const Json& root, WorkingState& out) {
    const auto number = [&root](const char* key, double least, double most, double other) {
        return root.contains(key) && root[key].is_number() ? std::clamp(root[key].get<double>(), least, most)
                                                           : other;
    };
    out.audio.block = static_cast<int>(number("block", 32, 2048, 256));
    out.audio.channels = static_cast<int>(number("channels", 1, 2, 1));
    out.audio.mic_title = root.value("mic_title", out.audio.mic_title);
    for (int row = 0; row < kLatencyRows; ++row) {
        const Parameter& p = latency_parameters()[static_cast<size_t>(row)];
        const std::string key = std::string(p.id) + "_ms";
        set_latency_value(out.latency, row, number(key.c_str(), p.minimum, p.maximum, p.default_value));
    }
    out.monitor_sink = root.value("monitor_sink", std::string());
    out.talk_key = root.value("talk_key", out.talk_key);
    out.target_lufs = number("target_lufs", -30, -9, -16);
    out.monitor.volume_db = number("monitor_volume_db", -60, 12, 0);
    out.monitor.bass_db = number("monitor_bass_db", -12, 12, 0);
    out.monitor.middle_db = number("monitor_middle_db", -12, 12, 0);
    out.monitor.treble_db = number("monitor_treble_db", -12, 12, 0);
    out.monitor_balance = number("heard_balance_db", -30, 30, 0);
    out.monitor_linked = root.value("heard_together", false);
    out.monitor.mute_with_feed = root.value("monitor_mute_with_feed", false);
}

Json write_audio(const WorkingState& state) {
    return {{"block", state.audio.block},
            {"channels", state.audio.channels},
            {"mic_title", state.audio.mic_title},
            {"fixed_latency_ms", state.latency.fixed_ms},
            {"output_delay_ms", state.latency.output_delay_ms},
            {"talk_key", state.talk_key},
            {"target_lufs", state.target_lufs},
            {"monitor_sink", state.monitor_sink},
            {"monitor_volume_db", state.monitor.volume_db},
            {"monitor_bass_db", state.monitor.bass_db},
            {"monitor_middle_db", state.monitor.middle_db},
            {"monitor_treble_db", state.monitor.treble_db},
            {"heard_balance_db", state.monitor_balance},
            {"heard_together", state.monitor_linked},
            {"monitor_mute_with_feed", state.monitor.mute_with_feed}};
}

/// What a strip has beside the usual is written; what is missing or out of range keeps its default.
Json write_input(const StripDeviceSettings& i) {
    Json out{{"kind", i.kind}, {"target", i.target}};
    if (i.channel > 0) out["channel"] = i.channel;
    if (i.offered) out["offered"] = true;
    if (i.plain) out["plain"] = true;
    if (i.monitor_db != 0.0) out["heard_db"] = i.monitor_db;
    return out;
}

StripDeviceSettings read_input(const Json& from) {
    StripDeviceSettings out{from.at("kind").get<std::string>(), from.at("target").get<std::string>()};
    out.channel = static_cast<int>(std::clamp(from.value("channel", 0.0), 0.0, 64.0));
    out.offered = from.value("offered", false);
    out.plain = from.value("plain", false);
    out.monitor_db = std::clamp(from.value("heard_db", 0.0), -60.0, 12.0);
    return out;
}

void read_rules(const Json& from, WorkingState& out) {
    for (const Json& r : from) {
        if (out.rules.size() == kMaxRules) {
            out.left_out.push_back(std::to_string(from.size() - kMaxRules) +
                                   " of the rules that recall scenes automatically (at most " +
                                   std::to_string(kMaxRules) + " are used)");
            return;
        }
        const bool device = r.contains("device");
        RecallRule rule;
        rule.when = device ? RecallRule::When::device_is_there : RecallRule::When::program_plays;
        rule.name = r.at(device ? "device" : "program").get<std::string>();
        rule.title = r.value("title", std::string());
        rule.scene = r.at("scene").get<std::string>();
        rule.back = r.value("back", false);
        out.rules.push_back(std::move(rule));
    }
}

Json write_rules(const WorkingState& state) {
    Json out = Json::array();
    for (const RecallRule& rule : state.rules) {
        const bool device = rule.when == RecallRule::When::device_is_there;
        Json r = Json::object();
        r[device ? "device" : "program"] = rule.name;
        if (!rule.title.empty()) r["title"] = rule.title;
        r["scene"] = rule.scene;
        if (rule.back) r["back"] = true;
        out.push_back(std::move(r));
    }
    return out;
}

/// Reads part after part; what can't be used keeps its default and is named in `left_out`.
Result<WorkingState> parse(std::string_view bytes) {
    Json root = parse_strict(bytes, kMaxDepth);
    if (root.at("format") != "dusky-reed-state" || root.at("version") != 1) {
        return Error{"was not written by this version.", "", ""};
    }
    (void)root.at("scene");  // without it this is no state at all
    WorkingState out;
    for (auto& [name, part] : root.items()) {
        if (name == "scene" || name == "memories") continue;  // read_without_nulls() knows them
        for (const auto& path : remove_nulls(part, name)) out.left_out.push_back("the value " + path);
    }
    const auto part = [&out](const char* what, const auto& read) {
        try {
            read();
        } catch (const Json::exception&) {
            out.left_out.emplace_back(what);
        }
    };
    part("the chain", [&] {
        SceneReading reading = read_without_nulls(root.at("scene"), "scene", out);
        if (reading.scene)
            out.scene = std::move(*reading.scene);
        else
            out.left_out.push_back("the chain (" + reading.problems.front().text() + ")");
    });
    part("the input", [&] {
        out.input = read_input(root.at("input"));
        if (!root.contains("inputs")) return;
        for (const auto& [id, input] : root.at("inputs").items()) out.inputs[id] = read_input(input);
    });
    if (root.contains("programs")) {
        part("the programs that are sent into a strip", [&] {
            for (const auto& [name, strip] : root.at("programs").items())
                out.programs[name] = strip.get<std::string>();
        });
    }
    if (root.contains("rules")) part("the auto-recall rules", [&] { read_rules(root.at("rules"), out); });
    part("the simulated room", [&] {
        for (const auto& [id, value] : root.at("room").items()) out.room[id] = value.get<double>();
    });
    if (root.contains("hidden_advice"))
        part("the advice that is hidden", [&] {
            for (const Json& id : root.at("hidden_advice")) {
                if (out.hidden_advice.size() < kMaxHiddenAdvice)
                    out.hidden_advice.push_back(id.get<std::string>());
            }
        });
    if (root.contains("global_keys"))
        part("the global shortcuts", [&] {
            for (const Json& id : root.at("global_keys")) {
                if (out.global_keys.size() < kMaxGlobalKeys) out.global_keys.push_back(id.get<std::string>());
            }
        });
    part("the theme", [&] { out.theme = root.at("theme").get<std::string>(); });
    part("the window position", [&] { out.geometry = root.at("geometry").get<std::string>(); });
    part("the stage in focus", [&] { out.focused = root.at("focused").get<std::string>(); });
    if (root.contains("focused_strip"))
        part("the strip in focus", [&] { out.focused_strip = root.at("focused_strip").get<std::string>(); });
    if (root.contains("places")) {
        part("the bookmarks", [&] {
            for (const auto& [number, place] : root.at("places").items()) {
                const int n = std::atoi(number.c_str());
                if (n < 1 || n > kMaxBookmarks) continue;
                out.places[n] = {place.at("strip").get<std::string>(), place.at("stage").get<std::string>()};
            }
        });
    }
    if (root.contains("small_window")) {
        part("the position of the compact window", [&] {
            out.small_geometry = root.at("small_window").at("geometry").get<std::string>();
            out.small_on_top = root.at("small_window").at("on_top").get<bool>();
        });
    }
    part("the span of the levels", [&] { out.window_seconds = root.at("window_seconds").get<double>(); });
    // Whoever may have been muted stays so.
    if (root.contains("desktop_keys"))
        part("the global shortcuts", [&] { out.desktop_keys = root.at("desktop_keys").get<bool>(); });
    if (root.contains("osc")) {
        part("the settings of Open Sound Control", [&] {
            const Json& osc = root.at("osc");
            OscSettings read{osc.at("on").get<bool>(), osc.at("address").get<std::string>(),
                             osc.at("port").get<int>()};
            if (read.port < OscSettings::kLeastPort || read.port > OscSettings::kMostPort)
                out.left_out.emplace_back("the port of Open Sound Control");
            else
                out.osc = std::move(read);
        });
    }
    if (root.contains("muted")) out.muted = !root.at("muted").is_boolean() || root.at("muted").get<bool>();
    if (root.contains("characters")) {
        part("the active characters", [&] {
            for (const auto& [strip, name] : root.at("characters").items())
                out.characters[strip] = name.get<std::string>();
        });
    }
    if (root.contains("audio")) part("the audio settings", [&] { read_audio(root.at("audio"), out); });
    if (root.contains("keys")) {
        part("the shortcuts", [&] {
            for (const auto& [id, keys] : root.at("keys").items()) out.keys[id] = keys.get<std::string>();
        });
    }
    if (root.contains("memories"))
        part("the A/B settings of the stages", [&] { read_memories(root.at("memories"), out); });
    return out;
}

}  // namespace

Result<WorkingState> parse_working_state(std::string_view json) {
    try {
        return parse(json);
    } catch (const RefusedJson& refused) {
        return Error{refused.what, "", ""};
    } catch (const Json::exception&) {
        return Error{"was not written by Dusky Reed.", "", ""};
    }
}

Result<std::optional<WorkingState>> load_working_state(const std::filesystem::path& path) {
    std::error_code ec;
    if (!std::filesystem::exists(path, ec)) {
        if (!ec) return std::optional<WorkingState>{};
        return Error{"can't be read: " + ec.message() + ".", path.string(),
                     "Check the folder's permissions. Dusky Reed starts with default settings."};
    }
    Error reason;
    if (const auto bytes = read_file(path, 2 * kMaxSceneBytes); bytes.ok()) {
        auto state = parse_working_state(bytes.value());
        if (state.ok() && !state.value().left_out.empty()) {
            // It will be written over; what could not be used of it is kept.
            const auto aside = beside(path);
            std::filesystem::copy_file(path, aside, ec);
            if (!ec) state.value().kept_as = aside.filename().string();
        }
        if (state.ok()) return std::optional<WorkingState>(std::move(state.value()));
        reason = state.error();
    } else {
        reason = bytes.error();
    }
    const std::string kept = back_up_state(path);
    return Error{"can't be read: " + reason.reason(), path.string(),
                 kept.empty()
                     ? "Dusky Reed starts with default settings."
                     : "The file was saved as " + kept + ". Dusky Reed starts with default settings."};
}

std::string back_up_state(const std::filesystem::path& path) {
    std::error_code ec;
    const auto aside = beside(path);
    std::filesystem::rename(path, aside, ec);
    return ec ? std::string() : aside.filename().string();
}

std::string write_working_state(const WorkingState& state) {
    // An object from the start: the library marks an empty value as one before it has the memory for it.
    Json root = Json::object();
    root["format"] = "dusky-reed-state";
    root["version"] = 1;
    root["input"] = write_input(state.input);
    if (!state.inputs.empty()) {
        root["inputs"] = Json::object();
        for (const auto& [id, i] : state.inputs) root["inputs"][id] = write_input(i);
    }
    if (!state.programs.empty()) root["programs"] = state.programs;
    if (!state.rules.empty()) root["rules"] = write_rules(state);
    root["room"] = Json::object();
    for (const auto& [id, value] : state.room) root["room"][id] = value;
    if (!state.hidden_advice.empty()) root["hidden_advice"] = state.hidden_advice;
    if (!state.global_keys.empty()) root["global_keys"] = state.global_keys;
    if (state.desktop_keys) root["desktop_keys"] = true;
    if (state.osc != OscSettings{})
        root["osc"] = {{"on", state.osc.on}, {"address", state.osc.address}, {"port", state.osc.port}};
    root["theme"] = state.theme;
    root["geometry"] = state.geometry;
    root["focused"] = state.focused;
    if (!state.focused_strip.empty()) root["focused_strip"] = state.focused_strip;
    if (!state.places.empty()) {
        root["places"] = Json::object();
        for (const auto& [n, place] : state.places)
            root["places"][std::to_string(n)] = {{"strip", place.first}, {"stage", place.second}};
    }
    if (!state.small_geometry.empty() || !state.small_on_top)
        root["small_window"] = {{"geometry", state.small_geometry}, {"on_top", state.small_on_top}};
    root["window_seconds"] = state.window_seconds;
    root["muted"] = state.muted;
    if (!state.characters.empty()) root["characters"] = state.characters;
    root["audio"] = write_audio(state);
    root["scene"] = Json::parse(write_scene(state.scene));
    if (!state.keys.empty()) root["keys"] = state.keys;
    if (!state.memories.empty()) root["memories"] = write_memories(state);
    return root.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

Result<void> save_working_state(const std::filesystem::path& path, const WorkingState& state) {
    return write_file(path, write_working_state(state));
}

}  // namespace reed
