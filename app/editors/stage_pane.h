// What the editor shows of one kind of stage, below its name and above its advice.
#pragma once

#include <QWidget>
#include <functional>

#include "session/stage_ref.h"

namespace reed::ui {

class FieldGrid;
class Session;

/// Made for one stage, and never shows another.
class StagePane : public QWidget {
    Q_OBJECT
  public:
    StagePane(Session& session, const StageRef& stage, QWidget* parent)
        : QWidget(parent), session_(session), stage_(stage) {}
    /// Shows the stage's values as they are now.
    virtual void refresh() = 0;
    /// Its value fields.
    virtual FieldGrid* fields() const = 0;

    /// The fitting one for a stage: the one its kind was given by offer(), else by what the kind says of
    /// itself.
    static StagePane* make(Session& session, const StageRef& stage, QWidget* parent);

    using Maker = std::function<StagePane*(Session&, const StageRef&, QWidget*)>;
    /// Stages of `kind` are shown by what `maker` makes, from then on.
    static void offer(const StageKind& kind, Maker maker);

  protected:
    Session& session_;
    const StageRef stage_;
};

}  // namespace reed::ui
