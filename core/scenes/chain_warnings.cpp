#include "measure/chain_checks.h"
#include "scenes/scene.h"

namespace reed {

std::vector<std::string> chain_warnings(const ChainSpec& chain, StripRole role) {
    std::vector<std::string> out;
    for (size_t i = 0; i < chain.stages.size(); ++i) {
        const StageSpec& s = chain.stages[i];
        if (!s.missing()) continue;
        std::string known;
        for (const auto* k : stage_kinds()) known += (known.empty() ? "" : ", ") + std::string(k->id);
        out.push_back(
            "stages[" + std::to_string(i) + "].kind: unknown stage kind \"" + s.kind.substr(0, 60) +
            "\"; the signal passes through unchanged and its settings are preserved. Known: " + known + ".");
    }
    if (role == StripRole::programme) return out;
    if (limiter_place(chain) == LimiterPlace::missing)
        out.emplace_back("No active limiter: peaks are not controlled.");
    else if (limiter_place(chain) == LimiterPlace::not_last)
        out.emplace_back("The limiter isn't last: later stages can exceed its ceiling.");
    return out;
}

}  // namespace reed
