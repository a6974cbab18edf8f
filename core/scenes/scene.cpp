#include "scenes/scene.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/case_folding.h"
#include "base/file.h"
#include "scenes/strict_json.h"

namespace reed {
namespace {

using Json = nlohmann::ordered_json;

constexpr size_t kMaxDepth = 10;

std::string line_and_column(std::string_view text, size_t byte) {
    size_t line = 1;
    size_t column = 1;
    for (size_t i = 0; i + 1 < byte && i < text.size(); ++i) {
        if (text[i] == '\n') {
            ++line;
            column = 1;
        } else {
            ++column;
        }
    }
    return "line " + std::to_string(line) + ", column " + std::to_string(column);
}

std::string type_name(const Json& v) {
    switch (v.type()) {
        case Json::value_t::string:
            return "text";
        case Json::value_t::boolean:
            return "true or false";
        case Json::value_t::array:
            return "a list";
        case Json::value_t::object:
            return "an object";
        case Json::value_t::null:
            return "null";
        default:
            return "a number";
    }
}

/// Reads the parts of a scene out of parsed JSON and notes all that is wrong.
class Reader {
  public:
    explicit Reader(SceneReading& out) : out_(out) {}

    void read(const Json& root) {
        if (!root.is_object()) {
            problem("", "The file holds " + type_name(root) + ", not a scene.");
            return;
        }
        if (!header(root)) return;
        const bool desk = out_.version > 1;
        Keys known{"format", "version", "name", "note"};
        if (desk)
            known.insert(known.end(), {"strips", "distance"});
        else
            known.emplace_back("stages");
        if (out_.version > 2) known.insert(known.end(), {"colour", "group", "fade"});
        Scene scene;
        scene.version = std::max(out_.version, kSceneVersion);
        keep(known_keys(root, "", known), scene.extra);
        scene.name = text(root, "name", "", true);
        if (characters(scene.name) > kMaxSceneName) problem("name", "is longer than 80 characters.");
        scene.note = text(root, "note", "", false);
        if (root.contains("colour")) scene.colour = colour(root, "");
        scene.group = text(root, "group", "", false);
        if (characters(scene.group) > kMaxSceneName) problem("group", "is longer than 80 characters.");
        scene.fade = number(root, "fade", "", Scene::kUsualFade, 0.0, kLongestFade);
        if (desk) {
            strips(root, scene);
            distance(root, scene.desk);
        } else {
            stages(root, "", scene.chain());
        }
        if (out_.problems.empty()) out_.problems = mixer_problems(scene.desk, desk);
        if (out_.problems.empty()) out_.scene = std::move(scene);
        if (!out_.scene && newer()) {
            for (Error& e : out_.problems)
                e.remedy = "This scene was saved by a newer version. Update Dusky Reed to open it.";
        }
    }

  private:
    void problem(const std::string& where, const std::string& what, const std::string& remedy = "") {
        out_.problems.push_back({what, where, remedy});
    }

    bool header(const Json& root) {
        if (!root.contains("format") || root["format"] != kSceneFormat) {
            problem("format", std::string("is not \"") + kSceneFormat + "\", so this is not a scene file.");
            return false;
        }
        if (!root.contains("version") || !root["version"].is_number_integer()) {
            problem("version", "is missing or not a whole number.");
            return false;
        }
        const auto version = root["version"].get<std::int64_t>();
        if (version < 1 || version > 1000) {
            problem("version", "is unknown: " + std::to_string(version) + ".");
            return false;
        }
        out_.version = static_cast<int>(version);
        return true;
    }

    bool newer() const { return out_.version > kSceneVersion; }

    /// Fields that are not known: of a newer version they are given back, else they are problems.
    using Keys = std::vector<std::string_view>;
    Json known_keys(const Json& object, const std::string& where, const Keys& known) {
        Json rest = Json::object();
        for (const auto& [key, value] : object.get_ref<const Json::object_t&>()) {
            if (std::ranges::find(known, key) != known.end()) continue;
            if (newer())
                rest[key] = value;
            else
                problem(where + key, "is an unknown field.");
        }
        return rest;
    }
    static void keep(const Json& rest, std::string& out) {
        if (!rest.empty()) out = rest.dump(-1, ' ', false, Json::error_handler_t::replace);
    }

