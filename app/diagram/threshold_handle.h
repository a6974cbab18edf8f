// A draggable threshold on the scale of the level diagram.
#pragma once

#include <QWidget>

namespace reed::ui {

/// A mark with its name and level. Drag up and down (Shift: fine), wheel, or arrow keys.
class ThresholdHandle final : public QWidget {
    Q_OBJECT
  public:
    static constexpr int kHeight = 52;  ///< in pixels; the mark is in the middle

    ThresholdHandle(QString stage_id, int parameter, QWidget* parent = nullptr);

    const QString& stageId() const { return id_; }
    int parameter() const { return parameter_; }
    void setMark(const QString& title, const QString& accessible, double level, bool dimmed);
    /// Sets the vertical offset of the label from the mark in pixels, so that neighbours do not overlap.
    void setLabelShift(int pixels);
    double level() const { return level_; }

  signals:
    /// Dragged to `y` of the parent.
    void draggedTo(double y, bool fine);
    void stepWanted(double steps, bool fine);
    void grabbed();
    void finished();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void resizeEvent(QResizeEvent*) override { reshape(); }
    void enterEvent(QEnterEvent*) override { update(); }
    void leaveEvent(QEvent*) override { update(); }

  private:
    QRect labelRect() const;
    void reshape();
    QString id_, title_;
    QString label_;  // cached, because shaping text costs more than the mark and it is drawn with every frame
    int label_width_ = 0;
    int parameter_;
    double level_ = 0.0;
    int shift_ = 0;
    bool dimmed_ = false, held_ = false;
    double grab_offset_ = 0.0, last_y_ = 0.0;
};

}  // namespace reed::ui
