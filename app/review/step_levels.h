// Levels of a soundcheck step while it is recorded.
#pragma once

#include <QWidget>
#include <optional>
#include <vector>

namespace reed::ui {

/// Plots peaks in dBFS over the length of the step, with the background noise as a line once it is known, and
/// the recommended range of the loudest peaks.
class StepLevels final : public QWidget {
    Q_OBJECT
  public:
    explicit StepLevels(QWidget* parent);

    /// `seconds`: length of the step. `noise`: dBFS.
    void setStep(double seconds, std::optional<double> noise);
    /// Peaks in dBFS, ten a second.
    void setLevels(const std::vector<float>& levels);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    double seconds_ = 5.0;
    std::optional<double> noise_;
    std::vector<float> levels_;
};

}  // namespace reed::ui
