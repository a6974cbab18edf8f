// Pitch of the voice before and after the stage, over the last seconds.
#pragma once

#include <QWidget>
#include <deque>

#include "model/chain/stage_ref.h"
#include "widgets/cached_layer.h"

namespace reed::ui {

class StripModel;

/// Ten seconds, newest at the right: input pitch (faint) and output pitch (colour of the voice), over the
/// notes of the scale while the pitch is snapped to them. Dragging up or down, the wheel and the arrow keys
/// change the pitch (Shift: fine); a double-click resets it.
class PitchView final : public QWidget {
    Q_OBJECT
  public:
    PitchView(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    /// Description of the pitch of the voice.
    QString words() const;
    QSize sizeHint() const override { return {360, 200}; }
    QSize minimumSizeHint() const override { return {240, 130}; }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    /// Notes, as note_of() counts them; 0 where there is no pitch.
    struct Moment {
        double time = 0.0;  // s of audio
        double comes = 0.0, leaves = 0.0;
    };
    QRectF plot() const;
    double y(const QRectF& r, double note) const;
    void follow();
    void paintCourse(QPainter& p, const QRectF& r, double Moment::*which) const;
    void paintGround(QPainter& layer, const StageSpec& s) const;
    StripModel& strip_;
    StageRef stage_;
    CachedLayer still_;
    std::deque<Moment> course_;
    double told_from_ = 0.0;  // s
    double pressed_at_ = 0.0, pressed_shift_ = 0.0;
    bool held_ = false;
};

}  // namespace reed::ui
