// The list of shortcuts, where they are edited.
#pragma once

#include <QDialog>
#include <QLineEdit>
#include <vector>

namespace reed::ui {

class FlatButton;
class Keys;
class Words;

/// Lists actions with their shortcuts, filtered by a text. A click on a shortcut waits for a new one;
/// Backspace removes it, Escape cancels. A shortcut that another action has is reported, and reassigned when
/// it is pressed again.
class ShortcutsDialog final : public QDialog {
    Q_OBJECT
  public:
    explicit ShortcutsDialog(Keys& keys, QWidget* parent = nullptr);
    /// Shows the rows that contain `word`.
    void showOnly(const QString& word) { word_->setText(word); }

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    struct Row {
        QString id;     ///< of the slot; empty if the shortcut is fixed
        QString words;  ///< text for filtering
        QWidget* whole = nullptr;
        FlatButton* key = nullptr;
        FlatButton* reset = nullptr;
        QString group;
    };
    void build();
    QWidget* heading(const QString& text);
    void addRow(const QString& id, const QString& title, const QString& group, const QString& fixed = {});
    void refresh();
    void find();
    void wait(const QString& id);
    void take(const QKeySequence& key);
    void say(const QString& words, bool serious);

    Keys& keys_;
    QLineEdit* word_;
    Words* said_;
    FlatButton* all_;
    QWidget* list_;
    std::vector<Row> rows_;
    std::vector<std::pair<QString, QWidget*>> headings_;  ///< group, its heading
    QString waiting_;                                     ///< slot that waits for a shortcut
    QKeySequence asked_;                                  ///< shortcut of another slot that was pressed once
};

}  // namespace reed::ui
