// A cached layer of a widget: drawn once, then copied.
#pragma once

#include <QPainter>
#include <QPixmap>
#include <QWidget>

#include "theme/theme.h"

namespace reed::ui {

/// For grids, scales and labels, which change with size, theme and `key` only. Shaping text for every frame
/// costs more than the curves over it.
class CachedLayer {
  public:
    /// Copies the layer to `p`. Calls `draw(QPainter&)` first if size, theme or key changed.
    template <typename Draw>
    void paint(QPainter& p, const QWidget& widget, const QString& key, Draw draw) {
        const double ratio = widget.devicePixelRatioF();
        const QSize size = widget.size() * ratio;
        const bool focus = widget.hasFocus();
        if (pixmap_.size() != size || key != key_ || theme_ != theme().name || focus != focus_) {
            pixmap_ = QPixmap(size);
            pixmap_.setDevicePixelRatio(ratio);
            pixmap_.fill(theme().panel);
            QPainter layer(&pixmap_);
            draw(layer);
            key_ = key;
            theme_ = theme().name;
            focus_ = focus;
        }
        p.drawPixmap(0, 0, pixmap_);
        p.setRenderHint(QPainter::Antialiasing);
    }

  private:
    QPixmap pixmap_;
    QString key_, theme_;
    bool focus_ = false;
};

}  // namespace reed::ui
