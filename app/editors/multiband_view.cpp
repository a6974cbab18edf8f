#include "editors/multiband_view.h"

#include <QKeyEvent>
#include <QPainterPath>
#include <cmath>

#include "dsp/gain_computer.h"
#include "editors/level_picture.h"
#include "model/strips/strip_model.h"
#include "widgets/frequency_axis.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {

constexpr FrequencyAxis kAxis;

const Parameter& row(size_t which) {
    return kMultibandStage.parameters[which];
}

}  // namespace

MultibandView::MultibandView(StripModel& strip, const StageRef& stage, QWidget* parent)
    : QWidget(parent), strip_(strip), stage_(stage) {
    setObjectName("range_view");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("Ranges of the multiband"));
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setHint(
        this,
        tr("Drag a threshold up and down, or where two ranges meet sideways; turn the wheel for the ratio"));
    stage_.onChange(this, [this] { update(); });
    connect(&strip_, &StripModel::readingsChanged, this, &MultibandView::follow);
}

const std::vector<double>* MultibandView::values() const {
    const StageSpec* s = stage_.spec();
    return s != nullptr ? &s->values : nullptr;
}

QRectF MultibandView::plot() const {
    return QRectF(rect()).adjusted(36, 26, -12, -22);
}

double MultibandView::levelY(double dbfs) const {
    return levelOn(plot(), dbfs);
}

double MultibandView::xOf(double frequency) const {
    return kAxis.x(plot(), frequency);
}

QRectF MultibandView::area(int range) const {
    const QRectF r = plot();
    const auto meets = crossover_frequencies(*values());
    const int count = range_count(*values());
    const double left = range == 0 ? r.left() : xOf(meets[static_cast<size_t>(range - 1)]);
    const double right = range == count - 1 ? r.right() : xOf(meets[static_cast<size_t>(range)]);
    return {left, r.top(), right - left, r.height()};
}

int MultibandView::rangeAt(double x) const {
    const int count = range_count(*values());
    for (int r = 0; r + 1 < count; ++r) {
        if (x < area(r).right()) return r;
    }
    return count - 1;
}

QPointF MultibandView::thresholdMark(int range) const {
    if (values() == nullptr) return {};
    return {area(range).center().x(), levelY((*values())[multiband_row(range, kRangeThreshold)])};
}

QPointF MultibandView::crossoverMark(int meeting) const {
    if (values() == nullptr) return {};
    return {xOf(crossover_frequencies(*values())[static_cast<size_t>(meeting)]), plot().bottom() - 12};
}

void MultibandView::choose(int range) {
    if (values() == nullptr) return;
    range = std::clamp(range, 0, range_count(*values()) - 1);
    if (range == range_) return;
    range_ = range;
    emit rangeChosen(range);
    update();
}

QString MultibandView::words() const {
    const auto* v = values();
    if (v == nullptr) return {};
    const LevelHistogram& w = watch(range_);
    if (w.heard < 3 * kReadingsPerSecond) return tr("Measuring this band…");
    const double threshold = (*v)[multiband_row(range_, kRangeThreshold)];
    if ((*v)[multiband_row(range_, kRangeRatio)] < 1.05) return tr("Off at a ratio of 1:1.");
    double over = 0.0;
    for (int i = 0; i < LevelHistogram::kBins; ++i) {
        if (i + 0.5 - LevelHistogram::kBins > threshold) over += w.share(i);
    }
    if (over < 0.01)
        return tr("No reduction: the band peaks at %1 dBFS. Lower the threshold.")
            .arg(w.quantile(0.98), 0, 'f', 0);
    if (over > 0.6) return tr("Reducing most of the time. Raise the threshold or lower the gain instead.");
    return tr("Reduction %1 dB, recent max %2 dB").arg(w.moved, 0, 'f', 1).arg(w.farthest, 0, 'f', 1);
}

