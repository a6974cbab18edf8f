// Levels and status of a strip for the sidebar and the compact window.
#pragma once

#include <QPainter>
#include <QString>
#include <utility>

namespace reed::ui {

class StripModel;

/// Levels after the chain of a strip in dBFS, rounded to what is visible.
struct StripLevels {
    static constexpr double kLowest = -72.0, kHighest = 0.0;  ///< dBFS
    double room = kLowest, voice_low = kLowest, voice_high = kLowest, peak = kLowest, now = kLowest;

    static StripLevels of(StripModel& strip);
    bool operator==(const StripLevels&) const = default;
    /// Draws background noise, voice range, peak and current level from left to right.
    void paint(QPainter& p, const QRectF& track) const;
};

/// Short status of a strip: a problem (second: true), or its fader.
std::pair<QString, bool> stripWord(StripModel& strip);

}  // namespace reed::ui
