// A dynamics stage's curve, with the levels that really come in and go out.
#pragma once

#include <QWidget>

#include "measure/level_statistics.h"
#include "model/chain/stage_ref.h"

namespace reed::ui {

class StripModel;

/// Level in (x) to level out (y), both in dBFS. Along the lower edge how often each level comes in, along the
/// right edge how often each goes out (room blue, voice straw); the ring is the present moment. The first
/// threshold, or the ceiling, can be dragged sideways.
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
    /// Row of the threshold nearest to `x`, or -1.
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
