// A field of one parameter: name, value with unit, slider line.
#pragma once

#include <QLineEdit>
#include <QWidget>
#include <optional>

#include "stages/parameter.h"

namespace reed::ui {

/// Drag sideways, wheel, arrow keys (all with Shift: fine), Home and End change the value. Double-click,
/// Enter or a digit starts typing, with or without a unit. Ctrl+click or Backspace resets to the default.
/// Invalid text is rejected with the reason, and the value stays.
class ValueField final : public QWidget {
    Q_OBJECT
  public:
    explicit ValueField(const Parameter& parameter, QWidget* parent = nullptr);

    const Parameter& parameter() const { return parameter_; }
    double value() const { return value_; }
    /// Shows a value; emits no signal.
    void setValue(double value);
    /// Marks a measured value on the track; empty: none.
    void setMeasured(std::optional<double> value);
    /// Marks with a dot that shortcuts and the wheel change this value.
    void setNext(bool next);
    bool next() const { return next_; }
    /// Shows which MIDI control changes this value ("controller 21"); empty: none.
    void setMidi(const QString& control);
    /// Offers MIDI in the menu of the right mouse button (midiRequested()).
    void offerMidi() { offers_midi_ = true; }
    /// Sets another name than that of the table, e.g. for a band.
    void setTitle(const QString& title);
    void openEditor(const QString& initial = {});
    /// Why the last typed text was rejected; empty if it was accepted.
    QString complaint() const { return complaint_; }
    QSize sizeHint() const override { return {200, 36}; }
    QSize minimumSizeHint() const override { return {120, 34}; }

  signals:
    /// The user requests a value, which is inside the range.
    void valueRequested(double value);
    /// A drag or an edit ended.
    void finished();
    /// The user wants to assign a MIDI control.
    void midiRequested();
    /// Typed text was rejected.
    void refused(const QString& reason);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void enterEvent(QEnterEvent*) override { update(); }
    void leaveEvent(QEvent*) override { update(); }

  private:
    void want(double value);
    void step(double steps, bool fine);
    void commit();
    void closeEditor();
    void chooseFromMenu();
    void paintSwitch(QPainter& p) const;
    void paintMidi(QPainter& p, const QRectF& line, int from, int room) const;
    void describe();

    const Parameter& parameter_;
    double value_ = 0.0;
    std::optional<double> measured_;
    QString title_, complaint_, midi_;
    bool offers_midi_ = false;
    QLineEdit* editor_ = nullptr;
    bool dragging_ = false, next_ = false;
    double drag_position_ = 0.0;
    QPointF drag_from_;
};

}  // namespace reed::ui
