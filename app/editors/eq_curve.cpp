#include "editors/eq_curve.h"

#include <QKeyEvent>
#include <QMenu>
#include <QWheelEvent>
#include <cmath>

#include "editors/level_picture.h"
#include "model/strips/strip_model.h"
#include "stages/equalizer.h"
#include "widgets/frequency_axis.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"

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

EqCurve::EqCurve(StripModel& strip, const StageRef& stage, QWidget* parent)
    : QWidget(parent), strip_(strip), stage_(stage) {
    setObjectName("eq_curve");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("Equalizer curve"));
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setHint(this, tr("Drag a band; scroll to change Q; double-click to add one; Delete turns it off. Hold F "
                     "and move the mouse to find resonances; click to cut."));
    stage_.onChange(this, [this] { update(); });
    connect(&strip_, &StripModel::readingsChanged, this, &EqCurve::follow);
    setMouseTracking(true);
}

const std::vector<double>* EqCurve::values() const {
    const StageSpec* s = stage_.spec();
    return s != nullptr ? &s->values : nullptr;
}

QRectF EqCurve::plot() const {
    return QRectF(rect()).adjusted(36, 26, -34, -22);
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

double EqCurve::levelY(double dbfs) const {
    return levelOn(plot(), dbfs);
}

double EqCurve::levelAt(double y) const {
    const QRectF r = plot();
    return std::clamp((y - r.top()) / r.height(), 0.0, 1.0) * kLevelAxis;
}

QRectF EqCurve::candidateMark(const Resonance& r) const {
    return {xOf(r.frequency) - 9, plot().bottom() - 20, 18, 20};
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
    stage_.set(static_cast<size_t>(band * kBandParameters + parameter), value);
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
    stage_.setAll(next, label, QString("eq_drag_%1").arg(band));
}

void EqCurve::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    setFocus(Qt::MouseFocusReason);
    if (finding_) {
        if (plot().contains(event->position())) cutHere(frequencyAt(event->position().x()));
        return;
    }
    for (const auto& r : candidates_) {
        if (!candidateMark(r).contains(event->position())) continue;
        cutHere(r.frequency);
        return;
    }
    if (const auto mark = thresholdMark();
        mark && QRectF(mark->x() - 8, mark->y() - 8, 84, 16).contains(event->position())) {
        threshold_held_ = true;
        return;
    }
    const int b = bandAt(event->position());
    if (b < 0) return;
    chooseBand(b);
    drag_range_ = range();  // the scale stands still under the hand
    dragging_ = true;
}

void EqCurve::mouseMoveEvent(QMouseEvent* event) {
    mouse_ = event->position();
    if (threshold_held_)
        stage_.drag(static_cast<size_t>(band_ * kBandParameters + kBandThreshold),
                    std::clamp(levelAt(event->position().y()), row(kBandThreshold).minimum,
                               row(kBandThreshold).maximum));
    else if (dragging_)
        change(band_, frequencyAt(event->position().x()), gainAt(event->position().y()));
    else if (finding_ && plot().contains(event->position()))
        findAt(frequencyAt(event->position().x()));
    update();
}

void EqCurve::mouseReleaseEvent(QMouseEvent*) {
    if (!dragging_ && !threshold_held_) return;
    dragging_ = threshold_held_ = false;
    stage_.done();
    update();
}

void EqCurve::leaveEvent(QEvent*) {
    mouse_.reset();
    sweep_.restart();
    update();
}

void EqCurve::mouseDoubleClickEvent(QMouseEvent* event) {
    dragging_ = false;
    if (finding_ || values() == nullptr || bandAt(event->position()) >= 0 ||
        !plot().contains(event->position()))
        return;
    addBell(frequencyAt(event->position().x()), gainAt(event->position().y()), 1.0,
            tr("Equalizer: add band %1"));
}

bool EqCurve::addBell(double frequency, double gain, double q, const QString& label) {
    const auto* v = values();
    for (int b = 0; v != nullptr && b < kEqualizerBands; ++b) {
        if ((*v)[static_cast<size_t>(b * kBandParameters + kBandOn)] >= 0.5) continue;
        std::vector<double> next = *v;
        double* r = &next[static_cast<size_t>(b * kBandParameters)];
        r[kBandOn] = 1.0;
        r[kBandType] = static_cast<double>(FilterType::bell);
        r[kBandFrequency] = round_value(row(kBandFrequency), frequency);
        r[kBandGain] = round_value(row(kBandGain), gain);
        r[kBandQ] = q;
        stage_.setAll(next, label.arg(b + 1), {});
        chooseBand(b);
        return true;
    }
    strip_.notices().warn(tr("All 16 bands are in use. Turn one off first."));
    return false;
}

