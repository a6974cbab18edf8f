#include "model/strips/mixer_model.h"

#include <algorithm>
#include <utility>

#include "model/strips/default_scene.h"

namespace reed::ui {

namespace {
constexpr int kFadeOut = 80;  // ms, longer than a fader takes
}

MixerModel::MixerModel(AppContext& context, AudioSystem& audio) : context_(context), audio_(audio) {
    main_ = current_ = &create("voice", StripRole::voice);
    // Another strip's input may be there before the main one's.
    if (auto opened = context_.live.open({}); !opened.ok()) context_.notices.tell(opened.error());
    main_->readings().follow_feed(context_.live.feed_history(), {});
    connect(&main_->input(), &InputController::formatChanging, this, &MixerModel::onFormatChanging);
    connect(main_, &StripModel::ticked, this, &MixerModel::ticked);
    leave_.setSingleShot(true);
    leave_.setInterval(kFadeOut);
    connect(&leave_, &QTimer::timeout, this, &MixerModel::releaseLeaving);
    context_.history.serve([this] { return state(); }, [this](const DeskState& before) { restore(before); });
    connect(&context_.monitor, &MonitorMix::changed, this, &MixerModel::settingsChanged);
}

MixerModel::~MixerModel() = default;

/// A strip at the end of the order.
StripModel& MixerModel::create(const std::string& id, StripRole role) {
    const InputPolicy policy{.main = strips_.empty()};
    strips_.push_back(std::make_unique<StripModel>(context_, audio_, id, role, policy));
    StripModel& s = *strips_.back();
    order_.push_back(&s);
    connect(&s.chainModel(), &ChainModel::characterChanged, this, &MixerModel::characterChanged);
    connect(&s.chainModel(), &ChainModel::changed, this, [this] {
        arrange();
        emit changed();
    });
    connect(&s.chainModel(), &ChainModel::focusChanged, this, &MixerModel::settingsChanged);
    connect(&s.monitoring(), &MonitorController::changed, this, &MixerModel::settingsChanged);
    connect(&s.input(), &InputController::changed, this, &MixerModel::settingsChanged);
    connect(&s.input(), &InputController::attachmentChanging, this, &MixerModel::arrange);
    s.input().user_of = [this, strip = &s](const DeviceChoice& choice) { return userOf(*strip, choice); };
    s.sidechain_sources = [this](const std::string& source) {
        std::vector<StripModel*> out;
        for (StripModel* strip : order_) {
            const StripSpec& spec = strip->chainModel().spec();
            if (source == kAllVoices ? spec.role == StripRole::voice : spec.id == source)
                out.push_back(strip);
        }
        return out;
    };
    emit stripCreated(&s);
    return s;
}

/// The other strip that has this microphone already; empty: none.
QString MixerModel::userOf(const StripModel& of, const DeviceChoice& choice) const {
    if (choice.kind != DeviceKind::pipewire) return {};
    const std::string& standard = audio_.snapshot().default_source;
    const auto node = [&](const DeviceChoice& c) { return c.target.empty() ? standard : c.target; };
    const auto same = [&](const DeviceChoice& a, const DeviceChoice& b) {
        // Two channels of one device are two microphones.
        return node(a) == node(b) && (a.channel == b.channel || a.channel == 0 || b.channel == 0);
    };
    for (const StripModel* s : order_) {
        const InputController& other = s->input();
        if (s == &of || other.hasNoInput() || other.choice().kind != DeviceKind::pipewire) continue;
        if (same(other.choice(), choice)) return s->name();
    }
    return {};
}

size_t MixerModel::count(StripRole role) const {
    return static_cast<size_t>(
        std::ranges::count_if(order_, [&](const StripModel* s) { return s->liveStrip().role() == role; }));
}

StripModel* MixerModel::find(const std::string& id) const {
    const auto found =
        std::ranges::find_if(order_, [&](const StripModel* s) { return s->chainModel().spec().id == id; });
    return found == order_.end() ? nullptr : *found;
}

StripModel& MixerModel::voice() const {
    const auto is_voice = [](const StripModel* s) { return s->liveStrip().role() == StripRole::voice; };
    if (is_voice(current_)) return *current_;
    const auto found = std::ranges::find_if(order_, is_voice);
    return found == order_.end() ? *current_ : **found;
}

void MixerModel::focus(const std::string& id) {
    StripModel* wanted = find(id);
    if (wanted == nullptr || wanted == current_) return;
    current_ = wanted;
    emit focusChanged();
    emit settingsChanged();
}

void MixerModel::focusNext(int by) {
    const auto n = static_cast<int>(order_.size());
    const auto at = static_cast<int>(std::ranges::find(order_, current_) - order_.begin());
    focus(order_[static_cast<size_t>((at + by + n) % n)]->chainModel().spec().id);
}

// --- strips come and go ---

StripDeviceSettings MixerModel::storedInput(const std::string& id) const {
    const auto known = inputs_.find(id);
    return known == inputs_.end() ? StripDeviceSettings{} : known->second;
}

/// Another strip beside the main one.
StripModel* MixerModel::restoreStrip(const StripSpec& spec, const AbSettings& memories,
                                     const StripDeviceSettings& input, const std::string& focused,
                                     const std::string& character) {
    // The microphones of a removed strip with this id are released before the new strip creates its own.
    if (std::ranges::any_of(leaving_, [&](const auto& s) { return s->chainModel().spec().id == spec.id; }))
        releaseLeaving();
    audio_.fixed_rate = AudioSystem::kMixerRate;
    if (context_.live.format().sample_rate != audio_.fixed_rate) main_->input().reopen();
    StripModel& s = create(spec.id, spec.role);
    s.start({Scene{"", "", MixerSpec{{spec}, least_, most_}}, memories}, focused, character);
    s.readings().set_window(main_->readings().window());
    MonitorSettings monitor;
    monitor.volume_db = input.monitor_db;
    s.monitoring().restore(monitor);
    s.input().start(input, main_->input().choice().kind == DeviceKind::simulated_room);
    s.run();
    return &s;
}

StripModel* MixerModel::add(StripRole role) {
    const size_t most = role == StripRole::voice ? kMaxVoices : kMaxAppAudioStrips;
    if (count(role) >= most) {
        context_.notices.warn(
            role == StripRole::voice
                ? tr("You can have at most %1 voices. Remove one first.").arg(most)
                : tr("You can have at most %1 app audio strips. Remove one first.").arg(most));
        return nullptr;
    }
    const MixerSpec now = scene().desk;
    StripSpec spec =
        new_strip(now, role, role == StripRole::voice ? defaultScene().chain() : programmeChain());
    context_.history.push(tr("Add %1").arg(QString::fromStdString(spec.shown_name())), {});
    // A microphone that is remembered for this strip is used again; another one is chosen by hand.
    StripModel* added = restoreStrip(spec, {}, storedInput(spec.id), {});
    arrange();
    emit stripsChanged();
    focus(spec.id);
    emit changed();
    return added;
}

/// Removes a strip from the list at once, and the strip itself when its sound has faded out, without a click.
void MixerModel::drop(const std::string& id) {
    StripModel* gone = find(id);
    if (gone == nullptr || gone == main_) return;
    const auto at = static_cast<size_t>(std::ranges::find(order_, gone) - order_.begin());
    order_.erase(order_.begin() + static_cast<std::ptrdiff_t>(at));
    if (current_ == gone) {
        current_ = order_[std::min(at, order_.size() - 1)];
        emit focusChanged();
    }
    if (context_.monitor.solo() == id) setSolo("");
    monitored_.erase(id);
    gone->engine().set_mute(true);
    const auto owned = std::ranges::find_if(strips_, [gone](const auto& s) { return s.get() == gone; });
    leaving_.push_back(std::move(*owned));
    strips_.erase(owned);
    if (isAlone()) audio_.fixed_rate = 0.0;
    leave_.start();
    // Widgets that show it go before it.
    emit stripsChanged();
}

void MixerModel::releaseLeaving() {
    leave_.stop();
    for (const auto& s : leaving_) s->input().stop();
    const auto gone = std::exchange(leaving_, {});
    arrange();
}

void MixerModel::remove(const std::string& id) {
    StripModel* gone = find(id);
    if (gone == nullptr) return;
    if (gone == main_) {
        context_.notices.warn(
            tr("The first voice can't be removed. Remove another strip or recall another scene."));
        return;
    }
    auto kept = std::make_unique<Removed>();
    const SharedState state = gone->chainModel().state();
    kept->spec = state->scene.desk.strips.front();
    kept->memories = state->memories;
    kept->input = gone->deviceSettings();
    kept->focused = gone->chainModel().focused();
    kept->at = static_cast<size_t>(std::ranges::find(order_, gone) - order_.begin());
    inputs_[id] = kept->input;
    const QString name = gone->name();
    context_.history.push(tr("Remove %1").arg(name), {});
    const History::Hold hold(context_.history);
    for (StripModel* s : order_) {
        if (s != gone) s->chainModel().clearSidechain(id);
    }
    drop(id);
    removed_ = std::move(kept);
    emit changed();
    context_.notices.say(tr("Removed %1. Choose Restore removed strip in the menu to undo.").arg(name));
}

bool MixerModel::canRestoreRemoved() const {
    return removed_ != nullptr && find(removed_->spec.id) == nullptr;
}

void MixerModel::restoreRemoved() {
    if (!removed_) return;
    const auto r = std::move(removed_);
    if (find(r->spec.id) != nullptr) return;
    context_.history.push(tr("Restore %1").arg(QString::fromStdString(r->spec.shown_name())), {});
    StripModel* s = restoreStrip(r->spec, r->memories, r->input, r->focused);
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
    StripModel* moved = order_[static_cast<size_t>(at)];
    context_.history.push(tr("Move %1").arg(moved->name()), {});
    order_.erase(order_.begin() + at);
    order_.insert(order_.begin() + to, moved);
    emit stripsChanged();
    emit changed();
}

void MixerModel::arrange() {
    std::vector<std::shared_ptr<LiveStrip>> strips;
    MixerSpec open;  // as far as the order depends on it: roles and sidechains
    open.strips.clear();
    const auto add = [&](const StripModel& s) {
        if (!s.input().isAttached()) return;
        strips.push_back(s.liveStripPtr());
        const StripSpec& spec = s.chainModel().spec();
        StripSpec& out = open.strips.emplace_back(StripSpec{.id = spec.id, .role = spec.role});
        for (const StageSpec& stage : spec.chain.stages) {
            if (!stage.key.empty())
                out.chain.stages.emplace_back(
                    StageSpec{.id = stage.id, .kind = {}, .title = {}, .values = {}, .key = stage.key});
        }
    };
    for (const StripModel* s : order_) add(*s);
    for (const auto& s : leaving_) add(*s);
    std::vector<size_t> order = processing_order(open);
    if (order.size() != strips.size()) return;  // of a change that is refused
    const std::pair now(strips, order);
    if (now == arranged_) return;
    arranged_ = now;
    context_.live.arrange(strips, order);
}

/// The main strip's input is about to be opened with this format: what depends on it is opened again.
void MixerModel::onFormatChanging(const StreamFormat& format) {
    // With others beside it the mixer stays as it is, if it can.
    if (!isAlone() && format == context_.live.format()) return;
    releaseLeaving();
    const auto others = [this](auto action) {
        for (const auto& s : strips_) {
            if (s.get() != main_) action(s->input());
        }
    };
    others([](InputController& input) {
        input.stop();
        input.detachFromMixer();
    });
    if (auto opened = context_.live.open(format); !opened.ok()) context_.notices.tell(opened.error());
    main_->readings().follow_feed(context_.live.desk().feed_history(), format);
    others([](InputController& input) { input.reopen(); });
}

void MixerModel::stop() {
    releaseLeaving();
    for (StripModel* s : order_) s->input().close();
}

// --- headphones ---

void MixerModel::applyMute() {
    for (StripModel* s : order_) s->applyMute();
}

void MixerModel::setSolo(const std::string& id) {
    const std::string wanted = id == context_.monitor.solo() ? "" : id;
    if (context_.monitor.solo().empty()) {
        for (const StripModel* s : order_)
            monitored_[s->chainModel().spec().id] = s->monitoring().settings().source;
    }
    context_.monitor.setSolo(wanted);
    for (StripModel* s : order_) {
        const std::string& own = s->chainModel().spec().id;
        MonitorSettings next = s->monitoring().settings();
        if (wanted.empty())
            next.source = monitored_.contains(own) ? monitored_[own] : MonitorSource::off;
        else
            next.source = own == wanted ? MonitorSource::feed : MonitorSource::off;
        s->monitoring().set(next);
    }
    emit soloChanged();
}

void MixerModel::setSidechain(StripModel& strip, const std::string& stage, const std::string& source) {
    Scene would = scene();
    const int i = would.desk.index_of(strip.chainModel().spec().id);
    ChainSpec& chain = would.desk.strips[static_cast<size_t>(i)].chain;
    const int k = chain.index_of(stage);
    if (k < 0) return;
    chain.stages[static_cast<size_t>(k)].key = source;
    if (const auto problems = mixer_problems(would.desk); !problems.empty()) {
        context_.notices.tell(problems.front());
        return;
    }
    strip.chainModel().setKey(stage, source);
}

// --- start and end ---

void MixerModel::start(const WorkingState& state) {
    inputs_ = state.inputs;
    const auto& strips = state.scene.desk.strips;
    const auto voice = std::ranges::find(strips, StripRole::voice, &StripSpec::role);
    least_ = state.scene.desk.target_distance_min;
    most_ = state.scene.desk.target_distance_max;
    const auto memories = [&](const std::string& id) {
        const auto found = state.memories.find(id);
        return found == state.memories.end() ? AbSettings{} : found->second;
    };
    const auto character = [&](const std::string& id) {
        const auto found = state.characters.find(id);
        return found == state.characters.end() ? std::string() : found->second;
    };
    Scene own = state.scene;
    own.desk.strips = {*voice};
    main_->liveStrip().rename(voice->id);
    main_->monitoring().restore(state.monitor);
    main_->readings().set_window(state.window_seconds);
    main_->start({own, memories(voice->id)}, state.focused, character(voice->id));
    main_->input().setRoomValues(state.room);
    main_->input().start(state.input, false);
    std::vector<StripModel*> order;
    for (const StripSpec& s : strips) {
        order.push_back(
            &s == &*voice ? main_ : restoreStrip(s, memories(s.id), storedInput(s.id), {}, character(s.id)));
    }
    order_ = order;
    applyMute();  // a missing character may have muted it after the first strip was ready
    main_->run();
    if (order_.size() > 1) emit stripsChanged();
    focus(state.focused_strip);
}

void MixerModel::save(WorkingState& state) const {
    state.scene = scene();
    state.input = main_->input().settings();
    state.room = main_->input().roomValues();
    state.focused = main_->chainModel().focused();
    state.window_seconds = main_->readings().window();
    state.monitor = main_->monitoring().settings();
    state.inputs = inputs_;
    for (const auto& s : strips_) {
        if (s.get() != main_) state.inputs[s->chainModel().spec().id] = s->deviceSettings();
    }
    if (order_.size() > 1) state.focused_strip = current_->chainModel().spec().id;
    for (const StripModel* s : order_) {
        const ChainModel& chain = s->chainModel();
        const std::string& id = chain.spec().id;
        if (!chain.character().empty()) state.characters[id] = chain.character();
        for (const auto& [stage, memory] : chain.state()->memories) {
            if (chain.stage(stage) != nullptr) state.memories[id][stage] = memory;
        }
    }
}

}  // namespace reed::ui
