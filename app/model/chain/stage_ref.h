// A stage of the chain in work, for the widgets that show and move it.
#pragma once

#include <string>
#include <utility>

#include "model/chain/chain_model.h"

namespace reed::ui {

/// Refers to a stage by id, while it exists with its original kind. The only way for widgets to change
/// values: clamped, rounded by the table, and one undo step until done().
class StageRef {
  public:
    StageRef(ChainModel& strip, std::string id) : strip_(&strip), id_(std::move(id)) {
        if (const StageSpec* s = strip.stage(id_)) kind_ = s->kind;
    }

    const std::string& id() const { return id_; }
    ChainModel& strip() const { return *strip_; }
    /// The stage, or nullptr if it does not exist; see ChainModel for its lifetime.
    const StageSpec* spec() const {
        const StageSpec* s = strip_->stage(id_);
        return s != nullptr && s->kind == kind_ ? s : nullptr;
    }
    /// Position in the chain; -1 if it does not exist.
    int index() const { return spec() != nullptr ? strip_->chain().index_of(id_) : -1; }

    /// Sets a typed value; out of range it is rejected with a notification.
    bool set(size_t row, double value) const {
        return spec() != nullptr && strip_->setValue(id_, row, value);
    }
    /// Sets a dragged value.
    void drag(size_t row, double value) const {
        if (spec() != nullptr) set(row, round_value(parameter(row), value));
    }
    /// Changes a value by steps of the wheel or of arrow keys; `fine`: with Shift.
    void turn(size_t row, double steps, bool fine) const {
        if (const StageSpec* s = spec()) set(row, step_value(parameter(row), s->values[row], steps, fine));
    }
    /// Sets several values as one change.
    bool setAll(const std::vector<double>& values, const QString& label, const QString& key) const {
        return spec() != nullptr && strip_->setValues(id_, values, label, key);
    }
    /// Calls `slot` when the stage or the structure changes, during the lifetime of `receiver`.
    template <typename Slot>
    void onChange(QObject* receiver, Slot slot) const {
        QObject::connect(strip_, &ChainModel::structureChanged, receiver, slot);
        QObject::connect(strip_, &ChainModel::stageChanged, receiver,
                         [id = QString::fromStdString(id_), slot](const QString& which) {
                             if (which == id) slot();
                         });
    }
    /// Ends the edit: the next change is a new undo step.
    void done() const { strip_->closeStep(); }

  private:
    const Parameter& parameter(size_t row) const { return spec()->stage_kind().parameters[row]; }

    ChainModel* strip_;
    std::string id_, kind_;
};

}  // namespace reed::ui