void EqCurve::wheelEvent(QWheelEvent* event) {
    event->accept();
    if (finding_) {
        cut_depth_ = std::clamp(cut_depth_ + 0.5 * wheelNotches(*event), 1.0, 15.0);
        update();
        return;
    }
    const int over = bandAt(event->position());
    if (over >= 0) chooseBand(over);
    const auto* v = values();
    if (v == nullptr) return;
    const double q = (*v)[static_cast<size_t>(band_ * kBandParameters + kBandQ)];
    setBand(band_, kBandQ,
            step_value(row(kBandQ), q, wheelNotches(*event), event->modifiers() & Qt::ShiftModifier));
}

// --- finding a resonance ---

void EqCurve::setFinding(bool on) {
    if (on == finding_ || (on && values() == nullptr)) return;
    finding_ = on;
    sweep_.start();
    if (on) {
        find_stage_ = stage_.id();
        find_frequency_ = mouse_ && plot().contains(*mouse_) ? frequencyAt(mouse_->x()) : find_frequency_;
        findAt(find_frequency_);
    } else if (strip_.chainModel().stage(find_stage_) != nullptr) {
        strip_.chainModel().setValue(find_stage_, kFindOn, 0.0);  // another one may be in focus by now
    }
    emit findingChanged(on);
    update();
}

void EqCurve::findAt(double frequency) {
    const auto* v = values();
    if (v == nullptr) return;
    find_frequency_ = round_value(row(kBandFrequency), std::clamp(frequency, 40.0, 16000.0));
    std::vector<double> next = *v;
    next[kFindOn] = 1.0;
    next[kFindFrequency] = find_frequency_;
    stage_.setAll(next, {}, {});
}

void EqCurve::cutHere(double frequency) {
    const double depth = cut_depth_;
    setFinding(false);
    // A little wider than it was found with, as a cut is heard less than a boost.
    constexpr double kCutQ = 4.0;
    addBell(frequency, -depth, kCutQ,
            tr("Equalizer: cut %1 by %2 dB, band %3")
                .arg(QString::fromStdString(
                    format_value(row(kBandFrequency), round_value(row(kBandFrequency), frequency))))
                .arg(depth, 0, 'f', 1)
                .arg("%1"));
}

void EqCurve::follow() {
    if (!isVisible()) return;
    strip_.spectrum().keepAlive();
    watchBands();
    if (finding_ && !mouse_) {
        // By itself: from 120 Hz to 8 kHz in twelve seconds, and again.
        constexpr double kSeconds = 12.0;
        const double t = std::fmod(0.001 * static_cast<double>(sweep_.elapsed()), kSeconds) / kSeconds;
        findAt(120.0 * std::pow(8000.0 / 120.0, t));
    }
    if (++ticks_ % 33 == 0) {
        const ResonanceFinder* finder = strip_.spectrum().resonances();
        candidates_ = finder != nullptr ? finder->find() : std::vector<Resonance>{};
    }
    // Averaged over half a second, it need not be drawn more than 15 times in one.
    if (strip_.spectrum().fresh() && ticks_ % 2 == 0) update();
}

void EqCurve::hideEvent(QHideEvent*) {
    setFinding(false);
}

void EqCurve::contextMenuEvent(QContextMenuEvent* event) {
    auto* menu = new QMenu(this);
    menu->setObjectName("curve_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(finding_ ? tr("Stop sweep") : tr("Find a resonance\tF"), this,
                    [this] { setFinding(!finding_); });
    menu->addAction(tr("Reset peak hold"), this, [this] { strip_.spectrum().restartHold(); });
    menu->popup(event->globalPos());
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
        case Qt::Key_F:
            if (event->isAutoRepeat()) return;
            find_key_ = !finding_;  // held: ends with the key
            setFinding(!finding_);
            return;
        case Qt::Key_Escape:
            if (!finding_) break;
            setFinding(false);
            return;
        case Qt::Key_Return:
        case Qt::Key_Enter:
            if (!finding_) break;
            cutHere(find_frequency_);
            return;
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
            break;
    }
    QWidget::keyPressEvent(event);
}

void EqCurve::keyReleaseEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_F && !event->isAutoRepeat() && find_key_) {
        find_key_ = false;
        setFinding(false);
        return;
    }
    QWidget::keyReleaseEvent(event);
}

}  // namespace reed::ui
