#include "editors/tone_view.h"

#include <QKeyEvent>
#include <QPainterPath>
#include <cmath>

#include "editors/level_picture.h"
#include "session/session.h"
#include "stages/tone.h"
#include "widgets/frequency_axis.h"
#include "widgets/input.h"
#include "widgets/level_axis.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {

constexpr FrequencyAxis kAxis{40.0, 16000.0};
constexpr LevelAxis kGain{-12.0, 12.0};
constexpr double kMost = 6.0;     // dB on the pad
constexpr double kTooMuch = 6.0;  // dB more than other voices; common practice, no source

const Parameter& row(size_t which) {
    return kToneStage.parameters[which];
}

}  // namespace

// --- the surface ---

TonePad::TonePad(const StageRef& stage, QWidget* parent) : QWidget(parent), stage_(stage) {
    setObjectName("tone_pad");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("Body and clarity"));
    setFocusPolicy(Qt::StrongFocus);
    setHint(this, tr("Drag: up for more body, to the right for more clarity. Double click: as it was"));
    stage_.onChange(this, [this] { update(); });
}

QRectF TonePad::plot() const {
    return QRectF(rect()).adjusted(30, 22, -12, -22);
}

QPointF TonePad::mark() const {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return {};
    const QRectF r = plot();
    return {r.center().x() + s->values[kToneClarity] / kMost * r.width() / 2,
            r.center().y() - s->values[kToneBody] / kMost * r.height() / 2};
}

void TonePad::set(double body, double clarity) {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    std::vector<double> values = s->values;
    values[kToneBody] = round_value(row(kToneBody), std::clamp(body, -kMost, kMost));
    values[kToneClarity] = round_value(row(kToneClarity), std::clamp(clarity, -kMost, kMost));
    if (values == s->values) return;
    stage_.setAll(values,
                  tr("%1: body %2, clarity %3 dB")
                      .arg(QString::fromStdString(s->shown_title()))
                      .arg(values[kToneBody], 0, 'f', 1)
                      .arg(values[kToneClarity], 0, 'f', 1),
                  QString::fromStdString(s->id) + "/surface");
}

void TonePad::moveTo(QPointF at) {
    const QRectF r = plot();
    set((r.center().y() - at.y()) / (r.height() / 2) * kMost,
        (at.x() - r.center().x()) / (r.width() / 2) * kMost);
}

void TonePad::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    setFocus(Qt::MouseFocusReason);
    held_ = true;
    moveTo(event->position());
}

void TonePad::mouseMoveEvent(QMouseEvent* event) {
    if (held_) moveTo(event->position());
}

void TonePad::mouseReleaseEvent(QMouseEvent*) {
    if (held_) stage_.done();
    held_ = false;
}

void TonePad::mouseDoubleClickEvent(QMouseEvent*) {
    set(0.0, 0.0);
    stage_.done();
}

void TonePad::wheelEvent(QWheelEvent* event) {
    event->accept();
    const bool sideways = event->angleDelta().y() == 0 || (event->modifiers() & Qt::AltModifier) != 0;
    stage_.turn(sideways ? kToneClarity : kToneBody, 0.5 * wheelNotches(*event),
                event->modifiers() & Qt::ShiftModifier);
}

void TonePad::keyPressEvent(QKeyEvent* event) {
    const bool fine = event->modifiers() & Qt::ShiftModifier;
    switch (event->key()) {
        case Qt::Key_Up:
            return stage_.turn(kToneBody, 0.5, fine);
        case Qt::Key_Down:
            return stage_.turn(kToneBody, -0.5, fine);
        case Qt::Key_Right:
            return stage_.turn(kToneClarity, 0.5, fine);
        case Qt::Key_Left:
            return stage_.turn(kToneClarity, -0.5, fine);
        default:
            QWidget::keyPressEvent(event);
    }
}

void TonePad::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    still_.paint(p, *this, {}, [this, &t](QPainter& layer) {
        paintPlotGround(layer, *this);
        const QRectF r = plot();
        layer.setFont(ui::font(12));
        for (int db = -6; db <= 6; db += 3) {
            const double x = r.center().x() + db / kMost * r.width() / 2;
            const double y = r.center().y() - db / kMost * r.height() / 2;
            layer.setPen(QPen(t.line, db == 0 ? 1.6 : 0.7));
            layer.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
            layer.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
            layer.setPen(t.muted);
            layer.drawText(QRectF(0, y - 8, 25, 16), Qt::AlignRight | Qt::AlignVCenter, QString::number(db));
            layer.drawText(QRectF(x - 20, r.bottom() + 3, 40, 16), Qt::AlignCenter, QString::number(db));
        }
        layer.drawText(QRectF(r.left(), 3, r.width(), 16), Qt::AlignLeft | Qt::AlignVCenter, tr("body, dB"));
        layer.drawText(QRectF(r.left(), r.center().y() + 3, r.width() - 4, 16), Qt::AlignRight,
                       tr("clarity, dB"));
    });
    const QPointF at = mark();
    const QPointF middle = plot().center();
    p.setPen(QPen(t.marsh, 1.5));
    p.drawLine(QPointF(at.x(), middle.y()), at);
    p.drawLine(QPointF(middle.x(), at.y()), at);
    p.setPen(QPen(t.text, 1.5));
    p.setBrush(t.marsh);
    p.drawEllipse(at, 7, 7);
}

