// Body and clarity on one surface, and what they do to the spectrum of the voice.
#pragma once

#include <QWidget>

#include "session/stage_ref.h"
#include "widgets/still_layer.h"

namespace reed::ui {

class Session;

/// Clarity to the right, body upwards, in dB. Drag anywhere; the wheel turns body, sideways or with Alt
/// clarity; arrow keys turn both (Shift: fine); a double click puts both to rest.
class TonePad final : public QWidget {
    Q_OBJECT
  public:
    TonePad(const StageRef& stage, QWidget* parent = nullptr);
    /// Where body and clarity stand.
    QPointF mark() const;
    QSize sizeHint() const override { return {250, 250}; }
    QSize minimumSizeHint() const override { return {160, 160}; }

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
    void moveTo(QPointF at);
    void set(double body, double clarity);
    StageRef stage_;
    bool held_ = false;
    StillLayer still_;
};

/// The voice's spectrum before the stage (filled) and after it (line), the curve of the three bands, and
/// where body and clarity stand.
class ToneCurve final : public QWidget {
    Q_OBJECT
  public:
    ToneCurve(Session& session, const StageRef& stage, QWidget* parent = nullptr);
    /// Centres now, in Hz: found, or set by hand.
    double bodyAt() const;
    double clarityAt() const;
    /// What is to be said of the voice.
    QString words() const;
    QSize sizeHint() const override { return {360, 200}; }
    QSize minimumSizeHint() const override { return {240, 130}; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    QRectF plot() const;
    double told(size_t readout) const;
    void paintSpectrum(QPainter& p, bool after) const;
    Session& session_;
    StageRef stage_;
    int ticks_ = 0;
    StillLayer still_;
};

}  // namespace reed::ui
