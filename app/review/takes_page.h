// The takes page: list, timeline of the selected take, and its actions.
#pragma once

#include <QLineEdit>
#include <QListWidget>
#include <QWidget>

namespace reed::ui {

class Actions;
class FlatButton;
class TakesModel;
class TakeTimelineView;
class Words;

class TakesPage final : public QWidget {
    Q_OBJECT
  public:
    explicit TakesPage(Actions& actions, QWidget* parent);
    TakeTimelineView* wave() const { return wave_; }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void showEvent(QShowEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

  private:
    void fill();
    void showState();
    void openKeep();
    void openAgainst();
    void openMore();
    void askName();
    void warn(const QString& why);
    FlatButton* button(const char* name, const QString& words);

    Actions& actions_;
    TakesModel& takes_;
    QLineEdit* find_;
    QListWidget* list_;
    TakeTimelineView* wave_;
    FlatButton *keep_, *record_, *loop_, *against_, *side_, *blind_, *more_, *end_;
    Words* told_;
    bool filling_ = false;
};

}  // namespace reed::ui
