#include "widgets/message_bar.h"

#include <QPainter>

#include "theme/theme.h"

namespace reed::ui {
namespace {
constexpr int kPad = 12;
constexpr int kDismiss = 90;
}  // namespace

MessageBar::MessageBar(QWidget* parent) : QWidget(parent) {
    setObjectName("message_bar");
    setFont(ui::font(14));
    setCursor(Qt::PointingHandCursor);
    hide_.setSingleShot(true);
    connect(&hide_, &QTimer::timeout, this, &MessageBar::dismiss);
    hide();
}

int MessageBar::heightFor(int width) const {
    if (shown_.isEmpty()) return 0;
    const QRect box = QFontMetrics(font()).boundingRect(QRect(0, 0, width - 2 * kPad - kDismiss - 10, 400),
                                                        Qt::TextWordWrap, shown_);
    return box.height() + 16;
}

void MessageBar::tell(const QString& text, bool serious) {
    if (!isHidden() && serious_) {
        // An unread error is not replaced by a less severe message, nor is one from before the window is
        // shown.
        if (serious && text != shown_ && !waiting_.contains(text)) waiting_ << text;
        update();
        return;
    }
    shown_ = text;
    serious_ = serious;
    setAccessibleName(text);
    if (serious)
        hide_.stop();
    else
        hide_.start(6000);
    show();
    raise();
    emit resized();
    update();
}

void MessageBar::dismiss() {
    hide_.stop();
    hide();
    shown_.clear();
    serious_ = false;
    if (!waiting_.isEmpty()) tell(waiting_.takeFirst(), true);
}

void MessageBar::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(serious_ ? t.ember : t.line, 1.4));
    p.setBrush(t.raised);
    p.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 7, 7);
    p.setPen(t.text);
    const QRect words = rect().adjusted(kPad, 0, -kPad - kDismiss, 0);
    p.drawText(words, Qt::AlignLeft | Qt::AlignVCenter | Qt::TextWordWrap, shown_);
    p.setPen(t.muted);
    p.setFont(ui::font(13));
    const QString rest = waiting_.isEmpty() ? tr("Esc: dismiss") : tr("Esc: next (%1)").arg(waiting_.size());
    p.drawText(rect().adjusted(0, 0, -kPad, 0), Qt::AlignRight | Qt::AlignVCenter, rest);
}

}  // namespace reed::ui
