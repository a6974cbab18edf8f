// What is done at most once per interval, on a timer that ticks more often.
#pragma once

#include <QElapsedTimer>

namespace reed::ui {

/// True when `since` was started at least `ms` ago or never; `since` is then started again. GUI thread.
inline bool due(QElapsedTimer& since, int ms) {
    if (since.isValid() && since.elapsed() < ms) return false;
    since.start();
    return true;
}

}  // namespace reed::ui
