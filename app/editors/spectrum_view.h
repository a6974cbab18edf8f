// Spectrum before and after the selected stage.
#pragma once

#include <QPainterPath>
#include <QWidget>

#include "editors/level_picture.h"
#include "measure/spectrum.h"
#include "widgets/cached_layer.h"

namespace reed::ui {

class StripModel;

/// Path of the levels of `meter` in 1/6-octave bands in plot `r`, where column x is `frequencyAt(x)` Hz;
/// closed along the bottom, or open.
template <typename FrequencyAt>
QPainterPath spectrumPath(const SpectrumMeter& meter, const QRectF& r, FrequencyAt frequencyAt, bool closed) {
    QPainterPath path;
    if (closed) path.moveTo(r.bottomLeft());
    for (double x = r.left(); x <= r.right(); x += 3.0) {
        const QPointF at(x, levelOn(r, meter.level(frequencyAt(x), 1.0 / 6.0, SpectrumWidth::octave_share)));
        path.elementCount() == 0 ? path.moveTo(at) : path.lineTo(at);
    }
    if (closed) path.lineTo(r.bottomRight());
    return path;
}

/// Spectrum before the stage (filled) and after it (line), averaged over 0.5 s. For editors without a plot of
/// their own.
class SpectrumView final : public QWidget {
    Q_OBJECT
  public:
    explicit SpectrumView(StripModel& strip, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {320, 200}; }
    QSize minimumSizeHint() const override { return {200, 120}; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    QRectF plot() const { return QRectF(rect()).adjusted(38, 10, -12, -22); }
    StripModel& strip_;
    int ticks_ = 0;
    CachedLayer still_;
};

}  // namespace reed::ui
