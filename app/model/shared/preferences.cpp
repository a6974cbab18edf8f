#include "model/shared/preferences.h"

#include <algorithm>

namespace reed::ui {

void Preferences::setTheme(const QString& name) {
    theme_ = name;
    emit themeChanged();
    emit changed();
}

void Preferences::setGeometry(const QByteArray& geometry) {
    geometry_ = geometry;
    emit changed();
}

void Preferences::setSmall(const QByteArray& geometry, bool on_top) {
    if (geometry == small_geometry_ && on_top == small_on_top_) return;
    small_geometry_ = geometry;
    small_on_top_ = on_top;
    emit changed();
}

Preferences::Place Preferences::place(int number) const {
    const auto found = places_.find(number);
    return found == places_.end() ? Place() : found->second;
}

void Preferences::setPlace(int number, const Place& place) {
    places_[number] = place;
    emit changed();
}

void Preferences::setTalkKey(TalkKey mode) {
    talk_key_ = mode;
    emit talkKeyChanged();
    emit changed();
}

void Preferences::setTarget(double lufs) {
    const double wanted = std::clamp(lufs, kLeastTarget, kMostTarget);
    if (wanted == target_) return;
    target_ = wanted;
    emit targetChanged();
    emit changed();
}

void Preferences::hideAdvice(const std::string& id) {
    if (hidden_advice_.size() >= kMaxHiddenAdvice || !hidden_advice_.insert(id).second) return;
    emit adviceChanged();
    emit changed();
}

void Preferences::showAllAdvice() {
    if (hidden_advice_.empty()) return;
    hidden_advice_.clear();
    emit adviceChanged();
    emit changed();
}

void Preferences::restore(const WorkingState& state) {
    if (!state.theme.empty()) theme_ = QString::fromStdString(state.theme);
    geometry_ = QByteArray::fromBase64(QByteArray::fromStdString(state.geometry));
    small_geometry_ = QByteArray::fromBase64(QByteArray::fromStdString(state.small_geometry));
    small_on_top_ = state.small_on_top;
    places_ = state.places;
    keys_.restore(state.keys);
    std::set<QString> global;
    for (const std::string& slot : state.global_keys) global.insert(QString::fromStdString(slot));
    global_keys_.restore(std::move(global), state.desktop_keys);
    osc_.set(state.osc);
    target_ = state.target_lufs;
    hidden_advice_ = {state.hidden_advice.begin(), state.hidden_advice.end()};
    talk_key_ = state.talk_key == "talks" ? TalkKey::talks
                                          : (state.talk_key == "mutes" ? TalkKey::mutes : TalkKey::toggles);
    emit themeChanged();
    emit targetChanged();
}

void Preferences::keep(WorkingState& state) const {
    state.theme = theme_.toStdString();
    state.geometry = geometry_.toBase64().toStdString();
    state.small_geometry = small_geometry_.toBase64().toStdString();
    state.small_on_top = small_on_top_;
    state.places = places_;
    state.keys = keys_.kept();
    state.global_keys.clear();
    for (const QString& slot : global_keys_.wanted()) state.global_keys.push_back(slot.toStdString());
    state.desktop_keys = global_keys_.wantsDesktop();
    state.osc = osc_.settings();
    state.target_lufs = target_;
    state.hidden_advice = {hidden_advice_.begin(), hidden_advice_.end()};
    state.talk_key =
        talk_key_ == TalkKey::talks ? "talks" : (talk_key_ == TalkKey::mutes ? "mutes" : "toggles");
}

}  // namespace reed::ui