// --- the spectrum ---

ToneCurve::ToneCurve(Session& session, const StageRef& stage, QWidget* parent)
    : QWidget(parent), session_(session), stage_(stage) {
    setObjectName("tone_curve");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("What tone does to the voice"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setHint(
        this,
        tr("The voice before (filled) and after (line), over half a second; the curve of the three bands"));
    stage_.onChange(this, [this] { update(); });
    connect(&session_, &Session::readingsChanged, this, [this] {
        if (!isVisible()) return;
        session_.spectrum().keepAlive();
        if (session_.spectrum().fresh() && ++ticks_ % 2 == 0) update();
    });
}

QRectF ToneCurve::plot() const {
    return QRectF(rect()).adjusted(34, 22, -12, -22);
}

double ToneCurve::told(size_t readout) const {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return 0.0;
    const auto all = session_.engine().chain().readouts(*s);
    return readout < all.size() ? static_cast<double>(all[readout]) : 0.0;
}

double ToneCurve::bodyAt() const {
    const StageSpec* s = stage_.spec();
    return s != nullptr ? tone_centre(s->values, kToneBodyAt, told(kToneBodyNow)) : 110.0;
}

double ToneCurve::clarityAt() const {
    const StageSpec* s = stage_.spec();
    return s != nullptr ? tone_centre(s->values, kToneClarityAt, told(kToneClarityNow)) : 3800.0;
}

QString ToneCurve::words() const {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return {};
    if (told(kTonePitch) <= 0.0) return tr("Listens for a voice ...");
    const auto against = [](double more) {
        if (std::abs(more) < 1.5) return tr("as other voices");
        return more > 0.0 ? tr("%1 dB more than other voices").arg(more, 0, 'f', 0)
                          : tr("%1 dB less than other voices").arg(-more, 0, 'f', 0);
    };
    const double body = told(kToneBodyMore) + s->values[kToneBody];
    const double clarity = told(kToneClarityMore) + s->values[kToneClarity];
    QString out = tr("Pitch about %1 Hz. With this it has body %2, and clarity %3.")
                      .arg(told(kTonePitch), 0, 'f', 0)
                      .arg(against(body), against(clarity));
    if (body > kTooMuch && s->values[kToneBody] > 0.0) out += ' ' + tr("Too much body: it booms.");
    if (clarity > kTooMuch && s->values[kToneClarity] > 0.0) out += ' ' + tr("Too much clarity: it tires.");
    return out;
}

void ToneCurve::paintSpectrum(QPainter& p, bool after) const {
    const SpectrumMeter* meter = after ? session_.spectrum().after() : session_.spectrum().before();
    if (meter == nullptr || meter->frames() == 0) return;
    const QRectF r = plot();
    QPainterPath path;
    bool begun = false;
    for (double x = r.left(); x <= r.right(); x += 3.0) {
        const QPointF at(
            x, levelOn(r, meter->level(kAxis.frequency(r, x), 1.0 / 6.0, SpectrumWidth::octave_share)));
        begun ? path.lineTo(at) : path.moveTo(at);
        begun = true;
    }
    if (after) {
        QColor line = theme().text;
        line.setAlpha(150);
        p.setPen(QPen(line, 1.2));
        p.setBrush(Qt::NoBrush);
        p.drawPath(path);
        return;
    }
    path.lineTo(r.right(), r.bottom());
    path.lineTo(r.left(), r.bottom());
    QColor fill = theme().roomFill;
    fill.setAlpha(90);
    p.fillPath(path, fill);
}

void ToneCurve::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    still_.paint(p, *this, {}, [this](QPainter& layer) {
        paintPlotGround(layer, *this);
        const QRectF r = plot();
        kGain.paint(layer, r, 12, 6, 29);
        kAxis.paint(layer, r);
        layer.drawText(QRectF(0, 3, 32, 16), Qt::AlignRight | Qt::AlignVCenter, tr("dB"));
    });
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    const QRectF r = plot();
    const double body = bodyAt(), clarity = clarityAt();
    p.save();
    p.setClipRect(r);
    paintSpectrum(p, false);
    paintSpectrum(p, true);
    p.restore();
    p.setFont(ui::font(12));
    for (const auto& [at, words] : {std::pair{body, tr("body %1 Hz").arg(body, 0, 'f', 0)},
                                    {clarity, tr("clarity %1 kHz").arg(clarity / 1000.0, 0, 'f', 1)}}) {
        const double x = kAxis.x(r, at);
        p.setPen(QPen(t.marsh, 1.2, Qt::DashLine));
        p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
        const double width = p.fontMetrics().horizontalAdvance(words) + 8;
        paintPlate(p, QRectF(std::clamp(x - width / 2, r.left(), r.right() - width), r.top() + 2, width, 16),
                   words);
    }
    QPainterPath curve;
    for (double x = r.left(); x <= r.right(); x += 3.0) {
        const double gain =
            s->bypass ? 0.0 : tone_gain(s->values, body, clarity, kAxis.frequency(r, x), 48000.0);
        const QPointF at(x, kGain.y(r, gain));
        curve.elementCount() == 0 ? curve.moveTo(at) : curve.lineTo(at);
    }
    p.setPen(QPen(t.straw, 2.0));
    p.setBrush(Qt::NoBrush);
    p.drawPath(curve);
}

}  // namespace reed::ui
