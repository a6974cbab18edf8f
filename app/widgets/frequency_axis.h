// A logarithmic frequency axis for plots.
#pragma once

#include <QPainter>
#include <QRectF>
#include <algorithm>
#include <cmath>

#include "theme/theme.h"

namespace reed::ui {

struct FrequencyAxis {
    double lowest = 20.0, highest = 20000.0;  // Hz

    double x(const QRectF& r, double frequency) const {
        return r.left() + std::log(frequency / lowest) / std::log(highest / lowest) * r.width();
    }
    double frequency(const QRectF& r, double x) const {
        return lowest * std::pow(highest / lowest, std::clamp((x - r.left()) / r.width(), 0.0, 1.0));
    }
    /// Grid lines with their frequencies below `r`.
    void paint(QPainter& p, const QRectF& r) const {
        const Theme& t = theme();
        struct Tick {
            double f;
            const char* label;
        };
        p.setFont(ui::font(12));
        for (const Tick& tick :
             {Tick{20, "20"}, Tick{50, "50"}, Tick{100, "100"}, Tick{200, "200"}, Tick{500, "500"},
              Tick{1000, "1k"}, Tick{2000, "2k"}, Tick{5000, "5k"}, Tick{10000, "10k"}}) {
            if (tick.f < 1.2 * lowest || tick.f > highest) continue;
            // Narrow plots show fewer labels.
            if (r.width() < 340 &&
                (tick.f == 50 || tick.f == 200 || tick.f == 500 || tick.f == 2000 || tick.f == 5000))
                continue;
            const double at = x(r, tick.f);
            p.setPen(QPen(t.line, 0.7));
            p.drawLine(QPointF(at, r.top()), QPointF(at, r.bottom()));
            p.setPen(t.muted);
            if (at > r.right() - 40) continue;  // space of "Hz"
            p.drawText(QRectF(at - 20, r.bottom() + 3, 40, 16), Qt::AlignCenter, tick.label);
        }
        p.drawText(QRectF(r.right() - 26, r.bottom() + 3, 30, 16), Qt::AlignRight | Qt::AlignVCenter,
                   QStringLiteral("Hz"));
    }
};

}  // namespace reed::ui
