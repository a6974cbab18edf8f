#include "widgets/words.h"

#include <QCoreApplication>
#include <QPainter>

#include "theme/theme.h"

namespace reed::ui {

QString elidedByWords(const QFontMetrics& metrics, const QString& text, int width) {
    if (metrics.horizontalAdvance(text) <= width) return text;
    for (qsizetype end = text.lastIndexOf(' '); end > 0; end = text.lastIndexOf(' ', end - 1)) {
        const QString shorter = text.left(end) + QChar(0x2026);
        if (metrics.horizontalAdvance(shorter) <= width) return shorter;
    }
    return metrics.elidedText(text, Qt::ElideRight, width);
}

QString elidedBySentences(const QFontMetrics& metrics, const QString& text, int width) {
    if (metrics.horizontalAdvance(text) <= width) return text;
    for (qsizetype end = text.lastIndexOf(". "); end > 0; end = text.lastIndexOf(". ", end - 1)) {
        const QString shorter = text.left(end + 1);
        if (metrics.horizontalAdvance(shorter) <= width) return shorter;
    }
    return elidedByWords(metrics, text, width);
}

Words* Words::wrapped(Ink ink, int pixels, bool bold, QWidget* parent, const QString& text) {
    auto* out = new Words(ink, parent);
    out->setFont(ui::font(pixels, bold));
    out->setWordWrap(true);
    out->setText(text);
    return out;
}

void Words::setInk(Ink ink) {
    if (ink == ink_) return;
    ink_ = ink;
    update();
}

QString Words::spelt(std::string_view words, std::span<const Quantity> quantities) {
    // The words are whole literals, so they end where C expects it.
    const QByteArray translated = QCoreApplication::translate("Finding", words.data()).toUtf8();
    return QString::fromStdString(format_message(translated.toStdString(), quantities));
}

QString Words::of(const Finding& finding) {
    return finding.words.empty() ? QString() : spelt(finding.words, finding.quantities);
}

QString Words::of(const Proposal& proposal) {
    return spelt(proposal.words, proposal.quantities);
}

void Words::show(const Finding& finding) {
    show(finding.tone, of(finding));
}

void Words::show(FindingTone tone, const QString& words) {
    setInk(tone == FindingTone::warning ? Ink::warning
                                        : (tone == FindingTone::good ? Ink::good : Ink::muted));
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
        p.drawText(rect(), static_cast<int>(alignment()), elidedByWords(fontMetrics(), text(), width()));
    }
}

}  // namespace reed::ui
