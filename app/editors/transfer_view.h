// Transfer curve of a dynamics stage, with the measured levels.
#pragma once

#include <QWidget>

#include "measure/level_statistics.h"
#include "model/chain/stage_ref.h"

namespace reed::ui {

class StripModel;

/// Input level (x) to output level (y) in dBFS. The distributions of input and output levels are along the
/// lower and the right edge (background noise blue, voice straw); the ring is the current level. The first
/// threshold, or the ceiling, is dragged sideways.
class TransferView final : public QWidget {
    Q_OBJECT
  public:
    TransferView(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    double xOf(double db) const;
    double yOf(double db) const;
    QSize sizeHint() const override { return {196, 180}; }
    QSize minimumSizeHint() const override { return {150, 110}; }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

  private:
    QRectF plot() const;
    void follow();
    /// Row in the table of the threshold nearest to `x`, or -1.
    int thresholdAt(double x) const;
    void paintDistributions(QPainter& p) const;
    void paintCurve(QPainter& p) const;

    StripModel& strip_;
    StageRef stage_;
    LevelDistribution in_, out_;
    double now_in_ = -200.0, now_out_ = -200.0;
    int ticks_ = 0, held_ = -1;
};

}  // namespace reed::ui
