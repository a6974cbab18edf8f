// A take along time: before and after, what was taken, which words were cut, where it is now.
#pragma once

#include <QWidget>
#include <vector>

namespace reed::ui {

class TakesModel;
class StripModel;

/// Click: go there. Drag: the part that loops. Wheel: zoom; Shift and wheel: along. Left and Right: a second,
/// Plus and Minus: zoom, C: to the next cut word.
class TakeTimelineView final : public QWidget {
    Q_OBJECT
  public:
    TakeTimelineView(StripModel& main, TakesModel& takes, QWidget* parent);
    /// Seconds that are shown.
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
