// The list of shortcuts, where they are edited.
#pragma once

#include <QDialog>
#include <QLineEdit>
#include <QStringList>
#include <vector>

namespace reed::ui {

class AppModel;
class FlatButton;
class GlobalKeys;
class Keys;
class MidiAssignments;
struct ShortcutSlot;
class Words;

/// Lists actions with their shortcuts, filtered by a text. A click on a shortcut waits for a new one;
/// Backspace removes it, Escape cancels. A shortcut that another action has is reported, and reassigned when
/// it is pressed again. Actions that are useful in every window can be marked for it, if the X server grabs
/// keys (GlobalKeys); without a provider of global shortcuts, their command for the desktop's settings is
/// offered. Beside each shortcut stand its MIDI controls; values with MIDI controls have rows of their own.
class ShortcutsDialog final : public QDialog {
    Q_OBJECT
  public:
    explicit ShortcutsDialog(AppModel& app, QWidget* parent = nullptr);
    ~ShortcutsDialog() override;
    /// Opens it over `window` with the rows that contain `word`. One that is open comes to the front, or is
    /// replaced if there is a word.
    static void open(AppModel& app, const QString& word, QWidget* window);
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
        FlatButton* midi = nullptr;    ///< MIDI controls
        QString value;                 ///< address, of a row that is no slot
        QString group;
    };
    void build();
    QString titleOf(const ShortcutSlot& slot) const;
    QWidget* heading(const QString& text);
    void addRow(const QString& title, const QString& group, const ShortcutSlot* slot,
                const QString& fixed = {});
    void addGlobal(Row& row, const QString& id);
    void rebuild();
    /// Addresses that MIDI controls are assigned to.
    QStringList midiValues() const;
    /// A row for each of them.
    void addValues();
    void addMidi(Row& row);
    void showMidi(const Row& row);
    void showGlobal(const Row& row);
    void turnGlobal(const QString& id);
    void refresh();
    void find();
    void wait(const QString& id);
    void take(const QKeySequence& key);
    void say(const QString& words, bool serious);

    AppModel& app_;
    Keys& keys_;
    GlobalKeys& global_;
    MidiAssignments& midi_;
    QLineEdit* word_;
    Words* said_;
    bool usual_said_ = false;  ///< it says what can be done here, not what has happened
    FlatButton* all_;
    QWidget* list_;
    std::vector<Row> rows_;
    QStringList values_;                                  ///< addresses that have rows
    std::vector<std::pair<QString, QWidget*>> headings_;  ///< group, its heading
    QString waiting_;                                     ///< slot that waits for a shortcut
    QKeySequence asked_;                                  ///< shortcut of another slot that was pressed once
};

}  // namespace reed::ui
