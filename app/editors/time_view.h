// The last seconds before and after a stage, with its thresholds.
#pragma once

#include <QWidget>

namespace reed::ui {

class Session;

/// Level in (outline) and out (filled) over six seconds, on the diagram's scale; the gap between them is
/// what the stage took away.
class TimeView final : public QWidget {
    Q_OBJECT
  public:
    explicit TimeView(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {230, 180}; }
    QSize minimumSizeHint() const override { return {200, 110}; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void follow();
    Session& session_;
    std::int64_t drawn_ = -1;
};

}  // namespace reed::ui
