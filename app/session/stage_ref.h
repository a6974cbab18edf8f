// A stage of the chain in work, for the widgets that show and move it.
#pragma once

#include <string>
#include <utility>

#include "session/chain_model.h"

namespace reed::ui {

/// Stands for the stage of an id, as long as it is there and of the kind it was of at first. The one way in
/// which a hand moves a value: taken into its range, rounded as the table says, everything until done() one
/// step of undo.
class StageRef {
  public:
    StageRef(ChainModel& strip, std::string id) : strip_(&strip), id_(std::move(id)) {
        if (const StageSpec* s = strip.stage(id_)) kind_ = s->kind;
    }

    const std::string& id() const { return id_; }
    ChainModel& strip() const { return *strip_; }
    /// nullptr while it is gone; see ChainModel for how long it is valid.
    const StageSpec* spec() const {
        const StageSpec* s = strip_->stage(id_);
        return s != nullptr && s->kind == kind_ ? s : nullptr;
    }
    /// Its place in the chain; -1 while it is gone.
    int index() const { return spec() != nullptr ? strip_->chain().index_of(id_) : -1; }

    /// A value as it is typed or pressed; one that can't be is refused with a notice.
    bool set(size_t row, double value) const {
        return spec() != nullptr && strip_->setValue(id_, row, value);
    }
    /// Where a hand has pulled it.
    void drag(size_t row, double value) const {
        if (spec() != nullptr) set(row, round_value(parameter(row), value));
    }
    /// Notches of the wheel, or presses of an arrow; `fine`: with Shift.
    void turn(size_t row, double steps, bool fine) const {
        if (const StageSpec* s = spec()) set(row, step_value(parameter(row), s->values[row], steps, fine));
    }
    /// Several values as one change.
    bool setAll(const std::vector<double>& values, const QString& label, const QString& key) const {
        return spec() != nullptr && strip_->setValues(id_, values, label, key);
    }
    /// Calls `slot` when the stage, or which stages there are, is another; until `receiver` is no more.
    template <typename Slot>
    void onChange(QObject* receiver, Slot slot) const {
        QObject::connect(strip_, &ChainModel::structureChanged, receiver, slot);
        QObject::connect(strip_, &ChainModel::stageChanged, receiver,
                         [id = QString::fromStdString(id_), slot](const QString& which) {
                             if (which == id) slot();
                         });
    }
    /// The hand lets go: what comes next is a step of its own.
    void done() const { strip_->closeStep(); }

  private:
    const Parameter& parameter(size_t row) const { return spec()->stage_kind().parameters[row]; }

    ChainModel* strip_;
    std::string id_, kind_;
};

}  // namespace reed::ui
