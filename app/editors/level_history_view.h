// The last seconds before and after a stage, with its thresholds.
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

/// Level in (outline) and out (filled) over six seconds, on the diagram's scale; the gap between them is
/// what the stage took away. Dynamics also show their reduction, hanging from the top on the same scale, and
/// where words lost their beginning or ending. Of a stage that listens to another strip, that one's level is
/// filled instead: what the stage did, over what it did it for.
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
    /// What the strips that this stage listens to give; empty: it hears its own sound.
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
