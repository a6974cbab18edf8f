// The system asks the program to end.
#pragma once

#include <QObject>

class QSocketNotifier;

namespace reed::ui {

/// SIGTERM, SIGINT and SIGHUP, from the end of the session or a terminal, as a signal of Qt's. One object at
/// a time.
class TerminationSignals final : public QObject {
    Q_OBJECT
  public:
    explicit TerminationSignals(QObject* parent = nullptr);
    ~TerminationSignals() override;

  signals:
    void asked();

  private:
    int ends_[2] = {-1, -1};
    QSocketNotifier* notifier_ = nullptr;
};

}  // namespace reed::ui
