// The message bar at the bottom of the window.
#pragma once

#include <QTimer>
#include <QWidget>

namespace reed::ui {

/// Warnings stay until they are dismissed (click or Escape) and queue up; information disappears
/// automatically.
class MessageBar final : public QWidget {
    Q_OBJECT
  public:
    explicit MessageBar(QWidget* parent = nullptr);
    void tell(const QString& text, bool serious);
    void dismiss();
    QString text() const { return shown_; }
    int heightFor(int width) const;

  signals:
    void resized();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent*) override { dismiss(); }

  private:
    void next();
    QString shown_;
    bool serious_ = false;
    QStringList waiting_;
    QTimer hide_;
};

}  // namespace reed::ui
