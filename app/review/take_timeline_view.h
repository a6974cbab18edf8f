// A take over time: levels before and after the chain, reduction, truncated words, playback position.
#pragma once

#include <QWidget>
#include <vector>

namespace reed::ui {

class TakesModel;
class StripModel;

/// Click: seek. Drag: select the looped part. Wheel: zoom; Shift+wheel: scroll. Left and Right: seek by 1 s.
/// Plus and Minus: zoom. C: next truncated word.
class TakeTimelineView final : public QWidget {
    Q_OBJECT
  public:
    TakeTimelineView(StripModel& main, TakesModel& takes, QWidget* parent);
    /// Length of the shown part in s.
    double shownFrom() const { return shown_from_; }
    double shownTo() const { return shown_to_; }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    QRectF plot() const;
    double secondsAt(double x) const;
    double xOf(double seconds) const;
    void zoom(double factor, double around);
    void shift(double seconds);
    void showAll();
    void paintLevels(QPainter& p, const QRectF& r) const;
    void paintCourse(QPainter& p, const QRectF& r, const std::vector<float>& values, double top, bool filled,
                     const QColor& colour) const;

    TakesModel& takes_;
    double shown_from_ = 0.0, shown_to_ = 0.0;
    double pressed_at_ = -1.0, dragged_to_ = 0.0, drawn_at_ = -2.0;
};

}  // namespace reed::ui
