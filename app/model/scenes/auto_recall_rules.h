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
#include "model/scenes/scene_manager.h"
#include "scenes/working_state.h"

namespace reed::ui {

/// Derives which apps and devices appeared or disappeared from snapshots of the graph. Objects that already
/// exist at the first snapshot do not count, and short absences (between two songs) are ignored.
class PresenceTracker {
  public:
    static constexpr std::int64_t kSettle = 3000, kAway = 10000;  // ms

    /// By `key()` of the object.
    struct News {
        std::set<std::string> came, ended;
    };
    /// Updates with a snapshot at time `now` (ms, monotonic).
    News look(const PipeWireSnapshot& picture, std::int64_t now);
    /// Time at which it must be updated without a change; empty: never.
    std::optional<std::int64_t> next() const;

    static std::string key(RecallRule::When when, const std::string& name);

  private:
    std::optional<std::int64_t> told_from_;
    std::set<std::string> here_;
    std::map<std::string, std::int64_t> left_;  // when it went; it may come back
};

/// Recalls scenes by the rules of this computer. A scene with unsaved changes is never replaced; the user is
/// notified instead.
class AutoRecallRules final : public QObject {
    Q_OBJECT
  public:
    AutoRecallRules(SceneManager& shelf, CurrentScene& work, Notifications& notices,
                    QObject* parent = nullptr);

    const std::vector<RecallRule>& all() const { return rules_; }
    /// Adds a rule or changes the one for the same app or device; notifies if there are too many.
    void add(const RecallRule& rule);
    void remove(const RecallRule& rule);
    /// Whether to return to the previous scene afterwards.
    void setBack(const RecallRule& rule, bool back);
    void restore(std::vector<RecallRule> rules);

    /// Clock in ms, monotonic; by default the system clock.
    void setClock(std::function<std::int64_t()> clock) { clock_ = std::move(clock); }
    /// Call when the graph changed.
    void follow(const PipeWireSnapshot& picture);

    /// "When Firefox plays audio", "When Mixer microphone is connected".
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
