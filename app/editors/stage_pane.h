// The part of the stage editor that depends on the kind.
#pragma once

#include <QWidget>
#include <functional>

#include "model/chain/stage_ref.h"

namespace reed::ui {

class FieldGrid;
class StripModel;

/// Created for one stage; never shows another one.
class StagePane : public QWidget {
    Q_OBJECT
  public:
    StagePane(StripModel& strip, const StageRef& stage, QWidget* parent)
        : QWidget(parent), strip_(strip), stage_(stage) {}
    /// Shows the current values.
    virtual void refresh() = 0;
    /// Its value fields.
    virtual FieldGrid* fields() const = 0;

    /// Creates the pane of a stage: that of offer() for its kind, otherwise a general one.
    static StagePane* make(StripModel& strip, const StageRef& stage, QWidget* parent);

    using Maker = std::function<StagePane*(StripModel&, const StageRef&, QWidget*)>;
    /// Registers `maker` for all stages of `kind`.
    static void offer(const StageKind& kind, Maker maker);

  protected:
    StripModel& strip_;
    const StageRef stage_;
};

}  // namespace reed::ui
