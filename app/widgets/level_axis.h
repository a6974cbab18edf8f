// A scale of decibels along one side of a plot, shared by every view that has one.
#pragma once

#include <QPainter>
#include <QRectF>
#include <algorithm>

#include "theme/theme.h"

namespace reed::ui {

struct LevelAxis {
    double lowest = -80.0, highest = 0.0;  // dB

    /// Pixel row of a level in plot `r`, which ends at the scale's ends.
    double y(const QRectF& r, double db) const {
        return r.top() + (highest - std::clamp(db, lowest, highest)) / (highest - lowest) * r.height();
    }
    /// Pixel column, where the scale lies.
    double x(const QRectF& r, double db) const {
        return r.left() + (std::clamp(db, lowest, highest) - lowest) / (highest - lowest) * r.width();
    }
    /// The level at a row or a column, beyond the ends too.
    double atY(const QRectF& r, double row) const {
        return highest - (row - r.top()) / r.height() * (highest - lowest);
    }
    double atX(const QRectF& r, double column) const {
        return lowest + (column - r.left()) / r.width() * (highest - lowest);
    }
    /// Lines across `r` every `step` dB from `first` down, with their levels in the `room` pixels left of it.
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
