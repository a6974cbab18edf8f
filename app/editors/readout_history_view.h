// What a stage measured or did over the last minute.
#pragma once

#include <QWidget>

#include "model/chain/stage_ref.h"
#include "model/strips/readout_history.h"
#include "widgets/cached_layer.h"
#include "widgets/level_axis.h"

namespace reed::ui {

class StripModel;

/// A minute of the readout that its kind shows over time, newest at the right edge. Where it is held against
/// a threshold, that one lies across it and is dragged up and down (wheel and arrow keys too, Shift: fine);
/// what reached over it is filled. Else what it does up or down from 0 dB is filled.
class ReadoutHistoryView final : public QWidget {
    Q_OBJECT
  public:
    ReadoutHistoryView(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    /// Whether there is anything to show of a kind.
    static bool fits(const StageKind& kind) { return ReadoutHistory::shown(kind) >= 0; }
    /// Pixel row of a figure in dB.
    double rowOf(double db) const;
    QSize sizeHint() const override { return {230, 60}; }
    QSize minimumSizeHint() const override { return {200, 60}; }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    QRectF plot() const;
    void pull(double row);
    const ReadoutHistory& trail_;
    StageRef stage_;
    LevelAxis axis_;
    QString legend_;
    int row_ = -1;  // of the threshold
    bool held_ = false;
    double drawn_ = -1.0;
    CachedLayer still_;
};

}  // namespace reed::ui
