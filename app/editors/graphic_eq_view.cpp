#include "editors/graphic_eq_view.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QPainter>
#include <QPainterPath>
#include <QWheelEvent>
#include <cmath>

#include "editors/spectrum_view.h"
#include "model/strips/strip_model.h"
#include "stages/equalizer.h"
#include "theme/theme.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {

constexpr Parameter kSlider =
    parameter::number("octave", "Octave", Unit::decibel, -kOctaveRange, kOctaveRange, 0.0, Scale::linear,
                      "Boosts or cuts one octave.");

}  // namespace

GraphicEqView::GraphicEqView(StripModel& strip, const StageRef& stage, QWidget* parent)
    : QWidget(parent), strip_(strip), stage_(stage) {
    setObjectName("octave_view");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setHint(this, tr("Drag a slider; double click puts it to 0 dB; type a number to set it."));
    stage_.onChange(this, [this] { refresh(); });
    connect(&strip_, &StripModel::readingsChanged, this, [this] {
        if (!isVisible()) return;
        strip_.spectrum().keepAlive();
        if (strip_.spectrum().fresh() && ++ticks_ % 2 == 0) update();
    });
    refresh();
}

void GraphicEqView::describe() {
    setAccessibleName(tr("Octave %1 Hz").arg(octave_name(chosen_)));
    setAccessibleDescription(tr("%1 dB").arg(sliders_[static_cast<size_t>(chosen_)], 0, 'f', 1));
}

void GraphicEqView::refresh() {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    const auto read = graphic_eq_gains(s->values, strip_.engine().format().sample_rate);
    usable_ = read.has_value();
    sliders_ = read.value_or(sliders_);
    describe();
    update();
}

QRectF GraphicEqView::plot() const {
    return QRectF(rect()).adjusted(36, 26, -12, -24);
}

double GraphicEqView::yOf(double db) const {
    const QRectF r = plot();
    return r.center().y() - db / kOctaveRange * r.height() / 2.0;
}

QPointF GraphicEqView::knob(int i) const {
    const QRectF r = plot();
    return {r.left() + (i + 0.5) / kOctaves * r.width(), yOf(sliders_[static_cast<size_t>(i)])};
}

double GraphicEqView::xOf(double frequency) const {
    const QRectF r = plot();
    const double column = std::log10(frequency / octave_frequency(0)) / 0.3;
    return r.left() + (column + 0.5) / kOctaves * r.width();
}

void GraphicEqView::paintSpectrum(QPainter& p) const {
    const SpectrumMeter* meter = strip_.spectrum().before();
    if (meter == nullptr || meter->frames() == 0) return;
    const QRectF r = plot();
    const auto frequencyAt = [&r](double x) {
        return octave_frequency(0) * std::pow(10.0, 0.3 * ((x - r.left()) / r.width() * kOctaves - 0.5));
    };
    QColor fill = theme().roomFill;
    fill.setAlpha(90);
    p.fillPath(spectrumPath(*meter, r, frequencyAt, true), fill);
}

int GraphicEqView::columnAt(double x) const {
    const QRectF r = plot();
    return std::clamp(static_cast<int>((x - r.left()) / r.width() * kOctaves), 0, kOctaves - 1);
}

void GraphicEqView::move(int slider, double db) {
    const StageSpec* s = stage_.spec();
    if (s == nullptr || !usable_) return;
    GraphicEqGains wanted = sliders_;
    // Shows the set value to 0.1 dB; rounding keeps small errors from adding up.
    for (auto& w : wanted) w = std::round(w * 10.0) / 10.0;
    wanted[static_cast<size_t>(slider)] = round_value(kSlider, std::clamp(db, -kOctaveRange, kOctaveRange));
    std::vector<double> values = s->values;
    set_graphic_eq(values, wanted, strip_.engine().format().sample_rate);
    stage_.setAll(values,
                  tr("Equalizer: %1 Hz octave %2 dB")
                      .arg(octave_name(slider))
                      .arg(wanted[static_cast<size_t>(slider)], 0, 'f', 1),
                  QString("octave_%1").arg(slider));
}

void GraphicEqView::reset() {
    const StageSpec* s = stage_.spec();
    if (s == nullptr || !usable_) return;
    std::vector<double> values = s->values;
    set_graphic_eq(values, GraphicEqGains{}, strip_.engine().format().sample_rate);
    stage_.setAll(values, tr("%1: graphic EQ at 0 dB").arg(QString::fromStdString(s->shown_title())),
                  "octaves_reset");
    stage_.done();
}

void GraphicEqView::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    setFocus(Qt::MouseFocusReason);
    chosen_ = columnAt(event->position().x());
    dragging_ = true;
    describe();
    update();
}

void GraphicEqView::mouseMoveEvent(QMouseEvent* event) {
    if (!dragging_) return;
    const QRectF r = plot();
    move(chosen_, (r.center().y() - event->position().y()) / (r.height() / 2.0) * kOctaveRange);
}

void GraphicEqView::mouseReleaseEvent(QMouseEvent*) {
    dragging_ = false;
    stage_.done();
}

void GraphicEqView::mouseDoubleClickEvent(QMouseEvent* event) {
    move(columnAt(event->position().x()), 0.0);
}

void GraphicEqView::wheelEvent(QWheelEvent* event) {
    chosen_ = columnAt(event->position().x());
    const bool fine = event->modifiers() & Qt::ShiftModifier;
    move(chosen_, step_value(kSlider, sliders_[static_cast<size_t>(chosen_)], wheelNotches(*event), fine));
    event->accept();
}

