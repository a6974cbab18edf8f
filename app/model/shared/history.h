// Undo and redo for everything that changes the sound, over the whole mixer.
#pragma once

#include <QElapsedTimer>
#include <QString>
#include <functional>
#include <map>
#include <memory>
#include <vector>

#include "scenes/working_state.h"

namespace reed::ui {

/// State of a strip: its part of the scene, and the inactive A/B settings by stage.
struct StripState {
    Scene scene;
    AbSettings memories;

    bool operator==(const StripState&) const = default;
};
/// States are immutable and shared.
using SharedState = std::shared_ptr<const StripState>;

/// States of all strips in order. The metadata of the scene is in the state of the first voice.
struct DeskState {
    std::vector<SharedState> strips;
    size_t first = 0;  ///< index of the first voice, which always exists
    double target_distance_min = 10.0, target_distance_max = 15.0;
};

/// Undo and redo for the whole mixer. Consecutive changes with the same key within 1.5 s (a drag, wheel
/// steps) are one step. (QUndoStack merges commands that know each other; here a step is a whole value and
/// merging depends on time.)
class History {
  public:
    /// Sets the functions that capture and restore the state. Nothing is recorded before.
    void serve(std::function<DeskState()> now, std::function<void(const DeskState&)> restore) {
        now_ = std::move(now);
        restore_ = std::move(restore);
    }

    /// Records the state before a change.
    void push(const QString& label, const QString& key) {
        if (held_ > 0 || !now_) return;
        const bool merge =
            !key.isEmpty() && key == key_ && clock_.isValid() && clock_.elapsed() < 1500 && !undo_.empty();
        if (merge)
            undo_.back().label = label;
        else
            undo_.push_back({now_(), label});
        if (undo_.size() > 500) undo_.erase(undo_.begin());
        redo_.clear();
        key_ = key;
        clock_.restart();
    }
    /// Ends the current step: a later change with the same key is a new step.
    void closeStep() { key_.clear(); }

    /// Suspends recording during its lifetime, for many changes that are one step or none.
    class Hold {
      public:
        explicit Hold(History& history) : history_(history) { ++history_.held_; }
        ~Hold() { --history_.held_; }
        Hold(const Hold&) = delete;
        Hold& operator=(const Hold&) = delete;

      private:
        History& history_;
    };

    bool canUndo() const { return !undo_.empty(); }
    bool canRedo() const { return !redo_.empty(); }
    QString undoLabel() const { return undo_.empty() ? QString() : undo_.back().label; }
    QString redoLabel() const { return redo_.empty() ? QString() : redo_.back().label; }

    void undo() { step(undo_, redo_); }
    void redo() { step(redo_, undo_); }

    /// Renames the scene `from` to `to` in all steps.
    void rename(const std::string& from, const std::string& to) {
        for (auto* steps : {&undo_, &redo_}) {
            for (Step& s : *steps) rename(s.state.strips[s.state.first], from, to);
        }
    }

  private:
    struct Step {
        DeskState state;
        QString label;
    };
    void step(std::vector<Step>& from, std::vector<Step>& to) {
        if (from.empty() || !now_) return;
        const Step s = std::move(from.back());
        from.pop_back();
        to.push_back({now_(), s.label});
        key_.clear();
        const Hold hold(*this);
        restore_(s.state);
    }
    static void rename(SharedState& state, const std::string& from, const std::string& to) {
        if (state->scene.name != from) return;
        auto renamed = std::make_shared<StripState>(*state);
        renamed->scene.name = to;
        state = std::move(renamed);
    }

    std::function<DeskState()> now_;
    std::function<void(const DeskState&)> restore_;
    std::vector<Step> undo_, redo_;
    QString key_;
    QElapsedTimer clock_;
    int held_ = 0;
};

}  // namespace reed::ui
