#include "scenes/scene_schema.h"

#include <nlohmann/json.hpp>

#include "scenes/scene.h"
#include "stages/registry.h"

namespace reed {
namespace {

using Json = nlohmann::ordered_json;

Json text(size_t most) {
    return {{"type", "string"}, {"maxLength", most}};
}

Json range(double least, double most) {
    return {{"type", "number"}, {"minimum", least}, {"maximum", most}};
}

Json object(Json properties, const std::vector<std::string>& required = {}) {
    Json out{{"type", "object"}, {"additionalProperties", false}, {"properties", std::move(properties)}};
    if (!required.empty()) out["required"] = required;
    return out;
}

Json parameter(const Parameter& p) {
    Json out = Json::object();
    if (p.kind == ValueKind::toggle) {
        out = {{"type", "boolean"}, {"default", p.default_value >= 0.5}};
    } else if (p.kind == ValueKind::choice) {
        out["enum"] = Json::array();
        for (const Choice& c : p.choices) out["enum"].push_back(c.id);
        out["default"] = p.choices[static_cast<size_t>(p.default_value)].id;
    } else {
        out = range(p.minimum, p.maximum);
        out["default"] = p.default_value;
    }
    const std::string title =
        p.group.empty() ? std::string(p.title) : std::string(p.group) + ", " + std::string(p.title);
    out["title"] = title;
    out["description"] = p.hint;
    return out;
}

Json stage(const StageKind& kind) {
    Json parameters = Json::object();
    for (const Parameter& p : kind.parameters) {
        if (!p.transient) parameters[std::string(p.id)] = parameter(p);
    }
    Json properties;
    properties["kind"] = {{"const", kind.id}};
    properties["id"] = text(kMaxSceneName);
    properties["title"] = text(kMaxSceneName);
    properties["bypass"] = {{"type", "boolean"}, {"default", false}};
    if (kind.accepts_sidechain) properties["key"] = text(kMaxSceneName);
    if (kind.teaching != nullptr) {
        Json taught = Json::object();
        for (const auto& figure : kind.teaching->figures) taught[std::string(figure)] = {{"type", "number"}};
        taught[std::string(kind.teaching->list)] = {{"type", "array"}, {"items", {{"type", "number"}}}};
        properties[std::string(kind.teaching->id)] = object(taught);
    }
    properties["parameters"] = object(std::move(parameters));
    Json out = object(std::move(properties), {"kind"});
    out["title"] = kind.title;
    out["description"] = kind.purpose;
    return out;
}

}  // namespace

std::string scene_schema() {
    Json definitions = Json::object();
    Json by_kind = Json::array();
    for (const StageKind* kind : stage_kinds()) {
        const std::string id(kind->id);
        definitions[id] = stage(*kind);
        by_kind.push_back({{"if", {{"properties", {{"kind", {{"const", id}}}}}, {"required", {"kind"}}}},
                           {"then", {{"$ref", "#/definitions/" + id}}}});
    }
    // One of a kind that is not known here is kept as it is.
    Json any{{"type", "object"},
             {"required", {"kind"}},
             {"properties", {{"kind", text(kMaxSceneName)}}},
             {"allOf", std::move(by_kind)}};
    Json strip;
    strip["id"] = text(kMaxSceneName);
    strip["name"] = text(kMaxSceneName);
    strip["role"] = {{"enum", {"voice", "programme"}}};
    strip["colour"] = {{"type", "integer"}, {"minimum", 0}, {"maximum", kStripColours - 1}, {"default", 0}};
    strip["fader"] = range(kFaderMinDb, kFaderMaxDb);
    strip["mute"] = {{"type", "boolean"}, {"default", false}};
    strip["stages"] = {{"type", "array"}, {"maxItems", kMaxStages}, {"items", std::move(any)}};
    const Json level = range(-200.0, 20.0);
    const Json levels{{"room", level}, {"quiet", level}, {"usual", level}, {"loud", level}};
    const std::vector<std::string> all{"room", "quiet", "usual", "loud"};
    Json made = levels;
    made["loudness"] = range(-100.0, 20.0);
    made["stages"] = {{"type", "object"}, {"additionalProperties", object(levels, all)}};
    strip["made_for"] = object(std::move(made), all);
    const Json words = text(kMaxDeviceTitle);
    Json checked{{"date", words},
                 {"microphone", words},
                 {"noise", level},
                 {"speech", level},
                 {"balance", range(-200.0, 200.0)}};
    const std::vector<std::string> needed{"date", "microphone", "noise", "speech", "balance"};
    checked["echo"] = range(0.0, 60.0);
    checked["takes"] = {{"type", "object"}, {"additionalProperties", {{"type", "string"}}}};
    strip["soundcheck"] = object(std::move(checked), needed);
    Json root;
    root["format"] = {{"const", kSceneFormat}};
    root["version"] = {{"const", kSceneVersion}};
    root["name"] = text(kMaxSceneName);
    root["note"] = {{"type", "string"}};
    root["colour"] = {{"type", "integer"}, {"minimum", 0}, {"maximum", kStripColours - 1}};
    root["group"] = text(kMaxSceneName);
    root["fade"] = range(0.0, kLongestFade);
    root["distance"] = object({{"least", range(0.0, 40.0)}, {"most", range(0.0, 40.0)}});
    root["strips"] = {{"type", "array"},
                      {"minItems", 1},
                      {"maxItems", kMostStrips},
                      {"items", object(std::move(strip), {"id", "role", "stages"})}};
    Json out;
    out["$schema"] = "http://json-schema.org/draft-07/schema#";
    out["title"] = "Dusky Reed scene";
    Json body = object(std::move(root), {"format", "version", "name", "strips"});
    out.update(body);
    out["definitions"] = std::move(definitions);
    return out.dump(2) + "\n";
}

}  // namespace reed
