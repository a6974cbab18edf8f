#include "chain/chain_spec.h"

#include <algorithm>
#include <cmath>
#include <stdexcept>

#include "stages/missing.h"

namespace reed {

StageSpec new_stage(const ChainSpec& chain, const StageKind& kind) {
    StageSpec out;
    out.kind = kind.id;
    out.values = default_values(kind);
    out.id = unique_stage_id(chain, kind.id);
    return out;
}

std::string unique_stage_id(const ChainSpec& chain, std::string_view kind) {
    std::string out(kind);
    for (int n = 2; chain.index_of(out) >= 0; ++n) out = std::string(kind) + "_" + std::to_string(n);
    return out;
}

const StageKind& StageSpec::stage_kind() const {
    const StageKind* found = find_stage_kind(kind);
    return found != nullptr ? *found : kMissingStage;
}

std::string StageSpec::shown_title() const {
    if (!title.empty()) return title;
    return missing() ? kind : std::string(stage_kind().title);
}

size_t StageSpec::row(std::string_view parameter) const {
    const int found = stage_kind().find(parameter);
    if (found < 0) throw std::out_of_range(kind + " has no parameter " + std::string(parameter));
    return static_cast<size_t>(found);
}

bool same_structure(const StageSpec& a, const StageSpec& b) {
    if (a.id != b.id || a.kind != b.kind || a.values.size() != b.values.size() || a.taught != b.taught ||
        a.key != b.key)
        return false;
    const auto& table = a.stage_kind().parameters;
    for (size_t p = 0; p < table.size(); ++p) {
        if (table[p].structural && a.values[p] != b.values[p]) return false;
    }
    return true;
}

namespace {
bool same_stages(const std::vector<StageSpec>& a, const std::vector<StageSpec>& b) {
    return std::ranges::equal(a, b,
                              [](const StageSpec& x, const StageSpec& y) { return same_structure(x, y); });
}
}  // namespace

bool same_structure(const ChainSpec& a, const ChainSpec& b) {
    return a.least_latency == b.least_latency && same_stages(a.stages, b.stages) &&
           std::ranges::equal(a.characters, b.characters, [](const CharacterSpec& x, const CharacterSpec& y) {
               return x.name == y.name && same_stages(x.stages, y.stages);
           });
}

bool resumes_stage(const StageSpec& before, const StageSpec& after) {
    if (!before.bypass || after.bypass) return false;
    const auto rests = after.stage_kind().rests;
    return rests != nullptr && rests(after.values);
}

bool resumes_stage(const ChainSpec& before, const ChainSpec& after) {
    for (size_t i = 0; i < before.stages.size(); ++i) {
        if (resumes_stage(before.stages[i], after.stages[i])) return true;
    }
    return false;
}

StageSpec without_transients(StageSpec stage) {
    const auto& table = stage.stage_kind().parameters;
    for (size_t p = 0; p < table.size(); ++p) {
        if (table[p].transient) stage.values[p] = table[p].default_value;
    }
    return stage;
}

ChainSpec without_transients(ChainSpec chain) {
    for (auto& s : chain.stages) s = without_transients(std::move(s));
    chain.least_latency = 0.0;
    return chain;
}

bool same_but_transients(const StageSpec& a, const StageSpec& b) {
    // All fields, so that a new one is an error here until it is compared.
    const auto& [id, kind, title, bypass, values, key, learned, foreign, extra] = a;
    if (id != b.id || kind != b.kind || title != b.title || bypass != b.bypass || key != b.key ||
        learned != b.taught || foreign != b.foreign || extra != b.extra || values.size() != b.values.size())
        return false;
    const auto& table = a.stage_kind().parameters;
    for (size_t p = 0; p < values.size(); ++p) {
        const bool transient = p < table.size() && table[p].transient;
        if (!transient && values[p] != b.values[p]) return false;
    }
    return true;
}

bool same_but_transients(const ChainSpec& a, const ChainSpec& b) {
    const auto& [stages, characters, character, transient_latency] = a;
    return character == b.character && characters == b.characters &&
           std::ranges::equal(stages, b.stages, [](const StageSpec& x, const StageSpec& y) {
               return same_but_transients(x, y);
           });
}

namespace {
std::optional<std::string> memory_problem(const StageKind& kind, const LearnedData& memory) {
    if (memory.empty() && memory.figures.empty()) return std::nullopt;
    const LearningSpec* teaching = kind.teaching;
    if (teaching == nullptr) return "has no effect: a " + std::string(kind.id) + " learns no profile.";
    if (memory.empty() || memory.figures.size() != teaching->figures.size()) return "is incomplete.";
    return teaching->problem(memory);
}
}  // namespace

std::vector<Error> stage_problems(const StageSpec& s, const std::string& where) {
    const StageKind* kind = find_stage_kind(s.kind);
    if (kind == nullptr && s.foreign.empty())
        return {{"is an unknown stage kind: \"" + s.kind + "\".", where + ".kind", ""}};
    if (kind == nullptr) kind = &kMissingStage;
    if (s.values.size() != kind->parameters.size())
        return {{"has " + std::to_string(s.values.size()) + " values instead of " +
                     std::to_string(kind->parameters.size()) + ".",
                 where, ""}};
    std::vector<Error> out;
    for (size_t p = 0; p < s.values.size(); ++p) {
        if (auto problem = value_problem(kind->parameters[p], s.values[p]))
            out.push_back({*problem, where + ".parameters." + std::string(kind->parameters[p].id), ""});
    }
    if (!s.key.empty() && !kind->accepts_sidechain) {
        out.push_back({"has no effect: a " + std::string(kind->id) + " has no sidechain.", where + ".key",
                       "Remove the field “key”."});
    }
    if (const auto problem = memory_problem(*kind, s.taught)) {
        const std::string key = kind->teaching != nullptr ? "." + std::string(kind->teaching->id) : "";
        out.push_back({*problem, where + key, ""});
    }
    return out;
}

namespace {
void add_problems(std::vector<Error>& out, const std::vector<StageSpec>& stages, const std::string& list) {
    if (stages.size() > kMaxStages) {
        out.push_back({"has " + std::to_string(stages.size()) + " stages; at most " +
                           std::to_string(kMaxStages) + " can be used.",
                       list, "Remove some."});
    }
    for (size_t i = 0; i < stages.size(); ++i) {
        const StageSpec& s = stages[i];
        const std::string where = list + "[" + std::to_string(i) + "]";
        const auto problems = stage_problems(s, where);
        out.insert(out.end(), problems.begin(), problems.end());
        if (std::ranges::find(stages, s.id, &StageSpec::id) !=
            stages.begin() + static_cast<std::ptrdiff_t>(i)) {
            out.push_back(
                {"The id \"" + s.id + "\" is used twice.", where + ".id", "Give each stage its own."});
        }
    }
}
}  // namespace

std::vector<Error> chain_problems(const ChainSpec& chain) {
    std::vector<Error> out;
    add_problems(out, chain.stages, "stages");
    if (chain.characters.size() > kMaxCharacters) {
        out.push_back({"has " + std::to_string(chain.characters.size()) + " characters; at most " +
                           std::to_string(kMaxCharacters) + " can be loaded.",
                       "characters", "Remove some."});
    }
    if (!(chain.least_latency >= 0.0 && chain.least_latency <= kMaxLeastLatency)) {
        out.push_back({"is outside 0 to " + std::to_string(std::lround(kMaxLeastLatency)) + " ms.",
                       "least_latency", ""});
    }
    for (size_t i = 0; i < chain.characters.size(); ++i) {
        const CharacterSpec& c = chain.characters[i];
        const std::string where = "characters[" + std::to_string(i) + "]";
        add_problems(out, c.stages, where + ".stages");
        if (std::ranges::any_of(c.stages, [](const StageSpec& s) { return !s.key.empty(); }))
            out.push_back({"A character can't use a sidechain.", where, "Remove the field “key”."});
        if (std::ranges::find(chain.characters, c.name, &CharacterSpec::name) !=
            chain.characters.begin() + static_cast<std::ptrdiff_t>(i))
            out.push_back({"Two characters have the name \"" + c.name + "\".", where, "Rename one."});
    }
    return out;
}

}  // namespace reed
