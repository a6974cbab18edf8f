#include "widgets/panel.h"

#include <QPainter>
#include <algorithm>

#include "theme/theme.h"

namespace reed::ui {

namespace {
constexpr int kFieldHeight = 32;
constexpr int kGap = 4;  // to the anchor, and to the window's edges
}  // namespace

Panel::Panel(const QString& object_name, const QString& accessible_name, QWidget* parent)
    : QWidget(parent, Qt::Popup) {
    setObjectName(object_name);
    setAttribute(Qt::WA_DeleteOnClose);
    setAccessibleName(accessible_name);
}

void Panel::openBelow(const QWidget& anchor, bool right) {
    anchor_ = &anchor;
    right_ = right;
    if (layout() != nullptr) adjustSize();
    place();
    show();
}

void Panel::place() {
    if (anchor_ == nullptr) return;
    const QPoint below(right_ ? anchor_->width() - width() : 0, anchor_->height() + kGap);
    const QWidget* window = anchor_->window();
    const QRect in(window->mapToGlobal(QPoint(kGap, kGap)), window->size() - QSize(2 * kGap, 2 * kGap));
    const QPoint at = anchor_->mapToGlobal(below);
    move(std::max(in.left(), std::min(at.x(), in.right() + 1 - width())),
         std::max(in.top(), std::min(at.y(), in.bottom() + 1 - height())));
}

void Panel::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setPen(QPen(t.line, 1));
    p.setBrush(t.panel);
    p.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
}

QVBoxLayout* Panel::column() {
    if (column_ != nullptr) return column_;
    column_ = new QVBoxLayout(this);
    column_->setContentsMargins(16, 14, 16, 14);
    column_->setSpacing(8);
    return column_;
}

Words* Panel::addWords(Words::Ink ink, int pixels, bool bold, const QString& text) {
    auto* words = new Words(ink, this);
    words->setFont(ui::font(pixels, bold));
    words->setText(text);
    column()->addWidget(words);
    return words;
}

QLineEdit* Panel::addField(const char* object_name, const QString& words, const std::function<void()>& done) {
    addWords(Words::Ink::muted, 12, false, words);
    auto* edit = new QLineEdit(this);
    edit->setObjectName(object_name);
    edit->setAccessibleName(words);
    edit->setFont(ui::font(14));
    edit->setFixedHeight(kFieldHeight);
    connect(edit, &QLineEdit::returnPressed, this, done);
    column()->addWidget(edit);
    return edit;
}

void Panel::fitContents() {
    layout()->activate();
    adjustSize();
    place();
}

void Panel::empty(QGridLayout& list) {
    while (QLayoutItem* item = list.takeAt(0)) {
        if (QWidget* w = item->widget()) {
            w->hide();
            w->deleteLater();
        }
        delete item;
    }
}

}  // namespace reed::ui
