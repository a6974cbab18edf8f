#include "model/scenes/auto_recall_rules.h"

#include <QElapsedTimer>
#include <algorithm>
#include <utility>

#include "base/case_folding.h"

namespace reed::ui {

std::string PresenceTracker::key(RecallRule::When when, const std::string& name) {
    return (when == RecallRule::When::program_plays ? "program " : "device ") + name;
}

PresenceTracker::News PresenceTracker::look(const PipeWireSnapshot& picture, std::int64_t now) {
    News out;
    if (!picture.connected) {
        told_from_.reset();  // nothing is known: nothing has ended
        return out;
    }
    if (!told_from_) told_from_ = now;
    const bool settled = now - *told_from_ >= kSettle;
    std::set<std::string> here;
    for (const PlayingProgram& p : picture.programs)
        here.insert(key(RecallRule::When::program_plays, p.name));
    for (const auto* nodes : {&picture.sources, &picture.sinks}) {
        for (const PipeWireNode& node : *nodes)
            here.insert(key(RecallRule::When::device_is_there, node.name));
    }
    std::erase_if(left_, [&](const auto& left) {
        const bool gone = settled && now - left.second >= kAway;
        if (gone) out.ended.insert(left.first);
        return gone;
    });
    for (const std::string& one : here) {
        const bool known = left_.erase(one) > 0 || here_.contains(one);
        if (!known && settled) out.came.insert(one);
    }
    for (const std::string& one : here_) {
        if (!here.contains(one)) left_.emplace(one, now);
    }
    here_ = std::move(here);
    return out;
}

std::optional<std::int64_t> PresenceTracker::next() const {
    if (!told_from_ || left_.empty()) return std::nullopt;
    std::int64_t first = left_.begin()->second;
    for (const auto& [key, when] : left_) first = std::min(first, when);
    return std::max(first + kAway, *told_from_ + kSettle);
}

AutoRecallRules::AutoRecallRules(SceneManager& shelf, CurrentScene& work, Notifications& notices,
                                 QObject* parent)
    : QObject(parent), shelf_(shelf), work_(work), notices_(notices) {
    QElapsedTimer since;
    since.start();
    clock_ = [since] { return static_cast<std::int64_t>(since.elapsed()); };
    again_.setSingleShot(true);
    connect(&again_, &QTimer::timeout, this, &AutoRecallRules::look);
    connect(&shelf_, &SceneManager::renamed, this, &AutoRecallRules::followName);
}

QString AutoRecallRules::words(const RecallRule& rule) {
    const QString name = QString::fromStdString(rule.title.empty() ? rule.name : rule.title);
    return rule.when == RecallRule::When::program_plays ? tr("When %1 plays audio").arg(name)
                                                        : tr("When %1 is connected").arg(name);
}

namespace {

bool sameCause(const RecallRule& a, const RecallRule& b) {
    return a.when == b.when && a.name == b.name;
}

}  // namespace

void AutoRecallRules::add(const RecallRule& rule) {
    const auto there =
        std::ranges::find_if(rules_, [&](const RecallRule& other) { return sameCause(rule, other); });
    if (there != rules_.end()) {
        *there = rule;
    } else if (rules_.size() < kMaxRules) {
        rules_.push_back(rule);
    } else {
        notices_.warn(tr("You can have at most %1 rules. Remove one first.").arg(kMaxRules));
        return;
    }
    emit changed();
}

void AutoRecallRules::remove(const RecallRule& rule) {
    if (std::erase(rules_, rule) > 0) emit changed();
}

void AutoRecallRules::setBack(const RecallRule& rule, bool back) {
    const auto there = std::ranges::find(rules_, rule);
    if (there == rules_.end() || there->back == back) return;
    there->back = back;
    emit changed();
}

void AutoRecallRules::restore(std::vector<RecallRule> rules) {
    rules_ = std::move(rules);
    emit changed();
}

void AutoRecallRules::followName(const QString& from, const QString& to) {
    bool any = false;
    for (RecallRule& rule : rules_) {
        if (!same_name(rule.scene, from.toStdString())) continue;
        rule.scene = to.toStdString();
        any = true;
    }
    if (any) emit changed();
}

void AutoRecallRules::follow(const PipeWireSnapshot& picture) {
    picture_ = picture;
    look();
}

void AutoRecallRules::look() {
    const std::int64_t now = clock_();
    const PresenceTracker::News news = comings_.look(picture_, now);
    for (const std::string& key : news.ended) ended(key);
    for (const RecallRule& rule : std::vector(rules_)) {
        if (news.came.contains(PresenceTracker::key(rule.when, rule.name))) {
            came(rule);
            break;
        }
    }
    if (const auto next = comings_.next())
        again_.start(static_cast<int>(std::max<std::int64_t>(*next - now, 1)));
    else
        again_.stop();
}

void AutoRecallRules::came(const RecallRule& rule) {
    const SceneEntry* scene = find_scene(shelf_.scenes(), rule.scene);
    const QString wanted = QString::fromStdString(rule.scene);
    if (scene == nullptr) {
        notices_.warn(tr("%1: can't recall “%2”, it no longer exists.").arg(words(rule), wanted));
        return;
    }
    const std::string before = work_.name();
    if (same_name(before, rule.scene)) return;
    if (shelf_.changed()) {
        notices_.warn(tr("%1: “%2” was not recalled because “%3” has unsaved changes.")
                          .arg(words(rule), wanted, QString::fromStdString(before)));
        return;
    }
    const std::string name = scene->scene.name;
    shelf_.recall(name);
    return_.reset();
    if (rule.back) return_ = Return{PresenceTracker::key(rule.when, rule.name), name, before};
    notices_.say(tr("%1: recalled “%2”. Press Ctrl+Z to undo.").arg(words(rule), wanted));
}

void AutoRecallRules::ended(const std::string& key) {
    if (!return_ || return_->key != key) return;
    const Return back = *std::exchange(return_, std::nullopt);
    // Whoever has gone on with something else since stays there.
    if (work_.name() != back.from || shelf_.changed() || shelf_.find(back.to) == nullptr) return;
    shelf_.recall(back.to);
    notices_.say(tr("Returned to “%1”: the trigger for “%2” has ended.")
                     .arg(QString::fromStdString(back.to), QString::fromStdString(back.from)));
}

}  // namespace reed::ui
