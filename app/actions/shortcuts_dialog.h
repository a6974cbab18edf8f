// The list of shortcuts, where they are edited.
#pragma once

#include <QDialog>
#include <QLineEdit>
#include <vector>

namespace reed::ui {

class FlatButton;
class GlobalKeys;
class Keys;
struct ShortcutSlot;
class Words;

/// Lists actions with their shortcuts, filtered by a text. A click on a shortcut waits for a new one;
/// Backspace removes it, Escape cancels. A shortcut that another action has is reported, and reassigned when
/// it is pressed again. Actions that are useful in every window can be marked for it, if the X server grabs
/// keys (GlobalKeys); without a provider of global shortcuts, their command for the desktop's settings is
/// offered.
class ShortcutsDialog final : public QDialog {
    Q_OBJECT
  public:
    ShortcutsDialog(Keys& keys, GlobalKeys& global, QWidget* parent = nullptr);
    ~ShortcutsDialog() override;
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
        FlatButton* global = nullptr;  ///< "Every window"; nullptr if it is of no use there
        FlatButton* copy = nullptr;    ///< copies the command
        QString group;
    };
    void build();
    QWidget* heading(const QString& text);
    void addRow(const QString& title, const QString& group, const ShortcutSlot* slot,
                const QString& fixed = {});
    void addGlobal(Row& row, const QString& id);
    void showGlobal(const Row& row);
    void turnGlobal(const QString& id);
    void refresh();
    void find();
    void wait(const QString& id);
    void take(const QKeySequence& key);
    void say(const QString& words, bool serious);

    Keys& keys_;
    GlobalKeys& global_;
    QLineEdit* word_;
    Words* said_;
    bool usual_said_ = false;  ///< it says what can be done here, not what has happened
    FlatButton* all_;
    QWidget* list_;
    std::vector<Row> rows_;
    std::vector<std::pair<QString, QWidget*>> headings_;  ///< group, its heading
    QString waiting_;                                     ///< slot that waits for a shortcut
    QKeySequence asked_;                                  ///< shortcut of another slot that was pressed once
};

}  // namespace reed::ui
