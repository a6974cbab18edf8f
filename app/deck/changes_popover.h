// What differs from the saved scene, in words, and what can be done about it.
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

/// "Opens at -44.0 dBFS", and what was saved. `strip`: the one it is in, as it is now.
std::pair<QString, QString> changeWords(const Difference& difference, const ChainModel& strip);

/// Opens from the scene bar: every change with what was saved, taken back one by one; or all kept, all taken
/// back, or saved as a new scene.
class ChangesPopover final : public Panel {
    Q_OBJECT
  public:
    explicit ChangesPopover(Actions& actions, QWidget* parent = nullptr);

    /// Rows that are shown; more are summed up in the last one.
    static constexpr int kRows = 12;

  private:
    void refresh();
    Actions& actions_;
    QGridLayout* list_;
    Words* title_;
};

}  // namespace reed::ui
