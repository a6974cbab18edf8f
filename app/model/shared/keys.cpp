#include "model/shared/keys.h"

#include <algorithm>

#include "model/shared/shortcut_text.h"

namespace reed::ui {
namespace {

QString written(const QList<QKeySequence>& keys) {
    QStringList out;
    for (const QKeySequence& key : keys) out << shortcutText(key, QKeySequence::PortableText);
    return out.join("; ");
}

QList<QKeySequence> read(const std::string& text) {
    QList<QKeySequence> out;
    for (const QString& part : QString::fromStdString(text).split("; ", Qt::SkipEmptyParts)) {
        const QKeySequence key = shortcutFromText(part);
        if (!key.isEmpty() && Keys::problem(key).isEmpty()) out << key;
    }
    return out;
}

}  // namespace

void Keys::define(std::vector<ShortcutSlot> all) {
    slots_ = std::move(all);
    restore(own_);
    emit changed();
}

QList<QKeySequence> Keys::of(const QString& id) const {
    if (const auto own = own_.find(id.toStdString()); own != own_.end()) return read(own->second);
    const auto slot = std::ranges::find(slots_, id, &ShortcutSlot::id);
    return slot == slots_.end() ? QList<QKeySequence>() : slot->usual;
}

QString Keys::text(const QString& id) const {
    const auto keys = of(id);
    return keys.isEmpty() ? QString() : shortcutText(keys.first());
}

QString Keys::hint(const QString& words, const QString& id) const {
    const QString key = text(id);
    return key.isEmpty() ? words : QStringLiteral("%1 (%2)").arg(words, key);
}

const ShortcutSlot* Keys::holder(const QKeySequence& key) const {
    for (const ShortcutSlot& slot : slots_) {
        if (of(slot.id).contains(key)) return &slot;
    }
    return nullptr;
}

QString Keys::problem(const QKeySequence& key) {
    if (key.isEmpty()) return {};
    const QKeyCombination pressed = key[0];
    const auto code = pressed.key();
    if (key.count() > 1 || code == Qt::Key_unknown) return tr("That isn't a single shortcut.");
    const bool function = code >= Qt::Key_F1 && code <= Qt::Key_F35;
    const bool media = (code >= Qt::Key_Back && code <= Qt::Key_LaunchH) || code == Qt::Key_MicMute ||
                       code == Qt::Key_Pause || code == Qt::Key_ScrollLock;
    const auto with = pressed.keyboardModifiers();
    const bool chord = (with & (Qt::ControlModifier | Qt::AltModifier | Qt::MetaModifier)) != Qt::NoModifier;
    if (function || media || chord || mouseButtonOf(code) != 0 || code == Qt::Key_Question) return {};
    return tr("Single keys are reserved for typing. Add Ctrl or Alt, or use F1 to F12.");
}

void Keys::keep(const ShortcutSlot& slot, const QList<QKeySequence>& keys) {
    if (keys == slot.usual)
        own_.erase(slot.id.toStdString());
    else
        own_[slot.id.toStdString()] = written(keys).toStdString();
}

void Keys::set(const QString& id, const QKeySequence& key) {
    const auto slot = std::ranges::find(slots_, id, &ShortcutSlot::id);
    if (slot == slots_.end() || !problem(key).isEmpty()) return;
    if (const ShortcutSlot* other = key.isEmpty() ? nullptr : holder(key);
        other != nullptr && other != &*slot) {
        auto left = of(other->id);
        left.removeAll(key);
        keep(*other, left);
    }
    // One that is not there now (of a scene that was removed) would take it back when it comes again.
    std::erase_if(own_, [&](const auto& own) {
        const bool here =
            std::ranges::find(slots_, QString::fromStdString(own.first), &ShortcutSlot::id) != slots_.end();
        return !here && !key.isEmpty() && read(own.second).contains(key);
    });
    keep(*slot, key.isEmpty() ? QList<QKeySequence>() : QList<QKeySequence>{key});
    emit changed();
}

void Keys::reset(const QString& id) {
    const auto slot = std::ranges::find(slots_, id, &ShortcutSlot::id);
    if (slot == slots_.end()) return;
    auto keys = slot->usual;
    keys.removeIf([&](const QKeySequence& key) {
        const ShortcutSlot* other = holder(key);
        return other != nullptr && other->id != id;
    });
    keep(*slot, keys);
    emit changed();
}

void Keys::resetAll() {
    own_.clear();
    emit changed();
}

void Keys::renamed(const QString& from, const QString& to) {
    auto own = own_.extract(from.toStdString());
    if (own.empty()) return;
    own.key() = to.toStdString();
    own_.erase(own.key());
    own_.insert(std::move(own));
    emit changed();
}

void Keys::restore(const std::map<std::string, std::string>& kept) {
    auto wanted = kept;  // a copy: `kept` may be own_ itself
    for (const ShortcutSlot& slot : slots_) {
        if (slot.formerly.isEmpty()) continue;
        auto old = wanted.extract(slot.formerly.toStdString());
        if (old.empty()) continue;
        old.key() = slot.id.toStdString();
        wanted.insert(std::move(old));  // leaves what is stored under the new id
    }
    own_ = wanted;
    std::vector<QKeySequence> taken;
    for (const ShortcutSlot& slot : slots_) {
        const auto own = wanted.find(slot.id.toStdString());
        if (own == wanted.end()) continue;
        // A text that is no key is not "no key": the usual one is back.
        const auto keys = read(own->second);
        if (keys.isEmpty() && !own->second.empty()) own_.erase(slot.id.toStdString());
        for (const QKeySequence& key : keys) {
            if (std::ranges::find(taken, key) != taken.end()) own_.erase(slot.id.toStdString());
            taken.push_back(key);
        }
    }
    // Nor may a usual key serve two.
    for (const ShortcutSlot& slot : slots_) {
        if (own_.contains(slot.id.toStdString())) continue;
        auto keys = slot.usual;
        keys.removeIf([&](const QKeySequence& key) { return std::ranges::find(taken, key) != taken.end(); });
        keep(slot, keys);
    }
    emit changed();
}

}  // namespace reed::ui
