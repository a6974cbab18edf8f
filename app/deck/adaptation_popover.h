// Adapts the current scene to this voice and room.
#pragma once

#include "widgets/panel.h"

namespace reed::ui {

class Actions;
class FlatButton;
class Words;

/// Lists each change with its reason, to be applied one by one or all at once. Closing cancels a running
/// computation.
class AdaptationPopover final : public Panel {
    Q_OBJECT
  public:
    explicit AdaptationPopover(Actions& actions, QWidget* parent = nullptr);

  protected:
    void closeEvent(QCloseEvent* event) override;

  private:
    void tell(const QString& words);
    void refresh();
    Actions& actions_;
    Words* state_;
    QGridLayout* list_;
    FlatButton *all_, *keep_;
};

}  // namespace reed::ui
