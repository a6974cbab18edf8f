// Levels of the input: their distribution, the recommended range of the peaks, and recent clipping.
#pragma once

#include <QElapsedTimer>
#include <QWidget>
#include <deque>

#include "measure/level_statistics.h"

namespace reed::ui {

class StripModel;

/// Shows how often each level occurs at the input (background noise and speech, as in the level diagram, with
/// the level from left to right), the highest peak, the recommended range of the peaks as a bracket below the
/// axis, and a mark with its age for each time the source clipped in the last 30 s. A verdict above says how
/// far the peaks are from the range.
class InputLevels final : public QWidget {
    Q_OBJECT
  public:
    explicit InputLevels(StripModel& strip, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {300, 104}; }
    QSize minimumSizeHint() const override { return {200, 80}; }
    /// The verdict as shown: "Level OK", "12 dB too quiet".
    QString verdict() const { return verdict_; }
    /// Ages in seconds of the clips in the last 30 s, newest first; clips within 1 s count as one.
    std::vector<int> clipAges() const;
    /// The distribution as shown.
    const LevelDistribution& distribution() const { return distribution_; }
    /// Seconds since the input was chosen, in which it delivered audio.
    double seconds() const { return seconds_; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void restart();
    void updateLevels();
    void judge();
    void paintClips(QPainter& p, const QRectF& r) const;

    StripModel& strip_;
    LevelDistribution distribution_;
    QString verdict_;
    bool good_ = false;
    std::deque<qint64> clips_;  // ms on clock_, oldest first
    std::uint64_t clipped_ = 0;
    double seconds_ = 0.0;
    int ticks_ = 0;
    QElapsedTimer clock_;
};

}  // namespace reed::ui
