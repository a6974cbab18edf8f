#include "deck/scene_bar.h"

#include <QKeyEvent>
#include <QMenu>
#include <QMessageBox>
#include <QPushButton>

#include "actions/actions.h"
#include "deck/changes_popup.h"
#include "deck/scene_finder.h"
#include "session/session.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"

namespace reed::ui {

SceneBar::SceneBar(Actions& actions, QWidget* parent)
    : QWidget(parent), actions_(actions), session_(actions.session()) {
    setObjectName("scene_bar");
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setFixedHeight(36);
    save_ = new FlatButton(tr("Save"), this);
    save_->setObjectName("save_button");
    connect(save_, &FlatButton::clicked, this, [this] { session_.shelf().save(); });
    changes_ = new FlatButton({}, this);
    changes_->setObjectName("changes_button");
    changes_->setToolTip(tr("What differs from the saved scene"));
    connect(changes_, &FlatButton::clicked, this, [this] {
        auto* popup = new ChangesPopup(actions_, this);
        popup->adjustSize();
        popup->move(changes_->mapToGlobal(QPoint(0, changes_->height() + 4)));
        popup->show();
    });
    menu_ = new FlatButton({}, this);
    menu_->setObjectName("scene_menu");
    menu_->setIconName("more");
    menu_->setAccessibleName(tr("Scenes"));
    menu_->setToolTip(tr("Scenes: recall, save as, rename, remove"));
    connect(menu_, &FlatButton::clicked, this, &SceneBar::openMenu);
    name_ = new QLineEdit(this);
    name_->setObjectName("scene_name");
    name_->setFont(ui::font(14));
    name_->setMaxLength(static_cast<int>(kMaxSceneName));
    name_->setPlaceholderText(tr("Name of the scene, then Enter"));
    name_->setAccessibleName(tr("Name of the scene"));
    name_->installEventFilter(this);
    name_->hide();
    connect(name_, &QLineEdit::returnPressed, this, [this] {
        const QString wanted = name_->text();
        auto replacing = SceneShelf::Replacing::no;
        if (const QString other = session_.shelf().inTheWay(wanted); !other.isEmpty()) {
            if (!confirmReplacing(other)) return;
            replacing = SceneShelf::Replacing::yes;
        }
        const bool done = name_for_ == NameFor::new_scene ? session_.shelf().saveAs(wanted, replacing)
                                                          : session_.shelf().rename(wanted, replacing);
        if (!done) return;
        name_->hide();
        rebuild();
    });
    connect(&session_.shelf(), &SceneShelf::scenesChanged, this, &SceneBar::rebuild);
    connect(&session_.desk(), &DeskModel::changed, this, &SceneBar::mark);
    connect(&session_.preferences().keys(), &Keys::changed, this, &SceneBar::rebuild);
    rebuild();
}

bool SceneBar::confirmReplacing(const QString& other) {
    QMessageBox ask(this);
    ask.setObjectName("replace_question");
    ask.setWindowTitle(tr("Dusky Reed"));
    ask.setText(
        tr("There is already a scene \"%1\". Replace it? It is kept in the folder \"removed\".").arg(other));
    const QPushButton* replace = ask.addButton(tr("Replace it"), QMessageBox::AcceptRole);
    ask.addButton(tr("Choose another name"), QMessageBox::RejectRole);
    ask.exec();
    return ask.clickedButton() == replace;
}

bool SceneBar::eventFilter(QObject* watched, QEvent* event) {
    if (watched == name_ && event->type() == QEvent::KeyPress &&
        static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {
        name_->hide();
        place();
        return true;
    }
    return QWidget::eventFilter(watched, event);
}

void SceneBar::askName(NameFor what) {
    name_for_ = what;
    name_->setText(what == NameFor::renaming ? QString::fromStdString(session_.desk().name()) : QString());
    name_->selectAll();
    name_->show();
    place();
    name_->raise();
    name_->setFocus();
}

void SceneBar::rebuild() {
    for (auto* b : buttons_) {
        b->hide();
        b->setObjectName({});
        b->deleteLater();
    }
    buttons_.clear();
    int n = 0;
    for (const auto& entry : session_.shelf().scenes()) {
        auto* b = new FlatButton(QString::fromStdString(entry.scene.name), this);
        const std::string name = entry.scene.name;
        b->setObjectName("scene_" + QString::fromStdString(name));
        b->setWeight(FlatButton::Weight::raised);
        b->setCheckable(true);
        if (++n <= 9) b->setPrefix(QString::number(n));
        b->setAccessibleName(tr("Scene %1").arg(b->text()));
        b->setToolTip(session_.preferences().keys().hint(tr("Recall %1").arg(b->text()),
                                                         QStringLiteral("scene %1").arg(n)));
        connect(b, &FlatButton::clicked, this, [this, name] { session_.shelf().recall(name); });
        buttons_.push_back(b);
    }
    mark();
    place();
}

void SceneBar::mark() {
    const bool changed = session_.shelf().changed();
    for (auto* b : buttons_) {
        const bool current = b->objectName() == "scene_" + QString::fromStdString(session_.desk().name());
        b->setChecked(current);
    }
    const auto n = changed ? session_.shelf().changes().size() : 0;
    changes_->setText(n == 1 ? tr("1 change") : tr("%1 changes").arg(n));
    changes_->setVisible(n > 0);
    save_->setText(changed ? tr("Save") : tr("Saved"));
    save_->setEnabled(changed);
    save_->setToolTip(
        changed ? session_.preferences().keys().hint(
                      tr("Save the changes to \"%1\"").arg(QString::fromStdString(session_.desk().name())),
                      "save") +
                      tr(". Until then they are kept for this session.")
                : tr("\"%1\" is saved").arg(QString::fromStdString(session_.desk().name())));
    place();
}

void SceneBar::place() {
    const int told = changes_->isVisibleTo(this) ? changes_->sizeHint().width() + 6 : 0;
    const int tail = told + save_->sizeHint().width() + 6 + menu_->sizeHint().width();
    int x = 0;
    const int room = width() - tail - 6;
    bool full = false;
    if (name_->isVisibleTo(this)) {
        name_->setGeometry(0, 2, std::min(320, room), 32);
        x = name_->width() + 6;
    }
    // From the first on as many as fit; the current one is always among them.
    int kept = 0;
    for (auto* b : buttons_) {
        if (b->isChecked()) kept = b->sizeHint().width() + 6;
    }
    for (auto* b : buttons_) {
        const int w = b->sizeHint().width();
        if (b->isChecked()) kept = 0;
        full = full || x + w + kept > room;
        const bool shown = !full || b->isChecked();
        b->setVisible(shown);
        if (!shown) continue;
        b->setGeometry(x, 2, std::min(w, room - x), 32);
        x += b->width() + 6;
    }
    if (told > 0) {
        changes_->setGeometry(x, 2, told - 6, 32);
        x += told;
    }
    save_->setGeometry(x, 2, save_->sizeHint().width(), 32);
    menu_->setGeometry(x + save_->width() + 6, 2, menu_->sizeHint().width(), 32);
}

void SceneBar::resizeEvent(QResizeEvent*) {
    place();
}

/// What the scene was. Read when somebody looks: they may be many and large.
void SceneBar::addEarlier(QMenu* menu) {
    QMenu* earlier = menu->addMenu(tr("As it was before"));
    earlier->setObjectName("earlier_menu");
    earlier->setToolTipsVisible(true);
    earlier->setEnabled(session_.shelf().hasEarlier());
    connect(earlier, &QMenu::aboutToShow, this, [this, earlier] {
        if (earlier->isEmpty()) fillEarlier(earlier);
    });
}

/// With how much of each differs from what is heard.
void SceneBar::fillEarlier(QMenu* earlier) {
    const DeskSpec now = without_transients(session_.desk().scene().desk);
    for (const EarlierState& state : session_.shelf().earlier()) {
        const auto differs = differences(state.scene.desk, now);
        const QString when = QString::fromStdString(state.when);
        const QString title = differs.size() == 1
                                  ? tr("Until %1: 1 change since").arg(when)
                                  : tr("Until %1: %2 changes since").arg(when).arg(differs.size());
        QAction* a = earlier->addAction(title, &session_.shelf(),
                                        [shelf = &session_.shelf(), state] { shelf->bringBack(state); });
        QStringList words;
        for (const Difference& d : differs) {
            Session* strip = session_.desk().find(d.strip);
            if (words.size() >= ChangesPopup::kRows) break;
            const auto [is, was] = changeWords(d, (strip != nullptr ? *strip : session_).strip());
            words << QString::fromStdString(d.title) + ": " + is + (was.isEmpty() ? "" : ", " + was);
        }
        a->setToolTip(words.join('\n'));
    }
}

void SceneBar::openFinder() {
    auto* finder = new SceneFinder(session_.shelf(), session_.desk().name(), this);
    finder->move(mapToGlobal(QPoint(0, height() + 2)));
    finder->show();
}

void SceneBar::openMenu() {
    auto* menu = new QMenu(this);
    menu->setObjectName("scene_popup");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (const auto& entry : session_.shelf().scenes()) {
        const std::string name = entry.scene.name;
        QAction* a = menu->addAction(QString::fromStdString(name), this,
                                     [this, name] { session_.shelf().recall(name); });
        a->setCheckable(true);
        a->setChecked(name == session_.desk().name());
    }
    menu->addSeparator();
    actions_.entry(menu, "find-scene");
    addEarlier(menu);
    actions_.entry(menu, "save-as");
    QAction* rename = menu->addAction(tr("Rename this scene"), this, [this] { askName(NameFor::renaming); });
    QAction* remove = menu->addAction(tr("Remove this scene"), this,
                                      [this] { session_.shelf().remove(session_.desk().name()); });
    bool saved = false;
    for (const auto& entry : session_.shelf().scenes())
        saved = saved || entry.scene.name == session_.desk().name();
    rename->setEnabled(saved);
    remove->setEnabled(saved);
    menu->popup(menu_->mapToGlobal(QPoint(0, menu_->height())));
}

}  // namespace reed::ui
