#include "model/shared/global_keys.h"

#include <utility>

#include "scenes/working_state.h"

namespace reed::ui {

void GlobalKeys::setProvider(Provider provider) {
    if (std::exchange(provider_, provider) != provider) emit stateChanged();
}

void GlobalKeys::want(const QString& slot, bool on) {
    if (on ? wanted_.size() >= kMaxGlobalKeys || !wanted_.insert(slot).second : wanted_.erase(slot) == 0)
        return;
    problems_.erase(slot);
    emit wantedChanged();
    emit changed();
}

void GlobalKeys::renamed(const QString& from, const QString& to) {
    if (wanted_.erase(from) == 0) return;
    wanted_.insert(to);
    emit wantedChanged();
    emit changed();
}

void GlobalKeys::wantDesktop(bool on) {
    if (std::exchange(wants_desktop_, on) != on) emit changed();
}

void GlobalKeys::pause(bool on) {
    if (std::exchange(paused_, on) != on) emit wantedChanged();
}

QString GlobalKeys::problem(const QString& slot) const {
    const auto at = problems_.find(slot);
    return at == problems_.end() ? QString() : at->second;
}

void GlobalKeys::setProblems(std::map<QString, QString> problems) {
    if (problems == problems_) return;
    problems_ = std::move(problems);
    emit stateChanged();
}

QString GlobalKeys::unsuitable(const QList<QKeySequence>& keys) {
    if (keys.isEmpty()) return tr("It has no shortcut yet. Click “none” to set one.");
    // Of the shortcuts that Keys::problem() allows, this one is typed.
    const QKeySequence typed(Qt::Key_Question);
    if (!keys.contains(typed)) return {};
    return tr("%1 would no longer reach other apps. Use Ctrl or Alt with it, or a function key.")
        .arg(typed.toString(QKeySequence::NativeText));
}

void GlobalKeys::restore(std::set<QString> wanted, bool desktop) {
    wanted_ = std::move(wanted);
    wants_desktop_ = desktop;
    emit wantedChanged();
}

}  // namespace reed::ui
