#include "deck/scene_finder.h"

#include <QKeyEvent>
#include <algorithm>
#include <functional>
#include <vector>

#include "model/scenes/scene_manager.h"
#include "theme/theme.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {
constexpr int kWidth = 360, kHeight = 320, kEdge = 10, kRow = 30, kHeading = 26;
}

SceneFinder::SceneFinder(SceneManager& shelf, const std::string& now, QWidget* parent)
    : Panel("scene_finder", tr("Find a scene"), parent), shelf_(shelf), now_(now) {
    setFixedSize(kWidth, kHeight);
    wanted_ = new QLineEdit(this);
    wanted_->setObjectName("scene_wanted");
    wanted_->setPlaceholderText(tr("Type to find a scene, press Enter to recall it"));
    wanted_->setAccessibleName(tr("Find a scene"));
    wanted_->setFont(ui::font(14));
    wanted_->setGeometry(kEdge, kEdge, kWidth - 2 * kEdge, 32);
    wanted_->installEventFilter(this);
    list_ = new QListWidget(this);
    list_->setObjectName("scene_found");
    list_->setAccessibleName(tr("Scenes"));
    list_->setFont(ui::font(14));
    list_->setFrameShape(QFrame::NoFrame);
    list_->setGeometry(kEdge, kEdge + 40, kWidth - 2 * kEdge, kHeight - 2 * kEdge - 40);
    list_->setFocusPolicy(Qt::NoFocus);
    connect(wanted_, &QLineEdit::textChanged, this, &SceneFinder::fill);
    connect(wanted_, &QLineEdit::returnPressed, this, &SceneFinder::recall);
    connect(list_, &QListWidget::itemClicked, this, &SceneFinder::recall);
    fill();
    wanted_->setFocus();
}

void SceneFinder::fill() {
    const QStringList words = wanted_->text().split(' ', Qt::SkipEmptyParts);
    list_->clear();
    std::vector<const SceneEntry*> entries;
    for (const auto& entry : shelf_.scenes()) entries.push_back(&entry);
    // Together by their groups, those without one first; within one as they stand in the list.
    std::vector<std::string> groups{""};
    for (const SceneEntry* e : entries) {
        if (std::ranges::find(groups, e->scene.group) == groups.end()) groups.push_back(e->scene.group);
    }
    std::ranges::stable_sort(entries, std::less<>(), [&](const SceneEntry* e) {
        return std::ranges::find(groups, e->scene.group) - groups.begin();
    });
    QString heading;
    for (const SceneEntry* found : entries) {
        const auto& entry = *found;
        const QString name = QString::fromStdString(entry.scene.name);
        const QString group = QString::fromStdString(entry.scene.group);
        const QString all = name + ' ' + group + ' ' + QString::fromStdString(entry.scene.note);
        const bool fits = std::ranges::all_of(
            words, [&](const QString& word) { return all.contains(word, Qt::CaseInsensitive); });
        if (!fits) continue;
        if (group != heading) {
            auto* head = new QListWidgetItem(group, list_);
            head->setFlags(Qt::NoItemFlags);
            head->setFont(ui::font(12, true));
            head->setForeground(theme().muted);
            head->setSizeHint(QSize(0, kHeading));
            head->setTextAlignment(Qt::AlignLeft | Qt::AlignBottom);
            heading = group;
        }
        auto* item = new QListWidgetItem(name, list_);
        item->setData(Qt::UserRole, name);
        item->setSizeHint(QSize(0, kRow));
        setHint(item, QString::fromStdString(entry.scene.note));
        if (entry.scene.name == now_ && words.isEmpty()) list_->setCurrentItem(item);
    }
    if (list_->currentRow() < 0) step(1);
}

/// To the next scene that way, past headings.
void SceneFinder::step(int by) {
    for (int row = list_->currentRow() + by; row >= 0 && row < list_->count(); row += by) {
        if (list_->item(row)->flags() == Qt::NoItemFlags) continue;
        list_->setCurrentRow(row);
        return;
    }
}

void SceneFinder::recall() {
    const QListWidgetItem* item = list_->currentItem();
    if (item == nullptr || item->flags() == Qt::NoItemFlags) return;
    const std::string name = item->data(Qt::UserRole).toString().toStdString();
    close();
    shelf_.recall(name);
}

bool SceneFinder::eventFilter(QObject* watched, QEvent* event) {
    if (watched == wanted_ && event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Escape) {
            close();
            return true;
        }
        const int by = key == Qt::Key_Down ? 1 : key == Qt::Key_Up ? -1 : 0;
        if (by != 0) {
            step(by);
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

}  // namespace reed::ui
