#include "model/chain/chain_model.h"

#include <algorithm>
#include <cmath>

#include "base/case_folding.h"
#include "engine/engine.h"
#include "widgets/input.h"

namespace reed::ui {
namespace {

/// A step back must not bring back that a band was listened to.
StripState settled(StripState state) {
    state.scene.chain() = without_transients(std::move(state.scene.chain()));
    return state;
}

/// Same stages in the same order, by the same names.
bool alike(const ChainSpec& a, const ChainSpec& b) {
    return std::ranges::equal(a.stages, b.stages, [](const StageSpec& x, const StageSpec& y) {
        return x.id == y.id && x.kind == y.kind && x.title == y.title;
    });
}

}  // namespace

ChainModel::ChainModel(ChainRunner& runner, Notifications& notices, History& history, QObject* parent)
    : QObject(parent), runner_(runner), notices_(notices), history_(history) {
    event_done_.setSingleShot(true);
    event_done_.setInterval(0);
    connect(&event_done_, &QTimer::timeout, this, [this] { past_.clear(); });
}

const StageSpec* ChainModel::stage(const std::string& id) const {
    const int i = chain().index_of(id);
    return i < 0 ? nullptr : &chain().stages[static_cast<size_t>(i)];
}

QString ChainModel::nameOf(const std::string& id) const {
    const StageSpec* s = stage(id);
    return s == nullptr ? QString() : QString::fromStdString(s->shown_title());
}

std::pair<StripState, StageSpec*> ChainModel::changing(const std::string& id) const {
    std::pair<StripState, StageSpec*> out{*now_, nullptr};
    // Within the copy: the elements stay where they are when the pair is moved.
    if (const int i = chain().index_of(id); i >= 0)
        out.second = &out.first.scene.chain().stages[static_cast<size_t>(i)];
    return out;
}

// --- taking a state ---

void ChainModel::follow(Fade fade) {
    const double level = strip_level(spec().fader, spec().mute);
    if (!open_) return runner_.set_level(level);
    if (auto followed = runner_.follow(runnable(), fade, level); !followed.ok())
        notices_.tell(followed.error());
}

ChainSpec ChainModel::runnable() const {
    ChainSpec out = chain();
    out.characters = characters_;
    out.character = character_;
    out.least_latency = least_latency_;
    return out;
}

void ChainModel::setCharacters(std::vector<CharacterSpec> characters) {
    if (characters == characters_) return;
    characters_ = std::move(characters);
    if (!hasCharacter(character_)) return setCharacter({});  // and takes the others along
    follow(Fade::quick);
}

bool ChainModel::hasCharacter(const std::string& name) const {
    return std::ranges::find(characters_, name, &CharacterSpec::name) != characters_.end();
}

void ChainModel::setCharacter(const std::string& name) {
    const bool another = name != character_;
    character_ = name;
    follow(Fade::quick);
    if (another) emit characterChanged();
}

void ChainModel::runnerOpened() {
    open_ = true;
    follow(Fade::quick);
}

void ChainModel::begin(StripState state, const std::string& focused) {
    now_ = std::make_shared<const StripState>(std::move(state));
    focused_ = focused;
    if (stage(focused_) == nullptr) focused_ = chain().stages.empty() ? "" : chain().stages.front().id;
    told_focus_ = focused_;
    runner_.set_level(strip_level(spec().fader, spec().mute));
    emit structureChanged();
    emit changed();
    emit focusChanged();
}

/// What was asked of the state before stays valid until the event is done.
SharedState ChainModel::replace(SharedState state) {
    if (past_.empty()) event_done_.start();
    past_.push_back(now_);
    return std::exchange(now_, std::move(state));
}

void ChainModel::push(const QString& label, const QString& key) {
    history_.push(label, key.isEmpty() ? key : QString::fromStdString(spec().id) + '/' + key);
}

/// A change of one stage that stays in its place: only that stage is compared, checked and posted.
void ChainModel::changeStage(StageSpec next, const QString& label, const QString& key) {
    const int i = chain().index_of(next.id);
    if (i < 0) return;
    const StageSpec& before = chain().stages[static_cast<size_t>(i)];
    if (next == before) return;
    // What is of the moment only (listening, finding) is no step of undo.
    if (!same_but_transients(before, next)) push(label, key);
    const bool renamed = next.title != before.title;
    const QString id = QString::fromStdString(next.id);
    auto state = std::make_shared<StripState>(*now_);
    state->scene.chain().stages[static_cast<size_t>(i)] = std::move(next);
    replace(std::move(state));
    if (open_ && !runner_.set_stage(chain().stages[static_cast<size_t>(i)])) follow(Fade::quick);
    renamed ? emit structureChanged() : emit stageChanged(id);
    emit changed();
}

void ChainModel::take(SharedState state, Fade fade) {
    const SharedState before = replace(std::move(state));
    if (stage(focused_) == nullptr) focused_ = chain().stages.empty() ? "" : chain().stages.front().id;
    follow(fade);
    tellChanges(*before);
    tellFocus();
}

void ChainModel::tellChanges(const StripState& before) {
    const SharedState now = now_;  // a listener may change it again
    if (!alike(before.scene.chain(), now->scene.chain())) {
        emit structureChanged();
    } else {
        const auto other = [](const StripState& s, const std::string& id) {
            const auto found = s.memories.find(id);
            return found == s.memories.end() ? nullptr : &found->second;
        };
        for (size_t i = 0; i < now->scene.chain().stages.size(); ++i) {
            const StageSpec& s = now->scene.chain().stages[i];
            const InactiveSettings *was = other(before, s.id), *is = other(*now, s.id);
            const bool same_memory = was == is || (was != nullptr && is != nullptr && *was == *is);
            if (!(before.scene.chain().stages[i] == s) || !same_memory)
                emit stageChanged(QString::fromStdString(s.id));
        }
    }
    StripSpec was = before.scene.desk.strips.front();
    was.chain = now->scene.chain();
    if (!(was == now->scene.desk.strips.front())) emit stripChanged();
    emit changed();
}

void ChainModel::tellFocus() {
    if (focused_ == told_focus_) return;
    told_focus_ = focused_;
    emit focusChanged();
}

void ChainModel::change(StripState after, const QString& label, const QString& key, Fade fade) {
    if (after == *now_) return;
    // What is of the moment only is no step of undo.
    if (!(settled(after) == settled(*now_))) push(label, key);
    take(std::make_shared<const StripState>(std::move(after)), fade);
}

void ChainModel::goBackTo(const SharedState& state) {
    take(std::make_shared<const StripState>(settled(*state)), Fade::quick);
}

void ChainModel::adopt(Scene scene, const QString& label, Fade fade) {
    change({std::move(scene), now_->memories}, label, {}, fade);
}

void ChainModel::setChain(ChainSpec chain, const QString& label) {
    StripState after = *now_;
    after.scene.desk.strips.front().chain = std::move(chain);
    // Settings B of stages that are gone.
    const ChainSpec& now = after.scene.chain();
    std::erase_if(after.memories, [&](const auto& stage) { return now.index_of(stage.first) < 0; });
    closeStep();
    change(std::move(after), label, {}, Fade::scene);
}

void ChainModel::setHead(Scene head) {
    StripState next = *now_;
    head.desk = next.scene.desk;
    next.scene = std::move(head);
    if (!(next == *now_)) take(std::make_shared<const StripState>(std::move(next)), Fade::quick);
}

void ChainModel::fitTo(const std::vector<AdaptationChange>& changes, const QString& label) {
    StripState after = *now_;
    StripSpec& s = after.scene.desk.strips.front();
    s.chain = with_changes(s.chain, changes, &s.fader);
    closeStep();
    change(std::move(after), label, {});
}

void ChainModel::focus(const std::string& id) {
    if (id == focused_ || stage(id) == nullptr) return;
    focused_ = id;
    tellFocus();
}

// --- changes ---

bool ChainModel::setValue(const std::string& id, size_t parameter, double value) {
    const StageSpec* s = stage(id);
    if (s == nullptr) return false;
    if (parameter >= s->stage_kind().parameters.size()) return false;
    const Parameter& p = s->stage_kind().parameters[parameter];
    if (const auto problem = value_problem(p, value)) {
        notices_.warn(QString::fromStdString(*problem));
        return false;
    }
    std::vector<double> values = s->values;
    values[parameter] = value;
    QString what = p.group.empty() ? text(p.title) : text(p.group) + " " + text(p.title).toLower();
    // As within a sentence, but Q stays Q.
    if (what.size() > 1) what[0] = what[0].toLower();
    return setValues(id, values,
                     nameOf(id) + ": " + what + " " + QString::fromStdString(format_value(p, value)),
                     QString::fromStdString(id) + "/" + text(p.id));
}

bool ChainModel::setValues(const std::string& id, const std::vector<double>& values, const QString& label,
                           const QString& key) {
    const StageSpec* now = stage(id);
    if (now == nullptr) return false;
    StageSpec next = *now;
    next.values = values;
    if (const auto problems = stage_problems(next, id); !problems.empty()) {
        notices_.tell(problems.front());
        return false;
    }
    const auto differs = std::ranges::mismatch(now->values, values).in1;
    if (differs != now->values.end()) last_used_[id] = static_cast<size_t>(differs - now->values.begin());
    changeStage(std::move(next), label, key);
    return true;
}

size_t ChainModel::lastUsed(const std::string& id) const {
    const StageSpec* s = stage(id);
    if (s == nullptr) return 0;
    const auto& table = s->stage_kind().parameters;
    if (const auto found = last_used_.find(id); found != last_used_.end() && found->second < table.size())
        return found->second;
    const auto mark = std::ranges::find(table, DiagramMark::threshold, &Parameter::mark);
    return mark == table.end() ? 0 : static_cast<size_t>(mark - table.begin());
}

void ChainModel::turn(const std::string& id, double notches, bool fine) {
    const StageSpec* s = stage(id);
    if (s == nullptr) return;
    const size_t row = lastUsed(id);
    setValue(id, row, step_value(s->stage_kind().parameters[row], s->values[row], notches, fine));
}

void ChainModel::apply(const std::string& id, const Proposal& proposal, const QString& words) {
    const StageSpec* s = stage(id);
    if (s == nullptr) return;
    std::vector<double> values = s->values;
    for (const auto& [row, value] : proposal.values) values.at(row) = value;
    closeStep();
    setValues(id, values, tr("%1: %2").arg(nameOf(id), words), {});
}

void ChainModel::teach(const std::string& id, const LearnedData& memory, const QString& label) {
    const StageSpec* now = stage(id);
    if (now == nullptr) return;
    StageSpec next = *now;
    next.taught = memory;
    changeStage(std::move(next), tr("%1: %2").arg(nameOf(id), label), {});
}

void ChainModel::setBypass(const std::string& id, bool bypass) {
    const StageSpec* now = stage(id);
    if (now == nullptr) return;
    StageSpec next = *now;
    next.bypass = bypass;
    changeStage(std::move(next), nameOf(id) + (bypass ? tr(": bypassed") : tr(": on")), {});
}

void ChainModel::addStage(const StageKind& kind, size_t index) {
    insertStages({new_stage({}, kind)}, index, tr("Add %1").arg(text(kind.title)));
}

bool ChainModel::insertStages(std::vector<StageSpec> fresh, size_t index, const QString& label) {
    StripState after = *now_;
    if (!insert(after, std::move(fresh), index)) return false;
    change(std::move(after), label, {});
    return true;
}

bool ChainModel::replaceStage(const std::string& id, std::vector<StageSpec> stages, const QString& label) {
    const int i = chain().index_of(id);
    if (i < 0) return false;
    StripState after = *now_;
    auto& there = after.scene.chain().stages;
    there.erase(there.begin() + i);
    if (!insert(after, std::move(stages), static_cast<size_t>(i))) return false;
    focused_ = after.scene.chain().stages[static_cast<size_t>(i)].id;
    closeStep();
    change(std::move(after), label, {});
    return true;
}

/// Gives the stages new ids. Returns false, and reports why, if there would be too many.
bool ChainModel::insert(StripState& into, std::vector<StageSpec> fresh, size_t index) {
    ChainSpec& to = into.scene.chain();
    if (to.stages.size() + fresh.size() > kMaxStages) {
        notices_.warn(tr("A chain can have at most %1 stages; this one has %2. Remove some first.")
                          .arg(kMaxStages)
                          .arg(to.stages.size()));
        return false;
    }
    size_t at = std::min(index, to.stages.size());
    for (StageSpec& s : fresh) {
        s.id = unique_stage_id(to, s.kind);
        // A strip that it listened to where it comes from is not known here.
        if (s.key != kAllVoices || spec().role == StripRole::voice) s.key.clear();
        if (s.key.empty() && spec().role == StripRole::programme) s.key = s.stage_kind().default_sidechain;
        focused_ = s.id;
        to.stages.insert(to.stages.begin() + static_cast<std::ptrdiff_t>(at++), std::move(s));
    }
    return true;
}

void ChainModel::duplicateStage(const std::string& id) {
    const StageSpec* s = stage(id);
    if (s == nullptr) return;
    insertStages({*s}, static_cast<size_t>(chain().index_of(id)) + 1, tr("Duplicate %1").arg(nameOf(id)));
}

void ChainModel::removeStage(const std::string& id) {
    const int i = chain().index_of(id);
    if (i < 0) return;
    StripState after = *now_;
    auto& stages = after.scene.chain().stages;
    stages.erase(stages.begin() + i);
    const QString label = tr("Remove %1").arg(nameOf(id));  // before the focus, which `id` may be, moves on
    if (focused_ == id)
        focused_ = stages.empty() ? "" : stages[std::min(static_cast<size_t>(i), stages.size() - 1)].id;
    change(std::move(after), label, {});
}

void ChainModel::moveStage(const std::string& id, int to) {
    const int from = chain().index_of(id);
    to = std::clamp(to, 0, static_cast<int>(chain().stages.size()) - 1);
    if (from < 0 || from == to) return;
    StripState after = *now_;
    auto& stages = after.scene.chain().stages;
    StageSpec moved = std::move(stages[static_cast<size_t>(from)]);
    stages.erase(stages.begin() + from);
    stages.insert(stages.begin() + to, std::move(moved));
    change(std::move(after), tr("Move %1").arg(nameOf(id)), {});
}

void ChainModel::renameStage(const std::string& id, const QString& title) {
    const StageSpec* now = stage(id);
    if (now == nullptr) return;
    const std::string wanted = title.trimmed().toStdString();
    if (characters(wanted) > kMaxSceneName) {
        notices_.warn(tr("The name is longer than 80 characters. Shorten it."));
        return;
    }
    StageSpec next = *now;
    next.title = wanted == now->stage_kind().title ? "" : wanted;
    changeStage(std::move(next), tr("Rename %1").arg(nameOf(id)), {});
}

void ChainModel::resetStage(const std::string& id) {
    const StageSpec* s = stage(id);
    if (s != nullptr) setValues(id, default_values(s->stage_kind()), tr("%1: reset").arg(nameOf(id)), {});
}

void ChainModel::toggleAb(const std::string& id) {
    auto [after, s] = changing(id);
    if (s == nullptr || s->missing()) return;
    auto [found, fresh] =
        after.memories.try_emplace(id, InactiveSettings{s->kind, s->values, s->taught, 'A'});
    InactiveSettings& other = found->second;
    if (other.kind != s->kind) other = {s->kind, s->values, s->taught, 'A'};
    std::swap(other.values, s->values);
    std::swap(other.taught, s->taught);
    other.in_work = other.in_work == 'A' ? 'B' : 'A';
    const QString label = tr("%1: settings %2").arg(nameOf(id)).arg(QLatin1Char(other.in_work));
    change(std::move(after), label, {});
}

void ChainModel::setKey(const std::string& id, const std::string& key) {
    const StageSpec* now = stage(id);
    if (now == nullptr) return;
    StageSpec next = *now;
    next.key = key;
    changeStage(std::move(next), tr("%1: change sidechain").arg(nameOf(id)), {});
}

void ChainModel::clearSidechain(const std::string& strip) {
    StripState after = *now_;
    for (StageSpec& s : after.scene.chain().stages) {
        if (s.key == strip) s.key.clear();
    }
    change(std::move(after), tr("Sidechain source removed"), {});
}

// --- the strip ---

template <typename Change>
void ChainModel::changeStrip(const QString& label, const QString& key, Change make) {
    const StripSpec& now = spec();
    // Without the chain, which stays as it is and may be large.
    StripSpec before{now.id, now.name, now.role, now.colour, now.fader, now.mute, {}, now.extra};
    StripSpec after = before;
    make(after);
    if (after == before) return;
    push(label, key);
    auto next = std::make_shared<StripState>(*now_);
    after.chain = std::move(next->scene.chain());
    next->scene.desk.strips.front() = std::move(after);
    replace(std::move(next));
    runner_.set_level(strip_level(spec().fader, spec().mute));
    emit stripChanged();
    emit changed();
}

void ChainModel::setFader(double db) {
    if (!std::isfinite(db)) return;
    const double inside = std::clamp(std::round(10.0 * db) / 10.0, kFaderMinDb, kFaderMaxDb);
    changeStrip(tr("Fader %1 dB").arg(inside, 0, 'f', 1), "strip/fader",
                [&](StripSpec& s) { s.fader = inside; });
}

void ChainModel::setStripMute(bool muted) {
    changeStrip(muted ? tr("Mute the strip") : tr("Unmute the strip"), {},
                [&](StripSpec& s) { s.mute = muted; });
}

void ChainModel::setStripName(const QString& name) {
    const std::string wanted = name.trimmed().toStdString();
    if (characters(wanted) > kMaxSceneName) {
        notices_.warn(tr("The name is longer than 80 characters. Shorten it."));
        return;
    }
    changeStrip(tr("Rename the strip"), {}, [&](StripSpec& s) { s.name = wanted; });
}

void ChainModel::setColour(int colour) {
    changeStrip(tr("Change colour"), {}, [&](StripSpec& s) { s.colour = colour; });
}

char ChainModel::activeSlot(const std::string& id) const {
    const auto found = now_->memories.find(id);
    const StageSpec* s = stage(id);
    const bool known = found != now_->memories.end() && s != nullptr && found->second.kind == s->kind;
    return known ? found->second.in_work : 'A';
}

// --- as text ---

QString stageText(const ChainModel& model, const std::string& id) {
    const StageSpec* s = model.stage(id);
    if (s == nullptr) return {};
    Scene one;
    one.name = s->shown_title();
    one.chain().stages = {*s};
    return QString::fromStdString(write_scene(one));
}

bool pasteStages(ChainModel& model, Notifications& notices, const QString& text, size_t index) {
    SceneReading reading = read_scene(text.toStdString());
    if (!reading.scene || reading.scene->chain().stages.empty()) {
        const QString why = reading.problems.empty()
                                ? QString()
                                : " " + QString::fromStdString(reading.problems.front().text());
        notices.warn(ChainModel::tr("The clipboard doesn't contain a stage or scene.") + why);
        return false;
    }
    auto& stages = reading.scene->chain().stages;
    const QString label =
        ChainModel::tr("Paste %1").arg(QString::fromStdString(stages.front().shown_title()));
    return model.insertStages(std::move(stages), index, label);
}

}  // namespace reed::ui
