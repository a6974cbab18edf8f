// What the person has set for the program itself, whatever scene is in work.
#pragma once

#include <QObject>
#include <map>
#include <set>
#include <string>
#include <utility>

#include "model/shared/keys.h"
#include "scenes/working_state.h"

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

    /// The small window's place, and whether it stays before all others.
    QByteArray smallGeometry() const { return small_geometry_; }
    bool smallOnTop() const { return small_on_top_; }
    void setSmall(const QByteArray& geometry, bool on_top);

    /// Strip and stage to which the key of a number leads; empty: none yet.
    using Place = std::pair<std::string, std::string>;
    Place place(int number) const;
    void setPlace(int number, const Place& place);

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

    /// Advice by its id that is not shown on this computer.
    bool hidesAdvice(const std::string& id) const { return hidden_advice_.contains(id); }
    void hideAdvice(const std::string& id);
    bool hidesAnyAdvice() const { return !hidden_advice_.empty(); }
    void showAllAdvice();

    Keys& keys() { return keys_; }
    const Keys& keys() const { return keys_; }

    /// As they were kept, and what is to be kept of them.
    void restore(const WorkingState& state);
    void keep(WorkingState& state) const;

  signals:
    void themeChanged();
    void targetChanged();
    void talkKeyChanged();
    void adviceChanged();
    /// Any of them.
    void changed();

  private:
    QString theme_ = "dusk";
    QByteArray geometry_, small_geometry_;
    bool small_on_top_ = true;
    std::map<int, Place> places_;
    TalkKey talk_key_ = TalkKey::toggles;
    double target_ = -16.0;
    std::set<std::string> hidden_advice_;
    bool octaves_ = false;
    Keys keys_;
};

}  // namespace reed::ui
