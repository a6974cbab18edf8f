#include "model/strips/monitor_controller.h"

#include <algorithm>

#include "model/chain/chain_model.h"
#include "model/devices/input_controller.h"

namespace reed::ui {
namespace {
constexpr int kFadeTicks = 8;  // a quarter of a second, longer than the fade
constexpr int kHowlPiece = 512;
}  // namespace

MonitorController::MonitorController(AppContext& context, AudioSystem& audio, LiveStrip& strip,
                                     ChainModel& chain, InputController& input)
    : notices_(context.notices),
      mix_(context.monitor),
      audio_(audio),
      strip_(strip),
      chain_(chain),
      input_(input) {
    connect(&mix_, &MonitorMix::balanceChanged, this, [this] {
        give(settings_);
        emit changed();
    });
    connect(&mix_, &MonitorMix::sinkChanged, this, &MonitorController::reopenOutput);
    connect(&mix_, &MonitorMix::volumeStepped, this, [this](const QObject* by, double db) {
        if (by != this) turn(db);
    });
}

MonitorController::~MonitorController() = default;

void MonitorController::restore(const MonitorSettings& settings) {
    settings_ = settings;
    settings_.source = MonitorSource::off;
    give(settings_);
}

bool MonitorController::isVoice() const {
    return strip_.role() == StripRole::voice;
}

/// What the headphones get, with what all strips have in common.
void MonitorController::give(MonitorSettings settings) {
    const double lower = std::max(0.0, isVoice() ? mix_.balance() : -mix_.balance());
    settings.volume_db -= lower;
    strip_.engine().set_monitor(settings);
}

void MonitorController::turn(double db) {
    const Parameter& volume = monitor_parameters()[kMonitorVolume];
    settings_.volume_db = std::clamp(settings_.volume_db + db, volume.minimum, volume.maximum);
    give(settings_);
    emit changed();
}

bool MonitorController::openOutput() {
    MonitorOptions options;
    options.sink = mix_.sink();
    options.sample_rate = strip_.engine().format().sample_rate;
    options.block = audio_.settings().block;
    if (!mix_.sink().empty() && audio_.snapshot().connected &&
        audio_.snapshot().sink(mix_.sink()) == nullptr) {
        notices_.warn(tr("The headphone device isn't connected. Connect it or choose another one."));
        return false;
    }
    auto made = MonitorOutput::create(instead_ ? instead_ : strip_.engine().monitor_history(), options);
    if (!made.ok()) {
        notices_.warn(
            tr("Can't play to the headphones: PipeWire isn't running. Start it (systemctl --user start "
               "pipewire wireplumber) and try again."));
        return false;
    }
    output_ = std::move(made.value());
    close_in_ = 0;
    return true;
}

bool MonitorController::overrideSource(std::shared_ptr<const HistoryRing> sound) {
    if (sound == instead_) return output_ != nullptr;
    instead_ = std::move(sound);
    output_.reset();
    const bool on = instead_ || settings_.source != MonitorSource::off;
    return on && openOutput();
}

void MonitorController::set(const MonitorSettings& wanted) {
    MonitorSettings next = wanted;
    if (next.source != MonitorSource::tap) heard_stage_.clear();
    const bool on = next.source != MonitorSource::off;
    if (on && (!output_ || output_->lost()) && !openOutput()) {
        next.source = MonitorSource::off;
        heard_stage_.clear();
    }
    if (next.source == MonitorSource::off && output_ && !instead_) close_in_ = kFadeTicks;
    if (next.source != MonitorSource::off && settings_.source == MonitorSource::off) {
        howl_.reset();
        warnOfLoudspeakers();
    }
    const double turned = next.volume_db - settings_.volume_db;
    settings_ = next;
    give(settings_);
    mix_.stepVolume(this, turned);
    emit changed();
}

void MonitorController::toggle() {
    MonitorSettings next = settings_;
    next.source = settings_.source == MonitorSource::off ? MonitorSource::feed : MonitorSource::off;
    set(next);
}

void MonitorController::monitorAfterStage(const std::string& id) {
    MonitorSettings next = settings_;
    const bool stop = heard_stage_ == id;
    next.source = stop ? MonitorSource::off : MonitorSource::tap;
    next.tap = chain_.chain().index_of(id) + 1;
    heard_stage_ = stop ? "" : id;
    set(next);
}

void MonitorController::followChain() {
    if (heard_stage_.empty()) return;
    // The tap goes with its stage; without it there is nothing to hear.
    MonitorSettings next = settings_;
    next.tap = chain_.chain().index_of(heard_stage_) + 1;
    if (next.tap == 0) next.source = MonitorSource::off;
    if (!(next == settings_)) set(next);
}

/// Plays on the device of now.
void MonitorController::reopenOutput() {
    output_.reset();
    warned_of_.clear();
    if (settings_.source != MonitorSource::off) {
        set(settings_);
        warnOfLoudspeakers();
    }
    emit changed();
}

QString MonitorController::sinkTitle() const {
    const PipeWireNode* node = outputNode();
    if (node == nullptr)
        return mix_.sink().empty() ? tr("Default output") : QString::fromStdString(mix_.sink());
    return QString::fromStdString(node->title);
}

const PipeWireNode* MonitorController::outputNode() const {
    const PipeWireSnapshot& now = audio_.snapshot();
    return now.sink(mix_.sink().empty() ? now.default_sink : mix_.sink());
}

bool MonitorController::toLoudspeakers() const {
    const PipeWireNode* node = outputNode();
    return node != nullptr && node->loudspeakers;
}

void MonitorController::warnOfLoudspeakers() {
    if (!isVoice()) return;  // it has no microphone that could hear them
    if (!toLoudspeakers() || warned_of_ == outputNode()->name) return;
    warned_of_ = outputNode()->name;
    notices_.warn(
        tr("%1 looks like loudspeakers. The microphone may pick them up and cause feedback. Use headphones.")
            .arg(sinkTitle()));
}

void MonitorController::inputOpened() {
    if (played_ || input_.choice().kind != DeviceKind::programme) return;
    played_ = true;
    MonitorSettings next = settings_;
    next.source = MonitorSource::feed;
    if (mix_.solo().empty()) set(next);
}

void MonitorController::reopen() {
    output_.reset();
    howl_.reset();
    if (settings_.source != MonitorSource::off) set(settings_);
}

void MonitorController::poll() {
    if (close_in_ > 0 && --close_in_ == 0) output_.reset();
    if (settings_.source == MonitorSource::off && !instead_) return;
    if (output_ && output_->lost()) {
        MonitorSettings next = settings_;
        next.source = MonitorSource::off;
        output_.reset();
        set(next);
        notices_.warn(
            tr("The headphone device was disconnected, so the headphones are off. Turn them on again to use "
               "another device."));
        return;
    }
    // No microphone is in it.
    if (instead_ || strip_.takes().playing()) return;
    const bool another = input_sound_.follow(strip_.engine().input_history());
    if (!howl_ || another) {
        howl_ = std::make_unique<FeedbackGuard>(strip_.engine().format().sample_rate);
        input_sound_.skip_to_newest();
    }
    if (!isVoice()) return;  // music may well sound like a howl
    AudioBlock piece;
    while (input_sound_.next(kHowlPiece, piece) == RingReader::Got::sound) {
        const FeedbackAction step = howl_->add({piece[0], static_cast<size_t>(piece.frames)});
        MonitorSettings next = settings_;
        if (step == FeedbackAction::lower) next.volume_db += kHowlLoweredDb;
        if (step == FeedbackAction::lower || step == FeedbackAction::restore) give(next);
        if (step != FeedbackAction::cut) continue;
        const double hz = howl_->frequency();
        next.source = MonitorSource::off;
        set(next);
        notices_.warn(tr("Feedback at %1 Hz: the headphone output was stopped. Use headphones "
                         "instead of loudspeakers, or lower the volume.")
                          .arg(hz, 0, 'f', 0));
        return;
    }
}

}  // namespace reed::ui
