// Keyboard shortcuts: the defaults, and the assignments of the user.
#pragma once

#include <QKeySequence>
#include <QList>
#include <QObject>
#include <map>
#include <string>
#include <vector>

namespace reed::ui {

/// An entry that a shortcut can be assigned to.
struct ShortcutSlot {
    QString id;     ///< persistent: shortcuts are stored under it
    QString title;  ///< what the shortcut does
    QString group;  ///< heading in the list
    QList<QKeySequence> usual;
    bool held = false;        ///< press and hold
    bool everywhere = false;  ///< useful while another program has the keyboard
    QString formerly;         ///< id of earlier versions, if different
};

/// Assigns shortcuts to slots; a shortcut belongs to one slot at most. define() may be called after
/// restore(), and again. GUI thread only.
class Keys final : public QObject {
    Q_OBJECT
  public:
    using QObject::QObject;

    /// Sets the slots that exist. Assignments of slots that do not exist are preserved.
    void define(std::vector<ShortcutSlot> all);
    const std::vector<ShortcutSlot>& all() const { return slots_; }

    /// The current shortcuts of a slot; empty if none.
    QList<QKeySequence> of(const QString& id) const;
    /// The first of them in native format ("Ctrl+M"), or empty.
    QString text(const QString& id) const;
    /// `words` followed by the shortcut of the slot in parentheses, if it has one.
    QString hint(const QString& words, const QString& id) const;
    /// The slot with this shortcut, or nullptr.
    const ShortcutSlot* holder(const QKeySequence& key) const;

    /// Why a shortcut can't be used; empty if it can.
    static QString problem(const QKeySequence& key);
    /// Assigns this shortcut only (empty: none), and removes it from another slot.
    void set(const QString& id, const QKeySequence& key);
    /// Whether the slot has another assignment than its defaults.
    bool differs(const QString& id) const { return own_.contains(id.toStdString()); }
    /// Resets to the defaults, except shortcuts that another slot has now.
    void reset(const QString& id);
    void resetAll();
    /// Moves the shortcuts of slot `from` to `to`.
    void renamed(const QString& from, const QString& to);

    /// Differences from the defaults by slot, as portable text with ";" between shortcuts. restore() ignores
    /// invalid and duplicate ones.
    const std::map<std::string, std::string>& kept() const { return own_; }
    void restore(const std::map<std::string, std::string>& kept);

  signals:
    /// Slots or assignments changed.
    void changed();

  private:
    void keep(const ShortcutSlot& slot, const QList<QKeySequence>& keys);
    std::vector<ShortcutSlot> slots_;
    std::map<std::string, std::string> own_;
};

}  // namespace reed::ui
