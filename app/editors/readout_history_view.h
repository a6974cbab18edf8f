// History of a readout over the last minute.
#pragma once

#include <QWidget>

#include "model/chain/stage_ref.h"
#include "model/strips/readout_history.h"
#include "widgets/cached_layer.h"
#include "widgets/level_axis.h"

namespace reed::ui {

class StripModel;

/// Plots ReadoutHistory of a stage, newest at the right. If the readout belongs to a threshold, the threshold
/// is a draggable line (wheel and arrow keys too, Shift: fine), and values above it are filled. Otherwise the
/// area to 0 dB is filled.
class ReadoutHistoryView final : public QWidget {
    Q_OBJECT
  public:
    ReadoutHistoryView(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    /// Whether a kind has a readout that is recorded.
    static bool fits(const StageKind& kind) { return ReadoutHistory::shown(kind) >= 0; }
    /// Pixel row of a value in dB.
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
