// Scenes as text.
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "scenes/scene.h"

namespace reed {
namespace {

using Json = nlohmann::ordered_json;

Json value_to_json(const Parameter& p, double value) {
    if (p.kind == ValueKind::toggle) return value >= 0.5;
    if (p.kind == ValueKind::choice) return std::string(p.choices[static_cast<size_t>(value)].id);
    return value;
}

/// Text that stands nowhere in the scene.
std::string free_mark(const Scene& scene) {
    std::string mark = "a list";
    const auto holds = [&mark](const std::string& text) { return text.find(mark) != std::string::npos; };
    const auto used = [&] {
        const auto in_stage = [&](const StageSpec& s) {
            return holds(s.id) || holds(s.title) || holds(s.key) || holds(s.foreign) || holds(s.extra);
        };
        const auto in_strip = [&](const StripSpec& s) {
            return holds(s.id) || holds(s.name) || holds(s.extra) ||
                   std::ranges::any_of(s.chain.stages, in_stage);
        };
        const auto in_made_for = [&](const auto& made) {
            return holds(made.second.extra) ||
                   std::ranges::any_of(made.second.stages, [&](const auto& at) { return holds(at.first); });
        };
        const auto in_soundcheck = [&](const auto& checked) {
            const SoundcheckRecord& s = checked.second;
            return holds(s.date) || holds(s.microphone) || holds(s.extra) ||
                   std::ranges::any_of(
                       s.takes, [&](const auto& take) { return holds(take.first) || holds(take.second); });
        };
        return std::ranges::any_of(scene.made_for, in_made_for) ||
               std::ranges::any_of(scene.soundchecks, in_soundcheck) || holds(scene.name) ||
               holds(scene.note) || holds(scene.group) || holds(scene.extra) ||
               std::ranges::any_of(scene.desk.strips, in_strip);
    };
    while (used()) mark += '_';
    return mark;
}

/// Fields of a newer version, beside those that are known.
void add_extra(Json& to, const std::string& extra) {
    if (extra.empty()) return;
    const Json rest = Json::parse(extra);
    for (const auto& [key, value] : rest.items()) {
        if (key == "parameters" && to.contains(key))
            for (const auto& [id, parameter] : value.items()) to[key][id] = parameter;
        else
            to[key] = value;
    }
}

Json levels_to_json(const VoiceLevels& at) {
    const auto tenths = [](double db) { return std::round(10.0 * db) / 10.0; };
    return {{"room", tenths(at.room)},
            {"quiet", tenths(at.quiet)},
            {"usual", tenths(at.usual)},
            {"loud", tenths(at.loud)}};
}

Json made_for_to_json(const ReferenceLevels& made) {
    Json out = levels_to_json(made.in);
    out["loudness"] = std::round(10.0 * made.loudness) / 10.0;
    out["stages"] = Json::object();
    for (const auto& [id, at] : made.stages) out["stages"][id] = levels_to_json(at);
    add_extra(out, made.extra);
    return out;
}

Json soundcheck_to_json(const SoundcheckRecord& s) {
    const auto tenths = [](double x) { return std::round(10.0 * x) / 10.0; };
    Json out{{"date", s.date},
             {"microphone", s.microphone},
             {"noise", tenths(s.noise)},
             {"speech", tenths(s.speech)},
             {"balance", tenths(s.balance)}};
    if (s.echo) out["echo"] = std::round(100.0 * *s.echo) / 100.0;
    out["takes"] = Json::object();
    for (const auto& [step, file] : s.takes) out["takes"][step] = file;
    add_extra(out, s.extra);
    return out;
}

/// `mark` stands for its memory's list, which `lists` gets as text.
Json stage_to_json(const StageSpec& s, const std::string& mark, std::vector<std::string>& lists) {
    Json stage = Json::object();
    stage["kind"] = s.kind;
    stage["id"] = s.id;
    stage["title"] = s.title;
    stage["bypass"] = s.bypass;
    if (s.stage_kind().accepts_sidechain) stage["key"] = s.key;
    Json values = Json::object();
    const auto& table = s.stage_kind().parameters;
    for (size_t i = 0; i < table.size(); ++i) {
        if (table[i].transient) continue;
        values[std::string(table[i].id)] = value_to_json(table[i], s.values[i]);
    }
    stage["parameters"] = std::move(values);
    add_extra(stage, s.extra);
    if (s.taught.empty()) return stage;
    const LearningSpec& teaching = *s.stage_kind().teaching;
    Json memory = Json::object();
    for (size_t i = 0; i < teaching.figures.size(); ++i)
        memory[std::string(teaching.figures[i])] = s.taught.figures[i];
    memory[std::string(teaching.list)] = mark;
    stage[std::string(teaching.id)] = std::move(memory);
    Json list = Json::array();
    for (const float v : s.taught.list)
        list.push_back(std::round(teaching.parts * static_cast<double>(v)) / teaching.parts);
    lists.push_back(list.dump());
    return stage;
}

/// The rest as it came.
Json foreign_to_json(const StageSpec& s) {
    Json stage = Json::object();
    stage["kind"] = s.kind;
    stage["id"] = s.id;
    if (!s.title.empty()) stage["title"] = s.title;
    if (s.bypass) stage["bypass"] = true;
    const Json rest = Json::parse(s.foreign);
    for (const auto& [key, value] : rest.items()) stage[key] = value;
    return stage;
}

/// Leaves out what the reader takes for granted.
void shorten(Json& object, const Json& usual) {
    for (const auto& [key, value] : usual.items()) {
        if (const auto found = object.find(key); found != object.end() && *found == value)
            object.erase(found);
    }
}

Json usual_parameters(const StageKind& kind) {
    Json out = Json::object();
    for (const Parameter& p : kind.parameters) out[std::string(p.id)] = value_to_json(p, p.default_value);
    return out;
}

std::string line(const Json& json) {
    return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

std::string write(const Scene& scene, bool brief) {
    // An object from the start: the library marks an empty value as one before it has the memory for it.
    Json root = Json::object();
    root["format"] = kSceneFormat;
    root["version"] = std::max(scene.version, kSceneVersion);
    root["name"] = scene.name;
    root["note"] = scene.note;
    if (scene.colour) root["colour"] = *scene.colour;
    root["group"] = scene.group;
    root["fade"] = scene.fade;
    root["distance"] = {{"least", scene.desk.target_distance_min}, {"most", scene.desk.target_distance_max}};
    root["strips"] = Json::array();
    const std::string mark = free_mark(scene);
    std::vector<std::string> lists;  // in which a line each would be thousands
    for (const StripSpec& strip : scene.desk.strips) {
        Json out = Json::object();
        out["id"] = strip.id;
        out["name"] = strip.name;
        out["role"] = role_id(strip.role);
        out["colour"] = strip.colour;
        out["fader"] = strip.fader;
        out["mute"] = strip.mute;
        if (brief) shorten(out, {{"name", ""}, {"colour", 0}, {"fader", 0.0}, {"mute", false}});
        out["stages"] = Json::array();
        for (const auto& s : strip.chain.stages) {
            Json stage = s.missing() ? foreign_to_json(s) : stage_to_json(s, mark, lists);
            if (brief && !s.missing()) {
                shorten(stage["parameters"], usual_parameters(s.stage_kind()));
                shorten(stage,
                        {{"id", s.kind}, {"title", ""}, {"bypass", false}, {"parameters", Json::object()}});
                // Left out it is the usual one in a programme.
                if (strip.role == StripRole::voice) shorten(stage, {{"key", ""}});
            }
            if (brief) lists.push_back(line(stage));
            out["stages"].push_back(brief ? Json(mark) : std::move(stage));
        }
        if (const auto made = scene.made_for.find(strip.id); made != scene.made_for.end()) {
            const Json levels = made_for_to_json(made->second);
            if (brief) lists.push_back(line(levels));
            out["made_for"] = brief ? Json(mark) : levels;
        }
        if (const auto checked = scene.soundchecks.find(strip.id); checked != scene.soundchecks.end()) {
            const Json record = soundcheck_to_json(checked->second);
            if (brief) lists.push_back(line(record));
            out["soundcheck"] = brief ? Json(mark) : record;
        }
        add_extra(out, strip.extra);
        root["strips"].push_back(std::move(out));
    }
    add_extra(root, scene.extra);
    if (brief) {
        shorten(root, {{"note", ""}, {"group", ""}, {"fade", Scene::kUsualFade}});
        const MixerSpec usual;
        shorten(root,
                {{"distance", {{"least", usual.target_distance_min}, {"most", usual.target_distance_max}}}});
    }
    // Text that is not valid UTF-8 (a name pasted from elsewhere) is mended, not refused.
    std::string out = root.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
    const std::string marked = '"' + mark + '"';
    size_t at = 0;
    for (const std::string& list : lists) {
        at = out.find(marked, at);
        out.replace(at, marked.size(), list);
        at += list.size();
    }
    return out;
}

}  // namespace

std::string write_scene(const Scene& scene) {
    return write(scene, false);
}

std::string scene_text(Scene scene) {
    for (StripSpec& strip : scene.desk.strips) {
        for (StageSpec& s : strip.chain.stages) s.taught = {};
    }
    return write(scene, true);
}

}  // namespace reed
