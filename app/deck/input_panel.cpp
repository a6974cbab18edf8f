#include "deck/input_panel.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QPainter>
#include <QVBoxLayout>
#include <algorithm>

#include "deck/input_levels.h"
#include "measure/findings.h"
#include "model/devices/microphones.h"
#include "model/strips/strip_model.h"
#include "theme/theme.h"
#include "widgets/value_field.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr Parameter kSystem =
    parameter::number("system_volume", "System volume", Unit::decibel, -60.0, 12.0, 0.0, Scale::linear,
                      "Microphone volume in the system sound settings. 0 dB is unchanged; higher values can "
                      "add noise or clipping.");
constexpr int kSettles = 700;  // ms

}  // namespace

InputPanel::InputPanel(StripModel& strip, QWidget* parent) : QWidget(parent), strip_(strip) {
    setObjectName("room_panel");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(18, 8, 14, 8);
    column->setSpacing(0);
    title_ = new Words(Words::Ink::text, this);
    title_->setFont(ui::font(18, true));
    auto* head = new QHBoxLayout;
    head->addWidget(title_, 1);
    system_ = new ValueField(kSystem, this);
    system_->setObjectName("system_volume");
    system_->setFixedSize(172, 30);
    connect(system_, &ValueField::valueRequested, this, [this](double db) {
        system_->setValue(db);
        turned_.start();
        strip_.input().setSystemVolume(db);
    });
    connect(system_, &ValueField::refused, this, [this](const QString& why) { strip_.notices().warn(why); });
    head->addWidget(system_);
    column->addLayout(head);
    column->addSpacing(4);
    advice_ = new Words(Words::Ink::muted, this);
    advice_->setObjectName("input_advice");
    advice_->setFont(ui::font(13));
    advice_->setWordWrap(true);
    advice_->setFixedHeight(34);
    advice_->setAlignment(Qt::AlignLeft | Qt::AlignTop);
    column->addWidget(advice_);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(12);
    grid->setVerticalSpacing(0);
    column->addLayout(grid);
    for (int c = 0; c < kRoomControls; ++c) {
        auto* f = new ValueField(room_controls()[static_cast<size_t>(c)], this);
        connect(f, &ValueField::valueRequested, this, [this, f, c](double v) {
            f->setValue(v);
            strip_.input().setRoom(static_cast<RoomControl>(c), v);
        });
        connect(f, &ValueField::refused, this, [this](const QString& why) { strip_.notices().warn(why); });
        fields_.push_back(f);
        // The voice has a row of its own; the noises stand two and two.
        if (c == kRoomEffort)
            grid->addWidget(f, 0, 0, 1, 2);
        else
            grid->addWidget(f, 1 + (c - 1) / 2, (c - 1) % 2);
    }
    levels_ = new InputLevels(strip_, this);
    column->addWidget(levels_, 1);
    column->addStretch(0);
    connect(&strip_.input(), &InputController::inputChanged, this, &InputPanel::show);
    connect(&strip_.input(), &InputController::roomChanged, this, &InputPanel::show);
    connect(&strip_, &StripModel::readingsChanged, this, [this] {
        if (++ticks_ % 15 == 0 && isVisible()) updateAdvice();
    });
    show();
}

void InputPanel::show() {
    SimulatedRoom* room = strip_.input().simulatedRoom();
    title_->setText(room != nullptr ? tr("Simulated room") : tr("Input"));
    for (int c = 0; c < kRoomControls; ++c) {
        auto* f = fields_[static_cast<size_t>(c)];
        f->setVisible(room != nullptr);
        if (room != nullptr) f->setValue(room->get(static_cast<RoomControl>(c)));
    }
    levels_->setVisible(room == nullptr);
    updateAdvice();
}

/// What the system does to the microphone before its sound comes here.
void InputPanel::showSystem() {
    const PipeWireNode* mic = strip_.input().microphone();
    system_->setVisible(mic != nullptr);
    // What was just asked for has not come about yet.
    if (mic != nullptr && (!turned_.isValid() || turned_.elapsed() > kSettles))
        system_->setValue(std::clamp(mic->volume, kSystem.minimum, kSystem.maximum));
}

void InputPanel::updateAdvice() {
    showSystem();
    if (strip_.liveStrip().role() == StripRole::programme) {
        const QString own = QString::fromStdString(strip_.input().choice().target);
        QStringList here;
        for (const PlayingProgram& p : strip_.audio().snapshot().programs) {
            if (QString::fromStdString(p.into) == own) here << QString::fromStdString(p.name);
        }
        const bool output = strip_.input().choice().kind == DeviceKind::programme;
        return advice_->show(FindingTone::neutral,
                             !output ? QString()
                             : here.isEmpty()
                                 ? tr("No app is playing here. Use the input menu (top left) to send one.")
                                 : tr("Playing here: %1").arg(here.join(", ")));
    }
    // What the system does to the microphone comes first: no advice about levels helps there.
    if (const QString trouble = strip_.microphones().trouble(); !trouble.isEmpty())
        advice_->show(FindingTone::warning, trouble);
    else if (const Finding f = input_finding(strip_.levels(), strip_.readings().clipped());
             f.tone == FindingTone::warning || strip_.microphones().note().isEmpty())
        advice_->show(f);
    else
        advice_->show(FindingTone::neutral, strip_.microphones().note());
}

void InputPanel::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(theme().panel);
    p.drawRoundedRect(rect(), 10, 10);
}

}  // namespace reed::ui
