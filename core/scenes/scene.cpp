#include "scenes/scene.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/file.h"
#include "base/folded.h"
#include "scenes/json_watch.h"

namespace reed {
namespace {

using Json = nlohmann::ordered_json;

constexpr const char* kFormatName = "dusky-reed-scene";
constexpr int kMaxDepth = 8;
constexpr const char* kListMark = "\"list\"";

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
            problem("", "the file holds " + type_name(root) + ", not a scene.");
            return;
        }
        if (!header(root)) return;
        known_keys(root, "", {"format", "version", "name", "note", "stages"});
        Scene scene;
        scene.name = text(root, "name", "", true);
        if (characters(scene.name) > kMaxSceneName) problem("name", "it is longer than 80 characters.");
        scene.note = text(root, "note", "", false);
        stages(root, scene.chain);
        if (out_.problems.empty()) out_.problems = chain_problems(scene.chain);
        if (out_.problems.empty()) out_.scene = std::move(scene);
    }

  private:
    void problem(const std::string& where, const std::string& what, const std::string& remedy = "") {
        out_.problems.push_back({what, where, remedy});
    }

    bool header(const Json& root) {
        if (!root.contains("format") || root["format"] != kFormatName) {
            problem("format", std::string("it is not \"") + kFormatName + "\", so this is not a scene file.");
            return false;
        }
        if (!root.contains("version") || !root["version"].is_number_integer()) {
            problem("version", "it is missing or not a whole number.");
            return false;
        }
        const auto version = root["version"].get<std::int64_t>();
        if (version > kSceneVersion) {
            problem("version",
                    "the scene has version " + std::to_string(version) + "; this program reads " +
                        std::to_string(kSceneVersion) + ".",
                    "Open it with a newer Dusky Reed.");
            return false;
        }
        if (version < 1) {
            problem("version", "there is no version " + std::to_string(version) + ".");
            return false;
        }
        return true;
    }

    void known_keys(const Json& object, const std::string& where, const std::set<std::string>& known) {
        for (const auto& [key, unused] : object.items()) {
            if (known.count(key) == 0) problem(where + key, "there is no such field.");
        }
    }

    std::string text(const Json& object, const char* key, const std::string& where, bool needed) {
        if (!object.contains(key)) {
            if (needed) problem(where + key, "it is missing.");
            return {};
        }
        if (!object[key].is_string()) {
            problem(where + key, "it holds " + type_name(object[key]) + " where text belongs.");
            return {};
        }
        return object[key].get<std::string>();
    }

    void stages(const Json& root, ChainSpec& chain) {
        if (!root.contains("stages") || !root["stages"].is_array()) {
            problem("stages", "the list of stages is missing.");
            return;
        }
        const Json& list = root["stages"];
        if (list.size() > kMaxStages) {
            problem("stages", "there are " + std::to_string(list.size()) + " stages; at most " +
                                  std::to_string(kMaxStages) + " can be used.");
            return;
        }
        for (size_t i = 0; i < list.size(); ++i) {
            stage(list[i], "stages[" + std::to_string(i) + "]", chain);
        }
    }

    void stage(const Json& s, const std::string& where, ChainSpec& chain) {
        if (!s.is_object()) {
            problem(where, "it is " + type_name(s) + ", not a stage.");
            return;
        }
        known_keys(s, where + ".", {"kind", "id", "title", "bypass", "parameters", "room_tone"});
        const std::string kind_id = text(s, "kind", where + ".", true);
        const StageKind* kind = find_stage_kind(kind_id);
        if (kind == nullptr) {
            if (!kind_id.empty()) unknown_kind(kind_id, where);
            return;
        }
        StageSpec spec = new_stage(chain, *kind);
        if (s.contains("id")) spec.id = text(s, "id", where + ".", false);
        if (spec.id.empty()) problem(where + ".id", "it is empty.");
        spec.title = text(s, "title", where + ".", false);
        if (characters(spec.title) > kMaxSceneName)
            problem(where + ".title", "it is longer than 80 characters.");
        if (s.contains("bypass")) {
            if (!s["bypass"].is_boolean())
                problem(where + ".bypass", "it must be true or false.");
            else
                spec.bypass = s["bypass"].get<bool>();
        }
        if (s.contains("parameters")) parameters(s["parameters"], where + ".parameters", *kind, spec);
        if (s.contains("room_tone")) room_tone(s["room_tone"], where + ".room_tone", spec.tone);
        chain.stages.push_back(std::move(spec));
    }

    /// {"sample_rate": Hz, "band_hz": Hz, "levels_dbfs": [...]}; its ranges are checked with the chain.
    void room_tone(const Json& t, const std::string& where, RoomTone& tone) {
        if (!t.is_object()) {
            problem(where, "it is " + type_name(t) + ", not a learnt spectrum.");
            return;
        }
        known_keys(t, where + ".", {"sample_rate", "band_hz", "levels_dbfs"});
        const auto number = [&](const char* key, double& to) {
            if (t.contains(key) && t[key].is_number())
                to = t[key].get<double>();
            else
                problem(where + "." + key, "it is missing or not a number.");
        };
        number("sample_rate", tone.sample_rate);
        number("band_hz", tone.band_hz);
        if (!t.contains("levels_dbfs") || !t["levels_dbfs"].is_array() || t["levels_dbfs"].empty()) {
            problem(where + ".levels_dbfs", "the list of levels is missing or empty.");
            return;
        }
        for (const Json& level : t["levels_dbfs"]) {
            if (level.is_number()) {
                tone.levels.push_back(level.get<float>());
                continue;
            }
            problem(where + ".levels_dbfs[" + std::to_string(tone.levels.size()) + "]",
                    "it holds " + type_name(level) + " where a number belongs.");
            return;
        }
    }

    void unknown_kind(const std::string& kind_id, const std::string& where) {
        std::string known;
        for (const auto* k : stage_kinds()) known += (known.empty() ? "" : ", ") + std::string(k->id);
        problem(where + ".kind", "there is no stage kind \"" + kind_id.substr(0, 60) + "\".",
                "Known: " + known + ".");
    }

    void parameters(const Json& values, const std::string& where, const StageKind& kind, StageSpec& spec) {
        if (!values.is_object()) {
            problem(where, "it is " + type_name(values) + ", not a list of named values.");
            return;
        }
        for (const auto& [key, value] : values.items()) {
            const int row = kind.find(key);
            const std::string here = where + "." + key.substr(0, 60);
            if (row < 0 || kind.parameters[static_cast<size_t>(row)].transient) {
                problem(here, "a " + std::string(kind.id) + " has no such parameter.");
                continue;
            }
            const Parameter& p = kind.parameters[static_cast<size_t>(row)];
            if (const auto number = read_value(value, p, here))
                spec.values[static_cast<size_t>(row)] = *number;
        }
    }

    std::optional<double> read_value(const Json& value, const Parameter& p, const std::string& where) {
        double number = 0.0;
        if (p.kind == ValueKind::toggle) {
            if (!value.is_boolean()) {
                problem(where, "it holds " + type_name(value) + "; it must be true or false.");
                return std::nullopt;
            }
            return value.get<bool>() ? 1.0 : 0.0;
        }
        if (p.kind == ValueKind::choice) {
            for (size_t i = 0; value.is_string() && i < p.choices.size(); ++i) {
                if (value.get<std::string>() == p.choices[i].id) return static_cast<double>(i);
            }
            std::string known;
            for (const auto& c : p.choices) known += (known.empty() ? "" : ", ") + std::string(c.id);
            problem(where, "it must be one of: " + known + ".");
            return std::nullopt;
        }
        if (!value.is_number()) {
            problem(where, "it holds " + type_name(value) + " where a number belongs.");
            return std::nullopt;
        }
        number = value.get<double>();
        if (auto wrong = value_problem(p, number)) {
            problem(where, *wrong);
            return std::nullopt;
        }
        return number;
    }

    SceneReading& out_;
};

