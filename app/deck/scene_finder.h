// Finds a scene by typing.
#pragma once

#include <QLineEdit>
#include <QListWidget>
#include <string>

#include "widgets/panel.h"

namespace reed::ui {

class SceneManager;

/// Typing filters the list by name, group and note: parts of words, in any order. Up and Down select, Enter
/// recalls, Escape closes. Scenes are listed by group.
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
