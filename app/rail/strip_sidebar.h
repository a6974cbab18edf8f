// The strip sidebar: all strips, shown while there are several.
#pragma once

#include <QWidget>
#include <vector>

class QVBoxLayout;

namespace reed::ui {

class Actions;
class FlatButton;
class StripTile;
class ValueField;

class StripSidebar final : public QWidget {
    Q_OBJECT
  public:
    StripSidebar(Actions& actions, QWidget* parent);

    const std::vector<StripTile*>& tiles() const { return tiles_; }
    /// Call when strips were added, removed or moved.
    void rebuild();
    /// Sets the widget between tiles and fader.
    void setFooter(QWidget* foot);

  private:
    void showFader();

    Actions& actions_;
    QVBoxLayout* column_;
    std::vector<StripTile*> tiles_;
    ValueField* fader_;
    FlatButton *voice_, *programme_;
};

}  // namespace reed::ui
