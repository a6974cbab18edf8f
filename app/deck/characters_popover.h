// The characters: laid over the chain at a press, made of stages of it, put into it.
#pragma once

#include <QGridLayout>
#include <QLineEdit>
#include <vector>

#include "widgets/panel.h"

namespace reed::ui {

class Actions;
class FlatButton;

/// A row each: on and off, what it is for, the key, the delay it adds, and what else can be done with it.
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

/// Asks which stages of the chain, under which name.
class SaveCharacterPopover final : public Panel {
    Q_OBJECT
  public:
    explicit SaveCharacterPopover(Actions& actions, QWidget* parent = nullptr);

  private:
    void keep();
    Actions& actions_;
    std::vector<FlatButton*> stages_;  // checked: it is one of them
    QLineEdit *name_, *note_;
};

}  // namespace reed::ui
