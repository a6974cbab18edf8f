#include "main_window.h"

#include <QAbstractItemView>
#include <QApplication>
#include <QCloseEvent>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QLineEdit>
#include <QPainter>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>
#include <QWindow>
#include <algorithm>

#include "actions/actions.h"
#include "actions/hold_shortcuts.h"
#include "actions/midi_dialog.h"
#include "actions/shortcuts_dialog.h"
#include "deck/advice_popover.h"
#include "deck/characters_button.h"
#include "deck/input_menu.h"
#include "deck/input_panel.h"
#include "deck/main_menu.h"
#include "deck/output_panel.h"
#include "deck/popups.h"
#include "deck/scene_bar.h"
#include "diagram/level_diagram.h"
#include "editors/stage_editor.h"
#include "model/app_model.h"
#include "model/strips/monitor_controller.h"
#include "model/takes/takes_model.h"
#include "rail/balance_view.h"
#include "rail/compact_window.h"
#include "rail/strip_sidebar.h"
#include "review/soundcheck_page.h"
#include "review/take_timeline_view.h"
#include "review/takes_page.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/input.h"
#include "widgets/message_bar.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {
constexpr int kLabelled = 1400;  // px: from this width on signs have words beside them
}

MainWindow::MainWindow(AppModel& app, QWidget* parent)
    : QWidget(parent), app_(app), actions_(new Actions(app, this)) {
    setObjectName("main_window");
    // Before any part of the window is made: the parts read the new colours in their own handlers.
    setTheme(app_.preferences().theme());
    connect(&app_.preferences(), &Preferences::themeChanged, this, [this] {
        setTheme(app_.preferences().theme());
        update();
    });
    setWindowTitle(tr("Dusky Reed"));
    setWindowIcon(QIcon(":/icons/dusky-reed.svg"));
    setMinimumSize(1024, 680);
    resize(1280, 800);
    buildTop();
    for (QStackedWidget** stack : {&diagrams_, &editors_, &feeds_, &rooms_})
        *stack = new QStackedWidget(this);
    addPage(app_.mixer().main());
    rail_ = new StripSidebar(*actions_, this);
    balance_ = new BalanceView(*actions_, diagrams_);
    diagrams_->addWidget(balance_);
    takes_ = new TakesPage(*actions_, diagrams_);
    diagrams_->addWidget(takes_);
    balance_button_ = new BalanceButton(*actions_, rail_);
    rail_->setFooter(balance_button_);
    connect(balance_button_, &BalanceButton::pressed, this, &MainWindow::showBalance);
    soundcheck_ = new SoundcheckPage(app_, this);
    messages_ = new MessageBar(this);

    auto* top = new QHBoxLayout;
    top->setSpacing(10);
    top->addWidget(input_);
    top->addWidget(scenes_, 1);
    top->addWidget(characters_);
    top->addWidget(takes_button_);
    top->addWidget(status_);
    top->addWidget(mute_);
    top->addWidget(menu_);
    auto* side = new QVBoxLayout;
    side->setSpacing(12);
    side->addWidget(feeds_);
    side->addWidget(rooms_);
    side->addStretch(1);
    auto* below = new QHBoxLayout;
    below->setSpacing(12);
    below->addWidget(editors_, 1);
    below->addLayout(side);
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(16, 12, 16, 14);
    all->setSpacing(12);
    all->addLayout(top);
    auto* middle = new QHBoxLayout;
    middle->setSpacing(12);
    middle->addWidget(rail_);
    middle->addWidget(diagrams_, 1);
    // On a tall screen the editors grow as well.
    all->addLayout(middle, 3);
    all->addLayout(below, 2);
    feeds_->setFixedHeight(158);
    rooms_->setFixedHeight(192);

    connect(&app_.mixer().main().notices(), &Notifications::told, messages_, &MessageBar::tell);
    connect(messages_, &MessageBar::resized, this, &MainWindow::placeMessages);
    connect(&app_.mixer(), &MixerModel::stripsChanged, this, &MainWindow::showStrips);
    connect(&app_.mixer(), &MixerModel::focusChanged, this, &MainWindow::showFocus);
    connect(&app_.mute(), &MicrophoneMute::changed, this, &MainWindow::showMute);
    connect(&app_.mixer().main(), &StripModel::readingsChanged, this, [this] {
        if (++ticks_ % 16 == 1) showStatus();
    });
    actions_->installKeys(this);
    connect(actions_, &Actions::quitRequested, this, &QWidget::close);
    connect(actions_, &Actions::raiseRequested, this, &MainWindow::bringToFront);
    connect(actions_, &Actions::nameRequested, this,
            [this] { scenes_->askName(SceneBar::NameFor::new_scene); });
    connect(actions_, &Actions::balanceRequested, this, [this] {
        if (app_.mixer().count(StripRole::programme) > 0) showBalance(!balanceShown());
    });
    connect(actions_, &Actions::shortcutsRequested, this,
            [this](const QString& word) { ShortcutsDialog::open(app_, word, this); });
    connect(&app_.context().midi, &MidiAssignments::editRequested, this,
            [this](const MidiTarget& target) { MidiDialog::open(app_, target, this); });
    connect(actions_, &Actions::findSceneRequested, scenes_, &SceneBar::openFinder);
    connect(actions_, &Actions::charactersRequested, characters_, &CharactersButton::open);
    connect(actions_, &Actions::takesRequested, this, [this] { showTakes(!takesShown()); });
    for (const auto signal : {&TakesModel::loopChanged, &TakesModel::recordingChanged})
        connect(&app_.takes(), signal, this, &MainWindow::showMute);
    connect(actions_, &Actions::soundcheckRequested, this, [this] { openSoundcheck(false); });
    connect(actions_, &Actions::compactRequested, this, [this] { showSmall(!smallShown()); });
    connect(&app_.preferences().keys(), &Keys::changed, this, &MainWindow::showMute);
    showMute();
    showFocus();
}

