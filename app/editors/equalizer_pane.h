// Editor of the equalizer: curve or ten octave sliders, and the values of the selected band.
#pragma once

#include "editors/stage_pane.h"

namespace reed::ui {

class EqCurve;
class FlatButton;
class GraphicEqView;
class Words;

class EqualizerPane final : public StagePane {
    Q_OBJECT
  public:
    EqualizerPane(StripModel& strip, const StageRef& stage, QWidget* parent = nullptr);
    void refresh() override;
    FieldGrid* fields() const override { return grid_; }

  private:
    void showBand(int band);
    /// Hides values that the type of the selected band does not use.
    void showRelevant();
    /// Curve with the values of a band, or the graphic EQ with a description.
    void showGraphic(bool on);

    EqCurve* curve_;
    GraphicEqView* octaves_;
    FieldGrid* grid_;
    Words* name_;
    FlatButton* listen_;
    FlatButton* moves_;
    FlatButton* find_;
    QWidget* band_;
    Words* graphic_;
    FlatButton* flat_;
};

}  // namespace reed::ui
