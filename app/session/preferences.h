// What the person has set for the program itself, whatever scene is in work.
#pragma once

#include <QObject>

#include "scenes/working_state.h"
#include "session/keys.h"

namespace reed::ui {

class Preferences final : public QObject {
    Q_OBJECT
  public:
    explicit Preferences(QObject* parent = nullptr) : QObject(parent) {
        connect(&keys_, &Keys::changed, this, &Preferences::changed);
    }

    /// "dusk" or "dawn".
    QString theme() const { return theme_; }
    void setTheme(const QString& name);

    /// The window's place.
    QByteArray geometry() const { return geometry_; }
    void setGeometry(const QByteArray& geometry);

    enum class TalkKey { toggles, talks, mutes };
    /// What the talk key does while it is held: nothing more than a switch, opens the microphone, or closes
    /// it.
    TalkKey talkKey() const { return talk_key_; }
    void setTalkKey(TalkKey mode);

    /// Where the loudness of the feed shall be, in LUFS (-30 to -9); a choice, -16 to begin with.
    static constexpr double kLeastTarget = -30.0, kMostTarget = -9.0;
    double target() const { return target_; }
    void setTarget(double lufs);

    /// The equalizer is shown as octaves, not as a curve: what was used last, until the program ends.
    bool octaves() const { return octaves_; }
    void setOctaves(bool on) { octaves_ = on; }

    Keys& keys() { return keys_; }
    const Keys& keys() const { return keys_; }

    /// As they were kept, and what is to be kept of them.
    void restore(const WorkingState& state);
    void keep(WorkingState& state) const;

  signals:
    void themeChanged();
    void targetChanged();
    void talkKeyChanged();
    /// Any of them.
    void changed();

  private:
    QString theme_ = "dusk";
    QByteArray geometry_;
    TalkKey talk_key_ = TalkKey::toggles;
    double target_ = -16.0;
    bool octaves_ = false;
    Keys keys_;
};

}  // namespace reed::ui
