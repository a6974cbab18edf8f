// Shortcuts that work while another program has the keyboard.
#pragma once

#include <QKeySequence>
#include <QObject>
#include <map>
#include <set>

namespace reed::ui {

/// Which shortcuts the user wants in every window, and whether they are in effect. The wishes are stored with
/// the preferences; provider and problems are transient. GUI thread only.
class GlobalKeys final : public QObject {
    Q_OBJECT
  public:
    using QObject::QObject;

    /// Who reports key presses in other windows.
    enum class Provider {
        none,
        desktop,  ///< the desktop portal, which asks the user for the keys itself
        x_server  ///< the shortcuts of the list, grabbed on the X server
    };
    Provider provider() const { return provider_; }
    void setProvider(Provider provider);

    /// Slots (ShortcutSlot::id) the user has marked, at most kMaxGlobalKeys. For Provider::x_server.
    const std::set<QString>& wanted() const { return wanted_; }
    bool wants(const QString& slot) const { return wanted_.contains(slot); }
    void want(const QString& slot, bool on);
    /// Moves the mark of slot `from` to `to`.
    void renamed(const QString& from, const QString& to);
    /// Whether the user has set shortcuts up with the desktop, so that they are bound at every start.
    bool wantsDesktop() const { return wants_desktop_; }
    void wantDesktop(bool on);

    /// While paused, no shortcut is grabbed, so that a new one can be pressed.
    bool paused() const { return paused_; }
    void pause(bool on);

    /// Why a marked slot is not in effect; empty if it is, or if it is not marked.
    QString problem(const QString& slot) const;
    void setProblems(std::map<QString, QString> problems);

    /// Why the shortcuts of a slot can't be used in every window; empty if they can. `keys`: Keys::of().
    static QString unsuitable(const QList<QKeySequence>& keys);

    void restore(std::set<QString> wanted, bool desktop);

  signals:
    /// Marked slots, or whether grabbing is paused.
    void wantedChanged();
    /// Provider or problems.
    void stateChanged();
    /// What is stored.
    void changed();

  private:
    Provider provider_ = Provider::none;
    std::set<QString> wanted_;
    std::map<QString, QString> problems_;
    bool wants_desktop_ = false, paused_ = false;
};

}  // namespace reed::ui
