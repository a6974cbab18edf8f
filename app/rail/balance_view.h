// Voices and programme over the last minute: how far one lies below the other while somebody speaks.
#pragma once

#include <QWidget>

#include "widgets/level_axis.h"

namespace reed::ui {

class Actions;
class FlatButton;
class Words;

/// Loudness from bottom to top, time from left to right; the wanted distance lies as a band below the voices.
/// What should be done is said in words, with the two remedies at one press.
class BalanceView final : public QWidget {
    Q_OBJECT
  public:
    BalanceView(Actions& actions, QWidget* parent);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void showEvent(QShowEvent* event) override;

  private:
    QRectF plot() const;
    void judge();
    void place();
    void chooseDistance();

    Actions& actions_;
    LevelAxis axis_{-60.0, 0.0};
    Words* verdict_;
    FlatButton *fader_, *duck_, *distance_;
};

/// The rail's way to it: the distance as a figure, pressed while the view is shown.
class BalanceButton final : public QWidget {
    Q_OBJECT
  public:
    BalanceButton(Actions& actions, QWidget* parent);
    void setShown(bool shown);

  signals:
    void pressed(bool show);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void follow();

    Actions& actions_;
    QString figure_, words_;
    bool shown_ = false, warns_ = false;
};

}  // namespace reed::ui
