// Keys for which it matters how long they are held.
#pragma once

#include <QObject>
#include <functional>
#include <map>

namespace reed::ui {

class Actions;

/// Hears them in whatever part of the program has the keyboard, but while keys are being changed. Each counts
/// by itself. A window that loses the keyboard would not hear a key come up, so all are let go then.
class HoldShortcuts final : public QObject {
    Q_OBJECT
  public:
    /// `ours`: whether something is a window by which that is to be judged.
    HoldShortcuts(Actions& actions, std::function<bool(const QObject*)> ours);

    /// As if all that are held had come up.
    void letGo();

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    Actions& actions_;
    std::function<bool(const QObject*)> ours_;
    std::map<int, QString> held_;  // keys, and the slots they had when they went down
};

}  // namespace reed::ui
