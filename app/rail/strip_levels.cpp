#include "rail/strip_levels.h"

#include <QCoreApplication>
#include <algorithm>
#include <cmath>

#include "model/strips/strip_model.h"
#include "theme/theme.h"

namespace reed::ui {

StripLevels StripLevels::of(StripModel& strip) {
    StripLevels out;
    const auto& taps = strip.levels().taps;
    if (taps.empty()) return out;
    const auto rounded = [](double db) { return std::round(2.0 * std::clamp(db, kLowest, kHighest)) / 2.0; };
    const TapLevels& l = taps.back();
    if (l.room_known) out.room = rounded(l.room_high);
    if (l.voice_known) {
        out.voice_low = rounded(l.voice_low);
        out.voice_high = rounded(l.voice_high);
    }
    out.peak = rounded(l.peak);
    out.now = rounded(l.now);
    return out;
}

void StripLevels::paint(QPainter& p, const QRectF& track) const {
    const Theme& t = theme();
    const auto x = [&](double db) {
        return track.left() + (db - kLowest) / (kHighest - kLowest) * track.width();
    };
    p.setPen(Qt::NoPen);
    p.setBrush(t.sunken);
    p.drawRoundedRect(track, 3, 3);
    const auto bar = [&](double from, double to, const QColor& colour) {
        if (to <= from) return;
        p.setBrush(colour);
        p.drawRect(QRectF(x(from), track.top(), x(to) - x(from), track.height()));
    };
    bar(kLowest, room, t.roomFill);
    bar(voice_low, voice_high, t.strawFill);
    if (peak > kLowest) {
        p.setPen(QPen(peak > -0.5 ? t.ember : t.straw, 2));
        p.drawLine(QPointF(x(peak), track.top() - 2), QPointF(x(peak), track.bottom() + 2));
    }
    if (now > kLowest) {
        p.setPen(QPen(t.now, 1.4));
        p.drawLine(QPointF(x(now), track.top() + 1), QPointF(x(now), track.bottom() - 1));
    }
}

std::pair<QString, bool> stripWord(StripModel& strip) {
    const auto tr = [](const char* words) { return QCoreApplication::translate("StripWord", words); };
    const StripSpec& s = strip.chainModel().spec();
    if (strip.input().hasNoInput()) return {tr("No input selected"), true};
    const DeviceStatus now = strip.input().status();
    if (!now.problem.empty() && !strip.input().isOpening())
        return {QString::fromStdString(now.problem), true};
    if (s.mute) return {tr("Muted"), true};
    if (strip.readings().clipped() > 0) return {tr("Input clipping"), true};
    if (s.fader <= kFaderMinDb) return {tr("Fader at minimum"), true};
    if (s.fader != 0.0) return {tr("%1 dB").arg(s.fader, 0, 'f', 1), false};
    return {};
}

}  // namespace reed::ui
