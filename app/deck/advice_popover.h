// The advice since the program was started.
#pragma once

#include "widgets/panel.h"

namespace reed::ui {

class AppModel;

/// The newest first: time, strip, what was said, and what became of it.
class AdvicePopover final : public Panel {
    Q_OBJECT
  public:
    explicit AdvicePopover(AppModel& app, QWidget* parent = nullptr);

    static constexpr int kRows = 12;  ///< more are summed up

  private:
    void refresh();
    AppModel& app_;
    QGridLayout* list_;
    Words* none_;
};

}  // namespace reed::ui