MainWindow::~MainWindow() = default;

void MainWindow::addPage(StripModel& strip) {
    Page p;
    p.strip = &strip;
    p.diagram = new LevelDiagram(strip, diagrams_);
    p.editor = new StageEditor(app_, strip, editors_);
    p.feed = new OutputPanel(app_, strip, feeds_);
    p.room = new InputPanel(strip, rooms_);
    diagrams_->addWidget(p.diagram);
    editors_->addWidget(p.editor);
    feeds_->addWidget(p.feed);
    rooms_->addWidget(p.room);
    connect(&strip.input(), &InputController::inputChanged, p.diagram, [this, &strip] {
        if (&strip == &this->strip()) input_->setText(strip.input().title());
    });
    pages_.push_back(p);
}

StripModel& MainWindow::strip() const {
    return app_.mixer().current();
}

const MainWindow::Page& MainWindow::page() const {
    const auto found = std::ranges::find(pages_, &strip(), &Page::strip);
    return found == pages_.end() ? pages_.front() : *found;
}

/// A page for each strip. Those of strips that go are gone when this returns.
void MainWindow::showStrips() {
    const auto& strips = app_.mixer().strips();
    rail_->rebuild();
    for (const Page& p : pages_) {
        if (std::ranges::find(strips, p.strip) != strips.end()) continue;
        delete p.diagram;
        delete p.editor;
        delete p.feed;
        delete p.room;
    }
    std::erase_if(pages_, [&](const Page& p) { return std::ranges::find(strips, p.strip) == strips.end(); });
    for (StripModel* s : strips) {
        if (std::ranges::find(pages_, s, &Page::strip) == pages_.end()) addPage(*s);
    }
    showFocus();
}

bool MainWindow::balanceShown() const {
    return diagrams_->currentWidget() == balance_;
}

void MainWindow::showBalance(bool show) {
    if (show) showTakes(false);
    if (show)
        diagrams_->setCurrentWidget(balance_);
    else if (!takesShown())
        diagrams_->setCurrentWidget(page().diagram);
    balance_button_->setShown(show);
}

