// The graphic equalizer: ten octave sliders.
#pragma once

#include <QWidget>
#include <array>

#include "model/chain/stage_ref.h"
#include "stages/graphic_eq.h"

class QLineEdit;

namespace reed::ui {

class StripModel;

/// Drag a slider, wheel (Shift: fine), arrow keys: left and right select, up and down move; a double-click or
/// Backspace sets it to 0 dB; typing a number sets it. Behind the sliders are the spectrum of the voice
/// before this stage and the curve of all bands; the curve of the sliders alone is dashed where other bands
/// act too.
class GraphicEqView final : public QWidget {
    Q_OBJECT
  public:
    GraphicEqView(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);

    int chosen() const { return chosen_; }
    /// Sets all sliders to 0 dB, as one undo step.
    void reset();
    /// Position of slider `i` in the window of this widget.
    QPointF knob(int i) const;
    double yOf(double db) const;
    QSize sizeHint() const override { return {520, 200}; }
    QSize minimumSizeHint() const override { return {300, 130}; }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    QRectF plot() const;
    int columnAt(double x) const;
    void refresh();
    void move(int slider, double db);
    void openEditor(const QString& initial);
    void describe();
    double xOf(double frequency) const;
    void paintSpectrum(QPainter& p) const;

    StripModel& strip_;
    StageRef stage_;
    GraphicEqGains sliders_{};
    bool usable_ = true;
    int chosen_ = 0;
    bool dragging_ = false;
    QLineEdit* editor_ = nullptr;
    int ticks_ = 0;
};

}  // namespace reed::ui
