// The level of a step while it is recorded.
#pragma once

#include <QWidget>
#include <optional>
#include <vector>

namespace reed::ui {

/// Peaks from left to right over the length of the step, dBFS from bottom to top; the background noise as a
/// line once it is known, and the range that is safe for the loudest peaks.
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