Json value_to_json(const Parameter& p, double value) {
    if (p.kind == ValueKind::toggle) return value >= 0.5;
    if (p.kind == ValueKind::choice) return std::string(p.choices[static_cast<size_t>(value)].id);
    return value;
}

}  // namespace

std::string write_scene(const Scene& scene) {
    // An object from the start: the library marks an empty value as one before it has the memory for it.
    Json root = Json::object();
    root["format"] = kFormatName;
    root["version"] = kSceneVersion;
    root["name"] = scene.name;
    root["note"] = scene.note;
    root["stages"] = Json::array();
    std::vector<std::string> lists;  // in which a line each would be thousands
    for (const auto& s : scene.chain.stages) {
        Json stage = Json::object();
        stage["kind"] = s.kind;
        stage["id"] = s.id;
        stage["title"] = s.title;
        stage["bypass"] = s.bypass;
        Json values = Json::object();
        const auto& table = s.stage_kind().parameters;
        for (size_t i = 0; i < table.size(); ++i) {
            if (table[i].transient) continue;
            values[std::string(table[i].id)] = value_to_json(table[i], s.values[i]);
        }
        stage["parameters"] = std::move(values);
        if (!s.tone.empty()) {
            Json levels = Json::array();
            // A tenth of a decibel is finer than any two takes agree, and keeps files short.
            for (const float l : s.tone.levels) levels.push_back(std::round(10.0 * l) / 10.0);
            stage["room_tone"] = {
                {"sample_rate", s.tone.sample_rate}, {"band_hz", s.tone.band_hz}, {"levels_dbfs", kListMark}};
            lists.push_back(levels.dump());
        }
        root["stages"].push_back(std::move(stage));
    }
    // Text that is not valid UTF-8 (a name pasted from elsewhere) is mended, not refused.
    std::string out = root.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
    // The mark holds a quote, which stands escaped wherever text could hold it.
    const std::string mark = Json(kListMark).dump();
    size_t at = 0;
    for (const std::string& list : lists) {
        at = out.find("\"levels_dbfs\": " + mark, at) + std::string_view("\"levels_dbfs\": ").size();
        out.replace(at, mark.size(), list);
        at += list.size();
    }
    return out;
}

