// Editor of noise suppression: methods, learned noise profile, spectrum before and after.
#pragma once

#include <QAbstractButton>
#include <array>

#include "editors/stage_pane.h"
#include "stages/suppression_cost.h"

namespace reed::ui {

class FlatButton;
class Words;
class SuppressionView;

/// A method: name, description, latency and load.
class MethodButton final : public QAbstractButton {
    Q_OBJECT
  public:
    MethodButton(const QString& title, const QString& words, QWidget* parent);
    void setCost(const QString& cost);
    QSize sizeHint() const override { return {250, 56}; }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void enterEvent(QEnterEvent*) override { update(); }
    void leaveEvent(QEvent*) override { update(); }

  private:
    QString words_, cost_;
};

class SuppressionPane final : public StagePane {
    Q_OBJECT
  public:
    SuppressionPane(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    void refresh() override;
    FieldGrid* fields() const override { return grid_; }

  private:
    void buildMethods(QWidget* side);
    void measureCosts();
    void showCosts();
    void showLearning();

    std::array<MethodButton*, 3> methods_{};
    std::array<MethodCost, 3> costs_{};
    FlatButton* learn_;
    FlatButton* hum_;
    FlatButton* removed_;
    SuppressionView* view_;
    FieldGrid* grid_;
    Words* kept_;
    double measured_rate_ = 0.0;
    bool measured_short_ = false;
    int ticks_ = 0;
};

}  // namespace reed::ui
