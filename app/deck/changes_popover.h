// The unsaved changes of the current scene.
#pragma once

#include <QString>
#include <utility>

#include "scenes/differences.h"
#include "widgets/panel.h"

namespace reed::ui {

class Actions;
class ChainModel;
class FlatButton;
class Words;

/// Current and saved value as text ("Opens at -44.0 dBFS"). `strip`: the strip of the difference, as it is
/// now.
std::pair<QString, QString> changeWords(const Difference& difference, const ChainModel& strip);

/// Lists each change with the saved value. Changes are reverted one by one; or all are saved, reverted, or
/// saved as a new scene.
class ChangesPopover final : public Panel {
    Q_OBJECT
  public:
    explicit ChangesPopover(Actions& actions, QWidget* parent = nullptr);

    /// Number of rows; further changes are counted in the last one.
    static constexpr int kRows = 12;

  private:
    void refresh();
    Actions& actions_;
    QGridLayout* list_;
    Words* title_;
};

}  // namespace reed::ui
