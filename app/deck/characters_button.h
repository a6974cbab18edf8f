// What is laid over the voice, at a glance, and the way to what could be.
#pragma once

#include <QWidget>

namespace reed::ui {

class Actions;
class FlatButton;

/// A mask; while a character is on, pressed and with its name.
class CharactersButton final : public QWidget {
    Q_OBJECT
  public:
    explicit CharactersButton(Actions& actions, QWidget* parent = nullptr);
    /// The list of them.
    void open();
    /// Whether its name stands beside the sign while no character is on.
    void setLabelled(bool labelled);

  private:
    void mark();
    Actions& actions_;
    FlatButton* button_;
    bool labelled_ = false;
};

}  // namespace reed::ui
