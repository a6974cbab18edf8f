#include "deck/scene_bar.h"

#include <QApplication>
#include <QDir>
#include <QFileDialog>
#include <QKeyEvent>
#include <QPushButton>
#include <algorithm>
#include <functional>
#include <set>
#include <utility>

#include "actions/actions.h"
#include "deck/adaptation_popover.h"
#include "deck/auto_recall_popover.h"
#include "deck/changes_popover.h"
#include "deck/scene_compare_popover.h"
#include "deck/scene_finder.h"
#include "deck/scene_menu.h"
#include "deck/scene_properties_popover.h"
#include "model/app_model.h"
#include "model/scenes/adaptation_model.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/later.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {
constexpr int kShortKey = 4;  // letters
}

SceneBar::SceneBar(Actions& actions, QWidget* parent)
    : QWidget(parent), actions_(actions), app_(actions.app()) {
    setObjectName("scene_bar");
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setFixedHeight(36);
    save_ = new FlatButton(tr("Save"), this);
    save_->setObjectName("save_button");
    connect(save_, &FlatButton::clicked, this, [this] { app_.scenes().save(); });
    changes_ = new FlatButton({}, this);
    changes_->setObjectName("changes_button");
    setHint(changes_, tr("Show unsaved changes"));
    connect(changes_, &FlatButton::clicked, this,
            [this] { (new ChangesPopover(actions_, this))->openBelow(*changes_); });
    fit_ = new FlatButton(tr("Adapt to my voice"), this);
    fit_->setObjectName("fit_button");
    setHint(fit_, tr("This scene was tuned for a different voice or room. Show suggested changes."));
    connect(fit_, &FlatButton::clicked, this, &SceneBar::openFit);
    connect(&app_.adaptation(), &AdaptationModel::offChanged, this, &SceneBar::mark);
    menu_ = new FlatButton({}, this);
    menu_->setObjectName("scene_menu");
    menu_->setIconName("scenes");
    menu_->setAccessibleName(tr("Scenes"));
    setHint(menu_, tr("Scene menu"));
    connect(menu_, &FlatButton::clicked, this, &SceneBar::openMenu);
    name_ = new QLineEdit(this);
    name_->setObjectName("scene_name");
    name_->setFont(ui::font(14));
    name_->setMaxLength(static_cast<int>(kMaxSceneName));
    name_->setPlaceholderText(tr("Scene name"));
    name_->setAccessibleName(tr("Name of the scene"));
    name_->installEventFilter(this);
    name_->hide();
    connect(name_, &QLineEdit::returnPressed, this, [this] {
        const QString wanted = name_->text();
        auto replacing = SceneManager::Replacing::no;
        if (const QString other = app_.scenes().conflictingName(wanted); !other.isEmpty()) {
            if (!confirmReplacing(other)) return;
            replacing = SceneManager::Replacing::yes;
        }
        const bool done = name_for_ == NameFor::new_scene ? app_.scenes().saveAs(wanted, replacing)
                                                          : app_.scenes().rename(wanted, replacing);
        if (!done) return;
        name_->hide();
        rebuild();
    });
    connect(&app_.scenes(), &SceneManager::scenesChanged, this, &SceneBar::rebuild);
    connect(&app_.mixer(), &MixerModel::changed, this, &SceneBar::mark);
    connect(&app_.preferences().keys(), &Keys::changed, this, &SceneBar::rebuild);
    new SceneDrop(app_, window());
    rebuild();
}

bool SceneBar::confirmReplacing(const QString& other) {
    Question ask(
        this, "replace_question",
        tr("A scene named “%1” already exists. Replace it? The old one is moved to the “removed” folder.")
            .arg(other));
    const QPushButton* replace = ask.addButton(tr("Replace"), Question::AcceptRole);
    ask.addButton(tr("Cancel"), Question::RejectRole);
    ask.exec();
    return ask.clickedButton() == replace;
}

bool SceneBar::eventFilter(QObject* watched, QEvent* event) {
    if (auto* button = qobject_cast<FlatButton*>(watched); button != nullptr) return drag(button, event);
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
    name_->setText(what == NameFor::renaming ? QString::fromStdString(app_.mixer().name()) : QString());
    name_->selectAll();
    name_->show();
    place();
    name_->raise();
    name_->setFocus();
}

