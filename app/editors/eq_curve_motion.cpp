// The equalizer's bands that move, on its curve.
#include <QPainter>
#include <cmath>

#include "editors/eq_curve.h"
#include "editors/level_picture.h"
#include "model/strips/strip_model.h"

namespace reed::ui {
namespace {

constexpr double kWidest = 52.0;  // pixels, the most frequent level
constexpr double kLong = 80.0;    // pixels, the mark of a threshold

}  // namespace

std::optional<DynamicBandSettings> EqCurve::motion() const {
    const auto* v = values();
    if (v == nullptr || !band_moves(*v, band_)) return {};
    return band_motion(*v, band_);
}

bool EqCurve::anyMoves() const {
    const auto* v = values();
    for (int b = 0; v != nullptr && b < kEqualizerBands; ++b) {
        if (band_moves(*v, b)) return true;
    }
    return false;
}

void EqCurve::watchBands() {
    const StageSpec* s = stage_.spec();
    if (s == nullptr || s->bypass || !anyMoves()) {
        watch_.forget();
        return;
    }
    watch_.add(s->values, strip_.engine().chain().readouts(*s), 1.0 / kReadingsPerSecond);
}

std::optional<QPointF> EqCurve::thresholdMark() const {
    const auto m = motion();
    if (!m || finding_) return {};
    // Beside the band's own handle, within the plot.
    const double x = xOf(band_settings(*values(), band_).frequency) + 15;
    return QPointF(x + kLong > plot().right() ? x - 30 - kLong : x, levelY(m->threshold));
}

QString EqCurve::dynamicsText() const {
    const auto m = motion();
    if (!m) return {};
    const LevelHistogram& b = watch_.band(band_);
    if (b.heard < 3 * kReadingsPerSecond) return tr("Measuring this band…");
    const bool tames = m->moves == DynamicMode::tames;
    double beyond = 0.0;
    for (int i = 0; i < LevelHistogram::kBins; ++i) {
        const double level = i + 0.5 - LevelHistogram::kBins;
        if (tames ? level > m->threshold : band_motion_db(*m, static_cast<float>(level)) > 0.1f)
            beyond += b.share(i);
    }
    const double loud = b.quantile(0.98);
    if (beyond < 0.01)
        return tames ? tr("No change: the band peaks at %1 dBFS. Lower the threshold to cut it.")
                           .arg(loud, 0, 'f', 0)
                     : tr("No change: the band is not that quiet. Raise the threshold to boost it.");
    if (beyond > 0.6)
        return tames ? tr("Cutting most of the time. Raise the threshold or lower the gain instead.")
                     : tr("Up most of the time: more gain does the same. Lower the threshold.");
    return (tames ? tr("Cut %1 dB, recent max %2 dB") : tr("Boost %1 dB, recent max %2 dB"))
        .arg(std::abs(b.moved), 0, 'f', 1)
        .arg(std::abs(b.farthest), 0, 'f', 1);
}

void EqCurve::paintPresent(QPainter& p) const {
    const Theme& t = theme();
    if (!anyMoves() || rest_.empty()) {
        p.strokePath(sum_, QPen(t.straw, 2.2));
        return;
    }
    const auto* v = values();
    const double rate = strip_.engine().format().sample_rate;
    QPainterPath present, far;
    for (size_t i = 0; i < rest_.size(); i += 2) {
        const double f = frequencyAt(rest_[i].x());
        const double now = watch_.response_db(*v, f, rate, [](const auto& b) { return b.moved; });
        const double lately = watch_.response_db(*v, f, rate, [](const auto& b) { return b.farthest; });
        const QPointF a(rest_[i].x(), yOf(rest_[i].y() + now));
        const QPointF b(rest_[i].x(), yOf(rest_[i].y() + lately));
        present.elementCount() == 0 ? present.moveTo(a) : present.lineTo(a);
        far.elementCount() == 0 ? far.moveTo(b) : far.lineTo(b);
    }
    // What it did lately, from rest to the farthest.
    far.connectPath(sum_.toReversed());
    QColor fill = t.straw;
    fill.setAlpha(50);
    p.fillPath(far, fill);
    p.strokePath(sum_, QPen(t.straw, 1.0, Qt::DashLine));
    p.strokePath(present, QPen(t.straw, 2.2));
}

void EqCurve::paintMotion(QPainter& p) const {
    const auto m = motion();
    if (!m) return;
    const Theme& t = theme();
    const QRectF r = plot();
    const double x = xOf(band_settings(*values(), band_).frequency);
    const QPointF mark = *thresholdMark();
    const double way = mark.x() < x ? 1.0 : -1.0;  // the levels stand on the other side
    const LevelHistogram& b = watch_.band(band_);
    paintLevels(p, r, b, x, way * kWidest, [&m](double level) {
        return std::abs(band_motion_db(*m, static_cast<float>(level))) > 0.05f;
    });
    p.setPen(QPen(t.marsh, 2.0));
    p.setBrush(t.marsh);
    p.drawPolygon(QPolygonF({mark + QPointF(-4, -5), mark + QPointF(4, 0), mark + QPointF(-4, 5)}));
    p.drawLine(mark, mark + QPointF(24, 0));
    p.setFont(ui::font(12));
    const QString label =
        (m->moves == DynamicMode::tames ? tr("above %1") : tr("under %1")).arg(m->threshold, 0, 'f', 0);
    const double w = p.fontMetrics().horizontalAdvance(label) + 8;
    paintPlate(p, QRectF(mark.x() + 26, mark.y() - 8, w, 16), label);
    const QString words = dynamicsText();
    const double length = p.fontMetrics().horizontalAdvance(words) + 14;
    paintPlate(p, QRectF(r.left() + 4, r.top() + 4, length, 18), words);
}

}  // namespace reed::ui
