// The ranges of a multiband compressor over the sound's spectrum.
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

/// Frequency on a logarithmic axis, level in dBFS. Each range has the levels of its own sound, its threshold
/// among them and what is taken from it now, hanging from the top on the same scale. Drag a threshold up and
/// down, a meeting sideways; a click chooses a range, the wheel turns its ratio; arrow keys: the range
/// beside, and its threshold (Shift: fine).
class MultibandView final : public QWidget {
    Q_OBJECT
  public:
    MultibandView(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);

    int range() const { return range_; }
    void choose(int range);
    const LevelHistogram& watch(int range) const { return watch_[static_cast<size_t>(range)]; }
    /// Where the threshold of `range` and the meeting above it can be held.
    QPointF thresholdMark(int range) const;
    QPointF crossoverMark(int meeting) const;
    double levelY(double dbfs) const;
    double xOf(double frequency) const;
    /// What is to be said of the chosen range.
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
    /// The part of the plot that belongs to a range.
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
