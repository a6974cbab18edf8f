// Whether the microphone is muted, and what the talk shortcut does to it.
#pragma once

#include <QObject>

namespace reed::ui {

class Notifications;
class Preferences;

/// One mute for all voices. App audio is not muted by it.
class MicrophoneMute final : public QObject {
    Q_OBJECT
  public:
    MicrophoneMute(const Preferences& preferences, Notifications& notices);

    bool on() const { return on_; }
    /// The audio is muted when this returns (AppModel follows changed() first).
    void set(bool on);
    /// Sets it before the first sound; no signal.
    void restore(bool on) { on_ = on; }
    /// The talk shortcut is pressed or released (Preferences::talkKey()).
    void talk(bool held);
    /// The holder of the talk shortcut is gone: mutes the microphone or leaves it muted.
    void talkOwnerLost();
    /// `words`, or `words_with_key` with the talk shortcut as %1 if one is set.
    QString withKey(const QString& words, const QString& words_with_key) const;

  signals:
    /// It was set, or what the shortcut does changed.
    void changed();

  private:
    const Preferences& preferences_;
    Notifications& notices_;
    bool on_ = false;
};

}  // namespace reed::ui
