#include "session/mixer_model.h"

#include <algorithm>
#include <utility>

#include "session/default_scene.h"
#include "session/monitor_controller.h"
#include "session/session.h"

namespace reed::ui {

namespace {
constexpr int kFadeOut = 80;  // ms, longer than a fader takes
}

/// A strip that was taken off, for restoreRemoved().
struct MixerModel::Removed {
    StripSpec spec;
    AbSettings memories;
    StripDeviceSettings input;
    std::string focused;
    size_t at = 0;
};

MixerModel::MixerModel(Session& first, AppContext& house)
    : QObject(&first), first_(first), house_(house), order_{&first}, current_(&first) {
    take(first);
    leave_.setSingleShot(true);
    leave_.setInterval(kFadeOut);
    connect(&leave_, &QTimer::timeout, this, &MixerModel::letGo);
    house_.history.serve([this] { return state(); }, [this](const DeskState& before) { restore(before); });
    house_.taken = [this](const Devices& of, const DeviceChoice& choice) { return userOf(of, choice); };
}

/// The other strip that has this microphone already; empty: none.
QString MixerModel::userOf(const Devices& of, const DeviceChoice& choice) const {
    if (choice.kind != DeviceKind::pipewire) return {};
    const std::string standard = first_.devices().picture().default_source;
    const auto node = [&](const DeviceChoice& c) { return c.target.empty() ? standard : c.target; };
    const auto same = [&](const DeviceChoice& a, const DeviceChoice& b) {
        // Two channels of one device are two microphones.
        return node(a) == node(b) && (a.channel == b.channel || a.channel == 0 || b.channel == 0);
    };
    for (Session* s : order_) {
        const Devices& other = s->devices();
        if (&other == &of || other.unchosen() || other.input().kind != DeviceKind::pipewire) continue;
        if (same(other.input(), choice)) return s->stripName();
    }
    return {};
}

MixerModel::~MixerModel() = default;

/// Looks after a strip's changes.
void MixerModel::take(Session& strip) {
    connect(&strip.strip(), &ChainModel::characterChanged, this, &MixerModel::characterChanged);
    connect(&strip.strip(), &ChainModel::changed, this, [this] {
        arrange();
        emit changed();
    });
}

size_t MixerModel::count(StripRole role) const {
    return static_cast<size_t>(
        std::ranges::count_if(order_, [&](const Session* s) { return s->seat().role() == role; }));
}

Session* MixerModel::find(const std::string& id) const {
    const auto found =
        std::ranges::find_if(order_, [&](const Session* s) { return s->strip().spec().id == id; });
    return found == order_.end() ? nullptr : *found;
}

Session& MixerModel::voice() const {
    const auto is_voice = [](const Session* s) { return s->seat().role() == StripRole::voice; };
    if (is_voice(current_)) return *current_;
    const auto found = std::ranges::find_if(order_, is_voice);
    return found == order_.end() ? *current_ : **found;
}

void MixerModel::focus(const std::string& id) {
    Session* wanted = find(id);
    if (wanted == nullptr || wanted == current_) return;
    current_ = wanted;
    emit focusChanged();
    first_.scheduleSave();
}

void MixerModel::focusNext(int by) {
    const auto n = static_cast<int>(order_.size());
    const auto at = static_cast<int>(std::ranges::find(order_, current_) - order_.begin());
    focus(order_[static_cast<size_t>((at + by + n) % n)]->strip().spec().id);
}

// --- strips come and go ---

Session* MixerModel::seat(const StripSpec& spec, const AbSettings& memories, const StripDeviceSettings& input,
                          const std::string& focused, const std::string& character) {
    // What it offered to other programs goes before the same is offered anew.
    if (std::ranges::any_of(leaving_, [&](const auto& s) { return s->strip().spec().id == spec.id; }))
        letGo();
    house_.several = true;
    if (house_.live.format().sample_rate != AppContext::kDeskRate) first_.devices().reopen();
    others_.push_back(std::make_unique<Session>(first_, spec));
    Session& s = *others_.back();
    order_.push_back(&s);
    take(s);
    s.beginStrip({Scene{"", "", MixerSpec{{spec}, least_, most_}}, memories}, focused, input, character);
    return &s;
}

Session* MixerModel::add(StripRole role) {
    const size_t most = role == StripRole::voice ? kMaxVoices : kMaxAppAudioStrips;
    if (count(role) >= most) {
        house_.notices.warn(
            role == StripRole::voice
                ? tr("You can have at most %1 voices. Remove one first.").arg(most)
                : tr("You can have at most %1 app audio strips. Remove one first.").arg(most));
        return nullptr;
    }
    const MixerSpec now = scene().desk;
    StripSpec spec =
        new_strip(now, role, role == StripRole::voice ? defaultScene().chain() : programmeChain());
    // A microphone that is remembered for this strip is taken up again; another one is chosen by hand.
    StripDeviceSettings input;
    if (const auto known = inputs_.find(spec.id); known != inputs_.end()) input = known->second;
    house_.history.push(tr("Add %1").arg(QString::fromStdString(spec.shown_name())), {});
    Session* added = seat(spec, {}, input, {});
    arrange();
    emit stripsChanged();
    focus(spec.id);
    emit changed();
    return added;
}

/// Off the desk for whoever looks. Its sound fades out first: it would be heard to click.
void MixerModel::drop(const std::string& id) {
    Session* gone = find(id);
    if (gone == nullptr || gone == &first_) return;
    const auto at = static_cast<size_t>(std::ranges::find(order_, gone) - order_.begin());
    order_.erase(order_.begin() + static_cast<std::ptrdiff_t>(at));
    if (current_ == gone) {
        current_ = order_[std::min(at, order_.size() - 1)];
        emit focusChanged();
    }
    if (house_.solo == id) setSolo("");
    monitored_.erase(id);
    gone->engine().set_mute(true);
    const auto owned = std::ranges::find_if(others_, [gone](const auto& s) { return s.get() == gone; });
    leaving_.push_back(std::move(*owned));
    others_.erase(owned);
    house_.several = !others_.empty();
    leave_.start();
    // Widgets that show it go before it.
    emit stripsChanged();
}

void MixerModel::letGo() {
    leave_.stop();
    for (const auto& s : leaving_) s->devices().stop();
    const auto gone = std::exchange(leaving_, {});
    arrange();
}

void MixerModel::remove(const std::string& id) {
    Session* gone = find(id);
    if (gone == nullptr) return;
    if (gone == &first_) {
        house_.notices.warn(
            tr("The first voice can't be removed. Remove another strip or recall another scene."));
        return;
    }
    auto kept = std::make_unique<Removed>();
    const SharedState state = gone->strip().state();
    kept->spec = state->scene.desk.strips.front();
    kept->memories = state->memories;
    kept->input = gone->kept();
    kept->focused = gone->strip().focused();
    kept->at = static_cast<size_t>(std::ranges::find(order_, gone) - order_.begin());
    inputs_[id] = kept->input;
    const QString name = gone->stripName();
    house_.history.push(tr("Remove %1").arg(name), {});
    const History::Hold hold(house_.history);
    for (Session* s : order_) {
        if (s != gone) s->strip().clearSidechain(id);
    }
    drop(id);
    removed_ = std::move(kept);
    emit changed();
    house_.notices.say(tr("Removed %1. Choose Restore removed strip in the menu to undo.").arg(name));
}

bool MixerModel::canRestoreRemoved() const {
    return removed_ != nullptr && find(removed_->spec.id) == nullptr;
}

void MixerModel::restoreRemoved() {
    if (!removed_) return;
    const auto r = std::move(removed_);
    if (find(r->spec.id) != nullptr) return;
    house_.history.push(tr("Restore %1").arg(QString::fromStdString(r->spec.shown_name())), {});
    Session* s = seat(r->spec, r->memories, r->input, r->focused);
    order_.pop_back();
    order_.insert(order_.begin() + static_cast<std::ptrdiff_t>(std::min(r->at, order_.size())), s);
    arrange();
    emit stripsChanged();
    focus(r->spec.id);
    emit changed();
}

void MixerModel::move(const std::string& id, int by) {
    const auto n = static_cast<int>(order_.size());
    const auto at = static_cast<int>(std::ranges::find(order_, find(id)) - order_.begin());
    const int to = std::clamp(at + by, 0, n - 1);
    if (at >= n || to == at) return;
    Session* moved = order_[static_cast<size_t>(at)];
    house_.history.push(tr("Move %1").arg(moved->stripName()), {});
    order_.erase(order_.begin() + at);
    order_.insert(order_.begin() + to, moved);
    emit stripsChanged();
    emit changed();
}

void MixerModel::arrange() {
    std::vector<std::shared_ptr<LiveStrip>> strips;
    MixerSpec open;
    open.strips.clear();
    const auto add = [&](Session& s) {
        if (!s.devices().isAttached()) return;
        strips.push_back(s.seatPointer());
        open.strips.push_back(s.strip().spec());
    };
    for (Session* s : order_) add(*s);
    for (const auto& s : leaving_) add(*s);
    std::vector<size_t> order = processing_order(open);
    if (order.size() != strips.size()) return;  // of a change that is refused
    const std::pair now(strips, order);
    if (now == arranged_) return;
    arranged_ = now;
    house_.live.arrange(strips, order);
}

void MixerModel::formatChanges(const StreamFormat& feed) {
    // With others on it the desk stays as it is, if it can.
    if (!others_.empty() && feed == house_.live.format()) return;
    letGo();
    for (const auto& s : others_) {
        s->devices().stop();
        s->devices().detachFromMixer();
    }
    if (auto opened = house_.live.open(feed); !opened.ok()) house_.notices.tell(opened.error());
    first_.readings().follow_feed(house_.live.desk().feed_history(), feed);
    for (const auto& s : others_) s->devices().reopen();
}

void MixerModel::reopenPipeWire() {
    for (const auto& s : others_) {
        if (s->devices().usesPipeWire()) s->devices().reopen();
    }
}

void MixerModel::stop() {
    letGo();
    for (Session* s : order_) s->devices().stop();
}

// --- what is heard ---

void MixerModel::setMuted(bool muted) {
    house_.muted = muted;
    for (Session* s : order_) s->applyStrip();
}

void MixerModel::setSolo(const std::string& id) {
    const std::string wanted = id == house_.solo ? "" : id;
    if (house_.solo.empty()) {
        for (Session* s : order_)
            monitored_[s->strip().spec().id] = static_cast<int>(s->monitoring().settings().source);
    }
    house_.solo = wanted;
    for (Session* s : order_) {
        const std::string& own = s->strip().spec().id;
        MonitorSettings next = s->monitoring().settings();
        if (wanted.empty())
            next.source =
                monitored_.contains(own) ? static_cast<MonitorSource>(monitored_[own]) : MonitorSource::off;
        else
            next.source = own == wanted ? MonitorSource::feed : MonitorSource::off;
        s->monitoring().set(next);
    }
    emit soloChanged();
}

const std::string& MixerModel::solo() const {
    return house_.solo;
}

void MixerModel::setKey(Session& strip, const std::string& stage, const std::string& key) {
    Scene would = scene();
    const int i = would.desk.index_of(strip.strip().spec().id);
    ChainSpec& chain = would.desk.strips[static_cast<size_t>(i)].chain;
    const int k = chain.index_of(stage);
    if (k < 0) return;
    chain.stages[static_cast<size_t>(k)].key = key;
    if (const auto problems = mixer_problems(would.desk); !problems.empty()) {
        house_.notices.tell(problems.front());
        return;
    }
    strip.strip().setKey(stage, key);
}

// --- the scene in work ---

Scene MixerModel::scene() const {
    Scene out = first_.strip().scene();
    out.desk.strips.clear();
    for (const Session* s : order_) out.desk.strips.push_back(s->strip().spec());
    out.desk.target_distance_min = least_;
    out.desk.target_distance_max = most_;
    return out;
}

const std::string& MixerModel::name() const {
    return first_.strip().scene().name;
}

void MixerModel::setName(const std::string& name) {
    house_.history.rename(this->name(), name);
    Scene head = first_.strip().scene();
    head.name = name;
    first_.strip().setHead(std::move(head));
}

void MixerModel::setAbout(const Scene& about) {
    Scene head = about;
    head.name = name();
    first_.strip().setHead(std::move(head));
}

void MixerModel::setDistance(double least, double most) {
    const double from = std::clamp(least, 0.0, 40.0), to = std::clamp(most, from, 40.0);
    if (from == least_ && to == most_) return;
    house_.history.push(tr("Loudness of app audio"), "distance");
    least_ = from;
    most_ = to;
    emit changed();
    first_.scheduleSave();
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
        house_.history.push(label, {});
    const History::Hold hold(house_.history);
    become(next, [&](Session& s, const SharedState& state) { s.strip().adopt(state->scene, label, fade); });
}

DeskState MixerModel::state() const {
    DeskState out{{}, 0, least_, most_};
    for (const Session* s : order_) {
        if (s == &first_) out.first = out.strips.size();
        out.strips.push_back(s->strip().state());
    }
    return out;
}

void MixerModel::restore(const DeskState& before) {
    removed_.reset();     // the steps have it
    std::string changed;  // a strip of which something is another now
    bool several = before.strips.size() != order_.size();
    become(before, [&](Session& s, const SharedState& state) {
        if (s.strip().state() == state) return;
        several = several || !changed.empty();
        s.strip().goBackTo(state);
        changed = s.strip().spec().id;
    });
    if (!several && !changed.empty()) focus(changed);  // what changes is seen
}

/// The strips of `wanted` in their order. Those that are here already are told by `set`, others come, those
/// it has not go.
void MixerModel::become(const DeskState& wanted, const Set& set) {
    least_ = wanted.target_distance_min;
    most_ = wanted.target_distance_max;
    const auto spec = [&](size_t i) -> const StripSpec& {
        return wanted.strips[i]->scene.desk.strips.front();
    };
    std::vector<std::string> gone;
    for (const auto& s : others_) {
        const StripSpec& own = s->strip().spec();
        bool stays = false;
        for (size_t i = 0; i < wanted.strips.size(); ++i)
            stays = stays || (i != wanted.first && spec(i).id == own.id && spec(i).role == own.role);
        if (!stays) gone.push_back(own.id);
    }
    for (const std::string& id : gone) {
        inputs_[id] = find(id)->kept();
        drop(id);
    }
    const bool another = !gone.empty() || wanted.strips.size() != order_.size();
    const std::string& id = spec(wanted.first).id;
    if (id != first_.strip().spec().id) first_.setLiveStripId(id);
    set(first_, wanted.strips[wanted.first]);
    std::vector<Session*> order;
    for (size_t i = 0; i < wanted.strips.size(); ++i) {
        const SharedState& state = wanted.strips[i];
        if (i == wanted.first) {
            order.push_back(&first_);
        } else if (Session* there = find(spec(i).id); there != nullptr) {
            set(*there, state);
            order.push_back(there);
        } else {
            const auto known = inputs_.find(spec(i).id);
            order.push_back(seat(spec(i), state->memories,
                                 known == inputs_.end() ? StripDeviceSettings{} : known->second, {}));
        }
    }
    const bool moved = order != order_;
    order_ = order;
    arrange();
    if (another || moved) emit stripsChanged();
    emit changed();
}

void MixerModel::begin(const WorkingState& state) {
    inputs_ = state.inputs;
    const auto& strips = state.scene.desk.strips;
    const auto voice = std::ranges::find(strips, StripRole::voice, &StripSpec::role);
    least_ = state.scene.desk.target_distance_min;
    most_ = state.scene.desk.target_distance_max;
    std::vector<Session*> order;
    for (const StripSpec& s : strips) {
        if (&s == &*voice) {
            order.push_back(&first_);
            continue;
        }
        const auto known = inputs_.find(s.id);
        const auto memories = state.memories.find(s.id);
        const auto character = state.characters.find(s.id);
        order.push_back(seat(s, memories == state.memories.end() ? AbSettings{} : memories->second,
                             known == inputs_.end() ? StripDeviceSettings{} : known->second, {},
                             character == state.characters.end() ? "" : character->second));
    }
    order_ = order;
    if (order_.size() > 1) emit stripsChanged();
    focus(state.focused_strip);
}

void MixerModel::keep(WorkingState& state) const {
    state.scene = scene();
    state.inputs = inputs_;
    for (const auto& s : others_) state.inputs[s->strip().spec().id] = s->kept();
    for (const Session* s : order_) {
        if (!s->strip().character().empty()) state.characters[s->strip().spec().id] = s->strip().character();
    }
    if (order_.size() > 1) state.focused_strip = current_->strip().spec().id;
    for (const Session* s : order_) {
        for (const auto& [id, memory] : s->strip().state()->memories) {
            if (s->strip().stage(id) != nullptr) state.memories[s->strip().spec().id][id] = memory;
        }
    }
}

}  // namespace reed::ui
