// The main window: scenes at the top, level diagram in the middle, editor, output and input below.
#pragma once

#include <QWidget>
#include <vector>

#include "devices/device.h"

class QMenu;
class QStackedWidget;

namespace reed::ui {

class Actions;
class BalanceButton;
class BalanceView;
class OutputPanel;
class CharactersButton;
class FlatButton;
class HoldShortcuts;
class LevelDiagram;
class MessageBar;
class InputPanel;
class SceneBar;
class AppModel;
class StripModel;
class StageEditor;
class CompactWindow;
class SoundcheckPage;
class StripSidebar;
class TakesPage;

class MainWindow final : public QWidget {
    Q_OBJECT
  public:
    explicit MainWindow(AppModel& app, QWidget* parent = nullptr);
    ~MainWindow() override;

    Actions& actions() const { return *actions_; }
    // Of the selected strip.
    LevelDiagram* diagram() const { return page().diagram; }
    StageEditor* editor() const { return page().editor; }
    SceneBar* sceneBar() const { return scenes_; }
    MessageBar* messages() const { return messages_; }
    InputPanel* roomPanel() const { return page().room; }
    StripSidebar* rail() const { return rail_; }
    /// Whether the loudness balance is shown in place of the diagram.
    bool balanceShown() const;
    /// Whether takes are shown in place of the diagram.
    bool takesShown() const;
    TakesPage* takeView() const { return takes_; }
    SoundcheckPage* soundcheck() const { return soundcheck_; }
    /// Opens the soundcheck over the window. `choose_input`: with the choice of the microphone first.
    void openSoundcheck(bool choose_input);
    /// nullptr before it was opened for the first time.
    CompactWindow* smallWindow() const { return small_.get(); }
    bool smallShown() const;
    /// Shows the window in front of others.
    void bringToFront();
    /// Saves and closes without asking, even if an app is using the virtual microphone.
    void closeWithoutPrompt();

  signals:
    void desktopKeysWanted();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void closeEvent(QCloseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    void changeEvent(QEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    /// The widgets of one strip.
    struct Page {
        StripModel* strip = nullptr;
        LevelDiagram* diagram = nullptr;
        StageEditor* editor = nullptr;
        OutputPanel* feed = nullptr;
        InputPanel* room = nullptr;
    };
    const Page& page() const;
    StripModel& strip() const;
    void showStrips();
    void showFocus();
    void showBalance(bool show);
    void showTakes(bool show);
    void showSmall(bool small);
    void turn(double notches, bool fine);
    void addPage(StripModel& strip);
    void buildTop();
    void updateVisibility();
    void openInputMenu();
    void openMainMenu();
    void chooseFile();
    void askMicName();
    /// Asks whether to continue with `yes` (text of the button); `name`: object name of the message box.
    bool confirm(const QString& name, const QString& text, const QString& yes);
    void quitWithoutMicrophone();
    void showStatus();
    void showMute();
    void placeMessages();

    AppModel& app_;
    Actions* actions_;
    FlatButton* input_;
    FlatButton* mute_;
    FlatButton* menu_;
    FlatButton* status_;
    SceneBar* scenes_;
    StripSidebar* rail_;
    BalanceView* balance_;
    TakesPage* takes_;
    FlatButton* takes_button_;
    CharactersButton* characters_;
    BalanceButton* balance_button_;
    QStackedWidget *diagrams_, *editors_, *feeds_, *rooms_;
    std::unique_ptr<CompactWindow> small_;
    std::vector<Page> pages_;
    SoundcheckPage* soundcheck_;
    MessageBar* messages_;
    int ticks_ = 0;
    bool closing_ = false;
    std::unique_ptr<HoldShortcuts> held_keys_;  // uses the windows: destroyed before them
};

}  // namespace reed::ui
