// What the program has to say to the person.
#pragma once

#include <QObject>

#include "base/result.h"

namespace reed::ui {

/// Everything that is told in a line goes through here, so that the window shows it and tests see it.
class Notifications final : public QObject {
    Q_OBJECT
  public:
    using QObject::QObject;

    /// Something worth knowing.
    void say(const QString& text) { emit told(text, false); }
    /// Something that went wrong, or will.
    void warn(const QString& text) { emit told(text, true); }
    void tell(const QString& text, bool serious) { emit told(text, serious); }
    /// An error, its first letter made large.
    void tell(const Error& error) {
        QString t = QString::fromStdString(error.text());
        if (!t.isEmpty()) t[0] = t[0].toUpper();
        warn(t);
    }

  signals:
    void told(const QString& text, bool serious);
};

}  // namespace reed::ui