void MultibandView::follow() {
    if (!isVisible()) return;
    strip_.spectrum().keepAlive();
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    range_ = std::min(range_, range_count(s->values) - 1);
    const auto told = strip_.engine().chain().readouts(*s);
    for (size_t r = 0; r < kMaxMultibandBands; ++r) {
        if (s->bypass || told.size() < 2 * kMaxMultibandBands ||
            static_cast<int>(r) >= range_count(s->values))
            watch_[r] = {};
        else
            watch_[r].add(static_cast<double>(told[2 * r]), static_cast<double>(told[2 * r + 1]),
                          1.0 / kReadingsPerSecond);
    }
    if (strip_.spectrum().fresh() && ++ticks_ % 2 == 0) update();
}

void MultibandView::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || values() == nullptr) return;
    setFocus(Qt::MouseFocusReason);
    const QPointF at = event->position();
    const int r = rangeAt(at.x());
    // The line of a threshold is nearer to the eye than where ranges meet.
    if (std::abs(at.y() - thresholdMark(r).y()) < 7) {
        choose(r);
        held_ = Held::threshold;
        return;
    }
    for (int m = 0; m + 1 < range_count(*values()); ++m) {
        if (std::abs(at.x() - crossoverMark(m).x()) > 7) continue;
        held_ = Held::meeting;
        meeting_ = m;
        return;
    }
    choose(r);
}

void MultibandView::mouseMoveEvent(QMouseEvent* event) {
    if (held_ == Held::nothing || values() == nullptr) return;
    const QRectF r = plot();
    if (held_ == Held::threshold) {
        const Parameter& p = row(multiband_row(range_, kRangeThreshold));
        const double level = (event->position().y() - r.top()) / r.height() * kLevelAxis;
        stage_.drag(multiband_row(range_, kRangeThreshold), std::clamp(level, p.minimum, p.maximum));
    } else {
        const auto which = static_cast<size_t>(kMeets1 + meeting_);
        const auto meets = crossover_frequencies(*values());
        // Not past its neighbours.
        const double least =
            meeting_ == 0 ? row(which).minimum : 1.26 * meets[static_cast<size_t>(meeting_ - 1)];
        const double most = meeting_ + 2 >= range_count(*values())
                                ? row(which).maximum
                                : meets[static_cast<size_t>(meeting_ + 1)] / 1.26;
        const double f = kAxis.frequency(r, event->position().x());
        stage_.drag(which, std::clamp(f, least, std::max(least, most)));
    }
}

void MultibandView::mouseReleaseEvent(QMouseEvent*) {
    if (held_ != Held::nothing) stage_.done();
    held_ = Held::nothing;
}

void MultibandView::wheelEvent(QWheelEvent* event) {
    event->accept();
    if (values() == nullptr) return;
    choose(rangeAt(event->position().x()));
    stage_.turn(multiband_row(range_, kRangeRatio), wheelNotches(*event),
                event->modifiers() & Qt::ShiftModifier);
}

void MultibandView::keyPressEvent(QKeyEvent* event) {
    const bool fine = event->modifiers() & Qt::ShiftModifier;
    switch (event->key()) {
        case Qt::Key_Left:
            return choose(range_ - 1);
        case Qt::Key_Right:
            return choose(range_ + 1);
        case Qt::Key_Up:
            return stage_.turn(multiband_row(range_, kRangeThreshold), 1.0, fine);
        case Qt::Key_Down:
            return stage_.turn(multiband_row(range_, kRangeThreshold), -1.0, fine);
        default:
            QWidget::keyPressEvent(event);
    }
}

void MultibandView::paintSpectrum(QPainter& p) const {
    const SpectrumMeter* before = strip_.spectrum().before();
    if (before == nullptr || before->frames() == 0) return;
    const QRectF r = plot();
    QPainterPath path;
    path.moveTo(r.left(), r.bottom());
    for (double x = r.left(); x <= r.right(); x += 3.0)
        path.lineTo(x, levelY(before->level(kAxis.frequency(r, x), 1.0 / 6.0, SpectrumWidth::octave_share)));
    path.lineTo(r.right(), r.bottom());
    QColor fill = theme().roomFill;
    fill.setAlpha(70);
    p.fillPath(path, fill);
}