    int colour(const Json& object, const std::string& where) {
        return static_cast<int>(number(object, "colour", where, 0.0, 0.0, kStripColours - 1));
    }

    std::string text(const Json& object, const char* key, const std::string& where, bool needed) {
        if (!object.contains(key)) {
            if (needed) problem(where + key, "is missing.");
            return {};
        }
        if (!object[key].is_string()) {
            problem(where + key, "holds " + type_name(object[key]) + " where text belongs.");
            return {};
        }
        return object[key].get<std::string>();
    }

    void strips(const Json& root, Scene& scene) {
        MixerSpec& desk = scene.desk;
        if (!root.contains("strips") || !root["strips"].is_array() || root["strips"].empty()) {
            problem("strips", "is missing or empty.");
            return;
        }
        desk.strips.clear();
        for (const Json& s : root["strips"])
            strip(s, "strips[" + std::to_string(desk.strips.size()) + "].", scene);
    }

    void strip(const Json& s, const std::string& where, Scene& scene) {
        StripSpec& spec = scene.desk.strips.emplace_back();
        if (!s.is_object()) {
            problem(where.substr(0, where.size() - 1), "is " + type_name(s) + ", not a strip.");
            return;
        }
        Keys known{"id", "name", "role", "colour", "fader", "mute", "stages"};
        if (out_.version > 2) known.emplace_back("made_for");
        if (out_.version > 3) known.emplace_back("soundcheck");
        keep(known_keys(s, where, known), spec.extra);
        spec.id = text(s, "id", where, true);
        spec.name = text(s, "name", where, false);
        for (const auto& [key, words] : {std::pair("id", &spec.id), std::pair("name", &spec.name)}) {
            if (characters(*words) > kMaxSceneName) problem(where + key, "is longer than 80 characters.");
        }
        const std::string role = text(s, "role", where, true);
        if (role == role_id(StripRole::programme))
            spec.role = StripRole::programme;
        else if (role != role_id(StripRole::voice) && s.contains("role") && s["role"].is_string())
            problem(where + "role", "is unknown: \"" + role.substr(0, 60) + "\"; use voice or programme.");
        spec.colour = colour(s, where);
        spec.fader = number(s, "fader", where, 0.0, kFaderMinDb, kFaderMaxDb);
        if (s.contains("mute")) {
            if (s["mute"].is_boolean())
                spec.mute = s["mute"].get<bool>();
            else
                problem(where + "mute", "must be true or false.");
        }
        stages(s, where, spec.chain);
        if (out_.version > 2 && s.contains("made_for"))
            made_for(s["made_for"], where + "made_for", scene.made_for[spec.id]);
        if (out_.version > 3 && s.contains("soundcheck"))
            soundcheck(s["soundcheck"], where + "soundcheck", scene.soundchecks[spec.id]);
        if (spec.role != StripRole::programme) return;
        for (size_t i = 0; i < spec.chain.stages.size() && i < s["stages"].size(); ++i) {
            StageSpec& stage = spec.chain.stages[i];
            if (s["stages"][i].is_object() && !s["stages"][i].contains("key"))
                stage.key = stage.stage_kind().default_sidechain;
        }
    }

    void made_for(const Json& m, const std::string& where, ReferenceLevels& out) {
        if (!m.is_object()) {
            problem(where, "is " + type_name(m) + ", not levels.");
            return;
        }
        keep(known_keys(m, where + ".", {"room", "quiet", "usual", "loud", "loudness", "stages"}), out.extra);
        levels(m, where, out.in);
        out.loudness = number(m, "loudness", where + ".", 0.0, -100.0, 20.0);
        if (!m.contains("stages")) return;
        if (!m["stages"].is_object()) {
            problem(where + ".stages", "is " + type_name(m["stages"]) + ", not levels by stage.");
            return;
        }
        for (const auto& [id, at] : m["stages"].items()) {
            const std::string here = where + ".stages." + id.substr(0, 60);
            if (!at.is_object()) {
                problem(here, "is " + type_name(at) + ", not levels.");
                continue;
            }
            known_keys(at, here + ".", {"room", "quiet", "usual", "loud"});
            levels(at, here, out.stages[id]);
        }
    }

