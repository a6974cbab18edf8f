// Actions that set values.
#pragma once

#include <QString>
#include <optional>

namespace reed::ui {

class Actions;

// They return an empty text, or why it is not possible.

/// Mutes or unmutes a strip; without `muted`: toggles.
QString muteStrip(Actions& a, const QString& word, std::optional<bool> muted);
/// "STRIP -3" sets its fader; with `by` "STRIP 0.5" moves it by so many dB.
QString setFader(Actions& a, const QString& words, bool by);
/// "60" or "60 ms" sets a value of latency_parameters().
QString setLatency(Actions& a, const QString& words, int row);
/// "STAGE PARAMETER VALUE", with or without the unit.
QString setValue(Actions& a, const QString& words);
/// "STAGE PARAMETER POSITION", 0 to 1 on the parameter's own scale.
QString setPosition(Actions& a, const QString& words);
/// "STAGE PARAMETER STEPS"; fine ones between -1 and 1.
QString stepValue(Actions& a, const QString& words);

}  // namespace reed::ui
