// One parameter: name, value with unit, and a line to drag along.
#pragma once

#include <QLineEdit>
#include <QWidget>
#include <optional>

#include "stages/parameter.h"

namespace reed::ui {

/// Drag sideways, wheel (Shift: fine), arrow keys (Shift: fine), Home and End, typed with its unit after a
/// double click, Enter, or just by starting to type. Ctrl+click or Backspace puts the default back. Bad text
/// is refused with the reason, and the old value stays.
class ValueField final : public QWidget {
    Q_OBJECT
  public:
    explicit ValueField(const Parameter& parameter, QWidget* parent = nullptr);

    const Parameter& parameter() const { return parameter_; }
    double value() const { return value_; }
    /// Shows a value without telling anyone.
    void setValue(double value);
    /// Marks on the track what is measured against this value; nothing: no mark.
    void setMeasured(std::optional<double> value);
    /// It is the one that a wheel or a key turns from anywhere: marked by a dot.
    void setNext(bool next);
    bool next() const { return next_; }
    /// Another name than the table's, e.g. for a band.
    void setTitle(const QString& title);
    void openEditor(const QString& initial = {});
    /// The reason why the last typed text was refused; empty after a good one.
    QString complaint() const { return complaint_; }
    QSize sizeHint() const override { return {200, 36}; }
    QSize minimumSizeHint() const override { return {120, 34}; }

  signals:
    /// The person asks for a value; it is inside the range.
    void valueRequested(double value);
    /// A drag or an edit has ended.
    void finished();
    /// Typed text was refused, with the reason.
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
    void enterEvent(QEnterEvent*) override { update(); }
    void leaveEvent(QEvent*) override { update(); }

  private:
    void want(double value);
    void step(double steps, bool fine);
    void commit();
    void closeEditor();
    void chooseFromMenu();
    void paintSwitch(QPainter& p) const;
    void describe();

    const Parameter& parameter_;
    double value_ = 0.0;
    std::optional<double> measured_;
    QString title_, complaint_;
    QLineEdit* editor_ = nullptr;
    bool dragging_ = false, next_ = false;
    double drag_position_ = 0.0;
    QPointF drag_from_;
};

}  // namespace reed::ui