void MainWindow::openSoundcheck(bool choose_input) {
    // A strip without an input needs one first.
    soundcheck_->setGeometry(rect());
    soundcheck_->open(choose_input || strip().input().hasNoInput());
    messages_->raise();
}

bool MainWindow::takesShown() const {
    return diagrams_->currentWidget() == takes_;
}

void MainWindow::showTakes(bool show) {
    if (show) {
        showBalance(false);
        diagrams_->setCurrentWidget(takes_);
        takes_->wave()->setFocus();
    } else if (takesShown()) {
        diagrams_->setCurrentWidget(page().diagram);
    }
    takes_button_->setChecked(show);
}

void MainWindow::showFocus() {
    const Page& p = page();
    const bool programme = app_.mixer().count(StripRole::programme) > 0;
    balance_button_->setVisible(programme);
    // It stays while another strip is worked on.
    showBalance(balanceShown() && programme);
    editors_->setCurrentWidget(p.editor);
    feeds_->setCurrentWidget(p.feed);
    rooms_->setCurrentWidget(p.room);
    input_->setText(strip().input().title());
    updateVisibility();
}

void MainWindow::buildTop() {
    input_ = new FlatButton(app_.mixer().main().input().title(), this);
    input_->setObjectName("input_button");
    input_->setIconName("mic");
    setHint(input_, tr("Choose the input"));
    connect(input_, &FlatButton::clicked, this, &MainWindow::openInputMenu);
    scenes_ = new SceneBar(*actions_, this);
    status_ = new FlatButton({}, this);
    status_->setObjectName("status");
    status_->setFont(ui::font(13));
    setHint(status_,
            tr("Latency from microphone to output, audio load and dropouts since start. Click for details."));
    connect(status_, &FlatButton::clicked, this,
            [this] { (new DelayPopup(app_, strip(), this))->openBelow(*status_, true); });
    takes_button_ = new FlatButton(tr("Takes"), this);
    takes_button_->setObjectName("takes_button");
    takes_button_->setIconName("loop");
    takes_button_->setCheckable(true);
    connect(takes_button_, &FlatButton::clicked, this, &MainWindow::showTakes);
    characters_ = new CharactersButton(*actions_, this);
    mute_ = new FlatButton(tr("Mute"), this);
    mute_->setObjectName("mute_button");
    mute_->setIconName("mute");
    mute_->setCheckable(true);
    mute_->setWeight(FlatButton::Weight::alarm);
    connect(mute_, &FlatButton::clicked, this, [this](bool on) { app_.mute().set(on); });
    held_keys_ = std::make_unique<HoldShortcuts>(
        *actions_, [this](const QObject* o) { return o == this || o == small_.get(); });
    qApp->installEventFilter(this);  // its window reports whether it is visible
    menu_ = new FlatButton({}, this);
    menu_->setObjectName("main_menu");
    menu_->setIconName("more");
    menu_->setAccessibleName(tr("Menu"));
    setHint(menu_, tr("Main menu"));
    connect(menu_, &FlatButton::clicked, this, &MainWindow::openMainMenu);
}

void MainWindow::openInputMenu() {
    auto* menu = new InputMenu(strip(), this);
    connect(menu, &InputMenu::fileWanted, this, &MainWindow::chooseFile);
    connect(menu, &InputMenu::micNameWanted, this, &MainWindow::askMicName);
    menu->popup(input_->mapToGlobal(QPoint(0, input_->height())));
}

void MainWindow::askMicName() {
    bool taken = false;
    const QString name =
        QInputDialog::getText(this, tr("Dusky Reed"), tr("Virtual microphone name, as shown in other apps:"),
                              QLineEdit::Normal, QString::fromStdString(app_.audio().settings().mic_title),
                              &taken)
            .trimmed();
    if (!taken) return;
    AudioSettings next = app_.audio().settings();
    next.mic_title = name.left(60).toStdString();
    app_.audio().setSettings(next);
}