SceneReading read_scene(std::string_view json) {
    SceneReading out;
    if (json.size() > kMaxSceneBytes) {
        out.problems.push_back(
            {"it is longer than 1 MB; no scene is.", "", "Check that this is a scene file."});
        return out;
    }
    try {
        Reader(out).read(parse_watched(json, kMaxDepth));
    } catch (const RefusedJson& refused) {
        out.problems.push_back({refused.what, "", ""});
    } catch (const Json::parse_error& e) {
        out.problems.push_back(
            {"this is not valid JSON.", line_and_column(json, e.byte),
             "Numbers must be finite and written like -18.5; NaN and inf are not numbers."});
    } catch (const Json::exception&) {
        out.problems.push_back({"a number is too large to be read.", "", "Numbers must be finite."});
    }
    if (out.scene) out.remarks = chain_remarks(out.scene->chain);
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

std::vector<std::string> chain_remarks(const ChainSpec& chain) {
    std::vector<std::string> out;
    int last_limiter = -1;
    int last_active = -1;
    for (size_t i = 0; i < chain.stages.size(); ++i) {
        if (chain.stages[i].bypass) continue;
        last_active = static_cast<int>(i);
        if (chain.stages[i].stage_kind().lid) last_limiter = static_cast<int>(i);
    }
    if (last_limiter < 0) {
        out.emplace_back("Nothing catches peaks: there is no limiter that is on.");
    } else if (last_limiter != last_active) {
        out.emplace_back("The limiter is not last: what follows it may get louder than its ceiling.");
    }
    return out;
}

}  // namespace reed
