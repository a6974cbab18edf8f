#include "actions/midi_dialog.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QVBoxLayout>
#include <algorithm>
#include <array>
#include <utility>

#include "actions/shortcuts_dialog.h"
#include "model/app_model.h"
#include "model/shared/keys.h"
#include "model/strips/parameter_ref.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/input.h"
#include "widgets/layouts.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr std::array<const char*, kMidiCodings> kCodings = {
    QT_TRANSLATE_NOOP("reed::ui::MidiDialog", "Position (knob or fader with ends)"),
    QT_TRANSLATE_NOOP("reed::ui::MidiDialog", "Steps: 1 up, 127 down"),
    QT_TRANSLATE_NOOP("reed::ui::MidiDialog", "Steps: 65 up, 63 down"),
    QT_TRANSLATE_NOOP("reed::ui::MidiDialog", "Steps: 1 up, 65 down"),
};
constexpr std::array<const char*, kMidiCodings> kShort = {
    QT_TRANSLATE_NOOP("reed::ui::MidiDialog", "Position"),
    QT_TRANSLATE_NOOP("reed::ui::MidiDialog", "Steps 1 / 127"),
    QT_TRANSLATE_NOOP("reed::ui::MidiDialog", "Steps 65 / 63"),
    QT_TRANSLATE_NOOP("reed::ui::MidiDialog", "Steps 1 / 65"),
};

/// The same value of the selected strip, or of a strip.
MidiTarget withStrip(const MidiTarget& target, const QString& strip) {
    return {{}, strip + '/' + target.value.section('/', 1)};
}

}  // namespace

QString midiTargetTitle(AppModel& app, const MidiTarget& target) {
    if (!target.isValue()) {
        const auto& all = app.preferences().keys().all();
        const auto slot = std::ranges::find(all, target.slot, &ShortcutSlot::id);
        return slot == all.end() ? target.slot : slot->title;
    }
    const QString strip = target.value.section('/', 0, 0), owner = target.value.section('/', 1, 1);
    const bool selected = strip == "*";
    StripModel* model = selected ? &app.mixer().current() : app.mixer().find(strip.toStdString());
    if (model == nullptr) return target.value;
    const QString whose = selected ? QObject::tr("Selected strip") : model->name();
    const ParameterRef value(*model, owner.toStdString(), target.value.section('/', 2).toStdString());
    const Parameter* info = value.info();
    const QString what = info == nullptr ? target.value.section('/', 2) : text(info->title);
    if (owner == ParameterRef::kStrip) return QObject::tr("%1: %2").arg(whose, what);
    const StageSpec* stage = model->chainModel().stage(owner.toStdString());
    const QString where = owner == ParameterRef::kHeadphones ? QObject::tr("Headphones")
                          : stage == nullptr                 ? owner
                                                             : QString::fromStdString(stage->shown_title());
    return QObject::tr("%1: %2, %3").arg(whose, where, what);
}

MidiDialog::MidiDialog(AppModel& app, MidiTarget target, QWidget* parent)
    : QDialog(parent), app_(app), assignments_(app.context().midi), target_(std::move(target)) {
    setObjectName("midi_dialog");
    setAttribute(Qt::WA_DeleteOnClose);
    setWindowTitle(tr("MIDI - Dusky Reed"));
    setFixedWidth(560);
    auto* title = Words::wrapped(Words::Ink::text, 16, true, this, midiTargetTitle(app_, target_));
    title->setObjectName("midi_title");
    said_ = Words::wrapped(Words::Ink::muted, 14, false, this);
    said_->setObjectName("midi_said");
    said_->setMinimumHeight(44);
    rows_ = new QVBoxLayout;
    rows_->setSpacing(4);
    learn_ = FlatButton::raised("midi_learn", {}, this);
    connect(learn_, &FlatButton::clicked, this,
            [this] { assignments_.learning() ? assignments_.stopLearning() : assignments_.learn(target_); });
    auto* close = FlatButton::raised("midi_close", tr("Close"), this);
    connect(close, &FlatButton::clicked, this, &QDialog::accept);
    auto* foot = new QHBoxLayout;
    foot->addWidget(learn_);
    if (target_.isValue()) {
        follows_ = FlatButton::raised("midi_follows", tr("Follow the selected strip"), this);
        follows_->setCheckable(true);
        follows_->setChecked(target_.value.startsWith("*/"));
        setHint(follows_, tr("New assignments act on the same value of whatever strip is selected"));
        const QString own = target_.value.startsWith("*/")
                                ? QString::fromStdString(app_.mixer().current().chainModel().spec().id)
                                : target_.value.section('/', 0, 0);
        connect(follows_, &FlatButton::clicked, this, [this, own, title](bool on) {
            const bool learns = assignments_.learning().has_value();
            target_ = withStrip(target_, on ? QStringLiteral("*") : own);
            title->setText(midiTargetTitle(app_, target_));
            if (learns) assignments_.learn(target_);
            refresh();
        });
        foot->addWidget(follows_);
    }
    foot->addStretch(1);
    foot->addWidget(close);
    QVBoxLayout* all = columnOfDialog(this);
    all->addWidget(title);
    all->addLayout(rows_);
    all->addWidget(said_);
    all->addStretch(1);
    all->addLayout(foot);
    connect(&assignments_, &MidiAssignments::changed, this, &MidiDialog::refresh);
    connect(&assignments_, &MidiAssignments::learningChanged, this, &MidiDialog::refresh);
    connect(&assignments_, &MidiAssignments::devicesChanged, this, &MidiDialog::refresh);
    connect(
        &assignments_, &MidiAssignments::assigned, this,
        [this](const QString& device, const MidiAssignment& what, const std::optional<MidiTarget>& former) {
            const QString control = MidiAssignments::describe(device, what.control);
            say(former ? tr("Assigned: %1. It was assigned to “%2” before.")
                             .arg(control, midiTargetTitle(app_, *former))
                       : tr("Assigned: %1.").arg(control));
        });
    connect(this, &QDialog::finished, this, &MidiDialog::end);
    if (assignments_.of(target_).empty()) assignments_.learn(target_);
    refresh();
}

