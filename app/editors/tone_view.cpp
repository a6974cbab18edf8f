#include "editors/tone_view.h"

#include <QKeyEvent>
#include <QPainterPath>
#include <cmath>

#include "editors/spectrum_view.h"
#include "model/strips/strip_model.h"
#include "stages/tone.h"
#include "widgets/frequency_axis.h"
#include "widgets/input.h"
#include "widgets/level_axis.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {

constexpr FrequencyAxis kAxis{40.0, 16000.0};
constexpr LevelAxis kGain{-12.0, 12.0};
constexpr double kTooMuch = 6.0;  // dB more than other voices; common practice, no source

constexpr size_t gainRow(ToneCurve::Handle handle) {
    return handle == ToneCurve::Handle::body ? kToneBody : kToneClarity;
}

constexpr size_t frequencyRow(ToneCurve::Handle handle) {
    return handle == ToneCurve::Handle::body ? kToneBodyAt : kToneClarityAt;
}

}  // namespace

ToneCurve::ToneCurve(StripModel& strip, const StageRef& stage, QWidget* parent)
    : QWidget(parent), strip_(strip), stage_(stage) {
    setObjectName("tone_curve");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("What tone does to the voice"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setFocusPolicy(Qt::StrongFocus);
    setHint(this,
            tr("Spectrum of the voice before (filled) and after (line). Drag body or clarity up or down; "
               "double-click to reset it. Scroll for small steps."));
    stage_.onChange(this, [this] { update(); });
    connect(&strip_, &StripModel::readingsChanged, this, [this] {
        if (!isVisible()) return;
        strip_.spectrum().keepAlive();
        if (strip_.spectrum().fresh() && ++ticks_ % 2 == 0) update();
    });
}

QRectF ToneCurve::plot() const {
    return QRectF(rect()).adjusted(34, 22, -12, -22);
}

double ToneCurve::told(size_t readout) const {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return 0.0;
    const auto all = strip_.engine().chain().readouts(*s);
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

bool ToneCurve::tracks() const {
    const StageSpec* s = stage_.spec();
    return s == nullptr || s->values[kToneFollow] >= 0.5;
}

double ToneCurve::frequencyOf(Handle handle) const {
    return handle == Handle::body ? bodyAt() : clarityAt();
}

QPointF ToneCurve::handleAt(Handle handle) const {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return {};
    const QRectF r = plot();
    return {kAxis.x(r, frequencyOf(handle)), kGain.y(r, s->values[gainRow(handle)])};
}

ToneCurve::Handle ToneCurve::nearest(QPointF at) const {
    const double body = std::abs(at.x() - handleAt(Handle::body).x());
    const double clarity = std::abs(at.x() - handleAt(Handle::clarity).x());
    return body <= clarity ? Handle::body : Handle::clarity;
}

void ToneCurve::select(Handle handle) {
    selected_ = handle;
    update();
}

void ToneCurve::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    setFocus(Qt::MouseFocusReason);
    select(nearest(event->position()));
    held_ = true;
    // Its line can be taken anywhere; the handle moves as far as the pointer does.
    grip_ = handleAt(selected_) - event->position();
}

void ToneCurve::mouseMoveEvent(QMouseEvent* event) {
    const StageSpec* s = stage_.spec();
    if (!held_ || s == nullptr) return;
    const QRectF r = plot();
    const QPointF at = event->position() + grip_;
    // Gain and frequency change together: one step of undo.
    std::vector<double> values = s->values;
    const auto put = [&values](size_t row, double value) {
        values[row] = round_value(kToneStage.parameters[row], value);
    };
    put(gainRow(selected_), kGain.atY(r, at.y()));
    if (!tracks()) put(frequencyRow(selected_), kAxis.frequency(r, at.x()));
    if (values == s->values) return;
    const size_t row = gainRow(selected_);
    stage_.setAll(
        values,
        tr("%1: %2 %3")
            .arg(QString::fromStdString(s->shown_title()), text(kToneStage.parameters[row].title).toLower(),
                 QString::fromStdString(format_value(kToneStage.parameters[row], values[row]))),
        QString::fromStdString(s->id) + "/handle");
}

void ToneCurve::mouseReleaseEvent(QMouseEvent*) {
    if (held_) stage_.done();
    held_ = false;
}

void ToneCurve::mouseDoubleClickEvent(QMouseEvent* event) {
    select(nearest(event->position()));
    stage_.set(gainRow(selected_), 0.0);
    stage_.done();
}

void ToneCurve::wheelEvent(QWheelEvent* event) {
    event->accept();
    select(nearest(event->position()));
    stage_.turn(gainRow(selected_), 0.5 * wheelNotches(*event), event->modifiers() & Qt::ShiftModifier);
}

void ToneCurve::keyPressEvent(QKeyEvent* event) {
    const bool fine = event->modifiers() & Qt::ShiftModifier;
    switch (event->key()) {
        case Qt::Key_Up:
            return stage_.turn(gainRow(selected_), 0.5, fine);
        case Qt::Key_Down:
            return stage_.turn(gainRow(selected_), -0.5, fine);
        case Qt::Key_Left:
            return select(Handle::body);
        case Qt::Key_Right:
            return select(Handle::clarity);
        default:
            QWidget::keyPressEvent(event);
    }
}

QString ToneCurve::words() const {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return {};
    if (told(kTonePitch) <= 0.0) return tr("Listening for speech…");
    const auto against = [](double more) {
        if (std::abs(more) < 1.5) return tr("average");
        return more > 0.0 ? tr("%1 dB above average").arg(more, 0, 'f', 0)
                          : tr("%1 dB below average").arg(-more, 0, 'f', 0);
    };
    const double body = told(kToneBodyMore) + s->values[kToneBody];
    const double clarity = told(kToneClarityMore) + s->values[kToneClarity];
    QString out = tr("Pitch about %1 Hz. Result: body %2, clarity %3.")
                      .arg(told(kTonePitch), 0, 'f', 0)
                      .arg(against(body), against(clarity));
    if (body > kTooMuch && s->values[kToneBody] > 0.0)
        out += ' ' + tr("Too much body: the voice sounds boomy.");
    if (clarity > kTooMuch && s->values[kToneClarity] > 0.0)
        out += ' ' + tr("Too much clarity: the voice sounds harsh.");
    return out;
}

void ToneCurve::paintSpectrum(QPainter& p, bool after) const {
    const SpectrumMeter* meter = after ? strip_.spectrum().after() : strip_.spectrum().before();
    if (meter == nullptr || meter->frames() == 0) return;
    const QRectF r = plot();
    const QPainterPath path = spectrumPath(
        *meter, r, [&r](double x) { return kAxis.frequency(r, x); }, !after);
    if (after) {
        QColor line = theme().text;
        line.setAlpha(150);
        p.setPen(QPen(line, 1.2));
        p.setBrush(Qt::NoBrush);
        p.drawPath(path);
        return;
    }
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
    p.setFont(ui::font(12));
    paintHandle(p, Handle::body);
    paintHandle(p, Handle::clarity);
}

void ToneCurve::paintHandle(QPainter& p, Handle handle) const {
    const Theme& t = theme();
    const QRectF r = plot();
    const QPointF at = handleAt(handle);
    const bool selected = handle == selected_ && hasFocus();
    p.setPen(QPen(t.marsh, selected ? 1.8 : 1.0, Qt::DashLine));
    p.drawLine(QPointF(at.x(), r.top()), QPointF(at.x(), r.bottom()));
    // The gain from 0 dB as a solid bar, with a flat grip at its end.
    p.setPen(QPen(t.marsh, 3.0, Qt::SolidLine, Qt::FlatCap));
    p.drawLine(QPointF(at.x(), kGain.y(r, 0.0)), at);
    p.setPen(selected ? QPen(t.text, 1.5) : QPen(Qt::NoPen));
    p.setBrush(t.marsh);
    p.drawRoundedRect(QRectF(at.x() - 16, at.y() - 4, 32, 8), 3, 3);
    const double hz = frequencyOf(handle);
    const QString words = handle == Handle::body ? tr("body %1 Hz").arg(hz, 0, 'f', 0)
                                                 : tr("clarity %1 kHz").arg(hz / 1000.0, 0, 'f', 1);
    const double width = p.fontMetrics().horizontalAdvance(words) + 8;
    paintPlate(p, QRectF(std::clamp(at.x() - width / 2, r.left(), r.right() - width), r.top() + 2, width, 16),
               words);
}

}  // namespace reed::ui
