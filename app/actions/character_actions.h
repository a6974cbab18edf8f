// Actions for characters.
#pragma once

#include <QString>

namespace reed::ui {

class Actions;
class AppModel;

// Those that run return an empty text, or why it is not possible.

/// Turns a character on or off, by name or position, on the selected voice.
QString toggleCharacter(Actions& a, const QString& word);
/// "NAME on" or "NAME off".
QString holdCharacter(Actions& a, const QString& words);
/// Turns all characters off, on every strip.
QString turnCharactersOff(Actions& a);
/// Whether a character, by name or position, is on, on the voice that actions change.
bool isCharacterOn(AppModel& app, const QString& word);

}  // namespace reed::ui
