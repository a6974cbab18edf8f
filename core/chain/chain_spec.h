// The chain as a plain value: what the interface edits, scenes store and the engine follows.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "stages/registry.h"

namespace reed {

/// One stage: its kind, its name and its parameter values (one per row of the kind's table).
struct StageSpec {
    std::string id;     ///< unique in the chain ("gate", "gate_2"); stays when the stage moves
    std::string kind;   ///< a StageKind id
    std::string title;  ///< the person's name for it; empty: the kind's title
    bool bypass = false;
    std::vector<double> values;
    /// What its detection listens to: a strip's id, or kAllVoices; empty: its own sound. Only kinds that take
    /// a key (StageKind::accepts_sidechain).
    std::string key{};
    LearnedData taught{};   ///< what the stage was taught; empty for kinds that learn nothing
    std::string foreign{};  ///< a kind that is not known here: the rest of its JSON as it came; else empty
    std::string extra{};    ///< of a newer version: fields that are not known here, as the JSON of an object

    bool operator==(const StageSpec&) const = default;

    /// kMissingStage where the kind is not known here.
    const StageKind& stage_kind() const;
    bool missing() const { return stage_kind().id.empty(); }
    /// The person's name for it, the kind's title, or the id of a kind that is missing.
    std::string shown_title() const;
    /// Value by parameter id. Both throw std::out_of_range for an id that the kind has not: a bug, never a
    /// person's mistake.
    double value(std::string_view parameter) const { return values.at(row(parameter)); }
    void set(std::string_view parameter, double value) { values.at(row(parameter)) = value; }

  private:
    size_t row(std::string_view parameter) const;
};

/// At most this many stages: more than anyone can look over, and a bound for files.
inline constexpr size_t kMaxStages = 32;

/// Stages that are laid over a chain for a moment, after all others but its lid. None listens to another
/// strip, and none counts to the chain's delay.
struct CharacterSpec {
    std::string name;  ///< no two of a chain have the same
    std::vector<StageSpec> stages;

    bool operator==(const CharacterSpec&) const = default;
};

/// At most this many wait for their turn.
inline constexpr size_t kMaxCharacters = 32;

/// Stages in the order of the signal.
struct ChainSpec {
    std::vector<StageSpec> stages{};
    /// Those that can be laid over it, ready to run, and the name of the one that is; empty: none. No part of
    /// a scene.
    std::vector<CharacterSpec> characters{};
    std::string character{};

    bool operator==(const ChainSpec&) const = default;

    /// Index of the stage with this id, or -1.
    int index_of(std::string_view id) const {
        for (size_t i = 0; i < stages.size(); ++i) {
            if (stages[i].id == id) return static_cast<int>(i);
        }
        return -1;
    }
};

/// A stage of `kind` with default values and an id not used in `chain` yet.
StageSpec new_stage(const ChainSpec& chain, const StageKind& kind);
/// An id for a stage of the kind of this id that is not used in `chain` yet.
std::string unique_stage_id(const ChainSpec& chain, std::string_view kind);

/// True when only values, bypass and the character that is on differ, and no structural parameter: the
/// running chain can follow without being rebuilt.
bool same_structure(const ChainSpec& a, const ChainSpec& b);

/// True when a stage that rests while bypassed (StageKind::rests) is to be heard in `after` and was not in
/// `before`, which has the same structure.
bool resumes_stage(const ChainSpec& before, const ChainSpec& after);

/// The chain with all transient parameters at their defaults: what is worth keeping of it.
ChainSpec without_transients(ChainSpec chain);

/// Everything wrong with a chain: unknown kinds without their JSON, values outside their range (by name and
/// range), too many stages, ids used twice. Empty when it can be run.
std::vector<Error> chain_problems(const ChainSpec& chain);

}  // namespace reed
