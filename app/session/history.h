// Undo and redo for everything that changes sound.
#pragma once

#include <QElapsedTimer>
#include <QString>
#include <vector>

#include "scenes/scene.h"

namespace reed::ui {

/// Keeps the values before each change. Changes with the same key that follow one another within a second
/// and a half (a drag, turns of the wheel) count as one.
class History {
  public:
    /// Note the scene as it was before a change. `flipped`: the stage whose memories the change flipped, or
    /// empty.
    void push(const Scene& before, const QString& label, const QString& key,
              const std::string& flipped = {}) {
        const bool merge =
            !key.isEmpty() && key == key_ && clock_.isValid() && clock_.elapsed() < 1500 && !undo_.empty();
        if (merge)
            undo_.back().label = label;
        else
            undo_.push_back({before, label, flipped});
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

    /// The stage whose memories the next step back, or forth, flips; empty: none.
    std::string undoFlips() const { return undo_.empty() ? std::string() : undo_.back().flipped; }
    std::string redoFlips() const { return redo_.empty() ? std::string() : redo_.back().flipped; }

    /// The value to go back to; `now` is kept for redo. Only when canUndo().
    Scene undo(const Scene& now) { return step(undo_, redo_, now); }
    Scene redo(const Scene& now) { return step(redo_, undo_, now); }

  private:
    struct Step {
        Scene scene;
        QString label;
        std::string flipped;
    };
    Scene step(std::vector<Step>& from, std::vector<Step>& to, const Scene& now) {
        Step s = std::move(from.back());
        from.pop_back();
        to.push_back({now, s.label, s.flipped});
        key_.clear();
        return s.scene;
    }

    std::vector<Step> undo_, redo_;
    QString key_;
    QElapsedTimer clock_;
};

}  // namespace reed::ui
