#include "model/strips/readout_history.h"

#include <algorithm>

namespace reed::ui {

int ReadoutHistory::shown(const StageKind& kind) {
    // What is held against a value, or what a gain that moves has come to; other figures have no scale.
    const auto it = std::ranges::find_if(kind.readouts, [&kind](const Readout& r) {
        return r.unit == Unit::decibel && (!r.beside.empty() || kind.reports_reduction);
    });
    return it != kind.readouts.end() ? static_cast<int>(it - kind.readouts.begin()) : -1;
}

void ReadoutHistory::follow(const ChainSpec& chain, double time,
                            const std::function<std::vector<float>(const StageSpec&)>& told) {
    // Another input starts a new history.
    if (time < time_) stages_.clear();
    if (time >= time_ && time < time_ + kStep) return;
    time_ = time;
    std::erase_if(stages_, [&](const auto& s) { return chain.index_of(s.first) < 0; });
    for (const StageSpec& stage : chain.stages) {
        const int which = shown(stage.stage_kind());
        if (which < 0) continue;
        auto& trail = stages_[stage.id];
        if (stage.bypass) {
            trail.clear();
            continue;
        }
        const auto all = told(stage);
        if (static_cast<size_t>(which) >= all.size()) continue;
        trail.push_back({time, all[static_cast<size_t>(which)]});
        while (trail.front().time < time - kSeconds) trail.pop_front();
    }
}

const std::deque<ReadoutHistory::Moment>& ReadoutHistory::of(const std::string& stage) const {
    static const std::deque<Moment> kNothing;
    const auto it = stages_.find(stage);
    return it != stages_.end() ? it->second : kNothing;
}

}  // namespace reed::ui
