#include "scenes/differences.h"

#include <algorithm>

namespace reed {
namespace {

using What = Difference::What;

/// The stage of the same id and kind, or nullptr.
const StageSpec* same_stage(const ChainSpec& chain, const StageSpec& s) {
    const int at = chain.index_of(s.id);
    if (at < 0 || chain.stages[static_cast<size_t>(at)].kind != s.kind) return nullptr;
    return &chain.stages[static_cast<size_t>(at)];
}

/// Ids of the stages that have moved against the others: all but the longest run that kept its order.
std::vector<std::string> moved_stages(const ChainSpec& saved, const ChainSpec& now) {
    std::vector<std::pair<int, std::string>> places;  // in the saved chain, in the order of now
    for (const StageSpec& s : now.stages) {
        if (same_stage(saved, s) != nullptr) places.emplace_back(saved.index_of(s.id), s.id);
    }
    // The longest increasing subsequence, by the length of the best one that ends at each place.
    std::vector<size_t> length(places.size(), 1);
    std::vector<size_t> before(places.size(), places.size());
    size_t last = places.size();
    for (size_t i = 0; i < places.size(); ++i) {
        for (size_t k = 0; k < i; ++k) {
            if (places[k].first < places[i].first && length[k] + 1 > length[i]) {
                length[i] = length[k] + 1;
                before[i] = k;
            }
        }
        if (last == places.size() || length[i] > length[last]) last = i;
    }
    std::vector<bool> stays(places.size(), false);
    for (size_t i = last; i < places.size(); i = before[i]) stays[i] = true;
    std::vector<std::string> out;
    for (size_t i = 0; i < places.size(); ++i) {
        if (!stays[i]) out.push_back(places[i].second);
    }
    return out;
}

}  // namespace

std::vector<Difference> differences(const ChainSpec& saved, const ChainSpec& now) {
    std::vector<Difference> out;
    const auto moved = moved_stages(saved, now);
    for (const StageSpec& s : now.stages) {
        const auto note = [&](What what, size_t row = 0, double was = 0.0, double is = 0.0) {
            out.push_back({what, s.id, s.shown_title(), row, was, is, {}});
        };
        const StageSpec* old = same_stage(saved, s);
        if (old == nullptr) {
            note(What::added);
            continue;
        }
        if (std::ranges::find(moved, s.id) != moved.end()) note(What::moved);
        if (old->title != s.title) note(What::renamed);
        if (old->bypass != s.bypass) note(s.bypass ? What::bypassed : What::enabled);
        if (old->taught != s.taught || old->foreign != s.foreign) note(What::taught);
        if (old->key != s.key) note(What::keyed);
        const auto& table = s.stage_kind().parameters;
        for (size_t p = 0; p < table.size(); ++p) {
            if (old->values[p] != s.values[p] && !table[p].transient)
                note(What::value, p, old->values[p], s.values[p]);
        }
    }
    for (const StageSpec& s : saved.stages) {
        if (same_stage(now, s) == nullptr)
            out.push_back({What::removed, s.id, s.shown_title(), 0, 0.0, 0.0, {}});
    }
    return out;
}

std::vector<Difference> differences(const MixerSpec& saved, const MixerSpec& now) {
    std::vector<Difference> out;
    const auto note = [&](What what, const StripSpec& s) {
        out.push_back({what, {}, s.shown_name(), 0, 0.0, 0.0, s.id});
    };
    for (const StripSpec& s : now.strips) {
        const int at = saved.index_of(s.id);
        if (at < 0 || saved.strips[static_cast<size_t>(at)].role != s.role) {
            note(What::strip_added, s);
            continue;
        }
        StripSpec old = saved.strips[static_cast<size_t>(at)];
        for (Difference d : differences(old.chain, s.chain)) {
            d.strip = s.id;
            out.push_back(std::move(d));
        }
        old.chain = s.chain;
        if (!(old == s)) note(What::strip_set, s);
    }
    if (saved.target_distance_min != now.target_distance_min ||
        saved.target_distance_max != now.target_distance_max)
        out.push_back(
            {What::distance, {}, "Balance", 0, saved.target_distance_min, now.target_distance_min, {}});
    std::vector<std::string> before, after;
    for (const StripSpec& s : saved.strips) before.push_back(s.id);
    for (const StripSpec& s : now.strips) after.push_back(s.id);
    std::vector<std::string> sorted = before, sorted_now = after;
    std::ranges::sort(sorted);
    std::ranges::sort(sorted_now);
    if (before != after && sorted == sorted_now)
        out.push_back({What::strip_moved, {}, "Strips", 0, 0.0, 0.0, {}});
    for (const StripSpec& s : saved.strips) {
        const int at = now.index_of(s.id);
        if (at < 0 || now.strips[static_cast<size_t>(at)].role != s.role) note(What::strip_removed, s);
    }
    return out;
}

}  // namespace reed
