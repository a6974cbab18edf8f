#include "actions/shortcuts_dialog.h"

#include <QApplication>
#include <QClipboard>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLineEdit>
#include <QMouseEvent>
#include <QScrollArea>
#include <QVBoxLayout>

#include "actions/midi_dialog.h"
#include "model/app_model.h"
#include "model/shared/global_keys.h"
#include "model/shared/keys.h"
#include "model/shared/shortcut_text.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/layouts.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

/// What the parts of the window do with keys while they have the focus: always the same.
struct Fixed {
    const char* group;
    const char* key;
    const char* title;
};
constexpr const char* kNode = QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "On a stage in the diagram");
constexpr const char* kValue = QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "On a value or a threshold");
constexpr const char* kCurve = QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "On the equalizer's curve");
constexpr Fixed kFixed[] = {
    {kNode, "B", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Bypass it, or put it to work")},
    {kNode, "Ctrl+Left, Ctrl+Right", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Move it")},
    {kNode, "F2", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Rename it")},
    {kNode, "Ctrl+C, Ctrl+V", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Copy it as text, paste behind it")},
    {kNode, "Ctrl+D", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Duplicate it")},
    {kNode, "H", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Listen after this stage")},
    {kNode, "M", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Switch A/B")},
    {kNode, "Delete", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Remove it")},
    {kValue, "Up, Down", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "One step; with Shift a fine step")},
    {kValue, "Page Up, Page Down", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Ten steps")},
    {kValue, "0 to 9",
     QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Type the value, with its unit if you like")},
    {kValue, "Backspace", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Default value")},
    {kCurve, "Left, Right, Up, Down", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Move the selected band")},
    {kCurve, "[, ]", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Previous / next band")},
    {kCurve, "F", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Hold to look for a resonance")},
    {kCurve, "Delete", QT_TRANSLATE_NOOP("reed::ui::KeysDialog", "Turn the band off")},
};

/// The command of a slot for a shortcut of the desktop, which has no release; empty if that is of no use.
QString sendCommandFor(const QString& slot) {
    if (slot == "talk") return QStringLiteral("dusky-reed --send toggle-mute");
    const QString id = slot.section(' ', 0, 0), argument = slot.section(' ', 1);
    if (id == "hold-character") return {};
    if (argument.isEmpty()) return "dusky-reed --send " + id;
    const bool plain = std::ranges::all_of(argument, [](QChar c) { return c.isLetterOrNumber(); });
    return QStringLiteral("dusky-reed --send %1 %2")
        .arg(id, plain ? argument : "'" + QString(argument).replace('\'', "'\\''") + "'");
}

}  // namespace

ShortcutsDialog::ShortcutsDialog(AppModel& app, QWidget* parent)
    : QDialog(parent),
      app_(app),
      keys_(app.preferences().keys()),
      global_(app.preferences().globalKeys()),
      midi_(app.context().midi) {
    setObjectName("keys_dialog");
    setWindowTitle(tr("Shortcuts and MIDI - Dusky Reed"));
    resize(880, 640);
    word_ = new QLineEdit(this);
    word_->setObjectName("keys_word");
    word_->setFont(ui::font(14));
    word_->setPlaceholderText(tr("Search by name, shortcut or MIDI control"));
    word_->setAccessibleName(tr("Search shortcuts"));
    word_->setClearButtonEnabled(true);
    connect(word_, &QLineEdit::textChanged, this, &ShortcutsDialog::find);
    said_ = new Words(Words::Ink::muted, this);
    said_->setObjectName("keys_said");
    said_->setFont(ui::font(13));
    said_->setWordWrap(true);
    said_->setMinimumHeight(36);
    said_->setAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    list_ = new QWidget;
    list_->setLayout(new QVBoxLayout);
    list_->layout()->setContentsMargins(0, 0, 10, 0);
    list_->layout()->setSpacing(2);
    auto* scroll = new QScrollArea(this);
    scroll->setWidget(list_);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    all_ = new FlatButton(tr("Restore defaults"), this);
    all_->setObjectName("keys_all_usual");
    all_->setWeight(FlatButton::Weight::raised);
    connect(all_, &FlatButton::clicked, this, [this] {
        keys_.resetAll();
        say(tr("All shortcuts restored to defaults."), false);
    });
    auto* close = new FlatButton(tr("Close"), this);
    close->setObjectName("keys_close");
    close->setWeight(FlatButton::Weight::raised);
    connect(close, &FlatButton::clicked, this, &QDialog::accept);
    auto* foot = new QHBoxLayout;
    foot->addWidget(all_);
    foot->addStretch(1);
    foot->addWidget(close);
    QVBoxLayout* all = columnOfDialog(this, 8);
    all->addWidget(word_);
    all->addWidget(said_);
    all->addWidget(scroll, 1);
    all->addLayout(foot);
    build();
    connect(&keys_, &Keys::changed, this, &ShortcutsDialog::refresh);
    connect(&global_, &GlobalKeys::stateChanged, this, [this] {
        if (usual_said_) say({}, false);
        refresh();
    });
    connect(&global_, &GlobalKeys::wantedChanged, this, &ShortcutsDialog::refresh);
    connect(&midi_, &MidiAssignments::changed, this, [this] {
        if (midiValues() != values_) rebuild();
        refresh();
    });
    say({}, false);
    refresh();
    word_->setFocus();
}

void ShortcutsDialog::open(AppModel& app, const QString& word, QWidget* window) {
    if (auto* other = window->findChild<ShortcutsDialog*>()) {
        if (word.isEmpty()) return other->raise();
        other->close();
    }
    auto* list = new ShortcutsDialog(app, window);
    list->setAttribute(Qt::WA_DeleteOnClose);
    list->showOnly(word);
    list->show();
}

ShortcutsDialog::~ShortcutsDialog() {
    global_.pause(false);
}

/// With the name of the scene that is in this place now.
QString ShortcutsDialog::titleOf(const ShortcutSlot& slot) const {
    const auto& scenes = app_.scenes().scenes();
    const size_t place = slot.id.startsWith("scene ") ? slot.id.section(' ', 1).toUInt() : 0;
    if (place < 1 || place > scenes.size()) return slot.title;
    return tr("%1: %2").arg(slot.title, QString::fromStdString(scenes[place - 1].scene.name).left(60));
}

void ShortcutsDialog::build() {
    addValues();
    for (const ShortcutSlot& slot : keys_.all()) addRow(titleOf(slot), slot.group, &slot);
    for (const Fixed& fixed : kFixed)
        addRow(tr(fixed.title), tr(fixed.group), nullptr, QString::fromUtf8(fixed.key));
    qobject_cast<QVBoxLayout*>(list_->layout())->addStretch(1);
}

QWidget* ShortcutsDialog::heading(const QString& text) {
    auto* words = new Words(Words::Ink::muted, list_);
    words->setFont(ui::font(12, true));
    words->setText(text);
    words->setContentsMargins(0, 10, 0, 2);
    words->setFixedHeight(30);
    words->setAlignment(Qt::AlignLeft | Qt::AlignBottom);
    list_->layout()->addWidget(words);
    headings_.emplace_back(text, words);
    return words;
}

void ShortcutsDialog::addRow(const QString& title, const QString& group, const ShortcutSlot* slot,
                             const QString& fixed) {
    const QString id = slot == nullptr ? QString() : slot->id;
    if (headings_.empty() || headings_.back().first != group) heading(group);
    Row row;
    row.id = id;
    row.words = title + ' ' + group;
    row.whole = new QWidget(list_);
    row.group = group;
    auto* line = new QHBoxLayout(row.whole);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(6);
    auto* words = new Words(Words::Ink::text, row.whole);
    words->setFont(ui::font(14));
    words->setText(title);
    words->setFixedHeight(28);
    words->setAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    line->addWidget(words, 1);
    if (slot == nullptr) {
        auto* key = new Words(Words::Ink::muted, row.whole);
        key->setFont(ui::font(14));
        key->setText(fixed);
        key->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
        line->addWidget(key);
        row.words += ' ' + fixed;
    } else {
        row.reset = new FlatButton(tr("Reset"), row.whole);
        row.reset->setObjectName("reset " + id);
        setHint(row.reset, tr("Restore the default shortcut"));
        connect(row.reset, &FlatButton::clicked, this, [this, id] { keys_.reset(id); });
        row.key = new FlatButton({}, row.whole);
        row.key->setObjectName("key " + id);
        row.key->setWeight(FlatButton::Weight::raised);
        row.key->setCheckable(true);
        row.key->setFixedWidth(190);
        setHint(row.key, tr("Click, then press a new shortcut"));
        connect(row.key, &FlatButton::clicked, this, [this, id] { wait(waiting_ == id ? QString() : id); });
        line->addWidget(row.reset);
        if (slot->everywhere) addGlobal(row, id);
        line->addWidget(row.key);
        addMidi(row);
    }
    list_->layout()->addWidget(row.whole);
    rows_.push_back(row);
}

QStringList ShortcutsDialog::midiValues() const {
    QStringList out;
    for (const auto& a : midi_.all()) {
        const QString address = MidiAssignments::targetOf(a.what).value;
        if (!address.isEmpty() && !out.contains(address)) out << address;
    }
    return out;
}

void ShortcutsDialog::rebuild() {
    if (!waiting_.isEmpty()) wait({});
    rows_.clear();
    headings_.clear();
    while (QLayoutItem* item = list_->layout()->takeAt(0)) {
        if (item->widget() != nullptr) {
            item->widget()->hide();
            item->widget()->deleteLater();  // one of them may be in the middle of its click
        }
        delete item;
    }
    build();
}

void ShortcutsDialog::addValues() {
    values_ = midiValues();
    for (const QString& address : std::as_const(values_)) {
        addRow(midiTargetTitle(app_, {{}, address}), tr("Values by MIDI"), nullptr);
        Row& row = rows_.back();
        row.value = address;
        addMidi(row);
    }
}

void ShortcutsDialog::addMidi(Row& row) {
    row.midi = FlatButton::raised("midi " + (row.id.isEmpty() ? row.value : row.id), {}, row.whole);
    row.midi->setFixedWidth(156);
    connect(row.midi, &FlatButton::clicked, this,
            [this, target = MidiTarget{row.id, row.value}] { midi_.edit(target); });
    row.whole->layout()->addWidget(row.midi);
}

void ShortcutsDialog::showMidi(const Row& row) {
    const QString controls = midi_.text({row.id, row.value});
    row.midi->setText(controls.isEmpty() ? tr("MIDI…") : controls);
    row.midi->setWeight(controls.isEmpty() ? FlatButton::Weight::plain : FlatButton::Weight::raised);
    row.midi->setAccessibleName(
        tr("%1: MIDI: %2").arg(row.words, controls.isEmpty() ? tr("none") : controls));
    setHint(row.midi, tr("Assign a MIDI control"));
}

void ShortcutsDialog::addGlobal(Row& row, const QString& id) {
    row.global = new FlatButton(tr("Every window"), row.whole);
    row.global->setObjectName("global " + id);
    row.global->setWeight(FlatButton::Weight::raised);
    row.global->setCheckable(true);
    row.global->setFixedWidth(116);
    connect(row.global, &FlatButton::clicked, this, [this, id] { turnGlobal(id); });
    if (const QString command = sendCommandFor(id); !command.isEmpty()) {
        row.copy = new FlatButton(tr("Copy command"), row.whole);
        row.copy->setObjectName("copy " + id);
        setHint(row.copy, tr("Copy “%1” for a custom shortcut in the settings of your desktop").arg(command));
        connect(row.copy, &FlatButton::clicked, this, [this, command] {
            QGuiApplication::clipboard()->setText(command);
            say(tr("Copied: %1. Add a custom shortcut with it in the keyboard settings of your desktop.")
                    .arg(command),
                false);
        });
        row.whole->layout()->addWidget(row.copy);
    }
    row.whole->layout()->addWidget(row.global);
}

void ShortcutsDialog::showGlobal(const Row& row) {
    const bool grabs = global_.provider() == GlobalKeys::Provider::x_server;
    row.global->setVisible(grabs);
    if (row.copy != nullptr) row.copy->setVisible(global_.provider() == GlobalKeys::Provider::none);
    const QString problem = global_.problem(row.id);
    const bool wanted = global_.wants(row.id);
    row.global->setChecked(wanted);
    row.global->setWeight(problem.isEmpty() ? FlatButton::Weight::raised : FlatButton::Weight::alarm);
    row.global->setText(problem.isEmpty() ? tr("Every window") : tr("Not in effect"));
    row.global->setAccessibleName(row.words + ": " + row.global->text());
    setHint(row.global, !problem.isEmpty() ? problem
                        : wanted ? tr("Works while another app has the keyboard. Click to turn that off")
                                 : tr("Make it work while another app has the keyboard"));
}

void ShortcutsDialog::turnGlobal(const QString& id) {
    const bool on = !global_.wants(id);
    if (const QString why = GlobalKeys::unsuitable(keys_.of(id)); on && !why.isEmpty()) {
        say(why, true);
        return refresh();
    }
    global_.want(id, on);
    const QString problem = global_.problem(id);
    const QString name = keys_.text(id);
    if (!problem.isEmpty())
        say(problem, true);
    else
        say(on ? tr("%1 works in every window now. Other apps no longer receive it.").arg(name)
               : tr("%1 works in the windows of Dusky Reed only.").arg(name),
            false);
}

void ShortcutsDialog::refresh() {
    for (const Row& row : rows_) {
        if (row.midi != nullptr) showMidi(row);
        if (row.key == nullptr) continue;
        QStringList words;
        for (const QKeySequence& key : keys_.of(row.id)) words << shortcutText(key);
        const bool waits = row.id == waiting_;
        row.key->setChecked(waits);
        row.key->setText(waits ? tr("Press shortcut…")
                               : (words.isEmpty() ? tr("none") : words.join(tr(" or "))));
        row.key->setAccessibleName(row.words + ": " + row.key->text());
        row.reset->setVisible(keys_.differs(row.id));
        if (row.global != nullptr) showGlobal(row);
    }
    all_->setEnabled(!keys_.kept().empty());
    find();
}

void ShortcutsDialog::find() {
    const QString word = word_->text().trimmed();
    bool any = false;
    for (const Row& row : rows_) {
        QString all = row.words;
        for (const FlatButton* button : {row.key, row.midi})
            all += ' ' + (button != nullptr ? button->text() : QString());
        const bool found = word.isEmpty() || all.contains(word, Qt::CaseInsensitive);
        row.whole->setVisible(found);
        any = any || found;
    }
    for (const auto& heading : headings_) {
        const bool used = std::ranges::any_of(rows_, [&](const Row& row) {
            return row.group == heading.first && row.whole->isVisibleTo(list_);
        });
        heading.second->setVisible(used);
    }
    if (!any)
        say(tr("No results for “%1”.").arg(word), false);
    else if (waiting_.isEmpty() && said_->property("of_search").toBool())
        say({}, false);
    said_->setProperty("of_search", !any);
}

void ShortcutsDialog::say(const QString& words, bool serious) {
    said_->setInk(serious ? Words::Ink::warning : Words::Ink::muted);
    QString usual = tr("Click a shortcut to change it.");
    switch (global_.provider()) {
        case GlobalKeys::Provider::desktop:
            usual +=
                ' ' + tr("Shortcuts for every window are set by the desktop: Global shortcuts… in the menu.");
            break;
        case GlobalKeys::Provider::x_server:
            usual += ' ' + tr("Those marked “Every window” also work while another app has the keyboard.");
            break;
        case GlobalKeys::Provider::none:
            usual +=
                ' ' + tr("They work in the windows of Dusky Reed. For all windows, add a shortcut in the "
                         "settings of your desktop that runs the command beside it.");
    }
    usual_said_ = words.isEmpty();
    said_->setText(usual_said_ ? usual : words);
}

void ShortcutsDialog::wait(const QString& id) {
    waiting_ = id;
    asked_ = {};
    qApp->removeEventFilter(this);
    if (!id.isEmpty()) qApp->installEventFilter(this);
    global_.pause(!id.isEmpty());  // else a shortcut that is grabbed could not be pressed here
    say(id.isEmpty() ? QString()
                     : tr("Press the new shortcut, or an extra mouse button. Backspace: clear. Esc: cancel."),
        false);
    refresh();
}

void ShortcutsDialog::take(const QKeySequence& key) {
    if (const QString why = Keys::problem(key); !why.isEmpty()) return say(why, true);
    const ShortcutSlot* other = key.isEmpty() ? nullptr : keys_.holder(key);
    const QString name = shortcutText(key);
    if (other != nullptr && other->id != waiting_ && asked_ != key) {
        asked_ = key;
        return say(
            tr("%1 is already assigned to “%2”. Press it again to reassign it, or press another shortcut.")
                .arg(name, other->title),
            true);
    }
    const QString from = other != nullptr && other->id != waiting_ ? other->title : QString();
    const QString id = waiting_;
    wait({});
    keys_.set(id, key);
    if (!from.isEmpty()) say(tr("%2 was removed from “%1”.").arg(from, name), false);
}

bool ShortcutsDialog::eventFilter(QObject* watched, QEvent* event) {
    if (!waiting_.isEmpty() && event->type() == QEvent::MouseButtonPress) {
        // Over whatever part of this window.
        const auto* press = static_cast<QMouseEvent*>(event);
        const auto* widget = qobject_cast<QWidget*>(watched);
        const Qt::Key button = mouseKey(press->button());
        if (widget != nullptr && widget->window() == this && button != Qt::Key_unknown) {
            take(QKeySequence(QKeyCombination(press->modifiers() & ~Qt::KeypadModifier, button)));
            return true;
        }
    }
    if (waiting_.isEmpty() || watched->objectName() != "key " + waiting_)
        return QDialog::eventFilter(watched, event);
    if (event->type() == QEvent::ShortcutOverride) {
        event->accept();
        return true;
    }
    // An extra mouse button that is pressed over another field is the new shortcut, too.
    constexpr auto kUsual = Qt::LeftButton | Qt::RightButton | Qt::MiddleButton;
    const bool extra = (QGuiApplication::mouseButtons() & ~kUsual) != Qt::NoButton;
    if (event->type() == QEvent::FocusOut && !extra) wait({});
    if (event->type() != QEvent::KeyPress) return QDialog::eventFilter(watched, event);
    const auto* press = static_cast<QKeyEvent*>(event);
    const int key = press->key();
    if (key == Qt::Key_Control || key == Qt::Key_Shift || key == Qt::Key_Alt || key == Qt::Key_Meta ||
        key == Qt::Key_AltGr || press->isAutoRepeat())
        return true;
    const auto with = press->modifiers() & ~Qt::KeypadModifier;
    if (key == Qt::Key_Escape && with == Qt::NoModifier)
        wait({});
    else if ((key == Qt::Key_Backspace || key == Qt::Key_Delete) && with == Qt::NoModifier)
        take({});
    else if (key == Qt::Key_Question)  // Shift is part of it
        take(QKeySequence(Qt::Key_Question));
    else
        take(QKeySequence(static_cast<int>(with.toInt()) | key));
    return true;
}

void ShortcutsDialog::keyPressEvent(QKeyEvent* event) {
    // Enter belongs to the button that has the focus; a dialog would close by it.
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) return;
    QDialog::keyPressEvent(event);
}

}  // namespace reed::ui
