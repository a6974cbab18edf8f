// Settings of the user that are independent of the scene.
#pragma once

#include <QObject>
#include <map>
#include <set>
#include <string>
#include <utility>

#include "model/shared/global_keys.h"
#include "model/shared/keys.h"
#include "model/shared/osc_link.h"
#include "scenes/working_state.h"

namespace reed::ui {

/// Stored with the working state. GUI thread only.
class Preferences final : public QObject {
    Q_OBJECT
  public:
    explicit Preferences(QObject* parent = nullptr) : QObject(parent) {
        connect(&keys_, &Keys::changed, this, &Preferences::changed);
        connect(&global_keys_, &GlobalKeys::changed, this, &Preferences::changed);
        connect(&osc_, &OscLink::settingsChanged, this, &Preferences::changed);
    }

    /// "dusk" or "dawn".
    QString theme() const { return theme_; }
    void setTheme(const QString& name);

    /// Geometry of the window, as QWidget::saveGeometry() returns it.
    QByteArray geometry() const { return geometry_; }
    void setGeometry(const QByteArray& geometry);

    /// Geometry of the compact window, and whether it stays above other windows.
    QByteArray smallGeometry() const { return small_geometry_; }
    bool smallOnTop() const { return small_on_top_; }
    void setSmall(const QByteArray& geometry, bool on_top);

    /// Bookmark: ids of a strip and a stage; empty if it is not set.
    using Place = std::pair<std::string, std::string>;
    /// `number`: 1 to kMaxBookmarks.
    Place place(int number) const;
    void setPlace(int number, const Place& place);

    enum class TalkKey { toggles, talks, mutes };
    /// What the talk shortcut does: toggles the mute, unmutes while it is held, or mutes while it is held.
    TalkKey talkKey() const { return talk_key_; }
    void setTalkKey(TalkKey mode);

    /// Target loudness of the output in LUFS, -30 to -9; -16 by default (empirical value).
    static constexpr double kLeastTarget = -30.0, kMostTarget = -9.0;
    double target() const { return target_; }
    void setTarget(double lufs);

    /// Whether the equalizer is shown as octave sliders instead of a curve. Not stored.
    bool octaves() const { return octaves_; }
    void setOctaves(bool on) { octaves_ = on; }

    /// Whether advice of this id is hidden.
    bool hidesAdvice(const std::string& id) const { return hidden_advice_.contains(id); }
    void hideAdvice(const std::string& id);
    bool hidesAnyAdvice() const { return !hidden_advice_.empty(); }
    void showAllAdvice();

    Keys& keys() { return keys_; }
    const Keys& keys() const { return keys_; }
    GlobalKeys& globalKeys() { return global_keys_; }
    OscLink& osc() { return osc_; }

    /// Reads the stored settings; writes them.
    void restore(const WorkingState& state);
    void keep(WorkingState& state) const;

  signals:
    void themeChanged();
    void targetChanged();
    void talkKeyChanged();
    void adviceChanged();
    /// Any setting changed.
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
    GlobalKeys global_keys_;
    OscLink osc_;
};

}  // namespace reed::ui
