// One strip on the rail: what it is called, what it does now, mute and alone.
#pragma once

#include <QLineEdit>
#include <QWidget>

#include "rail/strip_levels.h"

namespace reed::ui {

class Actions;
class FlatButton;
class StripModel;

/// Click focuses the strip; F2 or a double click renames it; the menu key or the right button has all. Wheel
/// turns its fader.
class StripTile final : public QWidget {
    Q_OBJECT
  public:
    StripTile(Actions& actions, StripModel& strip, QWidget* parent);

    StripModel& strip() const { return strip_; }
    /// Its place on the rail, from 1, and the key that focuses it.
    void setPlace(int place);
    /// One line instead of three, where there are many.
    void setCompact(bool compact);
    void beginRename();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void show();
    void follow();
    bool focused() const;

    Actions& actions_;
    StripModel& strip_;
    FlatButton *mute_, *alone_;
    QLineEdit* name_;
    int place_ = 1;
    bool compact_ = false;
    QString told_;
    bool trouble_ = false;
    StripLevels levels_;
};

}  // namespace reed::ui