void MainWindow::chooseFile() {
    const QString file =
        QFileDialog::getOpenFileName(this, tr("Audio file as input"), {},
                                     tr("Audio files (*.wav *.flac *.ogg *.opus *.aiff);;All files (*)"));
    if (!file.isEmpty()) strip().input().select({DeviceKind::sound_file, file.toStdString()});
}

void MainWindow::openMainMenu() {
    auto* menu = new MainMenu(*actions_, this);
    connect(menu, &MainMenu::adviceWanted, this,
            [this] { (new AdvicePopover(app_, this))->openBelow(*menu_, true); });
    connect(menu, &MainMenu::desktopKeysWanted, this, &MainWindow::desktopKeysWanted);
    connect(menu, &MainMenu::quitWithoutMicrophoneWanted, this, &MainWindow::quitWithoutMicrophone);
    menu->popup(menu_->mapToGlobal(QPoint(menu_->width() - menu->sizeHint().width(), menu_->height())));
}

/// The small window in place of this one, or back.
void MainWindow::showSmall(bool small) {
    if (small == smallShown()) return;
    if (!small) {
        show();
        small_->hide();
        return bringToFront();
    }
    if (!small_) {
        small_ = std::make_unique<CompactWindow>(*actions_);
        connect(small_.get(), &CompactWindow::wholeWanted, this, [this] { showSmall(false); });
        connect(small_.get(), &CompactWindow::seenChanged, this, &MainWindow::updateVisibility);
    }
    small_->bring();
    hide();
}

bool MainWindow::smallShown() const {
    return small_ && small_->isVisible();
}

void MainWindow::showStatus() {
    const EngineStats f = app_.stats();
    const DeviceStatus d = strip().input().status();
    const double ms = strip().input().totalDelayMs() + app_.audio().latency().output_delay_ms;
    QString words = tr("%1 ms   %2%   %3")
                        .arg(ms, 0, 'f', 1)
                        .arg(100.0 * f.load, 0, 'f', 1)
                        .arg(d.dropouts == 1 ? tr("1 dropout") : tr("%1 dropouts").arg(d.dropouts));
    if (!d.running) words = tr("No input signal");
    if (words == status_->text()) return;
    status_->setText(words);
    status_->updateGeometry();
}

void MainWindow::showMute() {
    mute_->setChecked(app_.mute().on());
    setHint(mute_, app_.preferences().keys().hint(tr("Mute the output"), "talk"));
    mute_->setText(app_.mute().on() ? tr("Muted") : tr("Mute"));
    const TakesModel& takes = app_.takes();
    setWindowTitle(app_.mute().on()    ? tr("Muted - Dusky Reed")
                   : takes.looping()   ? tr("Loop - Dusky Reed")
                   : takes.recording() ? tr("Recording - Dusky Reed")
                                       : tr("Dusky Reed"));
    takes_button_->setText(takes.looping() ? tr("Loop") : takes.recording() ? tr("Recording") : tr("Takes"));
    setHint(takes_button_,
            app_.preferences().keys().hint(
                tr("Record your voice, loop it through the chain and compare settings"), "takes"));
    update();
}

void MainWindow::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), theme().window);
    if (!app_.mute().on() && !app_.takes().looping()) return;
    // Seen from across the room.
    p.setPen(QPen(app_.mute().on() ? theme().ember : theme().marsh, 8));
    p.drawRect(rect());
}

bool MainWindow::confirm(const QString& name, const QString& text, const QString& yes) {
    Question ask(this, name, text);
    const QPushButton* agreed = ask.addButton(yes, Question::AcceptRole);
    ask.addButton(tr("Keep running"), Question::RejectRole);
    ask.exec();
    return ask.clickedButton() == agreed;
}

