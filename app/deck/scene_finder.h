// A scene by some letters of its name.
#pragma once

#include <QLineEdit>
#include <QListWidget>
#include <string>

#include "widgets/panel.h"

namespace reed::ui {

class SceneManager;

/// Typing narrows the list; Up and Down choose, Enter recalls, Escape closes. Letters may stand anywhere in
/// name, group or note, words in any order. Scenes of a group stand together under its word.
class SceneFinder final : public Panel {
    Q_OBJECT
  public:
    SceneFinder(SceneManager& shelf, const std::string& now, QWidget* parent);

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void fill();
    void step(int by);
    void recall();

    SceneManager& shelf_;
    std::string now_;
    QLineEdit* wanted_;
    QListWidget* list_;
};

}  // namespace reed::ui
