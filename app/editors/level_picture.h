// Draws level distributions beside a threshold.
#pragma once

#include <QPainter>
#include <QRectF>

#include "model/chain/level_histogram.h"
#include "theme/theme.h"

namespace reed::ui {

constexpr double kReadingsPerSecond = 33.0;
constexpr double kLevelAxis = -100.0;  ///< dBFS at the bottom of a plot; 0 at its top

inline double levelOn(const QRectF& plot, double dbfs) {
    return plot.top() + std::clamp(dbfs / kLevelAxis, 0.0, 1.0) * plot.height();
}

/// Draws a histogram as bars from `x` to one side (`width` of the most frequent level, of either sign).
/// Levels at which the stage acts (`acts(level)`) have another colour; the current level is marked.
template <typename Acts>
void paintLevels(QPainter& p, const QRectF& plot, const LevelHistogram& watch, double x, double width,
                 Acts acts) {
    const Theme& t = theme();
    if (watch.heard > kReadingsPerSecond) {
        // Three bins at a time, so that the outline is smooth.
        const auto share = [&watch](int i) {
            double sum = 0.0;
            for (int k = std::max(0, i - 1); k <= std::min(LevelHistogram::kBins - 1, i + 1); ++k)
                sum += watch.share(k);
            return sum;
        };
        double most = 0.0;
        for (int i = 0; i < LevelHistogram::kBins; ++i) most = std::max(most, share(i));
        const double height = plot.height() / LevelHistogram::kBins;
        QColor idle = t.room;
        QColor busy = t.marsh;
        idle.setAlpha(120);
        busy.setAlpha(150);
        for (int i = 0; i < LevelHistogram::kBins; ++i) {
            const double level = i + 1.0 - LevelHistogram::kBins;
            const double w = width * share(i) / most;
            if (std::abs(w) < 0.5) continue;
            p.fillRect(QRectF(std::min(x, x + w), levelOn(plot, level), std::abs(w), height),
                       acts(level - 0.5) ? busy : idle);
        }
    }
    if (watch.level > kLevelAxis) {
        p.setPen(QPen(t.now, 2.0));
        const double y = levelOn(plot, watch.level);
        p.drawLine(QPointF(x, y), QPointF(x + width, y));
    }
}

/// Draws text on a background of its own, so that it is readable over a plot.
inline void paintPlate(QPainter& p, const QRectF& box, const QString& words) {
    QColor plate = theme().raised;
    plate.setAlpha(225);
    p.setPen(Qt::NoPen);
    p.setBrush(plate);
    p.drawRoundedRect(box, 4, 4);
    p.setPen(theme().text);
    p.drawText(box, Qt::AlignCenter, words);
}

}  // namespace reed::ui
