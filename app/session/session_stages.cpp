// Changes of the scene in work: each is one step of undo.
#include "base/folded.h"
#include "session/session.h"
#include "widgets/input.h"

namespace reed::ui {

bool Session::setValue(const std::string& id, size_t parameter, double value) {
    const StageSpec* s = stage(id);
    if (s == nullptr) return false;
    if (parameter >= s->stage_kind().parameters.size()) return false;
    const Parameter& p = s->stage_kind().parameters[parameter];
    if (const auto problem = value_problem(p, value)) {
        emit message(QString::fromStdString(*problem), true);
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

bool Session::setValues(const std::string& id, const std::vector<double>& values, const QString& label,
                        const QString& key) {
    const int i = chain().index_of(id);
    if (i < 0) return false;
    Scene after = scene_;
    after.chain.stages[static_cast<size_t>(i)].values = values;
    const auto problems = chain_problems(after.chain);
    if (!problems.empty()) {
        tell(problems.front());
        return false;
    }
    change(std::move(after), label, key);
    return true;
}

void Session::apply(const std::string& id, const Proposal& proposal, const QString& words) {
    const StageSpec* s = stage(id);
    if (s == nullptr) return;
    std::vector<double> values = s->values;
    for (const auto& [row, value] : proposal.values) values.at(row) = value;
    closeStep();
    setValues(id, values, tr("%1: %2").arg(nameOf(id), words), {});
}

void Session::setTone(const std::string& id, const RoomTone& tone, const QString& label) {
    const int i = chain().index_of(id);
    if (i < 0) return;
    Scene after = scene_;
    after.chain.stages[static_cast<size_t>(i)].tone = tone;
    change(std::move(after), label, {});
}

void Session::setBypass(const std::string& id, bool bypass) {
    const int i = chain().index_of(id);
    if (i < 0) return;
    Scene after = scene_;
    after.chain.stages[static_cast<size_t>(i)].bypass = bypass;
    change(std::move(after), nameOf(id) + (bypass ? ": bypassed" : ": on"), {});
}

void Session::addStage(const StageKind& kind, size_t index) {
    if (chain().stages.size() >= kMaxStages) {
        emit message(tr("There are already %1 stages, which is the most a chain can have.").arg(kMaxStages),
                     true);
        return;
    }
    Scene after = scene_;
    StageSpec fresh = new_stage(after.chain, kind);
    const std::string id = fresh.id;
    auto& stages = after.chain.stages;
    stages.insert(stages.begin() + static_cast<std::ptrdiff_t>(std::min(index, stages.size())),
                  std::move(fresh));
    focused_ = id;
    change(std::move(after), tr("Add %1").arg(text(kind.title)), {});
}

void Session::duplicateStage(const std::string& id) {
    const StageSpec* s = stage(id);
    if (s == nullptr || chain().stages.size() >= kMaxStages) return;
    Scene after = scene_;
    StageSpec copy = new_stage(after.chain, s->stage_kind());
    copy.values = s->values;
    copy.tone = s->tone;
    copy.title = s->title;
    copy.bypass = s->bypass;
    const int at = chain().index_of(id) + 1;
    const QString label = tr("Duplicate %1").arg(nameOf(id));
    focused_ = copy.id;
    after.chain.stages.insert(after.chain.stages.begin() + at, std::move(copy));
    change(std::move(after), label, {});
}

void Session::removeStage(const std::string& id) {
    const int i = chain().index_of(id);
    if (i < 0) return;
    Scene after = scene_;
    after.chain.stages.erase(after.chain.stages.begin() + i);
    const auto left = static_cast<int>(after.chain.stages.size());
    const QString label = tr("Remove %1").arg(nameOf(id));  // before the focus, which `id` may be, moves on
    if (focused_ == id)
        focused_ = left == 0 ? "" : after.chain.stages[static_cast<size_t>(std::min(i, left - 1))].id;
    change(std::move(after), label, {});
}

void Session::moveStage(const std::string& id, int to) {
    const int from = chain().index_of(id);
    to = std::clamp(to, 0, static_cast<int>(chain().stages.size()) - 1);
    if (from < 0 || from == to) return;
    Scene after = scene_;
    auto& stages = after.chain.stages;
    StageSpec moved = std::move(stages[static_cast<size_t>(from)]);
    stages.erase(stages.begin() + from);
    stages.insert(stages.begin() + to, std::move(moved));
    change(std::move(after), tr("Move %1").arg(nameOf(id)), {});
}

void Session::renameStage(const std::string& id, const QString& title) {
    const int i = chain().index_of(id);
    if (i < 0) return;
    const std::string wanted = title.trimmed().toStdString();
    if (characters(wanted) > kMaxSceneName) {
        emit message(tr("The name is longer than 80 characters. Shorten it."), true);
        return;
    }
    Scene after = scene_;
    StageSpec& s = after.chain.stages[static_cast<size_t>(i)];
    s.title = wanted == s.stage_kind().title ? "" : wanted;
    change(std::move(after), tr("Rename %1").arg(nameOf(id)), {});
}

void Session::resetStage(const std::string& id) {
    const StageSpec* s = stage(id);
    if (s != nullptr) setValues(id, default_values(s->stage_kind()), tr("%1: reset").arg(nameOf(id)), {});
}

QString Session::stageText(const std::string& id) const {
    const StageSpec* s = stage(id);
    if (s == nullptr) return {};
    Scene one;
    one.name = s->shown_title();
    one.chain.stages = {*s};
    return QString::fromStdString(write_scene(one));
}

bool Session::pasteStages(const QString& text, size_t index) {
    const SceneReading reading = read_scene(text.toStdString());
    if (!reading.scene || reading.scene->chain.stages.empty()) {
        const QString why = reading.problems.empty()
                                ? QString()
                                : " " + QString::fromStdString(reading.problems.front().text());
        emit message(tr("What was copied is no stage and no scene, so there is nothing to paste.") + why,
                     true);
        return false;
    }
    Scene after = scene_;
    auto& stages = after.chain.stages;
    if (stages.size() + reading.scene->chain.stages.size() > kMaxStages) {
        emit message(tr("A chain can have %1 stages at most. Remove some first.").arg(kMaxStages), true);
        return false;
    }
    size_t at = std::min(index, stages.size());
    for (const StageSpec& pasted : reading.scene->chain.stages) {
        StageSpec s = new_stage(after.chain, pasted.stage_kind());
        const std::string fresh = s.id;
        s = pasted;
        s.id = fresh;
        focused_ = fresh;
        stages.insert(stages.begin() + static_cast<std::ptrdiff_t>(at++), std::move(s));
    }
    const QString label =
        tr("Paste %1").arg(QString::fromStdString(reading.scene->chain.stages.front().shown_title()));
    change(std::move(after), label, {});
    return true;
}

void Session::flipMemory(const std::string& id) {
    const int i = chain().index_of(id);
    if (i < 0) return;
    Scene after = scene_;
    StageSpec& s = after.chain.stages[static_cast<size_t>(i)];
    auto [found, fresh] = memories_.try_emplace(id, OtherMemory{s.kind, s.values, s.tone, 'A'});
    OtherMemory& other = found->second;
    if (other.kind != s.kind) other = {s.kind, s.values, s.tone, 'A'};
    std::swap(other.values, s.values);
    std::swap(other.tone, s.tone);
    other.in_work = other.in_work == 'A' ? 'B' : 'A';
    const QString label = tr("%1: memory %2").arg(nameOf(id)).arg(QLatin1Char(other.in_work));
    keepSoon();
    if (after == scene_)
        emit chainChanged();  // both are alike still; the name has changed
    else
        change(std::move(after), label, {}, Fade::quick, id);
}

char Session::memoryOf(const std::string& id) const {
    const auto found = memories_.find(id);
    const StageSpec* s = stage(id);
    const bool known = found != memories_.end() && s != nullptr && found->second.kind == s->kind;
    return known ? found->second.in_work : 'A';
}

}  // namespace reed::ui
