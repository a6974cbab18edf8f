// The bands of a multiband compressor over the spectrum.
#pragma once

#include <QWidget>
#include <array>
#include <optional>

#include "model/chain/level_histogram.h"
#include "model/chain/stage_ref.h"
#include "stages/multiband.h"
#include "widgets/cached_layer.h"

namespace reed::ui {

class StripModel;

/// Frequency on a logarithmic axis, level in dBFS. Each band shows its level distribution, its threshold, and
/// its gain reduction from the top down. Drag a threshold up or down, a crossover frequency sideways. A click
/// selects a band, the wheel changes its ratio; Left and Right select, Up and Down change the threshold
/// (Shift: fine).
class MultibandView final : public QWidget {
    Q_OBJECT
  public:
    MultibandView(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);

    int range() const { return range_; }
    void choose(int range);
    const LevelHistogram& watch(int range) const { return watch_[static_cast<size_t>(range)]; }
    /// Positions of the handles of threshold and upper crossover of `range`.
    QPointF thresholdMark(int range) const;
    QPointF crossoverMark(int meeting) const;
    double levelY(double dbfs) const;
    double xOf(double frequency) const;
    /// Description of the selected band.
    QString words() const;

    QSize sizeHint() const override { return {460, 200}; }
    QSize minimumSizeHint() const override { return {300, 130}; }

  signals:
    void rangeChosen(int range);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    const std::vector<double>* values() const;
    QRectF plot() const;
    /// The area of a band in the plot.
    QRectF area(int range) const;
    int rangeAt(double x) const;
    void follow();
    void paintSpectrum(QPainter& p) const;
    void paintRange(QPainter& p, int range) const;
    void paintMeetings(QPainter& p) const;

    enum class Held { nothing, threshold, meeting };

    StripModel& strip_;
    StageRef stage_;
    int range_ = 0;
    Held held_ = Held::nothing;
    int meeting_ = 0;
    int ticks_ = 0;
    std::array<LevelHistogram, kMaxMultibandBands> watch_{};
    CachedLayer still_;
};

}  // namespace reed::ui
