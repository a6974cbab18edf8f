// A small panel that opens over the window.
#pragma once

#include <QGridLayout>
#include <QPainter>
#include <QWidget>

#include "theme/theme.h"

namespace reed::ui {

/// Framed, in the theme's colours; a click beside it closes it, and closed it is gone.
class Panel : public QWidget {
    Q_OBJECT
  public:
    Panel(const QString& object_name, const QString& accessible_name, QWidget* parent)
        : QWidget(parent, Qt::Popup) {
        setObjectName(object_name);
        setAttribute(Qt::WA_DeleteOnClose);
        setAccessibleName(accessible_name);
    }

  protected:
    void paintEvent(QPaintEvent*) override {
        const Theme& t = theme();
        QPainter p(this);
        p.setPen(QPen(t.line, 1));
        p.setBrush(t.panel);
        p.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
    }
    /// Takes the widgets out of a layout; they go when the event is done.
    static void empty(QGridLayout& list) {
        while (QLayoutItem* item = list.takeAt(0)) {
            if (QWidget* w = item->widget()) {
                w->hide();
                w->deleteLater();
            }
            delete item;
        }
    }
};

}  // namespace reed::ui
