// All keys at a glance, and how they are changed.
#pragma once

#include <QDialog>
#include <QLineEdit>
#include <vector>

namespace reed::ui {

class FlatButton;
class Keys;
class Words;

/// Lists what keys do, found by a word. A click on a key waits for another one; Backspace takes it away,
/// Escape leaves it. A key that something else has is told, and taken when it is pressed once more.
class ShortcutsDialog final : public QDialog {
    Q_OBJECT
  public:
    explicit ShortcutsDialog(Keys& keys, QWidget* parent = nullptr);
    /// Shows what has `word` in it.
    void showOnly(const QString& word) { word_->setText(word); }

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    struct Row {
        QString id;     ///< of the slot; empty: a key that can't be changed
        QString words;  ///< that it is found by
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
    QString waiting_;                                     ///< slot that waits for a key
    QKeySequence asked_;                                  ///< key of another slot that was pressed once
};

}  // namespace reed::ui
