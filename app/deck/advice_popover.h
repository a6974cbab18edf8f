// The advice since the start of the program.
#pragma once

#include "widgets/panel.h"

namespace reed::ui {

class AppModel;

/// Newest first: time, strip, message, and whether it was applied.
class AdvicePopover final : public Panel {
    Q_OBJECT
  public:
    explicit AdvicePopover(AppModel& app, QWidget* parent = nullptr);

    static constexpr int kRows = 12;  ///< further ones are counted

  private:
    void refresh();
    AppModel& app_;
    QGridLayout* list_;
    Words* none_;
};

}  // namespace reed::ui