    void soundcheck(const Json& s, const std::string& where, SoundcheckRecord& out) {
        if (!s.is_object()) {
            problem(where, "is " + type_name(s) + ", not the figures of a soundcheck.");
            return;
        }
        const std::string inside = where + ".";
        keep(known_keys(s, inside, {"date", "microphone", "noise", "speech", "balance", "echo", "takes"}),
             out.extra);
        for (const auto& [key, words] : {std::pair("date", &out.date), {"microphone", &out.microphone}}) {
            *words = text(s, key, inside, true);
            if (characters(*words) > kMaxDeviceTitle) problem(inside + key, "is longer than 200 characters.");
        }
        for (const char* key : {"noise", "speech", "balance"}) {
            if (!s.contains(key)) problem(inside + key, "is missing.");
        }
        out.noise = number(s, "noise", inside, 0.0, -200.0, 20.0);
        out.speech = number(s, "speech", inside, 0.0, -200.0, 20.0);
        out.balance = number(s, "balance", inside, 0.0, -200.0, 200.0);
        if (s.contains("echo")) out.echo = number(s, "echo", inside, 0.0, 0.0, 60.0);
        if (!s.contains("takes")) return;
        if (!s["takes"].is_object()) {
            problem(inside + "takes", "is " + type_name(s["takes"]) + ", not takes by step.");
            return;
        }
        for (const auto& [step, file] : s["takes"].items())
            out.takes[step] = text(s["takes"], step.c_str(), inside + "takes.", true);
    }

    void levels(const Json& at, const std::string& where, VoiceLevels& out) {
        double* const figures[] = {&out.room, &out.quiet, &out.usual, &out.loud};
        const char* const keys[] = {"room", "quiet", "usual", "loud"};
        for (size_t i = 0; i < 4; ++i) {
            if (!at.contains(keys[i])) problem(where + "." + keys[i], "is missing.");
            *figures[i] = number(at, keys[i], where + ".", 0.0, -200.0, 20.0);
        }
    }

    void distance(const Json& root, MixerSpec& desk) {
        if (!root.contains("distance")) return;
        const Json& d = root["distance"];
        if (!d.is_object()) {
            problem("distance", "is " + type_name(d) + ", not two values.");
            return;
        }
        known_keys(d, "distance.", {"least", "most"});
        desk.target_distance_min = number(d, "least", "distance.", desk.target_distance_min, 0.0, 40.0);
        desk.target_distance_max = number(d, "most", "distance.", desk.target_distance_max, 0.0, 40.0);
    }

    /// A number inside its range, or `otherwise`.
    double number(const Json& object, const char* key, const std::string& where, double otherwise,
                  double least, double most) {
        if (!object.contains(key)) return otherwise;
        if (!object[key].is_number()) {
            problem(where + key, "holds " + type_name(object[key]) + " where a number belongs.");
            return otherwise;
        }
        const double value = object[key].get<double>();
        if (value >= least && value <= most) return value;
        problem(where + key, "is outside " + plain(least) + " to " + plain(most) + ".");
        return otherwise;
    }
    static std::string plain(double value) { return std::to_string(std::lround(value)); }

    void stages(const Json& root, const std::string& place, ChainSpec& chain) {
        if (!root.contains("stages") || !root["stages"].is_array()) {
            problem(place + "stages", "is missing.");
            return;
        }
        const Json& list = root["stages"];
        if (list.size() > kMaxStages) {
            problem(place + "stages", "has " + std::to_string(list.size()) + " stages; at most " +
                                          std::to_string(kMaxStages) + " can be used.");
            return;
        }
        for (size_t i = 0; i < list.size(); ++i) {
            stage(list[i], place + "stages[" + std::to_string(i) + "]", chain);
        }
    }

