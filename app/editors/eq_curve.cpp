#include "editors/eq_curve.h"

#include <QKeyEvent>
#include <QPainter>
#include <QPainterPath>
#include <QWheelEvent>
#include <cmath>

#include "base/decibel.h"
#include "session/session.h"
#include "stages/equalizer.h"
#include "theme/theme.h"
#include "widgets/frequency_axis.h"
#include "widgets/input.h"

namespace reed::ui {
namespace {

constexpr FrequencyAxis kAxis;
constexpr double kLowest = kAxis.lowest, kHighest = kAxis.highest;

const Parameter& row(int parameter) {
    return kEqualizerStage.parameters[static_cast<size_t>(parameter)];
}

bool hasGain(FilterType type) {
    return type == FilterType::bell || type == FilterType::low_shelf || type == FilterType::high_shelf ||
           type == FilterType::tilt;
}

}  // namespace

EqCurve::EqCurve(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
    setObjectName("eq_curve");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("Equalizer curve"));
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setToolTip(
        tr("Drag a band; turn the wheel for its width; double click to add one; Delete switches it off."));
    connect(&session_, &Session::chainChanged, this, [this] { update(); });
    connect(&session_, &Session::focusChanged, this, [this] { update(); });
}

const std::vector<double>* EqCurve::values() const {
    const StageSpec* s = session_.stage(session_.focused());
    return s != nullptr && s->kind == "equalizer" ? &s->values : nullptr;
}

QRectF EqCurve::plot() const {
    return QRectF(rect()).adjusted(36, 10, -12, -22);
}

double EqCurve::xOf(double f) const {
    return kAxis.x(plot(), f);
}

double EqCurve::frequencyAt(double x) const {
    return kAxis.frequency(plot(), x);
}

double EqCurve::range() const {
    const auto* v = values();
    for (int b = 0; v != nullptr && b < kEqualizerBands; ++b) {
        const bool on = (*v)[static_cast<size_t>(b * kBandParameters + kBandOn)] >= 0.5;
        if (on && std::abs(band_settings(*v, b).gain_db) > 12.0) return 24.0;
    }
    return 12.0;
}

double EqCurve::yOf(double gain) const {
    const QRectF r = plot();
    const double most = dragging_ ? drag_range_ : range();
    return r.center().y() - std::clamp(gain, -most, most) / most * r.height() / 2.0;
}

double EqCurve::gainAt(double y) const {
    const QRectF r = plot();
    const double most = dragging_ ? drag_range_ : range();
    return std::clamp((r.center().y() - y) / (r.height() / 2.0), -1.0, 1.0) * most;
}

QPointF EqCurve::handle(int band) const {
    const auto* v = values();
    if (v == nullptr) return {};
    const BandSettings b = band_settings(*v, band);
    return {xOf(b.frequency), yOf(hasGain(b.type) && b.type != FilterType::tilt ? b.gain_db : 0.0)};
}

int EqCurve::bandAt(const QPointF& at) const {
    const auto* v = values();
    int best = -1;
    double nearest = 15.0;
    for (int b = 0; v != nullptr && b < kEqualizerBands; ++b) {
        if ((*v)[static_cast<size_t>(b * kBandParameters + kBandOn)] < 0.5) continue;
        const QPointF d = handle(b) - at;
        const double distance = std::hypot(d.x(), d.y()) - (b == band_ ? 3.0 : 0.0);
        if (distance < nearest) {
            nearest = distance;
            best = b;
        }
    }
    return best;
}

void EqCurve::chooseBand(int band) {
    if (band == band_) return;
    band_ = band;
    emit bandChosen(band);
    update();
}

void EqCurve::setBand(int band, int parameter, double value) {
    session_.setValue(session_.focused(), static_cast<size_t>(band * kBandParameters + parameter), value);
}

void EqCurve::change(int band, double frequency, double gain) {
    const auto* v = values();
    if (v == nullptr) return;
    std::vector<double> next = *v;
    double* r = &next[static_cast<size_t>(band * kBandParameters)];
    const auto type = static_cast<FilterType>(static_cast<int>(r[kBandType]));
    r[kBandFrequency] = round_value(row(kBandFrequency), std::clamp(frequency, kLowest, kHighest));
    if (hasGain(type)) r[kBandGain] = round_value(row(kBandGain), gain);
    QString label = tr("Equalizer: band %1 at %2")
                        .arg(band + 1)
                        .arg(QString::fromStdString(format_value(row(kBandFrequency), r[kBandFrequency])));
    if (hasGain(type)) label += ", " + QString::fromStdString(format_value(row(kBandGain), r[kBandGain]));
    session_.setValues(session_.focused(), next, label, QString("eq_drag_%1").arg(band));
}

void EqCurve::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    setFocus(Qt::MouseFocusReason);
    const int b = bandAt(event->position());
    if (b < 0) return;
    chooseBand(b);
    drag_range_ = range();  // the scale stands still under the hand
    dragging_ = true;
}

void EqCurve::mouseMoveEvent(QMouseEvent* event) {
    if (dragging_) change(band_, frequencyAt(event->position().x()), gainAt(event->position().y()));
}

void EqCurve::mouseReleaseEvent(QMouseEvent*) {
    dragging_ = false;
    session_.closeStep();
    update();
}

