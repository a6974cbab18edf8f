// What makes the scene in work fit the voice and room that are here.
#pragma once

#include "widgets/panel.h"

namespace reed::ui {

class Actions;
class FlatButton;
class Words;

/// Opens from the scene bar: every change with its reason, made one by one or all at once. Closing it ends
/// what is still worked out.
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
