// Spectrum before and after noise suppression, with the learned noise profile.
#pragma once

#include <QWidget>

#include "model/chain/stage_ref.h"
#include "widgets/cached_layer.h"

class QPainterPath;

namespace reed::ui {

class StripModel;

/// Before (line), after (filled) and noise profile (blue) in 1/3-octave bands; a countdown while learning.
class SuppressionView final : public QWidget {
    Q_OBJECT
  public:
    SuppressionView(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {280, 180}; }
    QSize minimumSizeHint() const override { return {130, 110}; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    QRectF plot() const;
    void paintLearning(QPainter& p) const;
    StripModel& strip_;
    StageRef stage_;
    CachedLayer still_;
};

}  // namespace reed::ui