    void stage(const Json& s, const std::string& where, ChainSpec& chain) {
        if (!s.is_object()) {
            problem(where, "is " + type_name(s) + ", not a stage.");
            return;
        }
        const std::string kind_id = text(s, "kind", where + ".", true);
        if (characters(kind_id) > kMaxSceneName) problem(where + ".kind", "is longer than 80 characters.");
        if (kind_id.empty()) {
            if (s.contains("kind") && s["kind"].is_string()) problem(where + ".kind", "is empty.");
            return;
        }
        const StageKind* kind = find_stage_kind(kind_id);
        StageSpec spec;
        if (kind != nullptr) {
            Keys known{"kind", "id", "title", "bypass", "parameters"};
            if (kind->teaching != nullptr) known.emplace_back(kind->teaching->id);
            if (kind->accepts_sidechain) known.emplace_back("key");
            Json rest = known_keys(s, where + ".", known);
            spec = new_stage(chain, *kind);
            if (newer() && s.contains("parameters") && s["parameters"].is_object()) {
                Json more = Json::object();
                for (const auto& [key, value] : s["parameters"].items()) {
                    if (kind->find(key) < 0) more[key] = value;
                }
                if (!more.empty()) rest["parameters"] = std::move(more);
            }
            keep(rest, spec.extra);
        } else {
            // Another program's, or a newer one's: kept as it is.
            spec.kind = kind_id;
            spec.id = unique_stage_id(chain, kind_id);
            Json rest = s;  // what can be changed of it here stands in the spec
            for (const char* known : {"kind", "id", "title", "bypass"}) rest.erase(known);
            spec.foreign = rest.dump(-1, ' ', false, Json::error_handler_t::replace);
        }
        if (kind != nullptr && kind->accepts_sidechain && s.contains("key"))
            spec.key = text(s, "key", where + ".", false);
        if (s.contains("id")) spec.id = text(s, "id", where + ".", false);
        if (spec.id.empty()) problem(where + ".id", "is empty.");
        spec.title = text(s, "title", where + ".", false);
        if (characters(spec.title) > kMaxSceneName)
            problem(where + ".title", "is longer than 80 characters.");
        if (s.contains("bypass")) {
            if (!s["bypass"].is_boolean())
                problem(where + ".bypass", "must be true or false.");
            else
                spec.bypass = s["bypass"].get<bool>();
        }
        if (kind != nullptr && s.contains("parameters"))
            parameters(s["parameters"], where + ".parameters", *kind, spec);
        if (kind != nullptr && kind->teaching != nullptr && s.contains(std::string(kind->teaching->id)))
            memory(s[std::string(kind->teaching->id)], where + "." + std::string(kind->teaching->id),
                   *kind->teaching, spec.taught);
        chain.stages.push_back(std::move(spec));
    }

    /// {figure: number, ..., list: [...]}; its ranges are checked with the chain.
    void memory(const Json& t, const std::string& where, const LearningSpec& teaching, LearnedData& out) {
        if (!t.is_object()) {
            problem(where, "is " + type_name(t) + ", not a " + std::string(teaching.title) + ".");
            return;
        }
        const std::string list(teaching.list);
        const std::string place = where + "." + list;
        Keys known{list};
        for (const auto key : teaching.figures) {
            known.emplace_back(key);
            const auto found = t.find(std::string(key));
            if (found != t.end() && found->is_number())
                out.figures.push_back(found->get<double>());
            else
                problem(where + "." + std::string(key), "is missing or not a number.");
        }
        known_keys(t, where + ".", known);
        if (!t.contains(list) || !t[list].is_array() || t[list].empty()) {
            problem(place, "is missing or empty.");
            return;
        }
        for (const Json& entry : t[list]) {
            if (entry.is_number()) {
                out.list.push_back(entry.get<float>());
                continue;
            }
            problem(place + "[" + std::to_string(out.list.size()) + "]",
                    "holds " + type_name(entry) + " where a number belongs.");
            return;
        }
    }

