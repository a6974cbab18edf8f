#include "editors/spectrum_view.h"

#include "model/strips/strip_model.h"
#include "widgets/frequency_axis.h"
#include "widgets/input.h"
#include "widgets/level_axis.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {
constexpr FrequencyAxis kAxis{30.0, 16000.0};
constexpr LevelAxis kLevels{kLevelAxis, 0.0};
}  // namespace

SpectrumView::SpectrumView(StripModel& strip, QWidget* parent) : QWidget(parent), strip_(strip) {
    setObjectName("spectrum_view");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("Spectrum before and after"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setHint(this, tr("Spectrum before this stage (filled) and after it (line), in 1/6-octave bands, averaged "
                     "over 0.5 s"));
    connect(&strip_, &StripModel::readingsChanged, this, [this] {
        if (!isVisible()) return;
        strip_.spectrum().keepAlive();
        if (strip_.spectrum().fresh() && ++ticks_ % 2 == 0) update();
    });
}

void SpectrumView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    still_.paint(p, *this, {}, [this](QPainter& layer) {
        paintPlotGround(layer, *this);
        kLevels.paint(layer, plot(), 0, 20, 33);
        kAxis.paint(layer, plot());
    });
    const QRectF r = plot();
    const SpectrumMeter* before = strip_.spectrum().before();
    const SpectrumMeter* after = strip_.spectrum().after();
    p.setRenderHint(QPainter::Antialiasing);
    p.setClipRect(r);
    const auto frequencyAt = [&r](double x) { return kAxis.frequency(r, x); };
    if (before != nullptr && before->frames() > 0) {
        QColor fill = t.roomFill;
        fill.setAlpha(110);
        p.fillPath(spectrumPath(*before, r, frequencyAt, true), fill);
    }
    if (after != nullptr && after->frames() > 0)
        p.strokePath(spectrumPath(*after, r, frequencyAt, false), QPen(t.straw, 1.6));
    p.setFont(ui::font(12));
    paintPlate(p,
               QRectF(r.left() + 4, r.top() + 3,
                      p.fontMetrics().horizontalAdvance(tr("before (filled), after, dBFS")) + 10, 16),
               tr("before (filled), after, dBFS"));
}

}  // namespace reed::ui