std::vector<SceneBar::Shown> SceneBar::shown() const {
    const Keys& keys = app_.preferences().keys();
    std::vector<Shown> out;
    int n = 0;
    for (const auto& entry : app_.scenes().scenes()) {
        ++n;
        Shown s;
        s.name = QString::fromStdString(entry.scene.name);
        s.colour = entry.scene.colour;
        // A key of its own, where that is short, else the number of its place.
        const QString own = keys.text("scene " + s.name);
        s.own_key = !own.isEmpty();
        if (n <= 9) s.prefix = QString::number(n);
        if (s.own_key && own.size() <= kShortKey) s.prefix = own;
        s.hint = keys.hint(tr("Recall %1").arg(s.name),
                           s.own_key ? "scene " + s.name : QStringLiteral("scene %1").arg(n));
        if (!entry.scene.note.empty()) s.hint += ". " + QString::fromStdString(entry.scene.note);
        out.push_back(std::move(s));
    }
    return out;
}

/// Where they show something else: one that is held by the mouse stays, whatever the disk says meanwhile.
void SceneBar::rebuild() {
    if (auto now = shown(); now != shown_) {
        shown_ = std::move(now);
        for (auto* b : buttons_) {
            b->hide();
            b->setObjectName({});
            b->deleteLater();
        }
        buttons_.clear();
        grabbed_at_ = -1;
        dragged_ = false;
        for (const Shown& s : shown_) {
            auto* b = new FlatButton(s.name, this);
            b->setObjectName("scene_" + s.name);
            b->setProperty("scene", s.name);
            b->setProperty("own_key", s.own_key);
            b->setSign(s.colour);
            b->installEventFilter(this);
            b->setWeight(FlatButton::Weight::raised);
            b->setCheckable(true);
            b->setPrefix(s.prefix);
            b->setAccessibleName(tr("Scene %1").arg(s.name));
            setHint(b, s.hint);
            connect(b, &FlatButton::clicked, this,
                    [this, name = s.name.toStdString()] { app_.scenes().recall(name); });
            buttons_.push_back(b);
        }
    }
    marked_.reset();
    mark();
}

void SceneBar::mark() {
    const QString scene = QString::fromStdString(app_.mixer().name());
    // A click has unchecked the current one.
    for (auto* b : buttons_) b->setChecked(b->objectName() == "scene_" + scene);
    const bool changed = app_.scenes().changed();
    const QString hint =
        changed ? app_.preferences().keys().hint(tr("Save the changes to “%1”").arg(scene), "save") +
                      tr(". Until then they are kept as unsaved changes.")
                : tr("“%1” is saved").arg(scene);
    Marked now{scene,
               hint,
               changed ? app_.scenes().changes().size() : 0,
               changed,
               app_.scenes().saving(),
               app_.adaptation().off()};
    if (marked_ == now) return;
    marked_ = std::move(now);
    const size_t n = marked_->changes;
    changes_->setText(n == 1 ? tr("1 change") : tr("%1 changes").arg(n));
    changes_->setVisible(n > 0);
    fit_->setVisible(marked_->off);
    save_->setText(changed ? tr("Save") : marked_->saving ? tr("Saving") : tr("Saved"));
    save_->setEnabled(changed);
    setHint(save_, hint);
    place();
}

void SceneBar::place() {
    menu_->setText({});
    const int told = changes_->isVisibleTo(this) ? changes_->sizeHint().width() + 6 : 0;
    const int fits = fit_->isVisibleTo(this) ? fit_->sizeHint().width() + 6 : 0;
    const int tail = told + fits + save_->sizeHint().width() + 6 + menu_->sizeHint().width();
    int x = 0;
    const int room = width() - tail - 6;
    bool full = false;
    if (name_->isVisibleTo(this)) {
        name_->setGeometry(0, 2, std::min(320, room), 32);
        x = name_->width() + 6;
    }
    // From the first on as many as fit; the current one is always among them, and before others those that
    // have keys of their own.
    const auto before = [](const FlatButton* b) {
        return b->isChecked() ? 2 : b->property("own_key").toBool() ? 1 : 0;
    };
    std::vector<FlatButton*> wanted = buttons_;
    std::ranges::stable_sort(wanted, std::greater<>(), before);
    int taken = x;
    std::set<const FlatButton*> shown;
    for (const FlatButton* b : wanted) {
        const int w = b->sizeHint().width();
        full = full || taken + w > room;
        if (full && !b->isChecked()) break;
        taken += w + 6;
        shown.insert(b);
    }
    for (auto* b : buttons_) {
        const int w = b->sizeHint().width();
        b->setVisible(shown.contains(b));
        if (!shown.contains(b)) continue;
        b->setGeometry(x, 2, std::min(w, room - x), 32);
        x += b->width() + 6;
    }
    if (told > 0) {
        changes_->setGeometry(x, 2, told - 6, 32);
        x += told;
    }
    if (fits > 0) {
        fit_->setGeometry(x, 2, fits - 6, 32);
        x += fits;
    }
    save_->setGeometry(x, 2, save_->sizeHint().width(), 32);
    // The sign of the menu has a word beside it where nothing else needs the room.
    menu_->setText(tr("Scenes"));
    if (shown.size() < buttons_.size() || x + save_->width() + 6 + menu_->sizeHint().width() > width())
        menu_->setText({});
    menu_->setGeometry(x + save_->width() + 6, 2, menu_->sizeHint().width(), 32);
}

