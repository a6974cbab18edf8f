// A strip in the sidebar: name, levels, mute, solo.
#pragma once

#include <QLineEdit>
#include <QWidget>

#include "rail/strip_levels.h"

namespace reed::ui {

class Actions;
class FlatButton;
class StripModel;

/// Click: select. F2 or double-click: rename. Wheel: fader. The menu (menu key or right button) has all
/// actions.
class StripTile final : public QWidget {
    Q_OBJECT
  public:
    StripTile(Actions& actions, StripModel& strip, QWidget* parent);

    StripModel& strip() const { return strip_; }
    /// Sets its position from 1, which is also the number of its shortcut.
    void setPlace(int place);
    /// Shows one line instead of three, if there are many strips.
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
