// Level history before and after a stage, with its thresholds.
#pragma once

#include <QPainterPath>
#include <QWidget>
#include <deque>
#include <functional>

#include "measure/level_statistics.h"
#include "model/chain/stage_ref.h"
#include "widgets/cached_layer.h"

namespace reed::ui {

class StripModel;

/// Input level (line) and output level (filled) over six seconds, on the scale of the level diagram. Dynamics
/// also show their gain reduction, from the top down on the same scale, and truncated words. With a
/// sidechain, the level of the sidechain is filled instead.
class LevelHistoryView final : public QWidget {
    Q_OBJECT
  public:
    LevelHistoryView(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {230, 180}; }
    QSize minimumSizeHint() const override { return {200, 110}; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void follow();
    void findCuts();
    /// Levels of the strips that are the sidechain; empty if the stage uses its own input.
    std::vector<const std::deque<TapFrame>*> heard() const;
    QPainterPath heardPath(const QRectF& r, const std::vector<const std::deque<TapFrame>*>& heard) const;
    void paintReduction(QPainter& p, const QRectF& r, const std::deque<TapFrame>& after,
                        std::int64_t end) const;
    void paintCuts(QPainter& p, const QRectF& r, const std::function<double(std::int64_t)>& x_of) const;
    StripModel& strip_;
    StageRef stage_;
    CachedLayer still_;
    std::vector<TruncatedWord> cuts_;
    std::int64_t drawn_ = -1;
    int fresh_ = 0;
};

}  // namespace reed::ui
