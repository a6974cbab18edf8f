#include "widgets/words.h"

#include <QPainter>

#include "theme/theme.h"

namespace reed::ui {

void Words::setInk(Ink ink) {
    if (ink == ink_) return;
    ink_ = ink;
    update();
}

void Words::show(const Advice& advice) {
    setInk(advice.tone == AdviceTone::warning ? Ink::warning
                                              : (advice.tone == AdviceTone::good ? Ink::good : Ink::muted));
    const QString words = QString::fromStdString(advice.text);
    if (words != text()) setText(words);
}

void Words::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    const QColor inks[] = {t.text, t.muted, t.marsh, t.ember};
    QPainter p(this);
    p.setPen(inks[static_cast<int>(ink_)]);
    if (wordWrap()) {
        p.drawText(rect(), static_cast<int>(alignment()) | Qt::TextWordWrap, text());
    } else {
        p.drawText(rect(), static_cast<int>(alignment()),
                   fontMetrics().elidedText(text(), Qt::ElideRight, width()));
    }
}

}  // namespace reed::ui
