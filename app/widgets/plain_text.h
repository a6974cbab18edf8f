// Text that is not ours (names of scenes, devices, apps and takes, notes): always shown as it is written.
#pragma once

#include <QMessageBox>
#include <QString>

namespace reed::ui {

/// Qt takes text that looks like HTML for HTML and would load the files it names. This is `text` in a form
/// that Qt shows letter by letter, at most `limit` letters of it.
QString plainText(const QString& text, qsizetype limit = 600);

/// Sets the tool tip of a widget, an action or an item: the only way to set one (tools/check-plain-text).
template <typename Target>
void setHint(Target* target, const QString& text) {
    target->setToolTip(plainText(text));
}

/// A question with its answers as buttons: the only kind of message box (tools/check-plain-text).
class Question final : public QMessageBox {
    Q_OBJECT
  public:
    /// `name` is the object's; `details` stand below the question.
    Question(QWidget* parent, const QString& name, const QString& text, const QString& details = {});
};

}  // namespace reed::ui
