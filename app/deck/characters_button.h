// Button of the characters.
#pragma once

#include <QWidget>

namespace reed::ui {

class Actions;
class FlatButton;

/// Shows the name of the active character and is pressed while one is active.
class CharactersButton final : public QWidget {
    Q_OBJECT
  public:
    explicit CharactersButton(Actions& actions, QWidget* parent = nullptr);
    /// Opens the list of characters.
    void open();
    /// Whether the button has a label while no character is active.
    void setLabelled(bool labelled);

  private:
    void mark();
    Actions& actions_;
    FlatButton* button_;
    bool labelled_ = false;
};

}  // namespace reed::ui
