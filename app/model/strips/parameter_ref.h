// The address of one value.
#pragma once

#include <QPointer>
#include <QString>
#include <optional>
#include <string>
#include <vector>

#include "model/strips/strip_model.h"

namespace reed::ui {

class MixerModel;

/// Refers by ids to a value that can be set: of a stage of a strip, of the strip itself, or of its
/// headphones. It is valid while there is such a strip, stage and parameter; the stage may go and come back.
/// Actions, D-Bus and `--send` use these addresses; the widgets of a stage use StageRef. Numbers that are
/// not finite are rejected here.
class ParameterRef {
  public:
    /// Owners that are no stage.
    static constexpr const char *kStrip = "strip", *kHeadphones = "headphones";

    /// Refers to nothing.
    ParameterRef() = default;
    /// `owner`: id of a stage, kStrip or kHeadphones; `parameter`: id in its table.
    ParameterRef(StripModel& strip, std::string owner, std::string parameter)
        : strip_(&strip), owner_(std::move(owner)), parameter_(std::move(parameter)) {}

    bool isValid() const { return info() != nullptr; }
    /// "guest/gate/hold": ids of strip, owner and parameter. Empty without a strip.
    QString address() const;
    /// What has this address now; not valid if there is nothing.
    static ParameterRef at(const MixerModel& mixer, const QString& address);
    /// All values of a strip: its own, those of its headphones, and of its stages in order.
    static std::vector<ParameterRef> all(StripModel& strip);

    /// Range, unit, scale; nullptr if it is not valid.
    const Parameter* info() const;
    /// In the parameter's unit; nothing if it is not valid.
    std::optional<double> value() const;
    /// On the parameter's own scale, 0 to 1.
    std::optional<double> position() const;
    /// "120 ms"; empty if it is not valid.
    QString text() const;

    /// Sets a value; false if it is out of range, not finite (with a notification), or not valid.
    bool set(double value) const;
    /// The same by a position, which is limited to 0 to 1 and rounded.
    bool setPosition(double position) const;
    /// The same by steps from the value of now, as the wheel does, within its range; `fine`: tenths.
    bool step(double steps, bool fine) const;
    /// Ends the edit: the next change is a new undo step. Headphones have no undo.
    void endEdit() const;

    /// Calls `slot` when the value or its validity may have changed, during the lifetime of `receiver`.
    template <typename Slot>
    void onChange(QObject* receiver, Slot slot) const {
        if (strip_ == nullptr) return;
        if (owner_ == kHeadphones) {
            QObject::connect(&strip_->monitoring(), &MonitorController::changed, receiver, slot);
            return;
        }
        ChainModel* chain = &strip_->chainModel();
        if (owner_ == kStrip) {
            QObject::connect(chain, &ChainModel::stripChanged, receiver, slot);
            return;
        }
        QObject::connect(chain, &ChainModel::structureChanged, receiver, slot);
        QObject::connect(chain, &ChainModel::stageChanged, receiver,
                         [id = QString::fromStdString(owner_), slot](const QString& which) {
                             if (which == id) slot();
                         });
    }

  private:
    /// Table of the owner; empty if there is none.
    std::span<const Parameter> table() const;
    /// Row of the parameter; -1 if there is none.
    int row() const;

    QPointer<StripModel> strip_;
    std::string owner_, parameter_;
};

}  // namespace reed::ui
