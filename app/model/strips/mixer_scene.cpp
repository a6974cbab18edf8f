// The part of the mixer model that is the current scene: read, loaded, and restored by undo.
#include <algorithm>

#include "model/strips/mixer_model.h"

namespace reed::ui {

Scene MixerModel::scene() const {
    Scene out = main_->chainModel().scene();
    out.desk.strips.clear();
    for (const StripModel* s : order_) out.desk.strips.push_back(s->chainModel().spec());
    out.desk.target_distance_min = least_;
    out.desk.target_distance_max = most_;
    return out;
}

bool MixerModel::matches(const MixerSpec& saved) const {
    if (saved.target_distance_min != least_ || saved.target_distance_max != most_) return false;
    return std::ranges::equal(saved.strips, order_, [](const StripSpec& a, const StripModel* b) {
        return same_but_transients(a, b->chainModel().spec());
    });
}

const std::string& MixerModel::name() const {
    return main_->chainModel().scene().name;
}

const Scene& MixerModel::metadata() const {
    return main_->chainModel().scene();
}

void MixerModel::setName(const std::string& name) {
    context_.history.rename(this->name(), name);
    Scene head = main_->chainModel().scene();
    head.name = name;
    main_->chainModel().setHead(std::move(head));
}

void MixerModel::setAbout(const Scene& about) {
    Scene head = about;
    head.name = name();
    main_->chainModel().setHead(std::move(head));
}

void MixerModel::setTargetDistance(double min, double max) {
    const double from = std::clamp(min, 0.0, 40.0), to = std::clamp(max, from, 40.0);
    if (from == least_ && to == most_) return;
    context_.history.push(tr("Loudness of app audio"), "distance");
    least_ = from;
    most_ = to;
    emit changed();
}

void MixerModel::adopt(const Scene& wanted, const QString& label, Fade fade) {
    DeskState next{{}, 0, wanted.desk.target_distance_min, wanted.desk.target_distance_max};
    // The first voice of the scene is the first voice here; the others are known by their ids.
    const auto& strips = wanted.desk.strips;
    next.first =
        static_cast<size_t>(std::ranges::find(strips, StripRole::voice, &StripSpec::role) - strips.begin());
    for (const StripSpec& s : strips) {
        Scene alone = next.strips.size() == next.first ? wanted : Scene{wanted.name};
        alone.desk = {{s}, next.target_distance_min, next.target_distance_max};
        next.strips.push_back(std::make_shared<const StripState>(StripState{std::move(alone), {}}));
    }
    // What is the same already is no step.
    const Scene now = scene();
    if (now.name != wanted.name || !(without_transients(now.desk) == without_transients(wanted.desk)))
        context_.history.push(label, {});
    const History::Hold hold(context_.history);
    applyState(next, [&](StripModel& s, const SharedState& state) {
        s.chainModel().adopt(state->scene, label, fade);
    });
}

DeskState MixerModel::state() const {
    DeskState out{{}, 0, least_, most_};
    for (const StripModel* s : order_) {
        if (s == main_) out.first = out.strips.size();
        out.strips.push_back(s->chainModel().state());
    }
    return out;
}

void MixerModel::restore(const DeskState& before) {
    removed_.reset();     // the steps have it
    std::string changed;  // a strip of which something is another now
    bool several = before.strips.size() != order_.size();
    applyState(before, [&](StripModel& s, const SharedState& state) {
        if (s.chainModel().state() == state) return;
        several = several || !changed.empty();
        s.chainModel().goBackTo(state);
        changed = s.chainModel().spec().id;
    });
    if (!several && !changed.empty()) focus(changed);  // what changes is seen
}

/// What knows the main strip by its id goes along.
void MixerModel::setMainId(const std::string& id) {
    const std::string& before = main_->chainModel().spec().id;
    if (auto monitored = monitored_.extract(before)) {
        monitored.key() = id;
        monitored_.insert(std::move(monitored));
    }
    if (context_.monitor.solo() == before) context_.monitor.setSolo(id);
    main_->setId(id);
}

/// Makes the strips those of `wanted`, in its order: `set` changes a strip that exists, missing ones are
/// added, and strips that `wanted` does not have are removed.
void MixerModel::applyState(const DeskState& wanted, const Set& set) {
    least_ = wanted.target_distance_min;
    most_ = wanted.target_distance_max;
    const auto spec = [&](size_t i) -> const StripSpec& {
        return wanted.strips[i]->scene.desk.strips.front();
    };
    std::vector<std::string> gone;
    for (const auto& s : strips_) {
        if (s.get() == main_) continue;
        const StripSpec& own = s->chainModel().spec();
        bool stays = false;
        for (size_t i = 0; i < wanted.strips.size(); ++i)
            stays = stays || (i != wanted.first && spec(i).id == own.id && spec(i).role == own.role);
        if (!stays) gone.push_back(own.id);
    }
    for (const std::string& id : gone) {
        inputs_[id] = find(id)->deviceSettings();
        drop(id);
    }
    const bool another = !gone.empty() || wanted.strips.size() != order_.size();
    const std::string& id = spec(wanted.first).id;
    if (id != main_->chainModel().spec().id) setMainId(id);
    set(*main_, wanted.strips[wanted.first]);
    if (context_.monitor.solo() == id) emit soloChanged();
    std::vector<StripModel*> order;
    for (size_t i = 0; i < wanted.strips.size(); ++i) {
        const SharedState& state = wanted.strips[i];
        if (i == wanted.first) {
            order.push_back(main_);
        } else if (StripModel* there = find(spec(i).id); there != nullptr) {
            set(*there, state);
            order.push_back(there);
        } else {
            order.push_back(restoreStrip(spec(i), state->memories, storedInput(spec(i).id), {}));
        }
    }
    const bool moved = order != order_;
    order_ = order;
    arrange();
    if (another || moved) emit stripsChanged();
    emit changed();
}

}  // namespace reed::ui