void EqCurve::mouseDoubleClickEvent(QMouseEvent* event) {
    dragging_ = false;
    const auto* v = values();
    if (v == nullptr || bandAt(event->position()) >= 0 || !plot().contains(event->position())) return;
    for (int b = 0; b < kEqualizerBands; ++b) {
        if ((*v)[static_cast<size_t>(b * kBandParameters + kBandOn)] >= 0.5) continue;
        std::vector<double> next = *v;
        double* r = &next[static_cast<size_t>(b * kBandParameters)];
        r[kBandOn] = 1.0;
        r[kBandType] = static_cast<double>(FilterType::bell);
        r[kBandFrequency] = round_value(row(kBandFrequency), frequencyAt(event->position().x()));
        r[kBandGain] = round_value(row(kBandGain), gainAt(event->position().y()));
        r[kBandQ] = 1.0;
        session_.setValues(session_.focused(), next, tr("Equalizer: add band %1").arg(b + 1), {});
        chooseBand(b);
        return;
    }
    emit session_.message(tr("All 16 bands are in use. Switch one off first."), true);
}

void EqCurve::wheelEvent(QWheelEvent* event) {
    const int over = bandAt(event->position());
    if (over >= 0) chooseBand(over);
    const auto* v = values();
    if (v == nullptr) return;
    const double q = (*v)[static_cast<size_t>(band_ * kBandParameters + kBandQ)];
    setBand(band_, kBandQ,
            step_value(row(kBandQ), q, wheelNotches(*event), event->modifiers() & Qt::ShiftModifier));
    event->accept();
}

void EqCurve::keyPressEvent(QKeyEvent* event) {
    const auto* v = values();
    if (v == nullptr) return;
    const bool fine = event->modifiers() & Qt::ShiftModifier;
    const double* r = &(*v)[static_cast<size_t>(band_ * kBandParameters)];
    const auto moved = [&](int parameter, double steps) {
        setBand(band_, parameter, step_value(row(parameter), r[parameter], steps, fine));
    };
    switch (event->key()) {
        case Qt::Key_Left:
            moved(kBandFrequency, -1.0);
            return;
        case Qt::Key_Right:
            moved(kBandFrequency, 1.0);
            return;
        case Qt::Key_Up:
            moved(kBandGain, 1.0);
            return;
        case Qt::Key_Down:
            moved(kBandGain, -1.0);
            return;
        case Qt::Key_PageUp:
            moved(kBandQ, 1.0);
            return;
        case Qt::Key_PageDown:
            moved(kBandQ, -1.0);
            return;
        case Qt::Key_Delete:
            setBand(band_, kBandOn, 0.0);
            return;
        case Qt::Key_BracketLeft:
            chooseBand(std::max(0, band_ - 1));
            return;
        case Qt::Key_BracketRight:
            chooseBand(std::min(kEqualizerBands - 1, band_ + 1));
            return;
        default:
            QWidget::keyPressEvent(event);
    }
}

void EqCurve::paintGrid(QPainter& p) const {
    const Theme& t = theme();
    const QRectF r = plot();
    p.setFont(ui::font(12));
    const int most = static_cast<int>(range());
    for (int db = -most; db <= most; db += most / 4) {
        p.setPen(QPen(t.line, db == 0 ? 1.4 : 0.7));
        p.drawLine(QPointF(r.left(), yOf(db)), QPointF(r.right(), yOf(db)));
        p.setPen(t.muted);
        p.drawText(QRectF(0, yOf(db) - 8, 31, 16), Qt::AlignRight | Qt::AlignVCenter,
                   db > 0 ? QString("+%1").arg(db) : QString::number(db));
    }
    kAxis.paint(p, r);
    p.drawText(QRectF(r.left() + 4, r.top() + 1, 40, 16), Qt::AlignLeft | Qt::AlignVCenter, tr("dB"));
}

void EqCurve::paintCurves(QPainter& p) const {
    const Theme& t = theme();
    const QRectF r = plot();
    const auto* v = values();
    const double rate = session_.engine().format().sample_rate;
    std::vector<Sections> filters;
    int chosen = -1;
    for (int b = 0; b < kEqualizerBands; ++b) {
        if ((*v)[static_cast<size_t>(b * kBandParameters + kBandOn)] < 0.5) continue;
        if (b == band_) chosen = static_cast<int>(filters.size());
        filters.push_back(design(band_settings(*v, b), rate));
    }
    QPainterPath sum;
    QPainterPath one;
    for (double x = r.left(); x <= r.right(); x += 2.0) {
        const double f = frequencyAt(x);
        double total = 1.0;
        double alone = 1.0;
        for (size_t i = 0; i < filters.size(); ++i) {
            const double m = std::abs(filters[i].response(f, rate));
            total *= m;
            if (static_cast<int>(i) == chosen) alone = m;
        }
        const QPointF a(x, yOf(gain_to_db(total)));
        const QPointF b(x, yOf(gain_to_db(alone)));
        sum.elementCount() == 0 ? sum.moveTo(a) : sum.lineTo(a);
        one.elementCount() == 0 ? one.moveTo(b) : one.lineTo(b);
    }
    p.save();
    p.setClipRect(r);
    if (chosen >= 0) {
        QPainterPath area = one;
        area.lineTo(r.right(), yOf(0));
        area.lineTo(r.left(), yOf(0));
        QColor fill = t.marsh;
        fill.setAlpha(45);
        p.fillPath(area, fill);
    }
    p.strokePath(sum, QPen(t.straw, 2.2));
    p.restore();
}

void EqCurve::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    paintPlotGround(p, *this);
    paintGrid(p);
    const auto* v = values();
    if (v == nullptr) return;
    paintCurves(p);
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
}

}  // namespace reed::ui
