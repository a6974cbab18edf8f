// Shows text of users and other apps (names, notes) literally, never as HTML.
#pragma once

#include <QMessageBox>
#include <QString>

namespace reed::ui {

/// Qt renders text that looks like HTML as HTML and loads the files that it names. Returns `text` escaped so
/// that Qt shows it literally, with at most `limit` characters.
QString plainText(const QString& text, qsizetype limit = 600);

/// Sets the tool tip of a widget, an action or an item. No other way is allowed (tools/check-plain-text).
template <typename Target>
void setHint(Target* target, const QString& text) {
    target->setToolTip(plainText(text));
}

/// A message box with a question. No other kind is allowed (tools/check-plain-text).
class Question final : public QMessageBox {
    Q_OBJECT
  public:
    /// `name`: object name; `details`: text below the question.
    Question(QWidget* parent, const QString& name, const QString& text, const QString& details = {});
};

}  // namespace reed::ui