void MainWindow::quitWithoutMicrophone() {
    const QString mic = QString::fromStdString(app_.audio().settings().mic_title);
    const QString text = app_.audio().outputUsed()
                             ? tr("Another app is using “%1”. If you remove it, the system may switch that "
                                  "app to a different microphone, unprocessed and unmuted.")
                             : tr("“%1” will disappear from all apps. An app that is set to use it may "
                                  "switch to another microphone, unprocessed and unmuted.");
    if (!confirm("remove_question", text.arg(mic), tr("Remove and quit"))) return;
    app_.mixer().stop();
    app_.audio().removeVirtualMicrophone();
    closeWithoutPrompt();
}

void MainWindow::placeMessages() {
    const int w = width() - 2 * 16 - feeds_->width() - 12;
    const int h = messages_->heightFor(w);
    messages_->setGeometry(16, height() - h - 14, w, h);
}

void MainWindow::resizeEvent(QResizeEvent*) {
    const int side = std::clamp(width() * 29 / 100, 308, 440);
    feeds_->setFixedWidth(side);
    rooms_->setFixedWidth(side);
    characters_->setLabelled(width() >= kLabelled);
    soundcheck_->setGeometry(rect());
    placeMessages();
}

void MainWindow::bringToFront() {
    if (smallShown()) return showSmall(false);
    if (isMinimized()) showNormal();
    show();
    raise();
    activateWindow();
}

void MainWindow::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape && messages_->isVisible()) return messages_->dismiss();
    const bool up = event->key() == Qt::Key_Up, down = event->key() == Qt::Key_Down;
    // Who writes, or goes through a list, does not turn anything.
    const QWidget* has = QApplication::focusWidget();
    const bool free = qobject_cast<const QLineEdit*>(has) == nullptr &&
                      qobject_cast<const QAbstractItemView*>(has) == nullptr;
    if (free && (up || down) && (event->modifiers() & ~(Qt::ShiftModifier | Qt::KeypadModifier)) == 0)
        return turn(up ? 1.0 : -1.0, event->modifiers().testFlag(Qt::ShiftModifier));
    QWidget::keyPressEvent(event);
}

/// What no part of the window has a use for turns the value of the focused stage that was used last.
void MainWindow::wheelEvent(QWheelEvent* event) {
    turn(wheelNotches(*event), event->modifiers().testFlag(Qt::ShiftModifier));
    event->accept();
}

void MainWindow::turn(double notches, bool fine) {
    ChainModel& chain = strip().chainModel();
    chain.turn(std::string(chain.focused()), notches, fine);
}

/// Hidden, minimised, on another desktop or behind others, as far as the system reports it.
void MainWindow::updateVisibility() {
    const bool seen =
        isVisible() && !isMinimized() && windowHandle() != nullptr && windowHandle()->isExposed();
    for (StripModel* s : app_.mixer().strips())
        s->setVisibility(
            !seen ? (smallShown() ? StripModel::Visibility::background : StripModel::Visibility::hidden)
            : s == &strip() ? StripModel::Visibility::visible
                            : StripModel::Visibility::background);
}

void MainWindow::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    updateVisibility();
}

void MainWindow::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    updateVisibility();
}

void MainWindow::changeEvent(QEvent* event) {
    QWidget::changeEvent(event);
    if (event->type() == QEvent::WindowStateChange) updateVisibility();
}

bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Expose && watched == windowHandle()) updateVisibility();
    return QWidget::eventFilter(watched, event);
}

void MainWindow::closeWithoutPrompt() {
    closing_ = true;
    close();
}

void MainWindow::closeEvent(QCloseEvent* event) {
    showSmall(false);  // what it asks is asked here
    if (!closing_ && app_.audio().outputUsed()) {
        closing_ = confirm("close_question",
                           tr("Another app is using “%1”. The microphone stays available after you quit, but "
                              "is silent until you start Dusky Reed again.")
                               .arg(QString::fromStdString(app_.audio().settings().mic_title)),
                           tr("Close"));
        if (!closing_) {
            event->ignore();
            return;
        }
    }
    app_.preferences().setGeometry(saveGeometry());
    app_.saveState();
    event->accept();
}

}  // namespace reed::ui
