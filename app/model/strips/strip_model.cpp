#include "model/strips/strip_model.h"

#include <QGuiApplication>
#include <utility>

#include "model/shared/due.h"

namespace reed::ui {
namespace {

constexpr int kTick = 33, kDragTick = 16, kBackgroundTick = 100, kHiddenTick = 250;  // ms from tick to tick
constexpr int kPollInput = 240, kReportFaults = 1000;                                // ms

}  // namespace

StripModel::StripModel(AppContext& context, AudioSystem& audio, const std::string& id, StripRole role,
                       InputPolicy policy)
    : context_(context),
      audio_(audio),
      live_(context.live.make(id, role)),
      readings_(live_->engine()),
      spectrum_(live_->engine(), readings_),
      chain_(live_->engine().chain(), context.notices, context.history),
      input_(context, audio, live_, chain_, policy),
      microphones_(audio, input_, readings_),
      monitoring_(context, audio, *live_, chain_, input_),
      visibility_(policy.main ? Visibility::visible : Visibility::background),
      learning_(live_->engine(), chain_, input_, background_, context.notices) {
    if (role == StripRole::programme) readings_.expect_no_voice();
    tick_.setInterval(kTick);
    tick_.setTimerType(Qt::PreciseTimer);
    connect(&tick_, &QTimer::timeout, this, &StripModel::tick);
    connect(this, &StripModel::ticked, this, &StripModel::followReadouts);
    connect(&chain_, &ChainModel::changed, &monitoring_, &MonitorController::followChain);
    connect(&chain_, &ChainModel::changed, this, &StripModel::noteChange);
    connect(&chain_, &ChainModel::characterChanged, this, [this] { ++sound_changes_; });
    connect(&chain_, &ChainModel::stripChanged, this, &StripModel::applyMute);
    connect(&input_, &InputController::engineOpened, &monitoring_, &MonitorController::reopen);
    connect(&input_, &InputController::opened, &monitoring_, &MonitorController::inputOpened);
    connect(&input_, &InputController::opened, this, [this] { history_start_ = live_->said()->written(); });
}

StripModel::~StripModel() {
    tick_.stop();
}

void StripModel::start(StripState state, const std::string& focused, const std::string& character) {
    chain_.begin(std::move(state), focused);
    changed_from_ = chain_.state();
    restoreCharacter(character);
    applyMute();
}

/// Names, colours and notes change nothing that is heard.
void StripModel::noteChange() {
    const SharedState before = std::exchange(changed_from_, chain_.state());
    if (before != nullptr && before->scene.chain() == chain_.chain()) {
        const StripSpec &was = before->scene.desk.strips.front(), &is = chain_.spec();
        if (was.fader == is.fader && was.mute == is.mute) return;
    } else {
        readings_.values_changed();
    }
    ++sound_changes_;
}

void StripModel::run() {
    tick_.start();
}

void StripModel::restoreCharacter(const std::string& name) {
    if (name.empty()) return;
    const QString shown = QString::fromStdString(name);
    if (!chain_.hasCharacter(name)) {
        context_.mute.restore(true);
        context_.notices.warn(
            tr("Muted, so that your own voice isn't heard: the character “%1” was on in the last session, "
               "and its file is missing.")
                .arg(shown));
        return;
    }
    chain_.setCharacter(name);
    const QString key = context_.preferences.keys().text("character-off");
    context_.notices.warn(
        key.isEmpty()
            ? tr("The character “%1” is on again: the last session ended unexpectedly while it was on.")
                  .arg(shown)
            : tr("The character “%1” is on again: the last session ended unexpectedly while it was on. Press "
                 "%2 to turn it off.")
                  .arg(shown, key));
}

void StripModel::setId(const std::string& id) {
    input_.detachFromMixer();
    live_->rename(id);
    input_.attachToMixer();
}

QString StripModel::name() const {
    const StripSpec& s = chain_.spec();
    if (!s.name.empty()) return QString::fromStdString(s.name);
    return s.role == StripRole::voice ? tr("Voice") : tr("App audio");
}

void StripModel::applyMute() {
    const StripSpec& s = chain_.spec();
    // Its fader goes along with the chain (ChainModel).
    engine().set_strip_mute(s.mute);
    engine().set_mute(context_.mute.on() && s.role == StripRole::voice);
}

StripDeviceSettings StripModel::deviceSettings() const {
    StripDeviceSettings out = input_.settings();
    out.monitor_db = monitoring_.settings().volume_db;
    return out;
}

// --- faults of stages ---

void StripModel::reportFaults() {
    const auto& stages = chain_.chain().stages;
    std::map<std::string, QString> now;
    for (const auto& [index, why] : engine().chain().troubles()) {
        if (index < stages.size()) now[stages[index].id] = QString::fromStdString(why);
    }
    for (const auto& [id, why] : now) {
        if (stageFault(id) != why)
            context_.notices.warn(QString::fromStdString(chain_.stage(id)->shown_title()) + ": " + why);
    }
    faults_ = std::move(now);
}

QString StripModel::stageFault(const std::string& stage) const {
    const auto found = faults_.find(stage);
    return found == faults_.end() ? QString() : found->second;
}

void StripModel::followReadouts() {
    const auto sound = engine().input_history();
    if (sound == nullptr) return;
    readout_history_.follow(chain_.chain(),
                            static_cast<double>(sound->written()) / engine().format().sample_rate,
                            [this](const StageSpec& stage) { return engine().chain().readouts(stage); });
}

// --- time ---

int StripModel::interval() const {
    const bool monitored = monitoring_.settings().source != MonitorSource::off;
    if (visibility_ == Visibility::hidden) return monitored ? kTick : kHiddenTick;
    if (visibility_ == Visibility::background) return monitored ? kTick : kBackgroundTick;
    return QGuiApplication::mouseButtons() == Qt::NoButton ? kTick : kDragTick;
}

void StripModel::setVisibility(Visibility visibility) {
    if (visibility == visibility_) return;
    visibility_ = visibility;
    if (!isVisible())
        engine().chain().probe(-1);  // the spectra are not taken; seen again, they ask for it themselves
    if (tick_.isActive()) tick_.start(interval());
}

void StripModel::tick() {
    if (const int now = interval(); now != tick_.interval()) tick_.setInterval(now);
    readings_.poll(visibility_ != Visibility::hidden);
    if (isVisible()) emit moved();
    skip_readings_ = !skip_readings_ && tick_.interval() == kDragTick;
    if (skip_readings_) return;
    if (isVisible()) {
        spectrum_.follow(chain_.chain().index_of(chain_.focused()));
        spectrum_.poll();
    }
    if (due(input_polled_, kPollInput)) input_.poll();
    if (due(faults_reported_, kReportFaults)) reportFaults();
    learning_.poll();
    monitoring_.poll();
    if (every_other_ = !every_other_; every_other_ || !isVisible()) microphones_.poll(isVisible());
    emit ticked();
    if (visibility_ != Visibility::hidden) emit readingsChanged();
}

}  // namespace reed::ui