void GraphicEqView::keyPressEvent(QKeyEvent* event) {
    const bool fine = event->modifiers() & Qt::ShiftModifier;
    const double now = sliders_[static_cast<size_t>(chosen_)];
    switch (event->key()) {
        case Qt::Key_Left:
            chosen_ = std::max(0, chosen_ - 1);
            break;
        case Qt::Key_Right:
            chosen_ = std::min(kOctaves - 1, chosen_ + 1);
            break;
        case Qt::Key_Up:
            move(chosen_, step_value(kSlider, now, 1.0, fine));
            break;
        case Qt::Key_Down:
            move(chosen_, step_value(kSlider, now, -1.0, fine));
            break;
        case Qt::Key_Backspace:
            move(chosen_, 0.0);
            break;
        default: {
            const QString typed = event->text();
            if (!typed.isEmpty() && (typed[0].isDigit() || QString("-+").contains(typed[0])) &&
                !(event->modifiers() & Qt::ControlModifier)) {
                openEditor(typed);
            } else {
                QWidget::keyPressEvent(event);
            }
            return;
        }
    }
    describe();
    update();
}

void GraphicEqView::openEditor(const QString& initial) {
    if (editor_ != nullptr) return;
    editor_ = new QLineEdit(initial, this);
    editor_->setObjectName("value_editor");
    editor_->setAccessibleName(accessibleName());
    editor_->setFont(ui::font(13));
    editor_->setGeometry(static_cast<int>(knob(chosen_).x()) - 26, 1, 52, 24);
    editor_->show();
    editor_->setFocus();
    connect(editor_, &QLineEdit::editingFinished, this, [this] {
        if (editor_ == nullptr) return;
        QLineEdit* closing = editor_;
        editor_ = nullptr;
        closing->setObjectName({});
        closing->deleteLater();
        const auto parsed = parse_value(kSlider, closing->text().toStdString());
        if (parsed.ok())
            move(chosen_, parsed.value());
        else
            strip_.notices().warn(QString::fromStdString(parsed.error().text()));
        stage_.done();
        setFocus();
    });
}

void GraphicEqView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    paintPlotGround(p, *this);
    const QRectF r = plot();
    p.setFont(ui::font(12));
    for (int db = -12; db <= 12; db += 6) {
        p.setPen(QPen(t.line, db == 0 ? 1.4 : 0.7));
        p.drawLine(QPointF(r.left(), yOf(db)), QPointF(r.right(), yOf(db)));
        p.setPen(t.muted);
        p.drawText(QRectF(0, yOf(db) - 8, 31, 16), Qt::AlignRight | Qt::AlignVCenter,
                   db > 0 ? QString("+%1").arg(db) : QString::number(db));
    }
    if (!usable_) {
        p.setFont(ui::font(14));
        p.setPen(t.text);
        p.drawText(r, Qt::AlignCenter | Qt::TextWordWrap,
                   tr("Bands 7 to 16 are in use on the curve. Turn them off there to use the graphic EQ."));
        return;
    }
    p.save();
    p.setClipRect(r);
    paintSpectrum(p);
    if (const StageSpec* s = stage_.spec(); s != nullptr) {
        const double rate = strip_.engine().format().sample_rate;
        const auto stroke = [&](const std::vector<double>& values, const QPen& pen) {
            QPainterPath curve;
            for (double c = -0.5; c <= kOctaves - 0.5; c += 0.1) {
                const double f = octave_frequency(0) * std::pow(10.0, 0.3 * c);
                const QPointF at(xOf(f), yOf(equalizer_response_db(values, f, rate)));
                curve.elementCount() == 0 ? curve.moveTo(at) : curve.lineTo(at);
            }
            p.strokePath(curve, pen);
        };
        // The ten bands alone pass through every slider; the others act as well.
        std::vector<double> only = s->values;
        bool others = false;
        for (int b = 0; b < kFirstOctaveBand; ++b) {
            double& on = only[static_cast<size_t>(b * kBandParameters + kBandOn)];
            others = others || on >= 0.5;
            on = 0.0;
        }
        if (others) stroke(only, QPen(t.marsh, 1.2, Qt::DashLine));
        stroke(s->values, QPen(t.straw, 2.0));
    }
    p.restore();
    for (int i = 0; i < kOctaves; ++i) {
        const QPointF at = knob(i);
        const bool chosen = i == chosen_;
        p.setPen(QPen(t.marsh, 3.0));
        p.drawLine(QPointF(at.x(), yOf(0.0)), at);
        p.setPen(QPen(chosen ? t.marsh : t.straw, chosen ? 2.0 : 1.2));
        p.setBrush(chosen ? t.chosen : t.panel);
        p.drawRoundedRect(QRectF(at.x() - 11, at.y() - 5, 22, 10), 3, 3);
        p.setFont(ui::font(12, chosen));
        p.setPen(chosen ? t.text : t.muted);
        // Its value beside it, inside the plot.
        const QRectF beside(at.x() + 14, std::clamp(at.y() - 8, r.top(), r.bottom() - 16), 40, 16);
        p.drawText(beside, Qt::AlignLeft | Qt::AlignVCenter,
                   QString::fromStdString(format_value_bare(kSlider, sliders_[static_cast<size_t>(i)])));
        p.drawText(QRectF(at.x() - 24, r.bottom() + 4, 48, 16), Qt::AlignCenter, octave_name(i));
    }
    p.setFont(ui::font(12));
    p.setPen(t.muted);
    p.drawText(QRectF(2, 6, 30, 16), Qt::AlignRight | Qt::AlignVCenter, tr("dB"));
    p.drawText(QRectF(2, r.bottom() + 4, 30, 16), Qt::AlignRight | Qt::AlignVCenter, tr("Hz"));
}

}  // namespace reed::ui
