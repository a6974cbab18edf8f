// Scenes that are recalled by themselves: when a program plays, when a device is there.
#pragma once

#include <QObject>
#include <QTimer>
#include <cstdint>
#include <functional>
#include <map>
#include <optional>
#include <set>
#include <utility>
#include <vector>

#include "devices/pipewire_graph.h"
#include "scenes/working_state.h"
#include "session/scene_manager.h"

namespace reed::ui {

/// Says what has come and what has ended, by what PipeWire knows over time. What is there when it begins to
/// tell has not come; what was away for a moment only (between two songs, say) has neither ended nor come.
class PresenceTracker {
  public:
    static constexpr std::int64_t kSettle = 3000, kAway = 10000;  // ms

    /// By `key()` of what it is.
    struct News {
        std::set<std::string> came, ended;
    };
    /// What PipeWire knows at `now` (ms, rising).
    News look(const PipeWireSnapshot& picture, std::int64_t now);
    /// When it must be asked again though nothing changes; none: never.
    std::optional<std::int64_t> next() const;

    static std::string key(RecallRule::When when, const std::string& name);

  private:
    std::optional<std::int64_t> told_from_;
    std::set<std::string> here_;
    std::map<std::string, std::int64_t> left_;  // when it went; it may come back
};

/// The rules of this computer. A scene with changes that are not saved is never left by itself; then it is
/// told what would have been recalled.
class AutoRecallRules final : public QObject {
    Q_OBJECT
  public:
    AutoRecallRules(SceneManager& shelf, CurrentScene& work, Notifications& notices,
                    QObject* parent = nullptr);

    const std::vector<RecallRule>& all() const { return rules_; }
    /// One that is there already for the same program or device gets this scene; where there are too many,
    /// that is told.
    void add(const RecallRule& rule);
    void remove(const RecallRule& rule);
    /// Whether the scene before comes back when it has ended.
    void setBack(const RecallRule& rule, bool back);
    void restore(std::vector<RecallRule> rules);

    /// Time in ms from some moment on, rising; that of the system when nothing else is said.
    void setClock(std::function<std::int64_t()> clock) { clock_ = std::move(clock); }
    /// PipeWire knows something else.
    void follow(const PipeWireSnapshot& picture);

    /// "When Firefox plays", "When Mixer microphone is there".
    static QString words(const RecallRule& rule);

  signals:
    void changed();

  private:
    struct Return {
        std::string key, from, to;
    };
    void look();
    void came(const RecallRule& rule);
    void ended(const std::string& key);
    void followName(const QString& from, const QString& to);

    SceneManager& shelf_;
    CurrentScene& work_;
    Notifications& notices_;
    std::vector<RecallRule> rules_;
    PipeWireSnapshot picture_;
    PresenceTracker comings_;
    std::optional<Return> return_;
    std::function<std::int64_t()> clock_;
    QTimer again_;
};

}  // namespace reed::ui
