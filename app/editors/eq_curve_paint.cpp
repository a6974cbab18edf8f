// Drawing of the equalizer's curve.
#include <QPainter>
#include <cmath>

#include "base/decibel.h"
#include "editors/eq_curve.h"
#include "editors/level_picture.h"
#include "model/strips/strip_model.h"
#include "stages/equalizer.h"
#include "widgets/frequency_axis.h"
#include "widgets/input.h"

namespace reed::ui {
namespace {

constexpr FrequencyAxis kAxis;
constexpr double kShare = 1.0 / 6.0;  // of an octave, width of the spectrum's readings
constexpr double kEnough = 4.05;      // dB; more than 4 is seldom needed: common practice, no source

/// Regions of a voice in plain words; their edges are common practice, no source.
struct Region {
    const char* word;
    double low, high;
};
constexpr Region kRegions[] = {{QT_TRANSLATE_NOOP("EqCurve", "rumble"), 20, 75},
                               {QT_TRANSLATE_NOOP("EqCurve", "body"), 90, 220},
                               {QT_TRANSLATE_NOOP("EqCurve", "boxy"), 280, 600},
                               {QT_TRANSLATE_NOOP("EqCurve", "clear"), 2500, 5500},
                               {QT_TRANSLATE_NOOP("EqCurve", "hiss"), 6200, 10500}};

QString hertz(double f) {
    const Parameter& p = kEqualizerStage.parameters[kBandFrequency];
    return QString::fromStdString(format_value(p, round_value(p, f)));
}

QString signedDb(double db) {
    return (db >= 0.05 ? "+" : "") + QString::number(std::abs(db) < 0.05 ? 0.0 : db, 'f', 1) + " dB";
}

}  // namespace

void EqCurve::paintGrid(QPainter& p) const {
    const Theme& t = theme();
    const QRectF r = plot();
    p.setFont(ui::font(12));
    const int most = static_cast<int>(dragging_ ? drag_range_ : range());
    for (int db = -most; db <= most; db += most / 4) {
        p.setPen(QPen(t.line, db == 0 ? 1.4 : 0.7));
        p.drawLine(QPointF(r.left(), yOf(db)), QPointF(r.right(), yOf(db)));
        p.setPen(t.muted);
        p.drawText(QRectF(0, yOf(db) - 8, 31, 16), Qt::AlignRight | Qt::AlignVCenter,
                   db > 0 ? QString("+%1").arg(db) : QString::number(db));
    }
    for (int level = -20; level >= -80; level -= 20) {
        p.drawText(QRectF(r.right() + 4, levelY(level) - 8, 28, 16), Qt::AlignLeft | Qt::AlignVCenter,
                   QString::number(level));
    }
    kAxis.paint(p, r);
    p.drawText(QRectF(0, 4, 31, 16), Qt::AlignRight | Qt::AlignVCenter, tr("dB"));
    p.drawText(QRectF(r.right() - 6, 4, 34, 16), Qt::AlignRight | Qt::AlignVCenter, tr("dBFS"));
}

void EqCurve::paintRegions(QPainter& p) const {
    const Theme& t = theme();
    const QRectF r = plot();
    p.setFont(ui::font(12));
    for (const Region& region : kRegions) {
        const double x0 = xOf(region.low);
        const double x1 = xOf(region.high);
        p.setPen(QPen(t.line, 1.0));
        p.drawLine(QPointF(x0, r.top() - 3.5), QPointF(x1, r.top() - 3.5));
        p.setPen(t.muted);
        p.drawText(QRectF(x0 - 20, 3, x1 - x0 + 40, 17), Qt::AlignCenter, tr(region.word));
    }
}

void EqCurve::paintSpectrum(QPainter& p) const {
    const Theme& t = theme();
    const SpectrumMeter* before = strip_.spectrum().before();
    if (before == nullptr || before->frames() == 0) return;
    const QRectF r = plot();
    const auto path_of = [&](const SpectrumMeter& m, SpectrumMeter::Kind kind, bool closed) {
        QPainterPath path;
        if (closed) path.moveTo(r.left(), r.bottom());
        for (double x = r.left(); x <= r.right(); x += 3.0) {
            const QPointF at(x, levelY(m.level(frequencyAt(x), kShare, SpectrumWidth::octave_share, kind)));
            path.elementCount() == 0 ? path.moveTo(at) : path.lineTo(at);
        }
        if (closed) path.lineTo(r.right(), r.bottom());
        return path;
    };
    const SpectrumMeter& after = *strip_.spectrum().after();
    QColor fill = t.roomFill;
    fill.setAlpha(80);
    p.fillPath(path_of(after, SpectrumMeter::Kind::mean, true), fill);
    QColor thin = t.room;
    p.strokePath(path_of(*before, SpectrumMeter::Kind::mean, false), QPen(thin, 1.0));
    thin.setAlpha(150);
    p.strokePath(path_of(after, SpectrumMeter::Kind::hold, false), QPen(thin, 1.0, Qt::DotLine));
}

void EqCurve::rememberCurve() {
    const auto* v = values();
    const double now_range = dragging_ ? drag_range_ : range();
    std::vector<double> bands(v->begin(), v->begin() + kListenRow);
    if (bands == curve_values_ && size() == curve_size_ && band_ == curve_band_ && now_range == curve_range_)
        return;
    curve_values_ = std::move(bands);
    curve_size_ = size();
    curve_band_ = band_;
    curve_range_ = now_range;
    const QRectF r = plot();
    const double rate = strip_.engine().format().sample_rate;
    std::vector<Sections> filters;
    int chosen = -1;
    for (int b = 0; b < kEqualizerBands; ++b) {
        if ((*v)[static_cast<size_t>(b * kBandParameters + kBandOn)] < 0.5) continue;
        if (b == band_) chosen = static_cast<int>(filters.size());
        filters.push_back(design(band_settings(*v, b), rate));
    }
    sum_ = one_ = {};
    beyond_.clear();
    rest_.clear();
    QPointF last;
    for (double x = r.left(); x <= r.right(); x += 2.0) {
        const double f = frequencyAt(x);
        double total = 1.0;
        double alone = 1.0;
        for (size_t i = 0; i < filters.size(); ++i) {
            const double m = std::abs(filters[i].response(f, rate));
            total *= m;
            if (static_cast<int>(i) == chosen) alone = m;
        }
        const double sum = gain_to_db(total);
        const QPointF a(x, yOf(sum));
        rest_.emplace_back(x, sum);
        const QPointF b(x, yOf(gain_to_db(alone)));
        if (sum_.elementCount() == 0) {
            sum_.moveTo(a);
            one_.moveTo(b);
        } else {
            sum_.lineTo(a);
            one_.lineTo(b);
            if (sum > kEnough) beyond_.emplace_back(last, a);
        }
        last = a;
    }
    if (chosen < 0) one_ = {};
}

void EqCurve::paintCurves(QPainter& p) const {
    const Theme& t = theme();
    const QRectF r = plot();
    if (!one_.isEmpty()) {
        QPainterPath area = one_;
        area.lineTo(r.right(), yOf(0));
        area.lineTo(r.left(), yOf(0));
        QColor fill = t.marsh;
        fill.setAlpha(45);
        p.fillPath(area, fill);
    }
    paintPresent(p);
    if (beyond_.empty()) return;
    // Gently: a second line over what is more than usual, and the limit it passes.
    p.setPen(QPen(t.ember, 1.0, Qt::DashLine));
    p.drawLine(QPointF(r.left(), yOf(4.0)), QPointF(r.right(), yOf(4.0)));
    p.setPen(QPen(t.ember, 3.0));
    for (const QLineF& l : beyond_) p.drawLine(l.translated(0, -3.5));
}

void EqCurve::paintHandles(QPainter& p) const {
    const Theme& t = theme();
    const auto* v = values();
    p.setFont(ui::font(12, true));
    for (int b = 0; b < kEqualizerBands; ++b) {
        if ((*v)[static_cast<size_t>(b * kBandParameters + kBandOn)] < 0.5) continue;
        const QPointF at = handle(b);
        const bool chosen = b == band_;
        // A small flag with the band's number, so that bands differ by more than place.
        p.setPen(QPen(chosen ? t.marsh : t.straw, chosen ? 2.0 : 1.2));
        p.setBrush(chosen ? t.chosen : t.panel);
        p.drawRoundedRect(QRectF(at.x() - 10, at.y() - 9, 20, 18), 4, 4);
        p.setPen(t.text);
        p.drawText(QRectF(at.x() - 10, at.y() - 9, 20, 18), Qt::AlignCenter, QString::number(b + 1));
    }
    if (finding_) return;
    p.setFont(ui::font(12));
    for (const Resonance& c : candidates_) {
        const QRectF mark = candidateMark(c);
        const bool under = mouse_ && mark.contains(*mouse_);
        p.setPen(QPen(t.text, 1.2));
        p.setBrush(under ? t.chosen : t.panel);
        p.drawPolygon(QPolygonF({QPointF(mark.center().x(), mark.top() + 3),
                                 QPointF(mark.right() - 3, mark.bottom() - 3),
                                 QPointF(mark.left() + 3, mark.bottom() - 3)}));
    }
}

void EqCurve::paintFinding(QPainter& p) const {
    if (!finding_) return;
    const Theme& t = theme();
    const QRectF r = plot();
    const double x = xOf(find_frequency_);
    BandSettings bell;
    bell.frequency = find_frequency_;
    bell.gain_db = (*values())[kFindGain];
    bell.q = (*values())[kFindQ];
    const Sections filter = design(bell, strip_.engine().format().sample_rate);
    QPainterPath path;
    for (double px = std::max(r.left(), x - 80); px <= std::min(r.right(), x + 80); px += 2.0) {
        const double g = std::abs(filter.response(frequencyAt(px), strip_.engine().format().sample_rate));
        const QPointF at(px, yOf(gain_to_db(g)));
        path.elementCount() == 0 ? path.moveTo(at) : path.lineTo(at);
    }
    p.strokePath(path, QPen(t.now, 2.0));
    p.setPen(QPen(t.now, 0.8, Qt::DashLine));
    p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
    const QString words = tr("%1: click to cut %2 dB, scroll to change depth")
                              .arg(hertz(find_frequency_))
                              .arg(cut_depth_, 0, 'f', 1);
    p.setFont(ui::font(13, true));
    const double w = p.fontMetrics().horizontalAdvance(words) + 14;
    const QRectF box(std::clamp(x - w / 2, r.left(), r.right() - w), r.bottom() - 26, w, 20);
    p.setPen(QPen(t.line, 1.0));
    p.setBrush(t.raised);
    p.drawRoundedRect(box, 5, 5);
    p.setPen(t.text);
    p.drawText(box, Qt::AlignCenter, words);
}

void EqCurve::paintReadout(QPainter& p) const {
    if (!mouse_ || finding_ || !plot().contains(*mouse_)) return;
    const Theme& t = theme();
    const QRectF r = plot();
    const double f = frequencyAt(mouse_->x());
    QString words = hertz(f) + "   " +
                    signedDb(equalizer_response_db(*values(), f, strip_.engine().format().sample_rate));
    if (const SpectrumMeter* after = strip_.spectrum().after(); after != nullptr && after->frames() > 0) {
        words += "   " + tr("%1 dBFS").arg(after->level(f, kShare, SpectrumWidth::octave_share), 0, 'f', 0);
    }
    for (const Resonance& c : candidates_) {
        if (candidateMark(c).contains(*mouse_))
            words = tr("Resonance at %1 (+%2 dB). Click to cut.")
                        .arg(hertz(c.frequency))
                        .arg(c.height, 0, 'f', 0);
    }
    p.setPen(QPen(t.muted, 0.7, Qt::DotLine));
    p.drawLine(QPointF(mouse_->x(), r.top()), QPointF(mouse_->x(), r.bottom()));
    p.setFont(ui::font(12));
    const double w = p.fontMetrics().horizontalAdvance(words) + 12;
    const bool left = mouse_->x() > r.center().x();
    const QRectF box(left ? r.left() + 4 : r.right() - w - 4, r.top() + (motion() ? 26 : 4), w, 18);
    paintPlate(p, box, words);
}

void EqCurve::paintEvent(QPaintEvent*) {
    QPainter p(this);
    still_.paint(p, *this, QString::number(dragging_ ? drag_range_ : range()), [this](QPainter& layer) {
        paintPlotGround(layer, *this);
        paintGrid(layer);
        paintRegions(layer);
    });
    if (values() == nullptr) return;
    rememberCurve();
    p.save();
    p.setClipRect(plot());
    paintSpectrum(p);
    paintCurves(p);
    if (!finding_) paintMotion(p);
    paintFinding(p);
    p.restore();
    paintHandles(p);
    paintReadout(p);
}

}  // namespace reed::ui