void MultibandView::paintRange(QPainter& p, int range) const {
    const Theme& t = theme();
    const QRectF a = area(range);
    const LevelHistogram& w = watch(range);
    const auto* v = values();
    const double threshold = (*v)[multiband_row(range, kRangeThreshold)];
    const auto knee = static_cast<float>((*v)[kRangeKnee]);
    if (range == range_) {
        QColor chosen = t.chosen;
        chosen.setAlpha(110);
        p.fillRect(a, chosen);
    }
    paintLevels(p, plot(), w, a.left() + 1, std::min(60.0, 0.4 * a.width()), [&](double level) {
        return knee_overshoot(static_cast<float>(level), static_cast<float>(threshold), knee) > 0.05f;
    });
    // What is taken hangs from the top: now filled, and as a line what it was lately.
    const double middle = a.center().x();
    const double px = plot().height() / -kLevelAxis;
    p.fillRect(QRectF(middle - 9, a.top(), 18, px * w.moved), t.straw);
    if (w.farthest > 0.1) {
        p.setPen(QPen(t.straw, 1.5));
        p.drawLine(QPointF(middle - 12, a.top() + px * w.farthest),
                   QPointF(middle + 12, a.top() + px * w.farthest));
        p.setFont(ui::font(12));
        p.setPen(t.text);
        p.drawText(QRectF(middle - 30, a.top() + px * w.farthest + 1, 60, 16), Qt::AlignCenter,
                   QString("-%1 dB").arg(w.farthest, 0, 'f', 1));
    }
    const bool held = (*v)[multiband_row(range, kRangeRatio)] >= 1.05;
    const double y = levelY(threshold);
    p.setPen(
        QPen(held ? t.marsh : t.muted, range == range_ ? 2.2 : 1.4, held ? Qt::SolidLine : Qt::DashLine));
    p.drawLine(QPointF(a.left() + 1, y), QPointF(a.right() - 1, y));
    p.setFont(ui::font(12));
    const QString label = tr("above %1").arg(threshold, 0, 'f', 0);
    const double width = p.fontMetrics().horizontalAdvance(label) + 8;
    if (width + 6 < a.width()) paintPlate(p, QRectF(a.right() - width - 4, y + 3, width, 16), label);
}

void MultibandView::paintMeetings(QPainter& p) const {
    const Theme& t = theme();
    const QRectF r = plot();
    p.setFont(ui::font(12));
    for (int m = 0; m + 1 < range_count(*values()); ++m) {
        const QPointF at = crossoverMark(m);
        p.setPen(QPen(t.straw, 1.4));
        p.drawLine(QPointF(at.x(), r.top()), QPointF(at.x(), r.bottom()));
        p.setBrush(t.panel);
        p.drawRoundedRect(QRectF(at.x() - 5, at.y() - 8, 10, 16), 3, 3);
    }
    for (int i = 0; i < range_count(*values()); ++i) {
        const QRectF a = area(i);
        p.setPen(i == range_ ? t.text : t.muted);
        p.drawText(QRectF(a.left(), 4, a.width(), 18), Qt::AlignCenter, QString::number(i + 1));
    }
}

void MultibandView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    still_.paint(p, *this, {}, [this](QPainter& layer) {
        paintPlotGround(layer, *this);
        const QRectF r = plot();
        layer.setFont(ui::font(12));
        for (int level = 0; level >= -80; level -= 20) {
            layer.setPen(QPen(theme().line, 0.7));
            layer.drawLine(QPointF(r.left(), levelY(level)), QPointF(r.right(), levelY(level)));
            layer.setPen(theme().muted);
            layer.drawText(QRectF(0, levelY(level) - 8, 31, 16), Qt::AlignRight | Qt::AlignVCenter,
                           QString::number(level));
        }
        kAxis.paint(layer, r);
        layer.drawText(QRectF(0, 4, 33, 16), Qt::AlignRight | Qt::AlignVCenter, tr("dBFS"));
    });
    if (values() == nullptr) return;
    p.save();
    p.setClipRect(plot());
    paintSpectrum(p);
    for (int i = 0; i < range_count(*values()); ++i) paintRange(p, i);
    p.restore();
    paintMeetings(p);
}

}  // namespace reed::ui
