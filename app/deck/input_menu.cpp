#include "deck/input_menu.h"

#include <QPainter>
#include <algorithm>

#include "deck/programs_menu.h"
#include "model/devices/microphones.h"
#include "model/strips/strip_model.h"
#include "theme/theme.h"

namespace reed::ui {
namespace {
constexpr double kQuietest = -70.0;  // dBFS, where the line begins
constexpr int kWidth = 440;          // wide enough for every message, so that the width stays

/// A menu takes & for an underline and a tab for a second column.
QString asMenuText(QString name) {
    return name.replace('&', "&&").replace('\t', ' ');
}
}  // namespace

InputMenu::InputMenu(StripModel& strip, QWidget* parent) : QMenu(parent), strip_(strip) {
    setObjectName("input_menu");
    setAttribute(Qt::WA_DeleteOnClose);
    setMinimumWidth(kWidth);
    const DeviceChoice now = strip_.input().choice();
    if (strip_.liveStrip().role() == StripRole::programme) {
        const QString mic = QString::fromStdString(strip_.audio().settings().mic_title);
        add(asMenuText(tr("Audio that apps play into “%1 %2”").arg(mic, strip_.name())),
            strip_.input().appAudioDevice());
        addPrograms(this, strip_);
        addSeparator();
    }
    add(tr("Simulated room"), {DeviceKind::simulated_room, ""});
    if (now.kind == DeviceKind::sound_file) add(asMenuText(strip_.input().title()), now);
    addAction(tr("Audio file…"), this, &InputMenu::fileWanted);
    addSeparator();
    addMicrophones();
    addChannels();
    addSeparator();
    QAction* two = addAction(tr("Stereo"), &strip_, [audio = &strip_.audio()] {
        AudioSettings next = audio->settings();
        next.channels = next.channels == 1 ? 2 : 1;
        audio->setSettings(next);
    });
    two->setCheckable(true);
    two->setChecked(strip_.audio().settings().channels == 2);
    addOffers();
    addAction(
        tr("Virtual microphone name: %1…").arg(QString::fromStdString(strip_.audio().settings().mic_title)),
        this, &InputMenu::micNameWanted);
    QAction* standard =
        addAction(tr("Set as default microphone"), &strip_.audio(), &AudioSystem::makeDefaultMicrophone);
    standard->setEnabled(strip_.audio().snapshot().virtual_microphone);
}

QAction* InputMenu::add(const QString& title, const DeviceChoice& choice) {
    QAction* a = addAction(title, &strip_, [input = &strip_.input(), choice] { input->select(choice); });
    a->setCheckable(true);
    a->setChecked(!strip_.input().hasNoInput() && strip_.input().choice() == choice);
    return a;
}

void InputMenu::addMicrophones() {
    const PipeWireSnapshot& known = strip_.audio().snapshot();
    if (known.sources.empty()) {
        QAction* none = addAction(known.connected ? tr("No microphones found")
                                                  : tr("No microphones: PipeWire isn't running"));
        none->setEnabled(false);
        return;
    }
    QAction* say = addAction(tr("Speak: the level bar of your microphone moves"));
    say->setEnabled(false);
    add(tr("Default microphone"), {DeviceKind::pipewire, ""});
    for (const auto& m : known.sources) {
        const QString title = asMenuText(QString::fromStdString(m.title));
        rows_.push_back({add(title, {DeviceKind::pipewire, m.name}), title, m.name});
    }
    connect(&strip_.microphones(), &Microphones::heard, this, &InputMenu::follow);
    strip_.microphones().listenFor(this);
    follow();
}

/// Of the microphone in use, where it has several: each may be a microphone of its own on one device.
void InputMenu::addChannels() {
    const PipeWireNode* now = strip_.input().microphone();
    if (now == nullptr || now->channels.size() < 2) return;
    QMenu* channels = addMenu(tr("Use one channel"));
    channels->setObjectName("channel_menu");
    const auto entry = [&](const QString& title, int channel) {
        const DeviceChoice choice{DeviceKind::pipewire, now->name, channel};
        QAction* a =
            channels->addAction(title, &strip_, [input = &strip_.input(), choice] { input->select(choice); });
        a->setCheckable(true);
        a->setChecked(strip_.input().choice().channel == channel);
    };
    entry(tr("All channels"), 0);
    for (size_t i = 0; i < now->channels.size(); ++i)
        entry(tr("Channel %1 (%2)").arg(i + 1).arg(QString::fromStdString(now->channels[i])),
              static_cast<int>(i) + 1);
}

/// As which microphones other programs get this strip.
void InputMenu::addOffers() {
    InputController* input = &strip_.input();
    if (strip_.liveStrip().role() != StripRole::voice || input->microphone() == nullptr) return;
    const QString mic = QString::fromStdString(strip_.audio().settings().mic_title);
    QAction* own =
        addAction(asMenuText(tr("Add as separate microphone “%1: %2”").arg(mic, strip_.name())), input,
                  [input] { input->setOffers(!input->offersProcessed(), input->offersUnprocessed()); });
    own->setObjectName("offer_own");
    own->setCheckable(true);
    own->setChecked(input->offersProcessed());
    QAction* plain = addAction(tr("Add unprocessed as well, as “…, unprocessed”"), input, [input] {
        input->setOffers(input->offersProcessed(), !input->offersUnprocessed());
    });
    plain->setObjectName("offer_plain");
    plain->setCheckable(true);
    plain->setChecked(input->offersUnprocessed());
}

double InputMenu::lineOf(const std::string& name) const {
    const auto now = strip_.microphones().now(name);
    return now ? std::clamp(1.0 - now->level / kQuietest, 0.0, 1.0) : 0.0;
}

void InputMenu::follow() {
    for (const Row& row : rows_) {
        const PipeWireNode* m = strip_.audio().snapshot().source(row.name);
        // One that was pulled out can't be chosen any more.
        row.action->setEnabled(m != nullptr);
        const QString words = m != nullptr ? strip_.microphones().words(*m) : tr("disconnected");
        row.action->setText(row.title + "\t" + words);
    }
    update();
}

void InputMenu::paintEvent(QPaintEvent* event) {
    QMenu::paintEvent(event);
    QPainter p(this);
    for (const Row& row : rows_) {
        const double part = lineOf(row.name);
        if (part <= 0.0) continue;
        const QRectF at = QRectF(actionGeometry(row.action)).adjusted(26, 0, -22, 0);
        p.fillRect(QRectF(at.left(), at.bottom() - 3, part * at.width(), 3), theme().straw);
    }
}

}  // namespace reed::ui
