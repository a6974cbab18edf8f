#include "actions/actions.h"

#include <QAction>
#include <QMenu>
#include <QShortcut>

#include "model/shared/shortcut_text.h"
#include "model/strips/characters.h"

namespace reed::ui {
namespace {

QString slotId(const char* id, int number) {
    return number == 0 || *id == 0 ? QString(id) : QStringLiteral("%1 %2").arg(id).arg(number);
}

/// A slot each, which stays its own by name.
void addCharacters(std::vector<ShortcutSlot>& out, const Action& action, const Characters& characters) {
    int n = 0;
    for (const CharacterEntry& c : characters.all()) {
        ShortcutSlot slot{QStringLiteral("%1 %2").arg(action.id, c.name),
                          QObject::tr(action.title).arg(c.name),
                          QObject::tr(action.group),
                          {},
                          action.held,
                          action.everywhere,
                          {}};
        if (++n <= 9 && *action.keys != 0)
            slot.usual = QKeySequence::listFromString(QString(action.keys).arg(n));
        out.push_back(std::move(slot));
    }
}

/// Scenes with keys of their own, beside those by their places. A name that is a number is a place.
void addScenes(std::vector<ShortcutSlot>& out, const Action& action, const QStringList& named) {
    for (const QString& name : named)
        out.push_back({QStringLiteral("%1 %2").arg(action.id, name),
                       QObject::tr("Scene “%1”").arg(name),
                       QObject::tr(action.group),
                       {},
                       action.held,
                       action.everywhere,
                       {}});
}

std::vector<ShortcutSlot> keySlots(const Characters& characters, const QStringList& named) {
    std::vector<ShortcutSlot> out;
    for (const Action& a : action_table()) {
        if (a.argument == Argument::character) {
            addCharacters(out, a, characters);
            continue;
        }
        if (a.argument != Argument::none && a.numbered == 0 && !a.held) continue;
        for (int n = a.numbered == 0 ? 0 : 1; n <= a.numbered; ++n) {
            const auto with = [n](const QString& text) { return n == 0 ? text : text.arg(n); };
            auto keys = QKeySequence::listFromString(with(a.keys));
            keys.removeAll(QKeySequence());
            out.push_back({slotId(a.id, n), with(QObject::tr(a.title)), QObject::tr(a.group), keys, a.held,
                           a.everywhere, slotId(a.formerly, n)});
        }
        if (a.argument == Argument::scene) addScenes(out, a, named);
    }
    return out;
}

}  // namespace

QString shortened(const QString& text) {
    constexpr int kMost = 80;
    return text.size() <= kMost ? text : text.left(kMost) + QStringLiteral(" ...");
}

Actions::Actions(AppModel& app, QObject* parent) : QObject(parent), app_(app) {
    Keys& keys = app_.preferences().keys();
    connect(&app_.characters(), &Characters::changed, this, &Actions::defineKeys);
    connect(&app_.scenes(), &SceneManager::scenesChanged, this, &Actions::followScenes);
    connect(&keys, &Keys::changed, this, &Actions::followScenes);
    connect(&app_.context().midi, &MidiAssignments::changed, this, &Actions::followScenes);
    connect(&app_.scenes(), &SceneManager::renamed, this,
            [this, &keys](const QString& from, const QString& to) {
                keys.renamed("scene " + from, "scene " + to);
                app_.context().midi.renamed("scene " + from, "scene " + to);
                app_.preferences().globalKeys().renamed("scene " + from, "scene " + to);
            });
    defineKeys();
}

void Actions::defineKeys() {
    app_.preferences().keys().define(keySlots(app_.characters(), named_));
}

void Actions::followScenes() {
    QStringList now;
    const auto& kept = app_.preferences().keys().kept();
    for (const SceneEntry& entry : app_.scenes().scenes()) {
        const QString name = QString::fromStdString(entry.scene.name);
        bool place = false;
        (void)name.toInt(&place);
        const QString slot = "scene " + name;
        const bool used = kept.contains(slot.toStdString()) || !app_.context().midi.of({slot, {}}).empty();
        if (!place && (name == offered_ || used)) now << name;
    }
    if (now == named_) return;
    named_ = now;
    defineKeys();
}

void Actions::openKeyOf(const QString& scene) {
    offered_ = scene;
    followScenes();
    openKeys(scene);
}

QString Actions::run(const QString& id, const QString& argument) {
    const Action* action = find_action(id);
    if (action == nullptr) return tr("Unknown action “%1”.").arg(shortened(id));
    if (action->argument == Argument::none && !argument.isEmpty())
        return tr("“%1” takes no argument.").arg(id);
    if (action->argument != Argument::none && argument.isEmpty())
        return tr("“%1” needs an argument: %2.").arg(id, usage(*action));
    QString why = action->run(*this, argument);
    emit ran(action->id, argument, why);
    return why;
}

void Actions::act(const QString& id, const QString& argument) {
    if (const QString why = run(id, argument); !why.isEmpty()) app_.mixer().main().notices().warn(why);
}

QString Actions::nameOf(const QString& id, int number) const {
    const auto at = static_cast<size_t>(number - 1);
    const Action* action = find_action(id);
    if (action != nullptr && action->argument == Argument::scene && at < app_.scenes().scenes().size())
        return QString::fromStdString(app_.scenes().scenes()[at].scene.name);
    if (action != nullptr && action->argument == Argument::stage &&
        at < strip().chainModel().chain().stages.size())
        return QString::fromStdString(strip().chainModel().chain().stages[at].shown_title());
    const auto& strips = app_.mixer().strips();
    if (action != nullptr && action->argument == Argument::strip && at < strips.size())
        return strips[at]->name();
    return {};
}

void Actions::installKeys(QWidget* window) {
    const auto install = [this, window] {
        qDeleteAll(window->findChildren<QShortcut*>(QStringLiteral("action_key")));
        for (const ShortcutSlot& slot : app_.preferences().keys().all()) {
            if (slot.held) continue;
            const QString id = slot.id.section(' ', 0, 0);
            const QString argument = slot.id.section(' ', 1);
            for (const QKeySequence& key : app_.preferences().keys().of(slot.id)) {
                if (mouseButtonOf(key[0].key()) != 0) continue;
                auto* shortcut = new QShortcut(key, window);
                shortcut->setObjectName("action_key");
                connect(shortcut, &QShortcut::activated, this, [this, id, argument] { act(id, argument); });
            }
        }
    };
    connect(&app_.preferences().keys(), &Keys::changed, window, install);
    install();
}

QString Actions::slotFor(int key, Qt::KeyboardModifiers with, bool held) const {
    for (const ShortcutSlot& slot : app_.preferences().keys().all()) {
        if (slot.held != held) continue;
        const auto keys = app_.preferences().keys().of(slot.id);
        const bool is = std::ranges::any_of(keys, [&](const QKeySequence& k) {
            return k[0].key() == key && k[0].keyboardModifiers() == (with & ~Qt::KeypadModifier);
        });
        if (is) return slot.id;
    }
    return {};
}

void Actions::hold(const QString& slot, bool down) {
    const QString name = slot.section(' ', 1);
    act(slot.section(' ', 0, 0), (name.isEmpty() ? name : name + ' ') + (down ? "on" : "off"));
}

void Actions::ownerLost(const QString& slot) {
    if (slot == "talk")
        app_.mute().talkOwnerLost();
    else
        hold(slot, false);
}

std::optional<bool> Actions::stateOf(const QString& slot) const {
    const Action* action = find_action(slot.section(' ', 0, 0));
    if (action == nullptr || action->state == nullptr) return std::nullopt;
    return action->state(app_, slot.section(' ', 1));
}

QAction* Actions::entry(QMenu* menu, const QString& id, const QString& argument) {
    const Action* action = find_action(id);
    Q_ASSERT(action != nullptr);
    QString title = action->now != nullptr ? action->now(app_) : QObject::tr(action->title);
    if (action->numbered > 0) title = title.arg(argument);
    const QString key = app_.preferences().keys().text(argument.isEmpty() ? id : id + ' ' + argument);
    if (!key.isEmpty()) title += '\t' + key;
    QAction* out = menu->addAction(title, this, [this, id, argument] { act(id, argument); });
    out->setEnabled(action->possible == nullptr || action->possible(app_));
    out->setObjectName(id);
    return out;
}

}  // namespace reed::ui
