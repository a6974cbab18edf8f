#include "deck/input_levels.h"

#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "measure/findings.h"
#include "model/strips/strip_model.h"
#include "theme/theme.h"
#include "widgets/level_axis.h"

namespace reed::ui {
namespace {
constexpr qint64 kClipsMs = 30000;   // how long a clip is shown
constexpr qint64 kOneClipMs = 1000;  // clips nearer than this are one mark
constexpr LevelAxis kAxis{-80.0, 0.0};
constexpr double kTop = 34.0, kBottom = 34.0;  // px: the verdict above, axis and range below
}  // namespace

InputLevels::InputLevels(StripModel& strip, QWidget* parent) : QWidget(parent), strip_(strip) {
    setObjectName("input_levels");
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setAccessibleName(tr("Levels of the input"));
    clock_.start();
    connect(&strip_, &StripModel::ticked, this, &InputLevels::updateLevels);
    connect(&strip_.input(), &InputController::inputChanged, this, &InputLevels::restart);
}

void InputLevels::restart() {
    clips_.clear();
    distribution_ = {};
    clipped_ = strip_.readings().clipped();
    seconds_ = 0.0;
    good_ = false;
    verdict_ = tr("No speech yet");  // the levels are still those of the input before
    update();
}

std::vector<int> InputLevels::clipAges() const {
    std::vector<int> out;
    for (auto c = clips_.rbegin(); c != clips_.rend(); ++c)
        out.push_back(static_cast<int>((clock_.elapsed() - *c) / 1000));
    return out;
}

void InputLevels::updateLevels() {
    seconds_ = strip_.levels().taps.empty() ? 0.0 : strip_.levels().seconds;
    const qint64 now = clock_.elapsed();
    // The count falls when old clips leave the window of the levels.
    const std::uint64_t clipped = strip_.readings().clipped();
    if (clipped > clipped_ && (clips_.empty() || now - clips_.back() > kOneClipMs)) clips_.push_back(now);
    clipped_ = clipped;
    while (!clips_.empty() && now - clips_.front() > kClipsMs) clips_.pop_front();
    if (++ticks_ % 6 != 0) return;
    judge();
    if (!isVisible()) return;
    distribution_ = strip_.readings().statistics().distribution(0);
    update();
}

/// By the finding that the sentence above shows, so that both say the same.
void InputLevels::judge() {
    const LevelReport& levels = strip_.levels();
    const bool known = !levels.taps.empty() && levels.seconds >= kJudgeAfter;
    const double peak = known ? levels.taps[0].peak : 0.0;
    good_ = false;
    if (strip_.liveStrip().role() == StripRole::programme && known && peak > kSilentPeak) {
        // How loud it is beside the voices is the balance's matter.
        verdict_ = tr("Peak %1 dBFS").arg(peak, 0, 'f', 0);
        setAccessibleDescription(verdict_);
        return;
    }
    const Finding finding = input_finding(levels, strip_.readings().clipped());
    if (finding.id == "digital_silence")
        verdict_ = tr("Silence");
    else if (finding.id == "source_clips" || finding.id == "too_hot")
        verdict_ = peak > kHotPeak ? tr("%1 dB too loud").arg(std::ceil(peak - kHotPeak)) : tr("Clipping");
    else if (finding.id == "low" || finding.id == "too_low")
        verdict_ = tr("%1 dB too quiet").arg(std::ceil(kLowPeak - peak));
    else if (finding.id == "near_noise")
        verdict_ = tr("%1 dB above noise").arg(std::round(levels.taps[0].voice - levels.taps[0].room));
    else if (finding.id == "level_right")
        verdict_ = tr("Level OK");
    else
        verdict_ = tr("No speech yet");
    good_ = finding.id == "level_right";
    setAccessibleDescription(verdict_);
}

void InputLevels::paintClips(QPainter& p, const QRectF& r) const {
    const Theme& t = theme();
    if (clips_.empty()) return;
    QStringList ages;
    for (const int age : clipAges()) {
        if (ages.size() == 3) break;
        ages << QString::number(age);
    }
    const QString words = tr("clipped %1 s ago").arg(ages.join(", "));
    const double width = p.fontMetrics().horizontalAdvance(words);
    p.setPen(t.ember);
    p.drawText(QRectF(r.right() - width - 14, r.top() + 2, width, 16), Qt::AlignRight | Qt::AlignVCenter,
               words);
    // A mark at full scale beside the words: not by colour alone.
    p.fillRect(QRectF(r.right() - 6, r.top(), 6, r.height()), t.ember);
}

void InputLevels::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(ui::font(26, true));
    p.setPen(good_ ? t.marsh : t.text);
    p.drawText(QRectF(0, 0, width(), kTop), Qt::AlignLeft | Qt::AlignVCenter, verdict_);
    const QRectF r(0, kTop + 4, width(), std::max(20.0, height() - kTop - kBottom - 4));
    p.fillRect(r, t.sunken);
    // The axis.
    p.setFont(ui::font(12));
    for (int db = -80; db <= 0; db += 20) {
        const double x = kAxis.x(r, db);
        p.setPen(QPen(t.line, 0.7));
        p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
        p.setPen(t.muted);
        const QRectF place(std::clamp(x - 20.0, r.left(), r.right() - 40.0), r.bottom() + 1, 40, 15);
        p.drawText(place,
                   (db == -80 ? Qt::AlignLeft
                    : db == 0 ? Qt::AlignRight
                              : Qt::AlignHCenter) |
                       Qt::AlignVCenter,
                   QString::number(db));
    }
    // Distributions on one scale.
    float most = 0.01f;
    for (const auto* shares : {&distribution_.room, &distribution_.voice})
        for (const float share : *shares) most = std::max(most, share);
    const auto hump = [&](const std::vector<float>& shares, const QColor& line, const QColor& fill) {
        if (shares.empty()) return;
        QPainterPath path(QPointF(r.left(), r.bottom()));
        for (size_t b = 0; b < shares.size(); ++b) {
            const double db = LevelDistribution::level_of(b);
            if (db < kAxis.lowest || db > kAxis.highest) continue;
            path.lineTo(kAxis.x(r, db),
                        r.bottom() - LevelDistribution::smoothed(shares, b) / most * 0.9 * r.height());
        }
        path.lineTo(r.right(), r.bottom());
        p.fillPath(path, fill);
        p.strokePath(path, QPen(line, 1.4));
    };
    hump(distribution_.room, t.room, t.roomFill);
    hump(distribution_.voice, t.straw, t.strawFill);
    const LevelReport& levels = strip_.levels();
    if (!levels.taps.empty() && levels.taps[0].peak > kAxis.lowest && seconds_ >= kJudgeAfter) {
        const double x = kAxis.x(r, levels.taps[0].peak);
        p.setPen(QPen(t.text, 1.2, Qt::DashLine));
        p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
        if (clips_.empty()) {
            const QString words = tr("peak %1").arg(levels.taps[0].peak, 0, 'f', 0);
            const double width = p.fontMetrics().horizontalAdvance(words);
            p.setPen(t.text);
            // Above the plot, so that it covers no hump.
            const double at = std::clamp(x - width / 2, r.left(), r.right() - width);
            p.drawText(QRectF(at, r.top() - 17, width, 16), Qt::AlignVCenter, words);
        }
    }
    paintClips(p, r);
    if (strip_.liveStrip().role() == StripRole::programme) return;
    // The range of the peaks, as a bracket below the axis.
    const double low = kAxis.x(r, kLowPeak), high = kAxis.x(r, kHotPeak), y = r.bottom() + 19;
    p.setPen(QPen(t.marsh, 1.6));
    p.drawLine(QPointF(low, y), QPointF(high, y));
    p.drawLine(QPointF(low, y - 3), QPointF(low, y + 3));
    p.drawLine(QPointF(high, y - 3), QPointF(high, y + 3));
    p.setPen(t.muted);
    p.drawText(QRectF(0, y - 9, low - 8, 18), Qt::AlignRight | Qt::AlignVCenter,
               tr("peaks of speech, %1 to %2 dBFS").arg(kLowPeak).arg(kHotPeak));
}

}  // namespace reed::ui
