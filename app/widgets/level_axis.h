// A level axis in dB for plots.
#pragma once

#include <QPainter>
#include <QRectF>
#include <algorithm>

#include "theme/theme.h"

namespace reed::ui {

struct LevelAxis {
    double lowest = -80.0, highest = 0.0;  // dB

    /// Pixel row of a level in plot `r`, clamped to the axis.
    double y(const QRectF& r, double db) const {
        return r.top() + (highest - std::clamp(db, lowest, highest)) / (highest - lowest) * r.height();
    }
    /// Pixel column of a level on a horizontal axis.
    double x(const QRectF& r, double db) const {
        return r.left() + (std::clamp(db, lowest, highest) - lowest) / (highest - lowest) * r.width();
    }
    /// Level at a row or column, not clamped.
    double atY(const QRectF& r, double row) const {
        return highest - (row - r.top()) / r.height() * (highest - lowest);
    }
    double atX(const QRectF& r, double column) const {
        return lowest + (column - r.left()) / r.width() * (highest - lowest);
    }
    /// Draws grid lines across `r` every `step` dB from `first` down, with labels in the `room` pixels left
    /// of it.
    void paint(QPainter& p, const QRectF& r, int first, int step, double room) const {
        const Theme& t = theme();
        p.setFont(ui::font(12));
        for (int db = first; db >= lowest; db -= step) {
            const double at = y(r, db);
            p.setPen(QPen(t.line, 0.7));
            p.drawLine(QPointF(r.left(), at), QPointF(r.right(), at));
            p.setPen(t.muted);
            p.drawText(QRectF(0, at - 8, room, 16), Qt::AlignRight | Qt::AlignVCenter, QString::number(db));
        }
    }
};

}  // namespace reed::ui
