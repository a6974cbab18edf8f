// Deferred calls, for code that may destroy the object that asked for them.
#pragma once

#include <QObject>
#include <QTimer>
#include <functional>
#include <utility>

namespace reed::ui {

/// Calls `what` when the current event is done, unless `whose` was destroyed.
inline void later(QObject* whose, std::function<void()> what) {
    auto* timer = new QTimer(whose);
    timer->setSingleShot(true);
    QObject::connect(timer, &QTimer::timeout, whose, [timer, what = std::move(what)] {
        timer->deleteLater();
        what();
    });
    timer->start(0);
}

}  // namespace reed::ui
