#include "actions/character_actions.h"

#include "actions/actions.h"
#include "model/strips/characters.h"

namespace reed::ui {
namespace {

const CharacterEntry* characterOf(AppModel& app, const QString& word) {
    const auto& all = app.characters().all();
    if (const CharacterEntry* named = app.characters().find(word)) return named;
    const int place = word.toInt();
    return place >= 1 && static_cast<size_t>(place) <= all.size() ? &all[static_cast<size_t>(place - 1)]
                                                                  : nullptr;
}

QString noCharacter(Actions& a, const QString& word) {
    QStringList names;
    for (const CharacterEntry& c : a.app().characters().all()) names << c.name;
    return QObject::tr("No character named “%1”. Available: %2.").arg(shortened(word), names.join(", "));
}

}  // namespace

QString toggleCharacter(Actions& a, const QString& word) {
    const CharacterEntry* wanted = characterOf(a.app(), word);
    if (wanted == nullptr) return noCharacter(a, word);
    ChainModel& strip = a.app().mixer().voice().chainModel();
    strip.setCharacter(strip.character() == wanted->spec.name ? std::string()
                                                              : std::string(wanted->spec.name));
    return {};
}

/// Off wherever it is on: another strip may be selected by now.
QString holdCharacter(Actions& a, const QString& words) {
    const QString state = words.section(' ', -1);
    const QString word = words.section(' ', 0, -2);
    if (state != "on" && state != "off") return QObject::tr("Expected “on” or “off”.");
    const CharacterEntry* wanted = characterOf(a.app(), word);
    if (wanted == nullptr) return noCharacter(a, word);
    const std::string name = wanted->spec.name;
    if (state == "on") a.app().mixer().voice().chainModel().setCharacter(name);
    for (StripModel* s : a.app().mixer().strips()) {
        if (state == "off" && s->chainModel().character() == name) s->chainModel().setCharacter({});
    }
    return {};
}

bool isCharacterOn(AppModel& app, const QString& word) {
    const CharacterEntry* wanted = characterOf(app, word);
    return wanted != nullptr && app.mixer().voice().chainModel().character() == wanted->spec.name;
}

QString turnCharactersOff(Actions& a) {
    for (StripModel* s : a.app().mixer().strips()) s->chainModel().setCharacter({});
    return {};
}

}  // namespace reed::ui
