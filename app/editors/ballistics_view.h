// Gain of a dynamics stage over time, to scale.
#pragma once

#include <QTimer>
#include <QWidget>
#include <vector>

#include "model/chain/stage_ref.h"

namespace reed::ui {

class StripModel;

/// Runs the stage on a test signal (quiet, loud, quiet) and plots its gain.
class BallisticsView final : public QWidget {
    Q_OBJECT
  public:
    BallisticsView(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {196, 84}; }
    QSize minimumSizeHint() const override { return {150, 64}; }

    /// Plotted gain in dB at `ms` after the start.
    double gainAt(double ms) const;
    double loudFrom() const { return from_ms_; }
    double loudUntil() const { return until_ms_; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void simulate();
    StripModel& strip_;
    StageRef stage_;
    QTimer later_;
    std::vector<float> gain_;  // dB, one per kStep
    std::vector<double> simulated_values_;
    double from_ms_ = 0.0, until_ms_ = 0.0, length_ms_ = 1.0;
};

}  // namespace reed::ui