    void parameters(const Json& values, const std::string& where, const StageKind& kind, StageSpec& spec) {
        if (!values.is_object()) {
            problem(where, "is " + type_name(values) + ", not a list of named values.");
            return;
        }
        size_t next = 0;  // they are written in the order of the table
        for (const auto& [key, value] : values.get_ref<const Json::object_t&>()) {
            const auto& table = kind.parameters;
            const bool in_order = next < table.size() && table[next].id == key;
            const int row = in_order ? static_cast<int>(next) : kind.find(key);
            if (row < 0 && newer()) continue;  // it is kept
            const auto at = static_cast<size_t>(row);
            const auto wrong = row < 0 || table[at].transient
                                   ? "is not a parameter of " + std::string(kind.id) + "."
                                   : read_value(value, table[at], spec.values[at]);
            if (!wrong.empty()) problem(where + "." + key.substr(0, 60), wrong);
            if (row >= 0) next = at + 1;
        }
    }

    /// What is wrong with a value; empty when it is now in `number`.
    static std::string read_value(const Json& value, const Parameter& p, double& number) {
        if (p.kind == ValueKind::toggle) {
            if (!value.is_boolean()) return "holds " + type_name(value) + "; it must be true or false.";
            number = value.get<bool>() ? 1.0 : 0.0;
            return {};
        }
        if (p.kind == ValueKind::choice) {
            const std::string* const id = value.get_ptr<const std::string*>();
            const auto chosen =
                std::ranges::find_if(p.choices, [&](const auto& c) { return id != nullptr && *id == c.id; });
            if (chosen == p.choices.end()) {
                std::string known;
                for (const auto& c : p.choices)
                    known.append(known.empty() ? "" : ", ").append(std::string_view(c.id));
                return "must be one of: " + known + ".";
            }
            number = static_cast<double>(chosen - p.choices.begin());
            return {};
        }
        if (!value.is_number()) return "holds " + type_name(value) + " where a number belongs.";
        const double given = value.get<double>();
        if (auto wrong = value_problem(p, given)) return *wrong;
        number = given;
        return {};
    }

    SceneReading& out_;
};

}  // namespace

SceneReading read_scene(std::string_view json) {
    SceneReading out;
    if (json.size() > kMaxSceneBytes) {
        out.problems.push_back(
            {"is larger than 1 MB, which no scene is.", "", "Check that this is a scene file."});
        return out;
    }
    try {
        Reader(out).read(parse_strict(json, kMaxDepth));
    } catch (const RefusedJson& refused) {
        out.problems.push_back({refused.what, "", ""});
    } catch (const Json::parse_error& e) {
        out.problems.push_back(
            {"is not valid JSON.", line_and_column(json, e.byte),
             "Numbers must be finite and written like -18.5; NaN and inf are not numbers."});
    } catch (const Json::exception&) {
        out.problems.push_back({"A number is too large to be read.", "", "Numbers must be finite."});
    }
    if (!out.scene) return out;
    if (out.version > kSceneVersion)
        out.remarks.push_back("A newer Dusky Reed wrote it (version " + std::to_string(out.version) +
                              "): unknown settings are preserved but have no effect.");
    const auto& strips = out.scene->desk.strips;
    for (const StripSpec& s : strips) {
        for (const std::string& remark : chain_warnings(s.chain, s.role))
            out.remarks.push_back(strips.size() > 1 ? s.shown_name() + ": " + remark : remark);
    }
    return out;
}

SceneReading load_scene(const std::string& path, size_t* digest) {
    const auto bytes = read_file(path, kMaxSceneBytes);
    if (!bytes.ok()) {
        SceneReading out;
        Error e = bytes.error();
        e.where.clear();  // the caller names the file
        out.problems.push_back(std::move(e));
        return out;
    }
    if (digest != nullptr) *digest = std::hash<std::string>{}(bytes.value());
    return read_scene(bytes.value());
}

}  // namespace reed