void MidiDialog::open(AppModel& app, const MidiTarget& target, QWidget* window) {
    if (auto* other = window->findChild<MidiDialog*>()) other->close();
    QWidget* list = window->findChild<ShortcutsDialog*>();
    (new MidiDialog(app, target, list != nullptr ? list : window))->show();
}

MidiDialog::~MidiDialog() {
    end();
}

/// Once: by the time it is deleted, another one may wait.
void MidiDialog::end() {
    if (!std::exchange(ended_, true)) assignments_.stopLearning();
}

QString MidiDialog::prompt() const {
    if (!assignments_.available())
        return tr("MIDI devices are reached through PipeWire, which isn't running.");
    const QStringList& devices = assignments_.devices();
    if (devices.isEmpty()) return tr("No MIDI device found. Connect one; it appears here.");
    const QString names = devices.join(tr(", "));
    return target_.isValue()
               ? tr("Turn a knob up, or move a fader, a few steps. Listening to: %1.").arg(names)
               : tr("Press a key, pad or pedal. Listening to: %1.").arg(names);
}

void MidiDialog::say(const QString& words) {
    said_->setText(words);
}

void MidiDialog::refresh() {
    while (QLayoutItem* item = rows_->takeAt(0)) {
        item->widget()->hide();
        item->widget()->deleteLater();
        delete item;
    }
    const auto all = assignments_.of(target_);
    for (const auto& assigned : all) addRow(assigned);
    const bool learns = assignments_.learning().has_value();
    learn_->setText(learns        ? tr("Cancel")
                    : all.empty() ? tr("Assign a control")
                                  : tr("Assign another control"));
    if (learns)
        say(prompt());
    else if (all.empty())
        say(tr("No MIDI control is assigned."));
    else
        say(target_.isValue()
                ? tr("A knob or fader takes the value over when it passes it, so that nothing jumps.")
                : QString());
}

void MidiDialog::addRow(const MidiAssignments::Assigned& assigned) {
    auto* row = new QWidget(this);
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(6);
    const QString name = MidiAssignments::describe(assigned.device, assigned.what.control);
    auto* words = new Words(Words::Ink::text, row);
    words->setObjectName("midi_control");
    words->setFont(ui::font(14));
    words->setText(elidedByWords(words->fontMetrics(), name, 300));
    setHint(words, name);
    words->setFixedHeight(30);
    line->addWidget(words, 1);
    const bool here = assignments_.devices().contains(assigned.device);
    if (!here) {
        auto* away = new Words(Words::Ink::muted, row);
        away->setFont(ui::font(13));
        away->setText(tr("not connected"));
        line->addWidget(away);
    }
    if (target_.isValue() && assigned.what.control.kind == MidiControl::Kind::controller) {
        auto* coding =
            FlatButton::raised("midi_coding", tr(kShort[static_cast<size_t>(assigned.what.coding)]), row);
        setHint(coding,
                tr("How the device codes its movement. Change it if the value jumps or runs backwards"));
        connect(coding, &FlatButton::clicked, this,
                [this, assigned, coding] { chooseCoding(assigned, coding); });
        line->addWidget(coding);
    }
    auto* remove = FlatButton::raised("midi_remove", tr("Remove"), row);
    remove->setAccessibleName(tr("Remove %1").arg(name));
    connect(remove, &FlatButton::clicked, this,
            [this, assigned] { assignments_.remove(assigned.device, assigned.what.control); });
    line->addWidget(remove);
    rows_->addWidget(row);
}

void MidiDialog::chooseCoding(const MidiAssignments::Assigned& assigned, QWidget* at) {
    auto* menu = new QMenu(this);
    menu->setObjectName("midi_codings");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (int c = 0; c < kMidiCodings; ++c) {
        const auto coding = static_cast<MidiCoding>(c);
        QAction* action =
            menu->addAction(tr(kCodings[static_cast<size_t>(c)]), this, [this, assigned, coding] {
                assignments_.setCoding(assigned.device, assigned.what.control, coding);
            });
        action->setCheckable(true);
        action->setChecked(assigned.what.coding == coding);
    }
    menu->popup(at->mapToGlobal(QPoint(0, at->height())));
}

}  // namespace reed::ui
