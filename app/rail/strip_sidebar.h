// The rail beside the diagram: all strips at a glance, while there are several.
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
    /// Strips came, went or moved.
    void rebuild();
    /// Shown between tiles and fader: the balance of voices and programme.
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
