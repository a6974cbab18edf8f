#include "editors/suppression_view.h"

#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "base/decibel.h"
#include "model/strips/noise_profile_learner.h"
#include "model/strips/strip_model.h"
#include "stages/suppression.h"
#include "widgets/frequency_axis.h"
#include "widgets/input.h"
#include "widgets/level_axis.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {

constexpr FrequencyAxis kAxis{50.0, 18000.0};
constexpr LevelAxis kLevels{-110.0, -10.0};
constexpr double kShare = 1.0 / 6.0;  // octaves

}  // namespace

SuppressionView::SuppressionView(StripModel& strip, const StageRef& stage, QWidget* parent)
    : QWidget(parent), strip_(strip), stage_(stage) {
    setObjectName("suppression_view");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setAccessibleName(tr("Spectrum before and after the suppression"));
    setHint(this, tr("Level in 1/6-octave bands, averaged over 0.5 s (Hann window, 8192 frames)"));
    connect(&strip_, &StripModel::readingsChanged, this, [this] {
        if (!isVisible()) return;
        strip_.spectrum().keepAlive();
        if (strip_.spectrum().fresh()) update();
    });
    stage_.onChange(this, [this] { update(); });
    connect(&strip_.learning(), &NoiseProfileLearner::changed, this, [this] { update(); });
}

QRectF SuppressionView::plot() const {
    return QRectF(rect()).adjusted(36, 10, -14, -40);
}

void SuppressionView::paintLearning(QPainter& p) const {
    const Theme& t = theme();
    const NoiseProfileLearner& l = strip_.learning();
    if (l.state() == NoiseProfileLearner::State::idle || l.stage() != stage_.id()) return;
    const QRectF r = plot();
    QRectF box(r.center().x() - 105, r.center().y() - 36, 210, 72);
    p.setPen(QPen(t.marsh, 1.4));
    p.setBrush(t.raised);
    p.drawRoundedRect(box, 8, 8);
    p.setPen(t.text);
    if (l.state() == NoiseProfileLearner::State::working) {
        p.setFont(ui::font(14));
        p.drawText(box, Qt::AlignCenter, tr("Analysing…"));
        return;
    }
    p.setFont(ui::font(18, true));
    p.drawText(box.adjusted(0, 8, 0, -30), Qt::AlignCenter,
               tr("Stay silent: %1 s").arg(std::ceil(l.left()), 0, 'f', 0));
    const QRectF track = box.adjusted(20, 50, -20, -14);
    p.setPen(Qt::NoPen);
    p.setBrush(t.sunken);
    p.drawRoundedRect(track, 4, 4);
    p.setBrush(t.marsh);
    p.drawRoundedRect(
        QRectF(track.topLeft(), QSizeF(track.width() * (1.0 - l.left() / l.wanted()), track.height())), 4, 4);
}

void SuppressionView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    const QRectF r = plot();
    const auto y_of = [&](double db) { return kLevels.y(r, db); };
    const StageSpec* s = stage_.spec();
    const bool taught = s != nullptr && !s->taught.empty();
    still_.paint(p, *this, taught ? "taught" : "", [&](QPainter& layer) {
        paintPlotGround(layer, *this);
        kLevels.paint(layer, r, -20, 20, 31);
        kAxis.paint(layer, r);
        layer.drawText(QRectF(r.left() + 4, r.top() - 1, 60, 16), Qt::AlignLeft | Qt::AlignVCenter,
                       tr("dBFS"));
        QString legend = tr("before (line), after (filled)");
        if (taught) legend += tr(", noise profile (dashed)");
        const QRectF foot(r.left(), r.bottom() + 19, r.width(), 16);
        layer.drawText(
            foot, Qt::AlignLeft | Qt::AlignVCenter,
            layer.fontMetrics().elidedText(legend, Qt::ElideRight, static_cast<int>(foot.width())));
    });

    const auto path_of = [&](auto level, bool closed) {
        QPainterPath path;
        for (double x = r.left(); x <= r.right(); x += 2.0) {
            const QPointF at(x, y_of(level(kAxis.frequency(r, x))));
            if (path.elementCount() == 0) path.moveTo(closed ? QPointF(r.left(), r.bottom()) : at);
            path.lineTo(at);
        }
        if (closed) path.lineTo(r.right(), r.bottom());
        return path;
    };
    p.save();
    p.setClipRect(r);
    if (const SpectrumMeter* before = strip_.spectrum().before(); before != nullptr && before->frames() > 0) {
        const auto level = [](const SpectrumMeter& m) {
            return [&m](double f) { return m.level(f, kShare, SpectrumWidth::octave_share); };
        };
        p.fillPath(path_of(level(*strip_.spectrum().after()), true), t.strawFill);
        p.strokePath(path_of(level(*before), false), QPen(t.now, 1.1));
    }
    if (taught) {
        const NoiseProfile tone = room_tone_of(s->taught);
        const auto level = [&tone](double f) {
            const double width = f * (std::pow(2.0, kShare / 2) - std::pow(2.0, -kShare / 2));
            return mean_square_to_dbfs(tone.density(f) * width);
        };
        p.strokePath(path_of(level, false), QPen(t.room, 2.2, Qt::DashLine));
    }
    p.restore();
    paintLearning(p);
}

}  // namespace reed::ui
