#include "widgets/strip_marker.h"

#include <QCoreApplication>
#include <QPainterPath>
#include <cmath>

namespace reed::ui {
namespace {

// Of different lightness, so that they differ for every kind of colour vision.
constexpr QRgb kDusk[kStripColours] = {0xffe0bb73, 0xff6f9fd8, 0xffd88fb2, 0xff8fd0b4,
                                       0xffd8794a, 0xffb3a1f0, 0xffdcdc86, 0xff8fa0a8};
constexpr QRgb kDawn[kStripColours] = {0xff8a6412, 0xff2a5f9e, 0xff9c3f6f, 0xff2c7a58,
                                       0xffa84a14, 0xff5a45a8, 0xff6d6d10, 0xff4d5d66};

QPolygonF corners(const QRectF& r, int n, double turn) {
    QPolygonF out;
    for (int i = 0; i < n; ++i) {
        const double a = turn + 2.0 * M_PI * i / n;
        out << QPointF(r.center().x() + 0.5 * r.width() * std::sin(a),
                       r.center().y() - 0.5 * r.height() * std::cos(a));
    }
    return out;
}

}  // namespace

QColor stripColour(int which) {
    const auto i = static_cast<size_t>(std::clamp(which, 0, kStripColours - 1));
    return QColor::fromRgba(theme().name == "dawn" ? kDawn[i] : kDusk[i]);
}

void drawStripMarker(QPainter& p, int which, const QRectF& r) {
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(stripColour(which));
    switch (which) {
        case 0:
            p.drawEllipse(r);
            break;
        case 1:
            p.drawRect(r.adjusted(1, 1, -1, -1));
            break;
        case 2:
            p.drawPolygon(corners(r, 3, 0.0));
            break;
        case 3:
            p.drawPolygon(corners(r, 4, 0.0));
            break;
        case 4:
            p.drawPolygon(corners(r, 3, M_PI));
            break;
        case 5:
            p.drawPolygon(corners(r, 6, 0.0));
            break;
        case 6: {
            p.setPen(QPen(stripColour(which), 2.4));
            p.setBrush(Qt::NoBrush);
            p.drawEllipse(r.adjusted(1.2, 1.2, -1.2, -1.2));
            break;
        }
        default: {
            const double third = r.width() / 3.0;
            p.drawRect(QRectF(r.left() + third, r.top(), third, r.height()));
            p.drawRect(QRectF(r.left(), r.top() + third, r.width(), third));
        }
    }
    p.restore();
}

QString stripColourName(int which) {
    static constexpr const char* kNames[] = {
        QT_TRANSLATE_NOOP("StripSign", "Straw, disc"),    QT_TRANSLATE_NOOP("StripSign", "Blue, square"),
        QT_TRANSLATE_NOOP("StripSign", "Rose, triangle"), QT_TRANSLATE_NOOP("StripSign", "Mint, diamond"),
        QT_TRANSLATE_NOOP("StripSign", "Rust, wedge"),    QT_TRANSLATE_NOOP("StripSign", "Lilac, hexagon"),
        QT_TRANSLATE_NOOP("StripSign", "Lime, ring"),     QT_TRANSLATE_NOOP("StripSign", "Slate, cross")};
    return QCoreApplication::translate("StripSign", kNames[std::clamp(which, 0, kStripColours - 1)]);
}

}  // namespace reed::ui
