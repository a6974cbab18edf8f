#include "session/session.h"

#include <QCoreApplication>
#include <QGuiApplication>
#include <QLockFile>
#include <algorithm>

#include "base/file.h"
#include "session/adaptation_model.h"
#include "session/advice_log.h"
#include "session/auto_recall_rules.h"
#include "session/characters.h"
#include "session/default_scene.h"
#include "session/memory.h"
#include "session/microphones.h"
#include "session/mix_balance_model.h"
#include "session/monitor_controller.h"
#include "session/noise_profile_learner.h"
#include "session/output_advisor.h"
#include "session/soundcheck_follow_up.h"
#include "session/soundcheck_model.h"
#include "session/stage_presets.h"
#include "session/takes_model.h"
#include "session/voice_loudness_model.h"

namespace reed::ui {
namespace {

constexpr int kPace = 33, kDraggingPace = 16, kAsidePace = 100, kUnseenPace = 250;  // ms from tick to tick

}  // namespace

SessionPaths SessionPaths::standard() {
    SessionPaths out;
    out.scenes = user_data_folder() / "dusky-reed" / "scenes";
    out.state = user_state_folder() / kStateFile;
    const std::filesystem::path beside = QCoreApplication::applicationDirPath().toStdString();
    out.demo_data = beside / "../share/dusky-reed/demo_data";
    return out;
}

Session::Session(SessionPaths paths, QObject* parent)
    : QObject(parent),
      own_house_(std::make_unique<AppContext>(std::move(paths))),
      house_(*own_house_),
      first_(*this),
      seat_(house_.live.make("voice", StripRole::voice)),
      engine_(seat_->engine()),
      devices_(house_, seat_, strip_, nullptr) {
    // Another strip's input may be there before this one's.
    if (auto opened = house_.live.open({}); !opened.ok()) house_.notices.tell(opened.error());
    readings_.follow_feed(house_.live.feed_history(), {});
    desk_ = std::make_unique<MixerModel>(*this, house_);
    shelf_ = std::make_unique<SceneManager>(house_.paths.scenes, *desk_, house_.notices);
    recall_rules_ = std::make_unique<AutoRecallRules>(*shelf_, *desk_, house_.notices);
    connect(&devices_, &Devices::pictureChanged, recall_rules_.get(),
            [this] { recall_rules_->follow(devices_.picture()); });
    connect(recall_rules_.get(), &AutoRecallRules::changed, this, &Session::scheduleSave);
    mute_marker_ = MuteMarker(house_.paths.state.parent_path());
    house_.on_takeover = [this] { followOther(); };
    keeper_ = std::make_unique<StateWriter>(
        [path = house_.paths.state](const std::string& text) { return write_file(path, text); });
    voices_ = new VoiceLoudnessModel(*this);
    characters_ = std::make_unique<Characters>(house_);
    startUp();
    balance_ = new MixBalanceModel(*this);
    fit_ = new AdaptationModel(*this);
    recipes_ = std::make_unique<StagePresets>(house_);
    takes_ = std::make_unique<TakesModel>(*this);
    soundcheck_ = std::make_unique<SoundcheckModel>(*this);
    save_later_.setInterval(400);
    save_later_.setSingleShot(true);
    connect(&save_later_, &QTimer::timeout, this, &Session::keepNow);
    free_later_.setInterval(20'000);
    free_later_.setSingleShot(true);
    connect(&free_later_, &QTimer::timeout, this, [this] {
        background_->run(
            [] {
                returnSmallBlocks();
                return 0;
            },
            [](int) {});
    });
    connect(desk_.get(), &MixerModel::changed, this, [this] {
        if (!free_later_.isActive()) free_later_.start();
    });
    started_.setSingleShot(true);
    connect(&started_, &QTimer::timeout, this, [this] { start_guard_.reset(); });
    connect(shelf_.get(), &SceneManager::saved, this, &Session::scheduleSave);
    connect(desk_.get(), &MixerModel::changed, this, &Session::scheduleSave);
    // A crash a moment later must not bring the plain voice back.
    connect(desk_.get(), &MixerModel::characterChanged, this, &Session::keepNow);
    connect(&house_.preferences, &Preferences::changed, this, &Session::scheduleSave);
    connect(&house_.preferences, &Preferences::talkKeyChanged, this, [this] {
        // With a key to talk the microphone is closed until it is held.
        if (house_.preferences.talkKey() == Preferences::TalkKey::talks) setMuted(true);
        emit muteChanged();
    });
    connect(&devices_, &Devices::formatChanges, desk_.get(), &MixerModel::formatChanges);
    connect(&devices_, &Devices::audioChanged, desk_.get(), &MixerModel::reopenPipeWire);
}

Session::Session(Session& first, const StripSpec& spec)
    : QObject(nullptr),
      house_(first.house_),
      first_(first),
      seat_(house_.live.make(spec.id, spec.role)),
      engine_(seat_->engine()),
      devices_(house_, seat_, strip_, &first.devices_),
      sight_(Sight::aside) {
    startUp();
    if (spec.role == StripRole::programme) readings_.expect_no_voice();
    connect(&first_, &Session::muteChanged, this, &Session::muteChanged);
}

void Session::startUp() {
    background_ = std::make_unique<Background>();
    learning_ = new NoiseProfileLearner(*this);
    if (isFirst()) advice_log_ = new AdviceLog(this);
    since_soundcheck_ = new SoundcheckFollowUp(*this);
    advisor_ = new OutputAdvisor(*this);
    microphones_ = new Microphones(*this);
    monitoring_ = std::make_unique<MonitorController>(*this);
    tick_.setInterval(kPace);
    tick_.setTimerType(Qt::PreciseTimer);
    connect(&tick_, &QTimer::timeout, this, &Session::tick);
    connect(&strip_, &ChainModel::changed, monitoring_.get(), &MonitorController::followChain);
    connect(&strip_, &ChainModel::stripChanged, this, &Session::applyStrip);
    const auto lay_ready = [this] { strip_.setCharacters(characters().specs()); };
    connect(&characters(), &Characters::changed, this, lay_ready);
    lay_ready();
    connect(&strip_, &ChainModel::focusChanged, this, &Session::scheduleSave);
    connect(&devices_, &Devices::engineOpened, monitoring_.get(), &MonitorController::reopen);
    connect(&devices_, &Devices::opened, monitoring_.get(), &MonitorController::inputOpened);
    connect(&devices_, &Devices::opened, this, [this] { said_from_ = seat_->said()->written(); });
    connect(&devices_, &Devices::changed, this, &Session::scheduleSave);
    connect(&devices_, &Devices::seatsChange, this, [this] { desk().arrange(); });
}

Session::~Session() {
    tick_.stop();
    background_.reset();
    if (!isFirst()) {
        devices_.stop();
        monitoring_.reset();
        return;
    }
    // A character is for the moment: only after a crash is it on again.
    ending_ = true;
    const bool character = std::ranges::any_of(
        desk_->strips(), [](const Session* s) { return !s->strip().character().empty(); });
    if (save_later_.isActive() || character) saveState();
    soundcheck_.reset();
    takes_.reset();  // what is recorded is kept
    desk_->stop();
    house_.live.set_sink(nullptr);
    monitoring_.reset();
    recall_rules_.reset();
    shelf_.reset();
    desk_.reset();  // the other strips
}

QString Session::stripName() const {
    const StripSpec& s = strip_.spec();
    if (!s.name.empty()) return QString::fromStdString(s.name);
    return s.role == StripRole::voice ? tr("Voice") : tr("App audio");
}

void Session::applyStrip() {
    const StripSpec& s = strip_.spec();
    // Its fader goes along with the chain (ChainModel).
    engine_.set_strip_mute(s.mute);
    engine_.set_mute(house_.muted && s.role == StripRole::voice);
}

void Session::setLiveStripId(const std::string& id) {
    devices_.detachFromMixer();
    seat_->rename(id);
    devices_.attachToMixer();
}

void Session::beginStrip(StripState state, const std::string& focused, const StripDeviceSettings& input,
                         const std::string& character) {
    strip_.begin(std::move(state), focused);
    restoreCharacter(character);
    applyStrip();
    readings_.set_window(first_.readings_.window());
    MonitorSettings heard;
    heard.volume_db = input.monitor_db;
    monitoring_->restore(heard, first_.monitoring_->sink());
    devices_.beginOther(input);
    tick_.start();
}

StripDeviceSettings Session::kept() const {
    StripDeviceSettings out = devices_.kept();
    if (!isFirst()) out.monitor_db = monitoring_->settings().volume_db;
    return out;
}

EngineStats Session::figures() const {
    EngineStats out = engine_.figures();
    const LoadMeter& load = house_.live.load();
    out.blocks = load.blocks();
    out.load = load.load();
    out.worst_load = load.worst();
    out.block_frames = load.block_frames();
    out.latency = house_.live.latency();
    return out;
}

/// The last session, as far as it can be read.
WorkingState Session::readState() {
    const auto mark = house_.paths.state.parent_path() / "start-crashed";
    if (StartGuard::take_mark(mark)) {
        if (const std::string kept = back_up_state(house_.paths.state); !kept.empty())
            house_.notices.warn(tr("Dusky Reed crashed at the last start, so the session was not restored. "
                                   "It was saved as %1.")
                                    .arg(QString::fromStdString(kept)));
        house_.muted = true;  // it may have been
    }
    start_guard_ = std::make_unique<StartGuard>(mark);
    started_.start(5000);
    auto state = load_working_state(house_.paths.state);
    if (!state.ok()) {
        house_.notices.tell(state.error());
        return {};
    }
    if (!state.value()) {
        first_start_ = true;
        return {};
    }
    WorkingState& s = *state.value();
    if (!s.left_out.empty()) {
        constexpr qsizetype kNamed = 3;
        QStringList parts;
        for (const auto& p : s.left_out) parts << QString::fromStdString(p);
        const qsizetype more = parts.size() - kNamed;
        QString named = parts.mid(0, kNamed).join(", ");
        if (more > 0) named += tr(" and %1 more").arg(more);
        house_.notices.warn(tr("Part of the last session couldn't be restored: %1. The file was saved as %2.")
                                .arg(named, QString::fromStdString(s.kept_as)));
    }
    return std::move(s);
}

/// The character that was on when the program ended, before the first sound.
void Session::restoreCharacter(const std::string& name) {
    if (name.empty()) return;
    const QString shown = QString::fromStdString(name);
    if (characters().find(shown) == nullptr) {
        house_.muted = true;
        house_.notices.warn(tr("Muted, so that your own voice isn't heard: the character “%1” was on in the "
                               "last session, and its file is missing.")
                                .arg(shown));
        return;
    }
    strip_.setCharacter(name);
    const QString key = house_.preferences.keys().text("character-off");
    house_.notices.warn(
        key.isEmpty()
            ? tr("The character “%1” is on again: the last session ended unexpectedly while it was on.")
                  .arg(shown)
            : tr("The character “%1” is on again: the last session ended unexpectedly while it was on. Press "
                 "%2 to turn it off.")
                  .arg(shown, key));
}

void Session::begin() {
    for (const auto& folder : {house_.paths.scenes.parent_path(), house_.paths.state.parent_path()})
        (void)make_private(folder);
    remove_stale_temporaries(house_.paths.scenes);
    remove_stale_temporaries(house_.paths.state.parent_path());
    remove_stale_temporaries(takes_->store().folder());
    for (const char* beside : {"characters", "recipes"})
        remove_stale_temporaries(house_.paths.scenes.parent_path() / beside);
    characters_->tellProblems();
    shelf_->begin(house_.paths.demo_data / "scenes");
    takeLock();
    if (keeps_) takes_->recoverUnfinished();
    WorkingState state = readState();
    if (state.scene.name.empty()) {
        const Scene* first = shelf_->find("Bench talk");
        state.scene = first != nullptr ? *first : defaultScene();
    }
    house_.preferences.restore(state);
    recall_rules_->restore(state.rules);
    readings_.set_window(state.window_seconds);
    house_.monitor_balance = state.monitor_balance;
    house_.monitor_linked = state.monitor_linked;
    monitoring_->restore(state.monitor, state.monitor_sink);
    // Before any sound: whoever left muted must not be heard because the program ended meanwhile.
    if (state.muted || mute_marker_.muted()) house_.muted = true;
    const bool still_muted = muted();
    const bool talks = house_.preferences.talkKey() == Preferences::TalkKey::talks;
    if (talks) house_.muted = true;
    const auto& strips = state.scene.desk.strips;
    const auto voice = std::ranges::find(strips, StripRole::voice, &StripSpec::role);
    Scene own = state.scene;
    own.desk.strips = {*voice};
    seat_->rename(voice->id);
    strip_.begin({own, state.memories[voice->id]}, state.focused);
    if (const auto on = state.characters.find(voice->id); on != state.characters.end())
        restoreCharacter(on->second);
    applyStrip();
    devices_.begin(state);
    desk_->begin(state);
    desk_->setMuted(house_.muted);  // a missing character may have muted it after the first strip was ready
    begun_ = true;
    if (keeps_) (void)mute_marker_.create(house_.muted);
    emit muteChanged();
    if (still_muted && !talks) {
        const QString key = house_.preferences.keys().text("talk");
        house_.notices.warn(key.isEmpty()
                                ? tr("Still muted from the last session.")
                                : tr("Still muted from the last session. Press %1 to unmute.").arg(key));
    }
    tick_.start();
}

void Session::tellTroubles() {
    const auto& stages = strip_.chain().stages;
    std::map<std::string, QString> now;
    for (const auto& [index, why] : engine_.chain().troubles()) {
        if (index < stages.size()) now[stages[index].id] = QString::fromStdString(why);
    }
    for (const auto& [id, why] : now) {
        if (stageFault(id) != why)
            house_.notices.warn(QString::fromStdString(strip_.stage(id)->shown_title()) + ": " + why);
    }
    troubles_ = std::move(now);
}

QString Session::stageFault(const std::string& stage) const {
    const auto found = troubles_.find(stage);
    return found == troubles_.end() ? QString() : found->second;
}

int Session::pace() const {
    const bool heard = monitoring_->settings().source != MonitorSource::off;
    if (sight_ == Sight::unseen) return heard ? kPace : kUnseenPace;
    if (sight_ == Sight::aside) return heard ? kPace : kAsidePace;
    return QGuiApplication::mouseButtons() == Qt::NoButton ? kPace : kDraggingPace;
}

void Session::setSight(Sight sight) {
    if (sight == sight_) return;
    sight_ = sight;
    if (!seen())
        engine_.chain().probe(-1);  // the spectra are not taken; seen again, they ask for it themselves
    if (tick_.isActive()) tick_.start(pace());
}

void Session::tick() {
    const auto due = [](QElapsedTimer& since, int ms) {
        if (since.isValid() && since.elapsed() < ms) return false;
        since.start();
        return true;
    };
    if (const int now = pace(); now != tick_.interval()) tick_.setInterval(now);
    readings_.poll(sight_ != Sight::unseen);
    if (seen()) emit moved();
    odd_ = !odd_ && tick_.interval() == kDraggingPace;
    if (odd_) return;
    if (seen()) {
        spectrum_.follow(strip_.chain().index_of(strip_.focused()));
        spectrum_.poll();
    }
    if (due(tended_, 240)) {
        devices_.tend();
        if (isFirst()) house_.live.tend();
    }
    if (due(looked_, 1000)) {
        tellTroubles();
        if (isFirst()) tellOfKeeping();
    }
    emit ticked();
    if (sight_ != Sight::unseen) emit readingsChanged();
}

void Session::setMuted(bool muted) {
    if (!isFirst()) return first_.setMuted(muted);
    if (muted == house_.muted) return;
    desk_->setMuted(muted);
    keepMute();
    keepNow();
    emit muteChanged();
}

/// A crash a moment later must not open the microphone, even where the disk is full.
void Session::keepMute() {
    if (!keeps_ || mute_marker_.set(muted()) || mute_marker_.create(muted()) || !muted()) return;
    house_.notices.warn(
        tr("Muted, but that can't be saved in %1. After a crash the microphone would be on again. Check the "
           "folder's permissions and free space.")
            .arg(QString::fromStdString(house_.paths.state.parent_path().string())));
}

/// Another Dusky Reed that fed the virtual microphone has ended, and this one is heard in its place.
void Session::followOther() {
    if (keeps_ || muted()) return;  // what was muted is known here
    const auto text = read_file(house_.paths.state, 2 * kMaxSceneBytes);
    const auto state = text.ok() ? parse_working_state(text.value()) : Result<WorkingState>(text.error());
    if (!mute_marker_.muted() && state.ok() && !state.value().muted) return;
    setMuted(true);
    const QString key = house_.preferences.keys().text("talk");
    house_.notices.warn(
        key.isEmpty()
            ? tr("Muted, because the other Dusky Reed was muted when it quit.")
            : tr("Muted, because the other Dusky Reed was muted when it quit. Press %1 to unmute.").arg(key));
}

void Session::talkOwnerLost() {
    if (house_.preferences.talkKey() == Preferences::TalkKey::talks) setMuted(true);
    house_.notices.warn(tr("The app that held the talk shortcut has quit. The microphone is %1.")
                            .arg(muted() ? tr("muted") : tr("on")));
}

void Session::talk(bool held) {
    switch (house_.preferences.talkKey()) {
        case Preferences::TalkKey::talks:
            return setMuted(!held);
        case Preferences::TalkKey::mutes:
            return setMuted(held);
        case Preferences::TalkKey::toggles:
            if (held) setMuted(!muted());
    }
}

// --- the working state ---

bool Session::saveState() {
    keepNow();
    const bool done = keeper_->finish();
    tellOfKeeping();
    return done;
}

void Session::tellOfKeeping() {
    const auto problem = keeper_->problem();
    if (problem && !state_failed_) house_.notices.tell(*problem);
    state_failed_ = problem.has_value();
}

void Session::takeLock() {
    std::error_code ec;
    std::filesystem::create_directories(house_.paths.state.parent_path(), ec);
    lock_ = std::make_unique<QLockFile>(
        QString::fromStdString((house_.paths.state.parent_path() / "session.lock").string()));
    lock_->setStaleLockTime(
        std::chrono::milliseconds(0));  // one of a program that has gone is noticed by its number
    if (lock_->tryLock(0) || lock_->error() != QLockFile::LockFailedError) return;
    keeps_ = false;
    house_.notices.warn(
        tr("Another Dusky Reed is using the same settings. Changes made here won't be remembered (saved "
           "scenes are). Quit the other one and restart."));
}

void Session::keepNow() {
    save_later_.stop();
    if (!keeps_ || !begun_) return;
    WorkingState s;
    desk_->keep(s);
    if (ending_) s.characters.clear();
    s.focused = strip_.focused();
    s.window_seconds = readings_.window();
    s.monitor = monitoring_->settings();
    s.monitor_sink = monitoring_->sink();
    s.monitor_balance = house_.monitor_balance;
    s.monitor_linked = house_.monitor_linked;
    s.muted = muted();
    devices_.keep(s);
    house_.preferences.keep(s);
    s.rules = recall_rules_->all();
    keeper_->keep(write_working_state(s));
}

}  // namespace reed::ui
