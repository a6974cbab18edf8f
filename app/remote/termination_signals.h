// Termination signals of the system as Qt signals.
#pragma once

#include <QObject>

class QSocketNotifier;

namespace reed::ui {

/// Emits asked() on SIGTERM, SIGINT and SIGHUP. One object per process at a time.
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
