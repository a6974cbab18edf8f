// What the editor shows of one kind of stage, below its name and above its advice.
#pragma once

#include <QWidget>

namespace reed::ui {

class FieldGrid;
class Session;

class StageBody : public QWidget {
    Q_OBJECT
  public:
    using QWidget::QWidget;
    /// Shows the focused stage's values as they are now.
    virtual void refresh() = 0;
    /// Its value fields.
    virtual FieldGrid* fields() const = 0;

    /// The fitting one for the focused stage.
    static StageBody* make(Session& session, QWidget* parent);
};

}  // namespace reed::ui
