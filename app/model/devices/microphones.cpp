#include "model/devices/microphones.h"

#include <algorithm>
#include <cmath>

#include "measure/findings.h"
#include "model/devices/input_controller.h"

namespace reed::ui {
namespace {

constexpr double kFall = 25.0 * 2.0 / 30.0;  // dB from look to look, 15 a second
constexpr double kHears = -60.0;             // dBFS; more than a microphone's own noise
constexpr double kAsItIs = 0.5;              // dB; closer to 0 dB is no setting
constexpr double kNothingLeft = -60.0;       // dB

QString decibels(double v) {
    return QString::number(std::round(v));
}

}  // namespace

Microphones::Microphones(AudioSystem& audio, InputController& input, MeterReader& readings)
    : audio_(audio), input_(input), readings_(readings) {}

Microphones::~Microphones() = default;

void Microphones::listenFor(QObject* who) {
    listeners_.insert(who);
    connect(who, &QObject::destroyed, this, [this](QObject* gone) { listeners_.remove(gone); });
    poll(visible_);
}

const PipeWireNode* Microphones::inUse() const {
    return input_.microphone();
}

bool Microphones::silent() const {
    const LevelReport& levels = readings_.levels();
    return !levels.taps.empty() && levels.seconds >= 0.5 && levels.taps[0].peak <= kSilentPeak;
}

void Microphones::poll(bool visible) {
    visible_ = visible;
    // Nobody reads what else could be taken while the window is not seen.
    const bool search = visible_ && inUse() != nullptr && silent();
    if (listeners_.isEmpty() && !search) {
        ears_.reset();
        now_.clear();
        return;
    }
    if (!ears_) ears_ = std::make_unique<MicrophoneScanner>(audio_.graph());
    const auto looked = ears_->look();
    std::erase_if(now_, [&](const auto& n) { return !looked.contains(n.first); });
    for (const auto& [name, heard] : looked) {
        if (heard.seconds <= 0.0) continue;
        Now& n = now_[name];
        n.level = std::max(heard.peak, n.level - kFall);
        n.silent = !heard.sound && heard.seconds >= 0.5;
    }
    emit this->heard();
}

std::optional<Microphones::Now> Microphones::now(const std::string& name) const {
    const auto at = now_.find(name);
    return at == now_.end() ? std::nullopt : std::optional(at->second);
}

/// The loudest of the others that hear something.
QString Microphones::another() const {
    const PipeWireNode* mine = inUse();
    const PipeWireNode* best = nullptr;
    double level = kHears;
    for (const auto& m : audio_.snapshot().sources) {
        const auto n = now(m.name);
        if (!n || n->level <= level || (mine != nullptr && m.name == mine->name)) continue;
        best = &m;
        level = n->level;
    }
    if (best == nullptr) return {};
    QString title = QString::fromStdString(best->title);
    if (title.size() > 26) title = title.left(25).trimmed() + QChar(0x2026);
    return tr(" %1 has a signal (%2 dBFS).").arg(title, decibels(level));
}

QString Microphones::trouble() const {
    const PipeWireNode* mine = inUse();
    if (mine == nullptr) return {};
    if (mine->muted) return tr("Muted in the system sound settings.") + another();
    if (mine->volume <= kNothingLeft)
        return tr("Volume is at zero in the system sound settings.") + another();
    if (silent()) {
        const QString other = another();
        return tr("No signal (digital silence). Check the microphone's switch and mute button.") +
               (other.isEmpty() ? tr(" Or choose another input.") : other);
    }
    const LevelReport& levels = readings_.levels();
    if (levels.taps.empty() || !levels.taps[0].voice_known) return {};
    const double peak = levels.taps[0].peak;
    if (mine->volume < -kAsItIs && peak < kLowPeak)
        return tr("Too quiet: peaks reach %1 dBFS, and the system volume is at -%2 dB. Raise it in the sound "
                  "settings.")
            .arg(decibels(peak), decibels(-mine->volume));
    if (mine->volume > kAsItIs && peak > kHotPeak)
        return tr("Too loud: peaks reach %1 dBFS, and the system volume is at +%2 dB. Lower it in the sound "
                  "settings.")
            .arg(decibels(peak), decibels(mine->volume));
    return {};
}

QString Microphones::note() const {
    const PipeWireNode* mine = inUse();
    if (mine == nullptr || std::abs(mine->volume) <= kAsItIs) return {};
    if (mine->volume > 0.0)
        return tr("The system volume adds %1 dB and amplifies the noise too. 0 dB is unchanged.")
            .arg(decibels(mine->volume));
    return tr("The system volume reduces the microphone by %1 dB. 0 dB is unchanged.")
        .arg(decibels(-mine->volume));
}

QString Microphones::words(const PipeWireNode& m) const {
    if (m.muted) return tr("muted in the system");
    if (m.volume <= kNothingLeft) return tr("volume at zero");
    const auto n = now(m.name);
    QString out = !n                 ? QString()
                  : n->silent        ? tr("silent")
                  : n->level < -99.0 ? tr("below -99 dBFS")
                                     : tr("%1 dBFS").arg(decibels(n->level));
    if (std::abs(m.volume) > kAsItIs)
        out = tr("system %1%2 dB").arg(m.volume > 0.0 ? "+" : "", decibels(m.volume)) +
              (out.isEmpty() ? "" : "   " + out);
    return out;
}

}  // namespace reed::ui
