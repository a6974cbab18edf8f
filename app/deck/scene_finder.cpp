#include "deck/scene_finder.h"

#include <QKeyEvent>
#include <algorithm>

#include "session/scene_shelf.h"
#include "theme/theme.h"

namespace reed::ui {
namespace {
constexpr int kWidth = 360, kHeight = 320, kEdge = 10, kRow = 30;
}

SceneFinder::SceneFinder(SceneShelf& shelf, const std::string& now, QWidget* parent)
    : Panel("scene_finder", tr("Find a scene"), parent), shelf_(shelf), now_(now) {
    setFixedSize(kWidth, kHeight);
    wanted_ = new QLineEdit(this);
    wanted_->setObjectName("scene_wanted");
    wanted_->setPlaceholderText(tr("Find a scene, then Enter"));
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
    for (const auto& entry : shelf_.scenes()) {
        const QString name = QString::fromStdString(entry.scene.name);
        const QString group = QString::fromStdString(entry.scene.group);
        const QString all = name + ' ' + group + ' ' + QString::fromStdString(entry.scene.note);
        const bool fits = std::ranges::all_of(
            words, [&](const QString& word) { return all.contains(word, Qt::CaseInsensitive); });
        if (!fits) continue;
        auto* item =
            new QListWidgetItem(group.isEmpty() ? name : name + "   " + tr("(%1)").arg(group), list_);
        item->setData(Qt::UserRole, name);
        item->setSizeHint(QSize(0, kRow));
        item->setToolTip(QString::fromStdString(entry.scene.note));
        if (entry.scene.name == now_ && words.isEmpty()) list_->setCurrentItem(item);
    }
    if (list_->currentRow() < 0) list_->setCurrentRow(0);
}

void SceneFinder::recall() {
    const QListWidgetItem* item = list_->currentItem();
    if (item == nullptr) return;
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
            list_->setCurrentRow(std::clamp(list_->currentRow() + by, 0, std::max(0, list_->count() - 1)));
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

}  // namespace reed::ui
