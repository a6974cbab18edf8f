// The list of characters.
#pragma once

#include <QGridLayout>
#include <QLineEdit>
#include <vector>

#include "widgets/panel.h"

namespace reed::ui {

class Actions;
class FlatButton;

/// One row each: on/off, description, shortcut, added latency, menu.
class CharactersPopover final : public Panel {
    Q_OBJECT
  public:
    explicit CharactersPopover(Actions& actions, QWidget* parent = nullptr);

  private:
    void rebuild();
    void mark();
    void openMore(const QString& name, const QWidget& at);
    Actions& actions_;
    QGridLayout* rows_;
    std::vector<FlatButton*> buttons_;
};

/// Saves stages of the chain as a character: asks for stages and name.
class SaveCharacterPopover final : public Panel {
    Q_OBJECT
  public:
    explicit SaveCharacterPopover(Actions& actions, QWidget* parent = nullptr);

  private:
    void keep();
    Actions& actions_;
    std::vector<FlatButton*> stages_;  // checked: included
    QLineEdit *name_, *note_;
};

}  // namespace reed::ui
