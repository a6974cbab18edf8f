// What the editor shows of one kind of stage, below its name and above its advice.
#pragma once

#include <QWidget>
#include <functional>

#include "model/chain/stage_ref.h"

namespace reed::ui {

class FieldGrid;
class StripModel;

/// Made for one stage, and never shows another.
class StagePane : public QWidget {
    Q_OBJECT
  public:
    StagePane(StripModel& strip, const StageRef& stage, QWidget* parent)
        : QWidget(parent), strip_(strip), stage_(stage) {}
    /// Shows the stage's values as they are now.
    virtual void refresh() = 0;
    /// Its value fields.
    virtual FieldGrid* fields() const = 0;

    /// The fitting one for a stage: the one its kind was given by offer(), else by what the kind says of
    /// itself.
    static StagePane* make(StripModel& strip, const StageRef& stage, QWidget* parent);

    using Maker = std::function<StagePane*(StripModel&, const StageRef&, QWidget*)>;
    /// Stages of `kind` are shown by what `maker` makes, from then on.
    static void offer(const StageKind& kind, Maker maker);

  protected:
    StripModel& strip_;
    const StageRef stage_;
};

}  // namespace reed::ui
