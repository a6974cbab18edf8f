#include "editors/pitch_view.h"

#include <QKeyEvent>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "model/strips/strip_model.h"
#include "stages/pitch.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {

constexpr double kSeconds = 10.0;
constexpr double kLowest = 31.0, kHighest = 79.0;  // notes: 49 to 784 Hz, four octaves
constexpr double kSettles = 0.3;                   // s, until a change has come through
constexpr size_t kFew = 15;                        // moments with a pitch; fewer are not representative
constexpr double kInTune = 0.15, kOffTune = 0.25;  // semitones; our choice

double median(std::vector<double> all) {
    const auto middle = all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2);
    std::nth_element(all.begin(), middle, all.end());
    return *middle;
}

}  // namespace

PitchView::PitchView(StripModel& strip, const StageRef& stage, QWidget* parent)
    : QWidget(parent), strip_(strip), stage_(stage) {
    setObjectName("pitch_view");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("Pitch of the voice over the last ten seconds"));
    setFocusPolicy(Qt::StrongFocus);
    setCursor(Qt::SizeVerCursor);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setHint(this, tr("Drag up or down to change the pitch. Double-click to reset."));
    stage_.onChange(this, [this] {
        // The statistics describe the current settings only.
        told_from_ = course_.empty() ? 0.0 : course_.back().time + kSettles;
        update();
    });
    connect(&strip_, &StripModel::readingsChanged, this, &PitchView::follow);
}

void PitchView::follow() {
    const StageSpec* s = stage_.spec();
    if (!isVisible() || s == nullptr) return;
    // The sound's own time: without sound nothing moves.
    const auto& frames = strip_.readings().statistics().frames(0);
    const double now = frames.empty() ? 0.0 : 0.01 * static_cast<double>(frames.back().index);
    if (!course_.empty() && now == course_.back().time) return;
    if (!course_.empty() && now < course_.back().time) {
        // Another input.
        course_.clear();
        told_from_ = 0.0;
    }
    const auto all = strip_.engine().chain().readouts(*s);
    const auto note = [&all](size_t which) {
        const double hertz = which < all.size() ? static_cast<double>(all[which]) : 0.0;
        return hertz > 0.0 ? note_of(hertz) : 0.0;
    };
    course_.push_back({now, note(kPitchNow), note(kPitchGoesTo)});
    while (course_.front().time < now - kSeconds) course_.pop_front();
    update();
}

QString PitchView::words() const {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return {};
    std::vector<double> comes, leaves, off_before, off_after;
    for (const Moment& m : course_) {
        if (m.comes == 0.0 || m.time < told_from_) continue;
        comes.push_back(m.comes);
        leaves.push_back(m.leaves);
        // The voice is held against the scale where it is moved to.
        off_before.push_back(std::abs(way_to_scale(s->values, m.comes + s->values[kPitchShift])));
        off_after.push_back(std::abs(way_to_scale(s->values, m.leaves)));
    }
    if (comes.size() < kFew) return tr("Listening for speech…");
    const auto hertz = [](double note) { return QString::number(std::round(frequency_of_note(note))); };
    QString out = tr("Your voice is at about %1 Hz, the output at %2 Hz.")
                      .arg(hertz(median(comes)), hertz(median(leaves)));
    if (s->values[kPitchSnap] == 0.0) return out;
    const double before = median(off_before), after = median(off_after);
    const auto cents = [](double semitones) { return QString::number(std::round(100.0 * semitones)); };
    out += ' ' + tr("%1 cents off before, %2 cents off after correction.").arg(cents(before), cents(after));
    if (after > kOffTune && s->values[kPitchSnap] < 100.0)
        out += ' ' + tr("Raise the pitch correction for less.");
    else if (after > kOffTune)
        out += ' ' + tr("A shorter glide brings it nearer.");
    else if (after < kInTune)
        out += ' ' + tr("In tune.");
    return out;
}

QRectF PitchView::plot() const {
    return QRectF(rect()).adjusted(34, 22, -34, -22);
}

double PitchView::y(const QRectF& r, double note) const {
    return r.bottom() - (note - kLowest) / (kHighest - kLowest) * r.height();
}

void PitchView::mousePressEvent(QMouseEvent* event) {
    const StageSpec* s = stage_.spec();
    if (event->button() != Qt::LeftButton || s == nullptr) return;
    setFocus(Qt::MouseFocusReason);
    held_ = true;
    pressed_at_ = event->position().y();
    pressed_shift_ = s->values[kPitchShift];
}

void PitchView::mouseMoveEvent(QMouseEvent* event) {
    if (!held_) return;
    const double semitone = plot().height() / (kHighest - kLowest);
    const double moved = (pressed_at_ - event->position().y()) / semitone;
    stage_.drag(kPitchShift, pressed_shift_ + (event->modifiers() & Qt::ShiftModifier ? 0.1 : 1.0) * moved);
}

void PitchView::mouseReleaseEvent(QMouseEvent*) {
    if (held_) stage_.done();
    held_ = false;
}

