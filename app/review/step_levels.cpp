#include "review/step_levels.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "measure/findings.h"
#include "theme/theme.h"
#include "widgets/level_axis.h"

namespace reed::ui {
namespace {
constexpr double kPerSecond = 10.0;
constexpr int kRoom = 36;  // px for the figures
}  // namespace

StepLevels::StepLevels(QWidget* parent) : QWidget(parent) {
    setObjectName("soundcheck_levels");
    setAccessibleName(tr("Level while recording"));
    setMinimumHeight(110);
}

void StepLevels::setStep(double seconds, std::optional<double> noise) {
    seconds_ = seconds;
    noise_ = noise;
    update();
}

void StepLevels::setLevels(const std::vector<float>& levels) {
    if (levels_ == levels) return;
    levels_ = levels;
    update();
}

void StepLevels::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF plot = QRectF(rect()).adjusted(kRoom, 8, -1, -22);
    p.fillRect(plot, t.sunken);
    const LevelAxis axis{-80.0, 0.0};
    axis.paint(p, plot, 0, 20, kRoom - 8);
    p.setFont(ui::font(12));
    p.setPen(t.muted);
    for (int s = 0; s <= static_cast<int>(seconds_); ++s) {
        const double x = plot.left() + s / seconds_ * plot.width();
        if (s % 2 == 0 || seconds_ <= 6.0)
            p.drawText(QRectF(x - 40, plot.bottom() + 4, s == static_cast<int>(seconds_) ? 40 : 80, 16),
                       (s == static_cast<int>(seconds_) ? Qt::AlignRight : Qt::AlignHCenter) | Qt::AlignTop,
                       tr("%1 s").arg(s));
    }
    const double step = plot.width() / (seconds_ * kPerSecond);
    for (size_t i = 0; i < levels_.size(); ++i) {
        const auto level = static_cast<double>(levels_[i]);
        const double y = axis.y(plot, level);
        p.fillRect(QRectF(plot.left() + static_cast<double>(i) * step + 1, y, std::max(1.0, step - 2),
                          plot.bottom() - y),
                   level > kHotPeak ? t.ember : t.straw);
    }
    // Above it a peak is near clipping.
    p.setPen(QPen(t.ember, 1.0, Qt::DashLine));
    const double hot = std::round(axis.y(plot, kHotPeak)) + 0.5;
    p.drawLine(QPointF(plot.left(), hot), QPointF(plot.right(), hot));
    p.setPen(t.muted);
    p.drawText(QRectF(plot.left(), hot - 18, plot.width() - 6, 16), Qt::AlignRight, tr("louder may clip"));
    if (noise_) {
        const double y = axis.y(plot, *noise_);
        p.setPen(QPen(t.room, 1.5));
        p.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y));
        p.setPen(t.text);
        p.drawText(QRectF(plot.left(), y - 18, plot.width() - 6, 16), Qt::AlignRight, tr("background noise"));
    }
}

}  // namespace reed::ui
