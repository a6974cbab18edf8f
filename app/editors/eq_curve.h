// The equalizer curve over the spectrum, with draggable bands.
#pragma once

#include <QElapsedTimer>
#include <QPainterPath>
#include <QWidget>
#include <optional>
#include <vector>

#include "measure/spectrum.h"
#include "model/chain/band_history.h"
#include "model/chain/stage_ref.h"
#include "widgets/cached_layer.h"

namespace reed::ui {

class StripModel;

/// Frequency on a logarithmic axis, gain in dB; behind it the spectrum before (line), after (filled) and its
/// peaks (dotted) in dBFS, in sixths of an octave. Bands: drag (frequency and gain), wheel for Q, double
/// click on the plot adds one there, Delete switches the selected one off; arrow keys move it (Shift: fine).
///
/// A dynamic band shows the level distribution of its frequency range on the dBFS axis, with a draggable
/// threshold. The current curve is drawn over the static one and its recent range.
///
/// Resonance sweep: while F is held, or the sweep is switched on, a narrow boosted band follows the pointer,
/// or sweeps automatically while the pointer is elsewhere. The wheel sets the depth of a cut; a click or
/// Enter makes it.
class EqCurve final : public QWidget {
    Q_OBJECT
  public:
    EqCurve(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);

    int band() const { return band_; }
    void chooseBand(int band);
    /// Position of the handle of a band.
    QPointF handle(int band) const;
    double xOf(double frequency) const;
    double yOf(double gain_db) const;
    /// Pixel row of a spectrum level in dBFS.
    double levelY(double dbfs) const;

    /// Recent levels and gain changes of the dynamic bands.
    const BandHistory& watch() const { return watch_; }
    /// Position of the threshold handle of the selected band; empty if the band is static.
    std::optional<QPointF> thresholdMark() const;
    /// Description of the dynamics of the selected band; empty if the band is static.
    QString dynamicsText() const;

    bool finding() const { return finding_; }
    void setFinding(bool on);
    double cutDepth() const { return cut_depth_; }
    /// Resonances of the voice; each has a clickable mark.
    const std::vector<Resonance>& candidates() const { return candidates_; }
    QRectF candidateMark(const Resonance& r) const;

    QSize sizeHint() const override { return {520, 200}; }
    QSize minimumSizeHint() const override { return {300, 130}; }

  signals:
    void bandChosen(int band);
    void findingChanged(bool on);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

  private:
    const std::vector<double>* values() const;
    QRectF plot() const;
    /// Largest gain shown: 12 dB, or 24 dB if a band needs it.
    double range() const;
    double frequencyAt(double x) const;
    double gainAt(double y) const;
    double levelAt(double y) const;
    int bandAt(const QPointF& at) const;
    void change(int band, double frequency, double gain);
    void setBand(int band, int parameter, double value);
    /// Switches an unused band on as a bell; false, with a notification, if all are used.
    bool addBell(double frequency, double gain, double q, const QString& label);
    void follow();
    void findAt(double frequency);
    void cutHere(double frequency);
    void rememberCurve();

    /// Dynamics settings of the selected band, if it is on and its type has a gain.
    std::optional<DynamicBandSettings> motion() const;
    bool anyMoves() const;
    void watchBands();
    void paintGrid(QPainter& p) const;
    void paintRegions(QPainter& p) const;
    void paintSpectrum(QPainter& p) const;
    void paintCurves(QPainter& p) const;
    void paintPresent(QPainter& p) const;
    void paintMotion(QPainter& p) const;
    void paintHandles(QPainter& p) const;
    void paintFinding(QPainter& p) const;
    void paintReadout(QPainter& p) const;

    StripModel& strip_;
    StageRef stage_;
    int band_ = 1;
    bool dragging_ = false, threshold_held_ = false;
    BandHistory watch_;
    double drag_range_ = 12.0;
    std::optional<QPointF> mouse_;

    bool finding_ = false, find_key_ = false;
    std::string find_stage_;
    double find_frequency_ = 300.0, cut_depth_ = 4.0;
    QElapsedTimer sweep_;
    std::vector<Resonance> candidates_;
    int ticks_ = 0;

    CachedLayer still_;
    // The curve is computed when values or size change, not with every frame of the spectrum.
    std::vector<double> curve_values_;
    QSize curve_size_;
    int curve_band_ = -1;
    double curve_range_ = 0.0;
    QPainterPath sum_, one_;
    std::vector<QPointF> rest_;   // pixel column and dB of the sum
    std::vector<QLineF> beyond_;  // where boosts or cuts add up to more than 4 dB
};

}  // namespace reed::ui
