// The window of Open Sound Control.
#pragma once

#include <QDialog>

class QLineEdit;

namespace reed::ui {

class FlatButton;
class OscLink;
class Words;

/// Turns Open Sound Control on and off, and chooses address and port. Shows whether it listens, and the last
/// message that was refused.
class OscDialog final : public QDialog {
    Q_OBJECT
  public:
    OscDialog(OscLink& link, QWidget* parent);
    ~OscDialog() override;
    /// Opens it over `window`, or shows the one that is open.
    static void open(OscLink& link, QWidget* window);

  private:
    void chooseAddress();
    /// Takes the port that was typed, or restores the one in use and says why.
    void takePort();
    void refresh();

    OscLink& link_;
    FlatButton *on_, *address_;
    QLineEdit* port_;
    Words *state_, *refused_;
};

}  // namespace reed::ui
