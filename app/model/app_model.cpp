#include "model/app_model.h"

#include <QCoreApplication>
#include <algorithm>

#include "base/file.h"
#include "model/scenes/adaptation_model.h"
#include "model/scenes/auto_recall_rules.h"
#include "model/scenes/backup_model.h"
#include "model/shared/due.h"
#include "model/shared/memory.h"
#include "model/soundcheck/advice_log.h"
#include "model/soundcheck/output_advisor.h"
#include "model/soundcheck/soundcheck_follow_up.h"
#include "model/soundcheck/soundcheck_model.h"
#include "model/strips/characters.h"
#include "model/strips/default_scene.h"
#include "model/strips/latency_controller.h"
#include "model/strips/mix_balance_model.h"
#include "model/strips/stage_presets.h"
#include "model/strips/voice_loudness_model.h"
#include "model/takes/takes_model.h"

namespace reed::ui {
namespace {
constexpr int kSaveAfter = 400, kReturnMemoryAfter = 20'000, kPoll = 240, kReportProblem = 1000;  // ms
constexpr std::chrono::seconds kBackUpAfter{60};  // when the start is over
}  // namespace

AppPaths AppPaths::standard() {
    AppPaths out;
    out.scenes = user_data_folder() / "dusky-reed" / "scenes";
    out.state = user_state_folder() / kStateFile;
    const std::filesystem::path beside = QCoreApplication::applicationDirPath().toStdString();
    out.demo_data = beside / "../share/dusky-reed/demo_data";
    return out;
}

AppModel::AppModel(AppPaths paths)
    : context_(std::move(paths)),
      backup_(std::make_unique<BackupModel>(context_)),
      characters_(std::make_unique<Characters>(context_)),
      scenes_(context_.paths.scenes, mixer_, context_.notices),
      recall_rules_(std::make_unique<AutoRecallRules>(scenes_, mixer_, context_.notices)),
      voice_loudness_(std::make_unique<VoiceLoudnessModel>(mixer_)),
      mix_balance_(std::make_unique<MixBalanceModel>(mixer_, context_.live)),
      latency_(std::make_unique<LatencyController>(context_, audio_, mixer_)),
      adaptation_(std::make_unique<AdaptationModel>(mixer_, scenes_)),
      presets_(std::make_unique<StagePresets>(context_)),
      takes_(std::make_unique<TakesModel>(context_, mixer_, scenes_)),
      soundcheck_(std::make_unique<SoundcheckModel>(context_, mixer_, scenes_, *takes_)),
      advice_log_(std::make_unique<AdviceLog>()) {
    connect(&mixer_, &MixerModel::stripCreated, this, &AppModel::setUp);
    setUp(&mixer_.main());
    connect(characters_.get(), &Characters::changed, this, [this] {
        for (StripModel* s : mixer_.strips()) s->chainModel().setCharacters(characters_->specs());
    });
    connect(&audio_, &AudioSystem::snapshotChanged, recall_rules_.get(),
            [this] { recall_rules_->follow(audio_.snapshot()); });
    connect(&audio_, &AudioSystem::takenOver, this, &AppModel::onTakenOver);
    connect(&context_.mute, &MicrophoneMute::changed, this, &AppModel::onMute);

    save_later_.setInterval(kSaveAfter);
    save_later_.setSingleShot(true);
    connect(&save_later_, &QTimer::timeout, this, &AppModel::saveNow);
    connect(&audio_, &AudioSystem::settingsChanged, this, &AppModel::scheduleSave);
    connect(&audio_, &AudioSystem::latencyChanged, this, &AppModel::scheduleSave);
    connect(recall_rules_.get(), &AutoRecallRules::changed, this, &AppModel::scheduleSave);
    connect(&scenes_, &SceneManager::saved, this, &AppModel::scheduleSave);
    connect(&mixer_, &MixerModel::changed, this, &AppModel::scheduleSave);
    connect(&mixer_, &MixerModel::settingsChanged, this, &AppModel::scheduleSave);
    connect(&context_.preferences, &Preferences::changed, this, &AppModel::scheduleSave);
    // A crash a moment later must not bring the plain voice back.
    connect(&mixer_, &MixerModel::characterChanged, this, &AppModel::saveNow);

    return_memory_later_.setInterval(kReturnMemoryAfter);
    return_memory_later_.setSingleShot(true);
    connect(&return_memory_later_, &QTimer::timeout, this, [this] {
        background_.run(
            [] {
                returnSmallBlocks();
                return 0;
            },
            [](int) {});
    });
    connect(&mixer_, &MixerModel::changed, this, [this] {
        if (!return_memory_later_.isActive()) return_memory_later_.start();
    });
    connect(&mixer_, &MixerModel::ticked, this, &AppModel::poll);
}

AppModel::~AppModel() {
    // A character is for the moment: only after a crash is it on again.
    ending_ = true;
    const bool character = std::ranges::any_of(
        mixer_.strips(), [](const StripModel* s) { return !s->chainModel().character().empty(); });
    if (save_later_.isActive() || character) saveState();
    soundcheck_.reset();
    takes_.reset();  // what is recorded is kept
    mixer_.stop();
    context_.live.set_sink(nullptr);
    for (StripModel* s : mixer_.strips()) s->disconnect(this);  // they end after advice_
}

/// What a strip has beside itself.
void AppModel::setUp(StripModel* strip) {
    strip->chainModel().setCharacters(characters_->specs());
    auto* follow_up = new SoundcheckFollowUp(*strip, mixer_, scenes_, *takes_);
    const AdviceSources sources{mixer_, *voice_loudness_, *takes_, *soundcheck_, *follow_up, *advice_log_};
    advice_[strip] = {follow_up, new OutputAdvisor(*strip, sources)};
    connect(strip, &QObject::destroyed, this, [this, strip] { advice_.erase(strip); });
}

void AppModel::start() {
    starting_ = true;
    const auto& paths = context_.paths;
    for (const auto& folder : {paths.scenes.parent_path(), paths.state.parent_path()})
        (void)make_private(folder);
    remove_stale_temporaries(paths.scenes);
    remove_stale_temporaries(paths.state.parent_path());
    remove_stale_temporaries(takes_->store().folder());
    for (const char* beside : {"characters", "recipes", "midi"})
        remove_stale_temporaries(paths.scenes.parent_path() / beside);
    const bool owns = store_.lock();
    if (owns && backup_->restorePlanned())
        characters_->reload();
    else
        characters_->tellProblems();
    scenes_.begin(paths.demo_data / "scenes");
    if (owns) takes_->recoverUnfinished();
    WorkingState state = store_.read();
    if (state.scene.name.empty()) {
        const Scene* demo = scenes_.find("Bench talk");
        state.scene = demo != nullptr ? *demo : defaultScene();
    }
    context_.preferences.restore(state);
    recall_rules_->restore(state.rules);
    context_.monitor.restore(state.monitor_balance, state.monitor_linked, state.monitor_sink);
    // Before any sound: a microphone that was muted at the last end stays muted.
    const bool was_muted = context_.mute.on() || state.muted || store_.wasMuted();
    const bool talks = context_.preferences.talkKey() == Preferences::TalkKey::talks;
    context_.mute.restore(was_muted || talks);
    audio_.start(state);
    mixer_.start(state);
    store_.open();
    emit context_.mute.changed();
    starting_ = false;
    if (owns) backup_->scheduleWeekly(kBackUpAfter);
    if (was_muted && !talks)
        context_.notices.warn(
            context_.mute.withKey(tr("Still muted from the last session."),
                                  tr("Still muted from the last session. Press %1 to unmute.")));
}

EngineStats AppModel::stats() const {
    EngineStats out = mixer_.main().engine().figures();
    const LoadMeter& load = context_.live.load();
    out.blocks = load.blocks();
    out.load = load.load();
    out.worst_load = load.worst();
    out.block_frames = load.block_frames();
    out.latency = context_.live.latency();
    return out;
}

void AppModel::poll() {
    if (due(polled_, kPoll)) {
        audio_.poll();
        context_.live.tend();
    }
    if (due(reported_, kReportProblem)) store_.reportProblem();
}

// --- mute ---

void AppModel::onMute() {
    if (starting_) return;  // the strips follow it when they start, and the store when it opens
    mixer_.applyMute();
    store_.writeMute();
    saveNow();
}

/// Another Dusky Reed that fed the virtual microphone has ended, and this one is heard in its place.
void AppModel::onTakenOver() {
    if (context_.mute.on() || !store_.otherWasMuted()) return;
    context_.mute.set(true);
    context_.notices.warn(context_.mute.withKey(
        tr("Muted, because the other Dusky Reed was muted when it quit."),
        tr("Muted, because the other Dusky Reed was muted when it quit. Press %1 to unmute.")));
}

// --- the working state ---

void AppModel::scheduleSave() {
    if (!save_later_.isActive()) save_later_.start();
}

bool AppModel::saveState() {
    saveNow();
    return store_.finish();
}

void AppModel::saveNow() {
    save_later_.stop();
    if (!store_.writes()) return;
    WorkingState s;
    mixer_.save(s);
    if (ending_) s.characters.clear();
    s.monitor_sink = context_.monitor.sink();
    s.monitor_balance = context_.monitor.balance();
    s.monitor_linked = context_.monitor.linked();
    s.muted = context_.mute.on();
    audio_.save(s);
    context_.preferences.keep(s);
    s.rules = recall_rules_->all();
    store_.write(s);
}

}  // namespace reed::ui
