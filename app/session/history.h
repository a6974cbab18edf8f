// Undo and redo for everything that changes sound.
#pragma once

#include <QElapsedTimer>
#include <QString>
#include <map>
#include <memory>
#include <vector>

#include "scenes/working_state.h"

namespace reed::ui {

/// What a strip is set to: the scene in work, and the memories of its stages that are not in work (by stage).
struct StripState {
    Scene scene;
    StageMemories memories;

    bool operator==(const StripState&) const = default;
};
/// A state never changes; the next one takes its place.
using SharedState = std::shared_ptr<const StripState>;

/// Keeps the states before each change. Changes with the same key that follow one another within a second
/// and a half (a drag, turns of the wheel) count as one. (QUndoStack merges commands that know each other;
/// here a step is a whole value, and what counts as one is a matter of time, which it does not know.)
class History {
  public:
    /// Note the state as it was before a change.
    void push(SharedState before, const QString& label, const QString& key) {
        const bool merge =
            !key.isEmpty() && key == key_ && clock_.isValid() && clock_.elapsed() < 1500 && !undo_.empty();
        if (merge)
            undo_.back().label = label;
        else
            undo_.push_back({std::move(before), label});
        if (undo_.size() > 500) undo_.erase(undo_.begin());
        redo_.clear();
        key_ = key;
        clock_.restart();
    }
    /// A later change with the same key starts a new step.
    void closeStep() { key_.clear(); }

    bool canUndo() const { return !undo_.empty(); }
    bool canRedo() const { return !redo_.empty(); }
    QString undoLabel() const { return undo_.empty() ? QString() : undo_.back().label; }
    QString redoLabel() const { return redo_.empty() ? QString() : redo_.back().label; }

    /// The state to go back to; `now` is kept for redo. Only when canUndo().
    SharedState undo(SharedState now) { return step(undo_, redo_, std::move(now)); }
    SharedState redo(SharedState now) { return step(redo_, undo_, std::move(now)); }

  private:
    struct Step {
        SharedState state;
        QString label;
    };
    SharedState step(std::vector<Step>& from, std::vector<Step>& to, SharedState now) {
        Step s = std::move(from.back());
        from.pop_back();
        to.push_back({std::move(now), s.label});
        key_.clear();
        return s.state;
    }

    std::vector<Step> undo_, redo_;
    QString key_;
    QElapsedTimer clock_;
};

}  // namespace reed::ui
