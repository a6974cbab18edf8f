// Note, group, colour and transition time of the current scene.
#pragma once

#include <optional>
#include <vector>

#include "widgets/panel.h"

class QLineEdit;
class QPlainTextEdit;

namespace reed::ui {

class FlatButton;
class SceneManager;
class ValueField;

/// Changes are stored at once.
class ScenePropertiesPopover final : public Panel {
    Q_OBJECT
  public:
    ScenePropertiesPopover(SceneManager& shelf, const QString& name, QWidget* parent = nullptr);

  protected:
    void closeEvent(QCloseEvent* event) override;

  private:
    void keep();
    void mark();
    SceneManager& shelf_;
    QPlainTextEdit* note_;
    QLineEdit* group_;
    ValueField* fade_;
    std::vector<FlatButton*> colours_;  // the last one: no colour
    std::optional<int> colour_;
};

}  // namespace reed::ui
