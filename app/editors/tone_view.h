// Editor view of the tone stage: spectrum of the voice with the gains of body and clarity as two handles.
#pragma once

#include <QWidget>

#include "model/chain/stage_ref.h"
#include "widgets/cached_layer.h"

namespace reed::ui {

class StripModel;

/// Spectrum of the voice before the stage (filled) and after it (line), the curve of the three bands, and a
/// handle for body and for clarity at their frequencies. Drag a handle up or down for its gain, and sideways
/// for its frequency while it does not track the voice. The wheel turns the handle nearest to the pointer;
/// Left and Right select a handle, Up and Down turn it (Shift: fine). A double-click resets a gain to 0 dB.
class ToneCurve final : public QWidget {
    Q_OBJECT
  public:
    enum class Handle { body, clarity };

    ToneCurve(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    /// Centre frequencies in Hz, tracked or set by hand.
    double bodyAt() const;
    double clarityAt() const;
    /// Position of a handle in widget coordinates.
    QPointF handleAt(Handle handle) const;
    Handle selected() const { return selected_; }
    /// Description of the result for this voice; a request to speak while the pitch is unknown.
    QString words() const;
    QSize sizeHint() const override { return {600, 200}; }
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
    double told(size_t readout) const;
    bool tracks() const;
    double frequencyOf(Handle handle) const;
    Handle nearest(QPointF at) const;
    void select(Handle handle);
    void paintSpectrum(QPainter& p, bool after) const;
    void paintHandle(QPainter& p, Handle handle) const;
    StripModel& strip_;
    StageRef stage_;
    Handle selected_ = Handle::body;
    bool held_ = false;
    QPointF grip_;  // offset from the pointer to the handle when it was pressed
    int ticks_ = 0;
    CachedLayer still_;
};

}  // namespace reed::ui