void PitchView::mouseDoubleClickEvent(QMouseEvent*) {
    stage_.set(kPitchShift, 0.0);
    stage_.done();
}

void PitchView::wheelEvent(QWheelEvent* event) {
    event->accept();
    stage_.turn(kPitchShift, wheelNotches(*event), event->modifiers() & Qt::ShiftModifier);
}

void PitchView::keyPressEvent(QKeyEvent* event) {
    const bool up = event->key() == Qt::Key_Up || event->key() == Qt::Key_Right;
    const bool down = event->key() == Qt::Key_Down || event->key() == Qt::Key_Left;
    if (!up && !down) return QWidget::keyPressEvent(event);
    stage_.turn(kPitchShift, up ? 1.0 : -1.0, event->modifiers() & Qt::ShiftModifier);
}

void PitchView::paintGround(QPainter& layer, const StageSpec& s) const {
    const Theme& t = theme();
    paintPlotGround(layer, *this);
    const QRectF r = plot();
    layer.setFont(ui::font(12));
    const bool snaps = s.values[kPitchSnap] > 0.0;
    const int root = static_cast<int>(s.values[kPitchRoot]);
    for (int note = static_cast<int>(kLowest); snaps && note <= static_cast<int>(kHighest); ++note) {
        if (!scale_has(s.values, note)) continue;
        const bool is_root = (note - root) % 12 == 0;
        layer.setPen(QPen(t.line, is_root ? 1.6 : 0.7));
        layer.drawLine(QPointF(r.left(), y(r, note)), QPointF(r.right(), y(r, note)));
        if (!is_root) continue;
        layer.setPen(t.muted);
        const QString name =
            text(s.stage_kind().parameters[kPitchRoot].choices[static_cast<size_t>(root)].title);
        layer.drawText(QRectF(r.right() + 2, y(r, note) - 8, 32, 16), Qt::AlignLeft | Qt::AlignVCenter,
                       name.left(1) + (name.size() > 1 ? "♯" : ""));
    }
    for (const int hertz : {50, 100, 200, 400}) {
        const double at = y(r, note_of(hertz));
        if (!snaps) {
            layer.setPen(QPen(t.line, 0.7));
            layer.drawLine(QPointF(r.left(), at), QPointF(r.right(), at));
        }
        layer.setPen(t.muted);
        layer.drawText(QRectF(0, at - 8, 29, 16), Qt::AlignRight | Qt::AlignVCenter, QString::number(hertz));
    }
    layer.setPen(t.muted);
    layer.drawText(QRectF(0, 3, 29, 16), Qt::AlignRight | Qt::AlignVCenter, tr("Hz"));
    layer.drawText(QRectF(r.left(), r.bottom() + 3, 60, 16), Qt::AlignLeft | Qt::AlignVCenter, tr("-10 s"));
    layer.drawText(QRectF(r.right() - 60, r.bottom() + 3, 60, 16), Qt::AlignRight | Qt::AlignVCenter,
                   tr("now"));
    // What the lines are.
    double x = r.left();
    for (const auto& [colour, words] :
         {std::pair{t.room, tr("input pitch")}, {t.straw, tr("output pitch")}}) {
        layer.setPen(QPen(colour, 2.0));
        layer.drawLine(QPointF(x, 11), QPointF(x + 16, 11));
        layer.setPen(t.muted);
        const int width = layer.fontMetrics().horizontalAdvance(words);
        layer.drawText(QRectF(x + 21, 3, width + 4, 16), Qt::AlignLeft | Qt::AlignVCenter, words);
        x += 40 + width;
    }
}

void PitchView::paintCourse(QPainter& p, const QRectF& r, double Moment::*which) const {
    if (course_.empty()) return;
    const double now = course_.back().time;
    QPainterPath path;
    bool goes_on = false;
    double before = 0.0;
    for (const Moment& m : course_) {
        const double note = m.*which;
        // A leap of half an octave is another word, no slide.
        const bool joins = goes_on && std::abs(note - before) < 6.0;
        goes_on = note != 0.0;
        before = note;
        if (!goes_on) continue;
        const QPointF at(r.right() - (now - m.time) / kSeconds * r.width(), y(r, note));
        joins ? path.lineTo(at) : path.moveTo(at);
        if (!joins) path.lineTo(at + QPointF(0.5, 0.0));
    }
    p.drawPath(path);
}

void PitchView::paintEvent(QPaintEvent*) {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    const Theme& t = theme();
    QPainter p(this);
    const QString key = QString("%1 %2 %3")
                            .arg(s->values[kPitchSnap] > 0.0)
                            .arg(s->values[kPitchScale])
                            .arg(s->values[kPitchRoot]);
    still_.paint(p, *this, key, [this, s](QPainter& layer) { paintGround(layer, *s); });
    const QRectF r = plot();
    p.setClipRect(r.adjusted(0, -2, 2, 2));
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(t.room, 1.6));
    paintCourse(p, r, &Moment::comes);
    if (s->bypass) return;
    p.setPen(QPen(t.straw, 2.2));
    paintCourse(p, r, &Moment::leaves);
}

}  // namespace reed::ui
