#include "deck/scene_menu.h"

#include <QClipboard>
#include <QDropEvent>
#include <QGuiApplication>
#include <QMimeData>
#include <QPushButton>
#include <QUrl>
#include <algorithm>
#include <iterator>

#include "actions/actions.h"
#include "deck/changes_popover.h"
#include "model/app_model.h"
#include "widgets/later.h"
#include "widgets/plain_text.h"

namespace reed::ui {

SceneMenu::SceneMenu(Actions& actions, QWidget* parent)
    : QMenu(parent), actions_(actions), app_(actions.app()) {
    setObjectName("scene_popup");
    setAttribute(Qt::WA_DeleteOnClose);
    setToolTipsVisible(true);
    SceneManager& shelf = app_.scenes();
    constexpr size_t kListed = 30;  // more are found by typing
    const auto& scenes = shelf.scenes();
    for (size_t i = 0; i < std::min(kListed, scenes.size()); ++i) {
        const std::string name = scenes[i].scene.name;
        QAction* a = addAction(QString::fromStdString(name), &shelf, [&shelf, name] { shelf.recall(name); });
        a->setCheckable(true);
        a->setChecked(name == app_.mixer().name());
    }
    if (scenes.size() > kListed)
        addAction(tr("%1 more (use Find scene)").arg(scenes.size() - kListed))->setEnabled(false);
    addSeparator();
    actions_.entry(this, "find-scene");
    addStartingPoints();
    addSeparator();
    const bool saved = shelf.find(app_.mixer().name()) != nullptr;
    addAction(tr("Properties…"), this, &SceneMenu::aboutWanted);
    addAction(tr("Assign shortcut…"), this, [this] {
        actions_.openKeyOf(QString::fromStdString(app_.mixer().name()));
    })->setEnabled(saved);
    addAction(tr("Auto-recall rules…"), this, &SceneMenu::rulesWanted)->setEnabled(saved);
    addAction(tr("Compare with another scene…"), this, &SceneMenu::besideWanted)
        ->setEnabled(scenes.size() > 1);
    addEarlier();
    actions_.entry(this, "save-as");
    addAction(tr("Rename…"), this, &SceneMenu::renameWanted)->setEnabled(saved);
    addAction(tr("Remove this scene"), this, [this] {
        app_.scenes().remove(app_.mixer().name());
    })->setEnabled(saved);
    addSeparator();
    addAction(tr("Import scenes…"), this, &SceneMenu::filesWanted);
    addAction(tr("Import from clipboard"), this, [this, parent] {
        pasteScene(app_, parent != nullptr ? parent->window() : nullptr,
                   QGuiApplication::clipboard()->text());
    });
    addAction(tr("Copy to clipboard"), this, [this] {
        QGuiApplication::clipboard()->setText(QString::fromStdString(scene_text(app_.scenes().whole())));
        app_.mixer().current().notices().say(tr("Scene copied. Learned noise profiles are not included."));
    });
    addAction(tr("Export scene…"), this, [this] { emit exportWanted(false); });
    addAction(tr("Export all scenes…"), this, [this] {
        emit exportWanted(true);
    })->setEnabled(!scenes.empty());
}

/// Scenes for situations, to begin with.
void SceneMenu::addStartingPoints() {
    QMenu* points = addMenu(tr("New from template"));
    points->setObjectName("starting_points");
    points->setToolTipsVisible(true);
    SceneManager* shelf = &app_.scenes();
    connect(points, &QMenu::aboutToShow, this, [this, points, shelf] {
        if (!points->isEmpty()) return;
        for (const SceneEntry& entry :
             SceneLibrary(app_.context().paths.demo_data / "starting_points").list().scenes) {
            const QString name = QString::fromStdString(entry.scene.name);
            setHint(points->addAction(name, shelf,
                                      [shelf, scene = entry.scene] { shelf->newFromTemplate(scene); }),
                    QString::fromStdString(entry.scene.note));
        }
        if (points->isEmpty()) points->addAction(tr("No templates installed"))->setEnabled(false);
    });
}

/// An earlier version of the scene. Read when it is shown: versions may be many and large.
void SceneMenu::addEarlier() {
    QMenu* earlier = addMenu(tr("Previous versions"));
    earlier->setObjectName("earlier_menu");
    earlier->setToolTipsVisible(true);
    earlier->setEnabled(app_.scenes().hasEarlier());
    connect(earlier, &QMenu::aboutToShow, this, [this, earlier] {
        if (earlier->isEmpty()) fillEarlier(earlier);
    });
}

/// Shows how many values of each version differ from the current ones.
void SceneMenu::fillEarlier(QMenu* earlier) {
    const MixerSpec now = without_transients(app_.mixer().scene().desk);
    for (const SceneRevision& state : app_.scenes().earlier()) {
        const auto differs = differences(state.scene.desk, now);
        const QString when = QString::fromStdString(state.when);
        const QString title = differs.size() == 1 ? tr("%1 (1 change since)").arg(when)
                                                  : tr("%1 (%2 changes since)").arg(when).arg(differs.size());
        QAction* a = earlier->addAction(title, &app_.scenes(),
                                        [shelf = &app_.scenes(), state] { shelf->restoreRemoved(state); });
        QStringList words;
        for (const Difference& d : differs) {
            StripModel* strip = app_.mixer().find(d.strip);
            if (words.size() >= ChangesPopover::kRows) break;
            const auto [is, was] =
                changeWords(d, (strip != nullptr ? *strip : app_.mixer().current()).chainModel());
            words << QString::fromStdString(d.title) + ": " + is + (was.isEmpty() ? "" : ", " + was);
        }
        setHint(a, words.join('\n'));
    }
}

namespace {

/// "Me: Gain, Gate, Limiter".
QString stripWords(const StripSpec& strip) {
    QStringList stages;
    for (const StageSpec& s : strip.chain.stages)
        stages << QString::fromStdString(s.shown_title()) + (s.bypass ? SceneMenu::tr(" (bypassed)") : "");
    return QString::fromStdString(strip.shown_name()) + ": " + stages.join(", ");
}

void takeIn(AppModel& app, QWidget* parent, const std::vector<Scene>& scenes) {
    SceneManager& shelf = app.scenes();
    ConflictPolicy clash = ConflictPolicy::keep_both;
    if (const QStringList there = shelf.clashes(scenes); !there.isEmpty()) {
        const QString names = QStringLiteral("“") +
                              QStringList(there.mid(0, 4)).join(QStringLiteral("”, “")) + QStringLiteral("”");
        Question ask(parent, "clash_question",
                     there.size() == 1
                         ? SceneMenu::tr("A scene named %1 already exists.").arg(names)
                         : SceneMenu::tr("%1 of these scenes already exist: %2%3.")
                               .arg(there.size())
                               .arg(names, there.size() > 4 ? SceneMenu::tr(" and more") : QString()),
                     SceneMenu::tr("Keep both (the imported scene gets a number), or replace the existing "
                                   "one (it is moved to the “removed” folder)."));
        const QAbstractButton* both = ask.addButton(SceneMenu::tr("Keep both"), Question::AcceptRole);
        const QAbstractButton* replace = ask.addButton(SceneMenu::tr("Replace"), Question::DestructiveRole);
        const QAbstractButton* leave = ask.addButton(SceneMenu::tr("Skip"), Question::RejectRole);
        ask.exec();
        if (ask.clickedButton() == replace)
            clash = ConflictPolicy::replace;
        else if (ask.clickedButton() == leave || ask.clickedButton() != both)
            clash = ConflictPolicy::leave_out;
    }
    shelf.takeIn(scenes, clash);
}

}  // namespace

void importScenes(AppModel& app, QWidget* parent, const QStringList& files) {
    std::vector<Scene> scenes;
    for (const QString& file : files) std::ranges::move(app.scenes().read(file), std::back_inserter(scenes));
    if (!scenes.empty()) takeIn(app, parent, scenes);
}

void pasteScene(AppModel& app, QWidget* parent, const QString& text) {
    const SceneReading reading = read_scene(text.trimmed().toStdString());
    if (!reading.scene) {
        app.mixer().current().notices().warn(
            SceneMenu::tr("The clipboard doesn't contain a scene: %1")
                .arg(QString::fromStdString(reading.problems.front().text())));
        return;
    }
    const Scene& scene = *reading.scene;
    QStringList lines;
    if (!scene.note.empty()) lines << QString::fromStdString(scene.note).left(400);
    for (const StripSpec& strip : scene.desk.strips) {
        lines << stripWords(strip);
        if (const auto made = scene.made_for.find(strip.id); made != scene.made_for.end())
            lines << SceneMenu::tr("   tuned for speech at %1 dBFS, background noise at %2 dBFS")
                         .arg(made->second.in.usual, 0, 'f', 0)
                         .arg(made->second.in.room, 0, 'f', 0);
    }
    for (const std::string& remark : reading.remarks) lines << QString::fromStdString(remark);
    Question ask(parent, "paste_question",
                 SceneMenu::tr("Import the scene “%1”? This doesn't change what you hear.")
                     .arg(QString::fromStdString(scene.name)),
                 lines.join('\n'));
    const QAbstractButton* take = ask.addButton(SceneMenu::tr("Import"), Question::AcceptRole);
    ask.addButton(SceneMenu::tr("Cancel"), Question::RejectRole);
    ask.exec();
    if (ask.clickedButton() == take) takeIn(app, parent, {scene});
}

namespace {

QStringList sceneFiles(const QMimeData* data) {
    QStringList out;
    for (const QUrl& url : data->urls()) {
        const QString path = url.toLocalFile();
        if (path.endsWith(".json", Qt::CaseInsensitive) || path.endsWith(".zip", Qt::CaseInsensitive))
            out << path;
    }
    return out;
}

}  // namespace

SceneDrop::SceneDrop(AppModel& app, QWidget* window) : QObject(window), app_(app), window_(window) {
    window->setAcceptDrops(true);
    window->installEventFilter(this);
}

bool SceneDrop::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() != QEvent::DragEnter && event->type() != QEvent::Drop)
        return QObject::eventFilter(watched, event);
    auto* drop = static_cast<QDropEvent*>(event);
    const QStringList files = sceneFiles(drop->mimeData());
    if (files.isEmpty()) return false;
    drop->acceptProposedAction();
    // The program the files come from waits until the drop is done, a question may take longer.
    if (event->type() == QEvent::Drop) later(this, [this, files] { importScenes(app_, window_, files); });
    return true;
}

}  // namespace reed::ui
