// The chain as a plain value: what the interface edits, scenes store and the engine follows.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "stages/registry.h"

namespace reed {

/// A stage: kind, name and parameter values (one per row of the table of the kind).
struct StageSpec {
    std::string id;     ///< unique in the chain ("gate", "gate_2"); does not change when the stage is moved
    std::string kind;   ///< a StageKind id
    std::string title;  ///< name given by the user; empty: the title of the kind
    bool bypass = false;
    std::vector<double> values;
    /// Sidechain source: id of a strip, or kAllVoices; empty: its own input. Only for kinds with
    /// StageKind::accepts_sidechain.
    std::string key{};
    LearnedData taught{};   ///< learned data; empty for kinds that learn nothing
    std::string foreign{};  ///< for an unknown kind: its JSON, preserved; otherwise empty
    std::string extra{};    ///< unknown fields of a newer version, as a JSON object

    bool operator==(const StageSpec&) const = default;

    /// The kind; kMissingStage if it is unknown.
    const StageKind& stage_kind() const;
    bool missing() const { return stage_kind().id.empty(); }
    /// Name to display: of the user, of the kind, or the id of an unknown kind.
    std::string shown_title() const;
    /// Value by parameter id. Both throw std::out_of_range for an unknown id, which is a bug.
    double value(std::string_view parameter) const { return values.at(row(parameter)); }
    void set(std::string_view parameter, double value) { values.at(row(parameter)) = value; }

  private:
    size_t row(std::string_view parameter) const;
};

/// Maximum number of stages of a chain.
inline constexpr size_t kMaxStages = 32;

/// Stages applied after the chain and before its limiter while the character is active. No sidechains; not
/// included in the latency of the chain, unless ChainSpec::least_latency has room for them.
struct CharacterSpec {
    std::string name;  ///< unique in the chain
    std::vector<StageSpec> stages;

    bool operator==(const CharacterSpec&) const = default;
};

/// Longest ChainSpec::least_latency, in ms. (A mixer aligns strips by at most 300 ms.)
inline constexpr double kMaxLeastLatency = 250.0;

/// Maximum number of loaded characters.
inline constexpr size_t kMaxCharacters = 32;

/// A chain: stages in the order of the signal.
struct ChainSpec {
    std::vector<StageSpec> stages{};
    /// Loaded characters and the name of the active one; empty if none. Not part of a scene.
    std::vector<CharacterSpec> characters{};
    std::string character{};
    /// Latency in ms that the running chain has at least: it is delayed before its limiter by what its stages
    /// leave of it. The active character uses that delay first, so that it adds none of its own up to there.
    /// 0 to kMaxLeastLatency; not part of a scene.
    double least_latency = 0.0;

    bool operator==(const ChainSpec&) const = default;

    /// Index of the stage with this id, or -1.
    int index_of(std::string_view id) const {
        for (size_t i = 0; i < stages.size(); ++i) {
            if (stages[i].id == id) return static_cast<int>(i);
        }
        return -1;
    }
};

/// A stage of `kind` with default values and an id that is unique in `chain`.
StageSpec new_stage(const ChainSpec& chain, const StageKind& kind);
/// An id for a stage of this kind that is unique in `chain`.
std::string unique_stage_id(const ChainSpec& chain, std::string_view kind);

/// Whether only values, bypass and the active character differ, and no structural parameter or latency, so
/// that the running chain need not be rebuilt.
bool same_structure(const ChainSpec& a, const ChainSpec& b);

/// Whether a stage that was suspended in `before` (StageKind::rests) is active in `after`, which has the same
/// structure.
bool resumes_stage(const ChainSpec& before, const ChainSpec& after);

/// The stage or chain with all transient parameters at their defaults, as it is saved.
StageSpec without_transients(StageSpec stage);
ChainSpec without_transients(ChainSpec chain);
/// Whether they are equal without_transients(). Copies nothing.
bool same_but_transients(const StageSpec& a, const StageSpec& b);
bool same_but_transients(const ChainSpec& a, const ChainSpec& b);

/// Whether only values and bypass differ between two stages, and no structural parameter.
bool same_structure(const StageSpec& a, const StageSpec& b);
/// Whether it was suspended in `before` and is active in `after`, which has the same structure.
bool resumes_stage(const StageSpec& before, const StageSpec& after);

/// Validates one stage: unknown kind without JSON, values out of range, learned data. `where` is its place in
/// the errors. Empty if it can run.
std::vector<Error> stage_problems(const StageSpec& stage, const std::string& where);
/// Validates a chain: unknown kinds without JSON, values out of range, too many stages, duplicate ids. Empty
/// if it can run.
std::vector<Error> chain_problems(const ChainSpec& chain);

}  // namespace reed
