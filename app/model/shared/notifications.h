// Messages to the user.
#pragma once

#include <QObject>

#include "base/result.h"

namespace reed::ui {

/// Dispatches messages to the user; the window shows them, tests observe them.
class Notifications final : public QObject {
    Q_OBJECT
  public:
    using QObject::QObject;

    /// Posts information.
    void say(const QString& text) { emit told(text, false); }
    /// Posts a warning.
    void warn(const QString& text) { emit told(text, true); }
    /// Posts a warning if `serious`, else information.
    void tell(const QString& text, bool serious) { emit told(text, serious); }
    /// Posts an error with a capital first letter.
    void tell(const Error& error) {
        QString t = QString::fromStdString(error.text());
        if (!t.isEmpty()) t[0] = t[0].toUpper();
        warn(t);
    }

  signals:
    /// A message was posted.
    void told(const QString& text, bool serious);
};

}  // namespace reed::ui
