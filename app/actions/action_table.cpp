#include "actions/action_table.h"

#include <QtGlobal>
#include <algorithm>

#include "actions/actions.h"
#include "actions/argument_lookup.h"
#include "actions/character_actions.h"
#include "actions/value_actions.h"
#include "model/strips/monitor_controller.h"
#include "model/takes/takes_model.h"
#include "widgets/later.h"

namespace reed::ui {
namespace {

constexpr const char* kSources[] = {"off", "output", "unprocessed", "removed"};
/// The same in earlier versions, still accepted.
constexpr const char* kSourcesFormerly[] = {"off", "feed", "plain", "removed"};

// What they do.

QString focusStrip(Actions& a, const QString& word) {
    StripModel* strip = stripOf(a.app(), word);
    if (strip == nullptr) return noStrip(a.app(), word);
    a.app().mixer().focus(std::string(strip->chainModel().spec().id));
    return {};
}

QString focusSpot(Actions& a, const StageTarget& at) {
    if (at.stage == nullptr) return at.why;
    at.strip->chainModel().focus(std::string(at.stage->id));
    a.app().mixer().focus(std::string(at.strip->chainModel().spec().id));
    return {};
}

/// Strip and stage at once.
QString focusAt(Actions& a, const QString& words) {
    return focusSpot(a, stageOf(a.app(), words.section(' ', 0, 0) + '/' + words.section(' ', 1)));
}

/// Number of a place that a key leads to; 0: it is none.
int placeNumber(const QString& word) {
    const int n = word.toInt();
    return n >= 1 && n <= kMaxBookmarks ? n : 0;
}

QString goToPlace(Actions& a, const QString& word) {
    const int n = placeNumber(word);
    if (n == 0) return QObject::tr("Use a bookmark from 1 to %1.").arg(kMaxBookmarks);
    AppModel& s = a.app();
    const auto [strip, stage] = s.preferences().place(n);
    if (strip.empty()) {
        const QString key = s.preferences().keys().text(QString("set-bookmark %1").arg(n));
        return QObject::tr("Bookmark %1 isn't set. Select a stage and set it%2.")
            .arg(n)
            .arg(key.isEmpty() ? QString() : QObject::tr(" with %1").arg(key));
    }
    return focusSpot(a, stageOf(s, QString::fromStdString(strip + "/" + stage)));
}

QString keepPlace(Actions& a, const QString& word) {
    const int n = placeNumber(word);
    if (n == 0) return QObject::tr("Use a bookmark from 1 to %1.").arg(kMaxBookmarks);
    StripModel& strip = a.strip();
    const ChainModel& chain = strip.chainModel();
    const StageSpec* stage = chain.stage(chain.focused());
    if (stage == nullptr) return QObject::tr("This chain has no stages. Add one in the diagram.");
    a.app().preferences().setPlace(n, {chain.spec().id, stage->id});
    strip.notices().say(QObject::tr("%1: %2 %3")
                            .arg(QObject::tr("Bookmark %1").arg(n), strip.name(),
                                 QString::fromStdString(stage->shown_title())));
    return {};
}

QString turn(Actions& a, double notches, bool fine) {
    a.strip().chainModel().turn(std::string(a.strip().chainModel().focused()), notches, fine);
    return {};
}

QString alone(Actions& a, const QString& word) {
    StripModel* strip = stripOf(a.app(), word);
    if (strip == nullptr) return noStrip(a.app(), word);
    a.app().mixer().setSolo(std::string(strip->chainModel().spec().id));
    return {};
}

QString add(Actions& a, StripRole role) {
    a.app().mixer().add(role);
    return {};
}

bool isOtherStrip(const AppModel& s) {
    return &s.mixer().current() != &s.mixer().main();
}

bool severalStrips(const AppModel& s) {
    return s.mixer().strips().size() > 1;
}

QString bypass(Actions& a, const QString& word, std::optional<bool> bypassed) {
    const StageTarget at = stageOf(a.app(), word);
    if (at.stage == nullptr) return at.why;
    at.strip->chainModel().setBypass(std::string(at.stage->id), bypassed.value_or(!at.stage->bypass));
    return {};
}

QString recall(Actions& a, const QString& word) {
    const SceneEntry* entry = sceneOf(a.app(), word);
    if (entry == nullptr) return noScene(a.app(), word);
    a.app().scenes().recall(std::string(entry->scene.name));
    return {};
}

/// The scene so many places on from the one in work, round and round.
QString recallNext(Actions& a, int by) {
    AppModel& s = a.app();
    const auto n = static_cast<int>(s.scenes().scenes().size());
    if (n == 0) return QObject::tr("No scene has been saved yet.");
    int at = by > 0 ? -1 : 0;
    for (int i = 0; i < n; ++i) {
        if (s.scenes().scenes()[static_cast<size_t>(i)].scene.name == s.mixer().name()) at = i;
    }
    s.scenes().recall(std::string(s.scenes().scenes()[static_cast<size_t>((at + by + n) % n)].scene.name));
    return {};
}

QString focusNext(Actions& a, int by) {
    ChainModel& chain = a.strip().chainModel();
    const auto& stages = chain.chain().stages;
    const auto n = static_cast<int>(stages.size());
    if (n == 0) return QObject::tr("This chain has no stages. Add one in the diagram.");
    const int at = chain.chain().index_of(chain.focused());
    chain.focus(stages[static_cast<size_t>(std::clamp(at + by, 0, n - 1))].id);
    return {};
}

QString monitor(Actions& a, const QString& word) {
    MonitorController& m = a.strip().monitoring();
    for (int i = 0; i < 4; ++i) {
        if (word != kSources[i] && word != kSourcesFormerly[i]) continue;
        MonitorSettings next = m.settings();
        next.source = static_cast<MonitorSource>(i);
        m.set(next);
        return m.settings().source == next.source
                   ? QString()
                   : QObject::tr("Headphones not available: no playback device.");
    }
    return QObject::tr("Unknown source “%1”. Use off, output, unprocessed or removed.").arg(shortened(word));
}

QString talk(Actions& a, const QString& word) {
    if (word != "on" && word != "off") return QObject::tr("Expected “on” or “off”.");
    a.app().mute().talk(word == "on");
    return {};
}

QString theme(Actions& a, const QString& word) {
    if (word != "dusk" && word != "dawn") return QObject::tr("Unknown theme. Use dusk or dawn.");
    a.app().preferences().setTheme(word);
    return {};
}

QString comparePlain(Actions& a, const QString&) {
    TakesModel& t = a.app().takes();
    t.comparing() ? t.endComparison() : t.compare({});
    return {};
}

QString undoTitle(const AppModel& s) {
    const History& h = s.history();
    return h.canUndo() ? QObject::tr("Undo: %1").arg(h.undoLabel()) : QObject::tr("Nothing to undo");
}

QString redoTitle(const AppModel& s) {
    const History& h = s.history();
    return h.canRedo() ? QObject::tr("Redo: %1").arg(h.redoLabel()) : QObject::tr("Nothing to redo");
}

bool hasFocus(const AppModel& s) {
    return s.mixer().current().chainModel().stage(s.mixer().current().chainModel().focused()) != nullptr;
}

bool isMuted(AppModel& s, const QString&) {
    return s.mute().on();
}

bool isHeard(AppModel& s, const QString&) {
    return !s.mute().on();
}

bool isCurrent(AppModel& s, const QString& word) {
    const SceneEntry* entry = sceneOf(s, word);
    return entry != nullptr && entry->scene.name == s.mixer().name();
}

constexpr const char* kSound = QT_TRANSLATE_NOOP("QObject", "Audio");
constexpr const char* kCharacters = QT_TRANSLATE_NOOP("QObject", "Characters");
constexpr const char* kScenes = QT_TRANSLATE_NOOP("QObject", "Scenes");
constexpr const char* kStrips = QT_TRANSLATE_NOOP("QObject", "Strips");
constexpr const char* kStages = QT_TRANSLATE_NOOP("QObject", "Stages");
constexpr const char* kTakes = QT_TRANSLATE_NOOP("QObject", "Takes");
constexpr const char* kChanges = QT_TRANSLATE_NOOP("QObject", "Changes");
constexpr const char* kProgram = QT_TRANSLATE_NOOP("QObject", "Application");

// clang-format off
const Action kTable[] = {
    {.id = "talk", .title = QT_TRANSLATE_NOOP("QObject", "Mute / push to talk"), .group = kSound,
     .argument = Argument::on_off, .keys = "Ctrl+M", .held = true, .everywhere = true, .run = talk,
     .state = isHeard},
    {.id = "mute", .title = QT_TRANSLATE_NOOP("QObject", "Mute"), .group = kSound, .everywhere = true,
     .run = [](Actions& a, const QString&) { a.app().mute().set(true); return QString(); },
     .state = isMuted},
    {.id = "unmute", .title = QT_TRANSLATE_NOOP("QObject", "Unmute"), .group = kSound, .everywhere = true,
     .run = [](Actions& a, const QString&) { a.app().mute().set(false); return QString(); },
     .state = isHeard},
    {.id = "toggle-mute", .title = QT_TRANSLATE_NOOP("QObject", "Toggle mute"), .group = kSound,
     .everywhere = true,
     .run = [](Actions& a, const QString&) { a.app().mute().set(!a.app().mute().on()); return QString(); },
     .state = isMuted},
    {.id = "toggle-headphones", .formerly = "headphones", .title = QT_TRANSLATE_NOOP("QObject", "Toggle headphones"), .group = kSound,
     .keys = "Ctrl+H", .everywhere = true,
     .run = [](Actions& a, const QString&) { a.strip().monitoring().toggle(); return QString(); },
     .state = [](AppModel& s, const QString&) {
         return s.mixer().current().monitoring().settings().source != MonitorSource::off; }},
    {.id = "monitor", .title = QT_TRANSLATE_NOOP("QObject", "Choose what you hear in the headphones"), .group = kSound,
     .argument = Argument::source, .run = monitor},
    {.id = "fixed-latency", .title = QT_TRANSLATE_NOOP("QObject", "Set the fixed latency"), .group = kSound,
     .argument = Argument::milliseconds, .absolute = true,
     .run = [](Actions& a, const QString& w) { return setLatency(a, w, kLatencyFixed); }},
    {.id = "output-delay", .title = QT_TRANSLATE_NOOP("QObject", "Set the output delay"), .group = kSound,
     .argument = Argument::milliseconds, .absolute = true,
     .run = [](Actions& a, const QString& w) { return setLatency(a, w, kLatencyOutputDelay); }},
    {.id = "reset-meters", .formerly = "reset-levels", .title = QT_TRANSLATE_NOOP("QObject", "Reset meters"),
     .group = kSound, .keys = "Ctrl+R",
     .run = [](Actions& a, const QString&) { a.strip().readings().restart(); return QString(); }},

    {.id = "scene", .title = QT_TRANSLATE_NOOP("QObject", "Scene %1"), .group = kScenes,
     .argument = Argument::scene, .keys = "Ctrl+%1", .numbered = 9, .everywhere = true, .run = recall,
     .state = isCurrent},
    {.id = "find-scene", .title = QT_TRANSLATE_NOOP("QObject", "Find scene…"), .group = kScenes,
     .keys = "Ctrl+F",
     .run = [](Actions& a, const QString&) { emit a.findSceneRequested(); return QString(); }},
    {.id = "next-scene", .title = QT_TRANSLATE_NOOP("QObject", "Next scene"), .group = kScenes,
     .keys = "Ctrl+PgDown", .everywhere = true, .run = [](Actions& a, const QString&) { return recallNext(a, 1); }},
    {.id = "previous-scene", .title = QT_TRANSLATE_NOOP("QObject", "Previous scene"), .group = kScenes,
     .keys = "Ctrl+PgUp", .everywhere = true, .run = [](Actions& a, const QString&) { return recallNext(a, -1); }},
    {.id = "save", .title = QT_TRANSLATE_NOOP("QObject", "Save the scene"), .group = kScenes, .keys = "Ctrl+S",
     .written = true,
     .run = [](Actions& a, const QString&) { a.app().scenes().save(); return QString(); }},
    {.id = "revert-scene", .formerly = "scene-back", .title = QT_TRANSLATE_NOOP("QObject", "Revert to saved scene"), .group = kScenes,
     .keys = "Ctrl+Shift+R",
     .run = [](Actions& a, const QString&) { a.app().scenes().takeBack(); return QString(); },
     .possible = [](const AppModel& s) { return !s.scenes().changes().empty(); }},
    {.id = "save-as", .title = QT_TRANSLATE_NOOP("QObject", "Save as new scene"), .group = kScenes,
     .keys = "Ctrl+Shift+S", .run = [](Actions& a, const QString&) { emit a.nameRequested(); return QString(); }},

    {.id = "strip", .title = QT_TRANSLATE_NOOP("QObject", "Select strip %1"), .group = kStrips,
     .argument = Argument::strip, .keys = "Ctrl+Alt+%1", .numbered = 8, .everywhere = true, .run = focusStrip},
    {.id = "next-strip", .title = QT_TRANSLATE_NOOP("QObject", "Next strip"), .group = kStrips,
     .keys = "Ctrl+Alt+Down",
     .run = [](Actions& a, const QString&) { a.app().mixer().focusNext(1); return QString(); },
     .possible = severalStrips},
    {.id = "previous-strip", .title = QT_TRANSLATE_NOOP("QObject", "Previous strip"), .group = kStrips,
     .keys = "Ctrl+Alt+Up",
     .run = [](Actions& a, const QString&) { a.app().mixer().focusNext(-1); return QString(); },
     .possible = severalStrips},
    {.id = "select", .formerly = "focus-at", .title = QT_TRANSLATE_NOOP("QObject", "Select a strip and its stage"), .group = kStrips,
     .argument = Argument::strip_stage, .run = focusAt},
    {.id = "bookmark", .formerly = "place", .title = QT_TRANSLATE_NOOP("QObject", "Go to bookmark %1"), .group = kStrips,
     .argument = Argument::place, .keys = "Ctrl+F%1", .numbered = kMaxBookmarks, .everywhere = true,
     .run = goToPlace},
    {.id = "set-bookmark", .formerly = "keep-place", .title = QT_TRANSLATE_NOOP("QObject", "Set bookmark %1"),
     .group = kStrips, .argument = Argument::place, .keys = "Ctrl+Shift+F%1", .numbered = kMaxBookmarks,
     .run = keepPlace},
    {.id = "solo", .formerly = "alone", .title = QT_TRANSLATE_NOOP("QObject", "Toggle solo in headphones"),
     .group = kStrips, .argument = Argument::strip, .run = alone},
    {.id = "mute-strip", .title = QT_TRANSLATE_NOOP("QObject", "Mute a strip"), .group = kStrips,
     .argument = Argument::strip, .run = [](Actions& a, const QString& w) { return muteStrip(a, w, true); }},
    {.id = "unmute-strip", .title = QT_TRANSLATE_NOOP("QObject", "Unmute a strip"), .group = kStrips,
     .argument = Argument::strip, .run = [](Actions& a, const QString& w) { return muteStrip(a, w, false); }},
    {.id = "toggle-strip", .title = QT_TRANSLATE_NOOP("QObject", "Toggle mute of strip %1"), .group = kStrips,
     .argument = Argument::strip, .keys = "Ctrl+Alt+Shift+%1", .numbered = 8, .everywhere = true,
     .run = [](Actions& a, const QString& w) { return muteStrip(a, w, std::nullopt); }},
    {.id = "fader", .title = QT_TRANSLATE_NOOP("QObject", "Set a fader"), .group = kStrips,
     .argument = Argument::level, .absolute = true,
     .run = [](Actions& a, const QString& w) { return setFader(a, w, false); }},
    {.id = "adjust-fader", .formerly = "step-fader", .title = QT_TRANSLATE_NOOP("QObject", "Adjust fader by dB"), .group = kStrips,
     .argument = Argument::level, .run = [](Actions& a, const QString& w) { return setFader(a, w, true); }},
    {.id = "balance", .title = QT_TRANSLATE_NOOP("QObject", "Voice/app loudness balance"), .group = kStrips,
     .keys = "Ctrl+L", .run = [](Actions& a, const QString&) { emit a.balanceRequested(); return QString(); },
     .possible = [](const AppModel& s) { return s.mixer().count(StripRole::programme) > 0; }},
    {.id = "add-voice", .title = QT_TRANSLATE_NOOP("QObject", "Add a voice"), .group = kStrips,
     .run = [](Actions& a, const QString&) { return add(a, StripRole::voice); }},
    {.id = "add-app-audio", .formerly = "add-programme", .title = QT_TRANSLATE_NOOP("QObject", "Add app audio"),
     .group = kStrips, .run = [](Actions& a, const QString&) { return add(a, StripRole::programme); }},
    {.id = "remove-strip", .title = QT_TRANSLATE_NOOP("QObject", "Remove this strip"), .group = kStrips,
     .run = [](Actions& a, const QString&) {
         a.app().mixer().remove(std::string(a.strip().chainModel().spec().id)); return QString(); },
     .possible = isOtherStrip},
    {.id = "restore-strip", .formerly = "bring-back", .title = QT_TRANSLATE_NOOP("QObject", "Restore removed strip"), .group = kStrips,
     .run = [](Actions& a, const QString&) { a.app().mixer().restoreRemoved(); return QString(); },
     .possible = [](const AppModel& s) { return s.mixer().canRestoreRemoved(); }},

    {.id = "select-stage", .formerly = "focus", .title = QT_TRANSLATE_NOOP("QObject", "Select stage %1"), .group = kStages,
     .argument = Argument::stage, .keys = "Alt+%1", .numbered = 9,
     .run = [](Actions& a, const QString& word) { return focusSpot(a, stageOf(a.app(), word)); }},
    {.id = "next-stage", .title = QT_TRANSLATE_NOOP("QObject", "Next stage"), .group = kStages,
     .keys = "Alt+Right", .run = [](Actions& a, const QString&) { return focusNext(a, 1); }},
    {.id = "previous-stage", .title = QT_TRANSLATE_NOOP("QObject", "Previous stage"), .group = kStages,
     .keys = "Alt+Left", .run = [](Actions& a, const QString&) { return focusNext(a, -1); }},
    {.id = "bypass-focused", .title = QT_TRANSLATE_NOOP("QObject", "Toggle bypass of selected stage"), .group = kStages,
     .keys = "Ctrl+B",
     .run = [](Actions& a, const QString&) {
         return bypass(a, QString::fromStdString(a.strip().chainModel().focused()), std::nullopt); },
     .possible = hasFocus},
    {.id = "toggle-ab", .formerly = "other-memory", .title = QT_TRANSLATE_NOOP("QObject", "Switch A/B of selected stage"),
     .group = kStages, .keys = "Ctrl+T",
     .run = [](Actions& a, const QString&) {
         a.strip().chainModel().toggleAb(std::string(a.strip().chainModel().focused()));
         return QString(); },
     .possible = hasFocus},
    {.id = "bypass", .title = QT_TRANSLATE_NOOP("QObject", "Bypass a stage"), .group = kStages,
     .argument = Argument::stage, .run = [](Actions& a, const QString& word) { return bypass(a, word, true); }},
    {.id = "enable-stage", .formerly = "enable", .title = QT_TRANSLATE_NOOP("QObject", "Enable stage"), .group = kStages,
     .argument = Argument::stage, .run = [](Actions& a, const QString& word) { return bypass(a, word, false); }},
    {.id = "toggle-stage", .formerly = "toggle", .title = QT_TRANSLATE_NOOP("QObject", "Toggle bypass of stage %1"),
     .group = kStages, .argument = Argument::stage, .keys = "Alt+Shift+%1", .numbered = 9, .everywhere = true,
     .run = [](Actions& a, const QString& word) { return bypass(a, word, std::nullopt); }},
    {.id = "increase-value", .formerly = "turn-up", .title = QT_TRANSLATE_NOOP("QObject", "Increase last used value"), .group = kStages,
     .keys = "Alt+Up", .everywhere = true,
     .run = [](Actions& a, const QString&) { return turn(a, 1.0, false); }, .possible = hasFocus},
    {.id = "decrease-value", .formerly = "turn-down", .title = QT_TRANSLATE_NOOP("QObject", "Decrease last used value"), .group = kStages,
     .keys = "Alt+Down", .everywhere = true,
     .run = [](Actions& a, const QString&) { return turn(a, -1.0, false); }, .possible = hasFocus},
    {.id = "increase-value-fine", .formerly = "turn-up-fine", .title = QT_TRANSLATE_NOOP("QObject", "Increase last used value (fine)"), .group = kStages,
     .keys = "Alt+Shift+Up", .run = [](Actions& a, const QString&) { return turn(a, 1.0, true); },
     .possible = hasFocus},
    {.id = "decrease-value-fine", .formerly = "turn-down-fine", .title = QT_TRANSLATE_NOOP("QObject", "Decrease last used value (fine)"), .group = kStages,
     .keys = "Alt+Shift+Down", .run = [](Actions& a, const QString&) { return turn(a, -1.0, true); },
     .possible = hasFocus},
    {.id = "set-value", .formerly = "set", .title = QT_TRANSLATE_NOOP("QObject", "Set a value"), .group = kStages,
     .argument = Argument::value, .absolute = true, .run = setValue},
    {.id = "set-position", .title = QT_TRANSLATE_NOOP("QObject", "Set a value by its position"), .group = kStages,
     .argument = Argument::position, .absolute = true, .run = setPosition},
    {.id = "step-value", .formerly = "step", .title = QT_TRANSLATE_NOOP("QObject", "Step a value"), .group = kStages,
     .argument = Argument::steps, .run = stepValue},

    {.id = "characters", .title = QT_TRANSLATE_NOOP("QObject", "Show characters"), .group = kCharacters,
     .keys = "F10", .run = [](Actions& a, const QString&) { emit a.charactersRequested(); return QString(); }},
    {.id = "character-off", .formerly = "no-character", .title = QT_TRANSLATE_NOOP("QObject", "Turn character off"),
     .group = kCharacters, .keys = "Ctrl+Shift+0", .everywhere = true,
     .run = [](Actions& a, const QString&) { return turnCharactersOff(a); }},
    {.id = "character", .title = QT_TRANSLATE_NOOP("QObject", "Toggle %1"), .group = kCharacters,
     .argument = Argument::character, .keys = "Ctrl+Shift+%1", .everywhere = true, .run = toggleCharacter,
     .state = isCharacterOn},
    {.id = "hold-character", .title = QT_TRANSLATE_NOOP("QObject", "Hold for %1"), .group = kCharacters,
     .argument = Argument::character, .held = true, .everywhere = true, .run = holdCharacter,
     .state = isCharacterOn},

    {.id = "soundcheck", .title = QT_TRANSLATE_NOOP("QObject", "Soundcheck…"), .group = kTakes,
     .keys = "F3", .run = [](Actions& a, const QString&) { emit a.soundcheckRequested(); return QString(); }},
    {.id = "takes", .title = QT_TRANSLATE_NOOP("QObject", "Show or hide takes"), .group = kTakes,
     .keys = "F4", .run = [](Actions& a, const QString&) { emit a.takesRequested(); return QString(); }},
    {.id = "save-take", .formerly = "keep-that", .title = QT_TRANSLATE_NOOP("QObject", "Save last 20 s as take"), .group = kTakes,
     .keys = "F5", .everywhere = true,
     .run = [](Actions& a, const QString&) { return a.app().takes().keep(TakesModel::kUsual); }},
    {.id = "record", .title = QT_TRANSLATE_NOOP("QObject", "Start or stop recording"), .group = kTakes,
     .keys = "Shift+F5", .everywhere = true,
     .run = [](Actions& a, const QString&) { return a.app().takes().record(); },
     .state = [](AppModel& s, const QString&) { return s.takes().recording(); }},
    {.id = "toggle-loop", .formerly = "loop", .title = QT_TRANSLATE_NOOP("QObject", "Toggle loop"),
     .group = kTakes, .keys = "F6", .everywhere = true,
     .run = [](Actions& a, const QString&) {
         a.app().takes().setLooping(!a.app().takes().looping()); return QString(); },
     .state = [](AppModel& s, const QString&) { return s.takes().looping(); }},
    {.id = "compare-unprocessed", .formerly = "compare-plain", .title = QT_TRANSLATE_NOOP("QObject", "Toggle comparison with unprocessed"),
     .group = kTakes, .keys = "F7", .run = comparePlain},
    {.id = "switch-comparison", .formerly = "switch-side", .title = QT_TRANSLATE_NOOP("QObject", "Switch comparison side"),
     .group = kTakes, .keys = "F8",
     .run = [](Actions& a, const QString&) {
         TakesModel& t = a.app().takes();
         if (t.blind() == nullptr) t.chooseSide(!t.sideB());
         return QString(); },
     .possible = [](const AppModel& s) { return s.takes().comparing(); }},

    {.id = "undo", .title = QT_TRANSLATE_NOOP("QObject", "Undo"), .group = kChanges, .keys = "Ctrl+Z",
     .run = [](Actions& a, const QString&) { a.app().history().undo(); return QString(); },
     .possible = [](const AppModel& s) { return s.history().canUndo(); }, .now = undoTitle},
    {.id = "redo", .title = QT_TRANSLATE_NOOP("QObject", "Redo"), .group = kChanges,
     .keys = "Ctrl+Shift+Z; Ctrl+Y",
     .run = [](Actions& a, const QString&) { a.app().history().redo(); return QString(); },
     .possible = [](const AppModel& s) { return s.history().canRedo(); }, .now = redoTitle},

    {.id = "shortcuts", .formerly = "keys", .title = QT_TRANSLATE_NOOP("QObject", "Keyboard shortcuts"), .group = kProgram,
     .keys = "F1; ?", .run = [](Actions& a, const QString&) { a.openKeys(); return QString(); }},
    {.id = "theme", .title = QT_TRANSLATE_NOOP("QObject", "Change theme"), .group = kProgram,
     .argument = Argument::theme, .run = theme},
    {.id = "compact-window", .formerly = "small-window", .title = QT_TRANSLATE_NOOP("QObject", "Toggle compact window"),
     .group = kProgram, .keys = "F9", .everywhere = true,
     .run = [](Actions& a, const QString&) { emit a.compactRequested(); return QString(); }},
    {.id = "raise", .title = QT_TRANSLATE_NOOP("QObject", "Show the window"), .group = kProgram,
     .run = [](Actions& a, const QString&) { emit a.raiseRequested(); return QString(); }},
    {.id = "quit", .title = QT_TRANSLATE_NOOP("QObject", "Quit"), .group = kProgram, .keys = "Ctrl+Q",
     .run = [](Actions& a, const QString&) {
         // Not at once: it may ask, and another program waits for its answer.
         later(&a, [&a] { emit a.quitRequested(); });
         return QString(); }},
};
// clang-format on

}  // namespace

std::span<const Action> action_table() {
    return kTable;
}

const Action* find_action(const QString& id) {
    for (const Action& a : kTable) {
        if (id == a.id || (*a.formerly != 0 && id == a.formerly)) return &a;
    }
    return nullptr;
}

QString usage(const Action& action) {
    static constexpr const char* kArguments[] = {"",
                                                 " on|off",
                                                 " NAME",
                                                 " STAGE",
                                                 " off|output|unprocessed|removed",
                                                 " STAGE PARAMETER VALUE",
                                                 " STAGE PARAMETER POSITION",
                                                 " STAGE PARAMETER STEPS",
                                                 " dusk|dawn",
                                                 " STRIP",
                                                 " STRIP STAGE",
                                                 " STRIP DB",
                                                 " MS",
                                                 " NUMBER",
                                                 " NAME"};
    if (action.held && action.argument == Argument::character) return QString(action.id) + " NAME on|off";
    return QString(action.id) + kArguments[static_cast<int>(action.argument)];
}

}  // namespace reed::ui
