#include "widgets/plain_text.h"

#include <QTextDocument>

namespace reed::ui {

QString plainText(const QString& text, qsizetype limit) {
    QString out = text.size() <= limit ? text : text.left(limit) + QStringLiteral(" ...");
    if (!Qt::mightBeRichText(out)) return out;
    return QStringLiteral("<qt>") + out.toHtmlEscaped().replace('\n', QStringLiteral("<br>")) +
           QStringLiteral("</qt>");
}

Question::Question(QWidget* parent, const QString& name, const QString& text, const QString& details)
    : QMessageBox(parent) {
    setObjectName(name);
    setWindowTitle(tr("Dusky Reed"));
    setText(plainText(text));
    if (!details.isEmpty()) setInformativeText(plainText(details, 1200));
}

}  // namespace reed::ui
