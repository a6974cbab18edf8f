// The state of a strip at a glance: its levels, and a word for what is the matter.
#pragma once

#include <QPainter>
#include <QString>
#include <utility>

namespace reed::ui {

class StripModel;

/// Levels where a strip leaves its chain, rounded to what can be seen.
struct StripLevels {
    static constexpr double kLowest = -72.0, kHighest = 0.0;  ///< dBFS
    double room = kLowest, voice_low = kLowest, voice_high = kLowest, peak = kLowest, now = kLowest;

    static StripLevels of(StripModel& strip);
    bool operator==(const StripLevels&) const = default;
    /// Lying: room, range of the voice, peak, now.
    void paint(QPainter& p, const QRectF& track) const;
};

/// What is the matter with a strip, or its fader; and whether that is trouble.
std::pair<QString, bool> stripWord(StripModel& strip);

}  // namespace reed::ui
