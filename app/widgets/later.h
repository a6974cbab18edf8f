// What is done after the event that asks for it, as the thing it was asked by may not outlive it.
#pragma once

#include <QObject>
#include <QTimer>
#include <functional>
#include <utility>

namespace reed::ui {

/// Does `what` once the events that are under way are done, unless `whose` has gone by then.
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
