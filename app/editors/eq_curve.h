// The equalizer's curve, with its bands to be dragged.
#pragma once

#include <QWidget>
#include <vector>

namespace reed::ui {

class Session;

/// Frequency on a logarithmic axis, gain in dB. Bands: drag (frequency and gain), wheel for Q, double click
/// on the plot adds one there, Delete switches the chosen one off; arrow keys move it (Shift: fine).
class EqCurve final : public QWidget {
    Q_OBJECT
  public:
    explicit EqCurve(Session& session, QWidget* parent = nullptr);

    int band() const { return band_; }
    void chooseBand(int band);
    /// Where a band's handle stands.
    QPointF handle(int band) const;
    double xOf(double frequency) const;
    double yOf(double gain_db) const;
    QSize sizeHint() const override { return {520, 200}; }
    QSize minimumSizeHint() const override { return {300, 130}; }

  signals:
    void bandChosen(int band);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    const std::vector<double>* values() const;
    QRectF plot() const;
    /// Largest gain shown: 12 dB, or 24 when a band needs it.
    double range() const;
    double frequencyAt(double x) const;
    double gainAt(double y) const;
    int bandAt(const QPointF& at) const;
    void change(int band, double frequency, double gain);
    void setBand(int band, int parameter, double value);
    void paintGrid(QPainter& p) const;
    void paintCurves(QPainter& p) const;

    Session& session_;
    int band_ = 1;
    bool dragging_ = false;
    double drag_range_ = 12.0;
};

}  // namespace reed::ui
