#include "session/monitor_controller.h"

#include <algorithm>

#include "session/session.h"

namespace reed::ui {
namespace {
constexpr int kFadeTicks = 8;  // a quarter of a second, longer than the fade
constexpr int kHowlPiece = 512;
}  // namespace

MonitorController::MonitorController(Session& session) : QObject(&session), session_(session) {
    connect(&session_, &Session::ticked, this, &MonitorController::tick);
}

MonitorController::~MonitorController() = default;

void MonitorController::restore(const MonitorSettings& settings, const std::string& sink) {
    settings_ = settings;
    settings_.source = MonitorSource::off;
    sink_ = sink;
    give(settings_);
}

/// What the headphones get, with what all strips have in common.
void MonitorController::give(MonitorSettings settings) {
    const bool voice = session_.seat().role() == StripRole::voice;
    const double lower = voice ? std::max(0.0, balance()) : std::max(0.0, -balance());
    settings.volume_db -= lower;
    session_.engine().set_monitor(settings);
}

double MonitorController::balance() const {
    return session_.house().monitor_balance;
}

void MonitorController::setBalance(double db) {
    session_.house().monitor_balance = std::clamp(db, -kMostBalance, kMostBalance);
    for (Session* s : session_.desk().strips()) {
        s->monitoring().give(s->monitoring().settings_);
        emit s->monitoring().changed();
    }
    session_.scheduleSave();
}

bool MonitorController::together() const {
    return session_.house().monitor_linked;
}

void MonitorController::setTogether(bool together) {
    session_.house().monitor_linked = together;
    for (Session* s : session_.desk().strips()) emit s->monitoring().changed();
    session_.scheduleSave();
}

void MonitorController::turn(double db) {
    const Parameter& volume = monitor_parameters()[kMonitorVolume];
    settings_.volume_db = std::clamp(settings_.volume_db + db, volume.minimum, volume.maximum);
    give(settings_);
    emit changed();
}

bool MonitorController::openOutput() {
    MonitorOptions options;
    options.sink = sink_;
    options.sample_rate = session_.engine().format().sample_rate;
    options.block = session_.devices().audio().block;
    if (!sink_.empty() && session_.devices().picture().connected &&
        session_.devices().picture().sink(sink_) == nullptr) {
        session_.notices().warn(
            tr("The headphone device isn't connected. Connect it or choose another one."));
        return false;
    }
    auto made = MonitorOutput::create(instead_ ? instead_ : session_.engine().monitor_history(), options);
    if (!made.ok()) {
        session_.notices().warn(
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
    if (together() && turned != 0.0) {
        for (Session* s : session_.desk().strips()) {
            if (s != &session_) s->monitoring().turn(turned);
        }
    }
    session_.scheduleSave();
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
    next.tap = session_.strip().chain().index_of(id) + 1;
    heard_stage_ = stop ? "" : id;
    set(next);
}

void MonitorController::followChain() {
    if (heard_stage_.empty()) return;
    // The tap goes with its stage; without it there is nothing to hear.
    MonitorSettings next = settings_;
    next.tap = session_.strip().chain().index_of(heard_stage_) + 1;
    if (next.tap == 0) next.source = MonitorSource::off;
    if (!(next == settings_)) set(next);
}

void MonitorController::setSink(const std::string& name) {
    if (name == sink_) return;
    // One pair of headphones for all strips.
    for (Session* s : session_.desk().strips()) s->monitoring().take(name);
}

void MonitorController::take(const std::string& name) {
    sink_ = name;
    output_.reset();
    warned_of_.clear();
    if (settings_.source != MonitorSource::off) {
        set(settings_);
        warnOfLoudspeakers();
    }
    session_.scheduleSave();
    emit changed();
}

QString MonitorController::sinkTitle() const {
    const PipeWireNode* node = outputNode();
    if (node == nullptr) return sink_.empty() ? tr("Default output") : QString::fromStdString(sink_);
    return QString::fromStdString(node->title);
}

const PipeWireNode* MonitorController::outputNode() const {
    const PipeWireSnapshot& now = session_.devices().picture();
    return now.sink(sink_.empty() ? now.default_sink : sink_);
}

bool MonitorController::toLoudspeakers() const {
    const PipeWireNode* node = outputNode();
    return node != nullptr && node->loudspeakers;
}

void MonitorController::warnOfLoudspeakers() {
    if (session_.seat().role() == StripRole::programme) return;  // it has no microphone that could hear them
    if (!toLoudspeakers() || warned_of_ == outputNode()->name) return;
    warned_of_ = outputNode()->name;
    session_.notices().warn(
        tr("%1 looks like loudspeakers. The microphone may pick them up and cause feedback. Use headphones.")
            .arg(sinkTitle()));
}

void MonitorController::inputOpened() {
    if (played_ || session_.devices().input().kind != DeviceKind::programme) return;
    played_ = true;
    MonitorSettings next = settings_;
    next.source = MonitorSource::feed;
    if (session_.desk().solo().empty()) set(next);
}

void MonitorController::reopen() {
    output_.reset();
    howl_.reset();
    if (settings_.source != MonitorSource::off) set(settings_);
}

void MonitorController::tick() {
    if (close_in_ > 0 && --close_in_ == 0) output_.reset();
    if (settings_.source == MonitorSource::off && !instead_) return;
    if (output_ && output_->lost()) {
        MonitorSettings next = settings_;
        next.source = MonitorSource::off;
        output_.reset();
        set(next);
        session_.notices().warn(
            tr("The headphone device was disconnected, so the headphones are off. Turn them on again to use "
               "another device."));
        return;
    }
    // No microphone is in it.
    if (instead_ || session_.seat().takes().playing()) return;
    const bool another = input_.follow(session_.engine().input_history());
    if (!howl_ || another) {
        howl_ = std::make_unique<FeedbackGuard>(session_.engine().format().sample_rate);
        input_.skip_to_newest();
    }
    if (session_.seat().role() == StripRole::programme) return;  // music may well sound like a howl
    AudioBlock piece;
    while (input_.next(kHowlPiece, piece) == RingReader::Got::sound) {
        const FeedbackAction step = howl_->add({piece[0], static_cast<size_t>(piece.frames)});
        MonitorSettings next = settings_;
        if (step == FeedbackAction::lower) next.volume_db += kHowlLoweredDb;
        if (step == FeedbackAction::lower || step == FeedbackAction::restore) give(next);
        if (step != FeedbackAction::cut) continue;
        const double hz = howl_->frequency();
        next.source = MonitorSource::off;
        set(next);
        session_.notices().warn(tr("Feedback at %1 Hz: the headphone output was stopped. Use headphones "
                                   "instead of loudspeakers, or lower the volume.")
                                    .arg(hz, 0, 'f', 0));
        return;
    }
}

}  // namespace reed::ui
