// Loudness of voices and app audio over the last minute.
#pragma once

#include <QWidget>

#include "widgets/level_axis.h"

namespace reed::ui {

class Actions;
class FlatButton;
class Words;

/// Plots loudness over time, with the target distance as a band below the voices. A message says what to
/// change, with a button for each of two corrections.
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

/// Button of the strip sidebar that opens the view and shows the distance; pressed while the view is shown.
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
