#include "widgets/icon.h"

#include <QFile>
#include <QSvgRenderer>
#include <map>
#include <memory>

namespace reed::ui {

void drawIcon(QPainter& painter, const QString& name, const QRectF& where, const QColor& color) {
    static std::map<std::pair<QString, QRgb>, std::unique_ptr<QSvgRenderer>> cache;
    auto& renderer = cache[{name, color.rgb()}];
    if (!renderer) {
        QFile file(":/icons/" + name + ".svg");
        if (!file.open(QIODevice::ReadOnly)) return;
        QByteArray svg = file.readAll();
        svg.replace("currentColor", color.name().toUtf8());
        renderer = std::make_unique<QSvgRenderer>(svg);
    }
    renderer->render(&painter, where);
}

}  // namespace reed::ui