void SceneBar::resizeEvent(QResizeEvent*) {
    place();
}

void SceneBar::openFinder() {
    (new SceneFinder(app_.scenes(), app_.mixer().name(), this))->openBelow(*this);
}

void SceneBar::openMenu() {
    auto* menu = new SceneMenu(actions_, this);
    connect(menu, &SceneMenu::renameWanted, this, [this] { askName(NameFor::renaming); });
    connect(menu, &SceneMenu::aboutWanted, this, &SceneBar::openAbout);
    connect(menu, &SceneMenu::besideWanted, this, &SceneBar::openBeside);
    connect(menu, &SceneMenu::rulesWanted, this, &SceneBar::openRules);
    connect(menu, &SceneMenu::filesWanted, this, [this] {
        importScenes(app_, window(),
                     QFileDialog::getOpenFileNames(window(), tr("Import scenes"), QDir::homePath(),
                                                   tr("Scenes (*.json *.zip)")));
    });
    connect(menu, &SceneMenu::exportWanted, this, &SceneBar::exportScenes);
    menu->popup(menu_->mapToGlobal(QPoint(0, menu_->height())));
}

void SceneBar::openAbout() {
    const QString name = QString::fromStdString(app_.mixer().name());
    (new ScenePropertiesPopover(app_.scenes(), name, this))->openBelow(*menu_);
}

void SceneBar::openRules() {
    (new AutoRecallPopover(app_, this))->openBelow(*menu_, true);
}

void SceneBar::openBeside() {
    (new SceneComparePopover(app_, this))->openBelow(*this);
}

void SceneBar::exportScenes(bool all) {
    const std::string& name = app_.mixer().name();
    const QString stem = all ? tr("scenes.zip") : QString::fromStdString(scene_file_stem(name)) + ".json";
    const QString path = QFileDialog::getSaveFileName(
        window(), all ? tr("Export all scenes") : tr("Export scene"), QDir::home().filePath(stem),
        all ? tr("Zip (*.zip)") : tr("Scene (*.json)"));
    if (path.isEmpty()) return;
    app_.scenes().exportTo(path, all ? std::vector<std::string>() : std::vector{name});
}

void SceneBar::openFit() {
    (new AdaptationPopover(actions_, this))->openBelow(*fit_);
}

/// A scene is dragged to another place among those that are shown.
bool SceneBar::drag(FlatButton* button, QEvent* event) {
    if (event->type() == QEvent::MouseButtonPress) {
        const auto* mouse = static_cast<QMouseEvent*>(event);
        grabbed_at_ = mouse->button() == Qt::LeftButton ? mouse->position().toPoint().x() : -1;
        dragged_ = false;
        return false;
    }
    if (event->type() == QEvent::MouseMove && grabbed_at_ >= 0) {
        const int x = button->mapToParent(static_cast<QMouseEvent*>(event)->position().toPoint()).x();
        if (!dragged_ && std::abs(x - grabbed_at_ - button->x()) < QApplication::startDragDistance())
            return false;
        dragged_ = true;
        button->raise();
        button->move(std::clamp(x - grabbed_at_, 0, width() - button->width()), button->y());
        return true;
    }
    if (event->type() != QEvent::MouseButtonRelease || grabbed_at_ < 0) return false;
    grabbed_at_ = -1;
    if (!std::exchange(dragged_, false)) return false;
    button->setDown(false);
    const int middle = button->geometry().center().x();
    size_t to = 0;
    for (const FlatButton* b : buttons_) {
        if (b != button && b->isVisible() && b->geometry().center().x() < middle) ++to;
    }
    const std::string name = button->property("scene").toString().toStdString();
    // Not within the button's own event: the button is created again.
    later(this, [this, name, to] { app_.scenes().moveTo(name, to); });
    return true;
}

}  // namespace reed::ui
