// Which key does what: the usual ones, and what the person has made of them.
#pragma once

#include <QKeySequence>
#include <QList>
#include <QObject>
#include <map>
#include <string>
#include <vector>

namespace reed::ui {

/// One thing a key can be set for.
struct ShortcutSlot {
    QString id;     ///< persistent: shortcuts are stored under it
    QString title;  ///< what the shortcut does
    QString group;  ///< heading under which it is listed
    QList<QKeySequence> usual;
    bool held = false;  ///< it matters how long the key is held
    QString formerly;   ///< the id of earlier versions, if it had another one
};

/// A key serves one slot at most. Slots may be defined after restore(), and anew.
class Keys final : public QObject {
    Q_OBJECT
  public:
    using QObject::QObject;

    void define(std::vector<ShortcutSlot> all);
    const std::vector<ShortcutSlot>& all() const { return slots_; }

    /// The keys of a slot, now; empty: none.
    QList<QKeySequence> of(const QString& id) const;
    /// The first of them as the desktop writes it ("Ctrl+M"), or empty.
    QString text(const QString& id) const;
    /// `words` with the slot's key in brackets behind, where it has one.
    QString hint(const QString& words, const QString& id) const;
    /// The slot that has this key, or nullptr.
    const ShortcutSlot* holder(const QKeySequence& key) const;

    /// Why a key can't be used, in plain words; empty when it can.
    static QString problem(const QKeySequence& key);
    /// Gives a slot this key alone (empty: none) and takes it from the slot that had it.
    void set(const QString& id, const QKeySequence& key);
    bool differs(const QString& id) const { return own_.contains(id.toStdString()); }
    /// Back to the usual keys; one that another slot has by now is left there.
    void reset(const QString& id);
    void resetAll();
    /// What belonged to slot `from` belongs to `to` from now on.
    void renamed(const QString& from, const QString& to);

    /// What differs from the usual, by slot, as portable text; keys of one slot with ";" between. What
    /// restore() does not understand, or another slot has already, is left out.
    const std::map<std::string, std::string>& kept() const { return own_; }
    void restore(const std::map<std::string, std::string>& kept);

  signals:
    void changed();

  private:
    void keep(const ShortcutSlot& slot, const QList<QKeySequence>& keys);
    std::vector<ShortcutSlot> slots_;
    std::map<std::string, std::string> own_;
};

}  // namespace reed::ui
