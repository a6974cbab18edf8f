#include "model/devices/input_controller.h"

#include <algorithm>

#include "devices/make_source.h"

namespace reed::ui {
namespace {
const char* kindName(DeviceKind kind) {
    switch (kind) {
        case DeviceKind::pipewire:
            return "pipewire";
        case DeviceKind::sound_file:
            return "file";
        case DeviceKind::programme:
            return "programme";
        default:
            return "room";
    }
}

DeviceKind kindByName(const std::string& name) {
    if (name == "pipewire") return DeviceKind::pipewire;
    if (name == "programme") return DeviceKind::programme;
    return name == "file" ? DeviceKind::sound_file : DeviceKind::simulated_room;
}

/// Node of a programme's output.
std::string outputOf(const std::string& strip) {
    return strip == "programme" ? kProgrammeOutput
                                : kProgrammeOutput + node_of(strip).substr(node_of("").size() - 1);
}

}  // namespace

/// What a job has made ready: the source, and the engine's part for it.
struct InputController::Opening {
    std::shared_ptr<PipeWireHub> hub;  // goes last
    std::unique_ptr<SoundSource> source;
    std::optional<Engine::Prepared> engine;
    std::optional<Error> problem;
};

InputController::InputController(AppContext& context, AudioSystem& audio, std::shared_ptr<LiveStrip> strip,
                                 ChainModel& chain, InputPolicy policy)
    : context_(context),
      audio_(audio),
      policy_(policy),
      strip_(std::move(strip)),
      engine_(strip_->engine()),
      chain_(chain),
      notices_(context.notices),
      offers_(context.live, *strip_) {
    for (const auto& p : room_controls()) room_values_[std::string(p.id)] = p.default_value;
    connect(&chain_, &ChainModel::stripChanged, this, &InputController::offer);
    connect(&audio_, &AudioSystem::snapshotChanged, this, &InputController::onSnapshot);
    connect(&audio_, &AudioSystem::settingsChanged, this, &InputController::onSettings);
}

InputController::~InputController() {
    close();
}

void InputController::setRoomValues(const std::map<std::string, double>& values) {
    for (const auto& p : room_controls()) {
        const auto found = values.find(std::string(p.id));
        if (found != values.end() && !value_problem(p, found->second))
            room_values_[found->first] = found->second;
    }
}

void InputController::start(const StripDeviceSettings& settings, bool demo) {
    offers_processed_ = settings.offered;
    offers_unprocessed_ = settings.plain;
    if (policy_.main || !settings.kind.empty())
        return open({kindByName(settings.kind), settings.target, settings.channel}, true);
    const auto demo_sound = [&](const char* sound) {
        return DeviceChoice{DeviceKind::sound_file, (context_.paths.demo_data / "sounds" / sound).string()};
    };
    if (strip_->role() == StripRole::programme) {
        const bool music = demo && !audio_.graph()->picture().connected;
        return open(music ? demo_sound("evening_music.flac") : appAudioDevice(), true);
    }
    if (demo && chain_.spec().id == "guest") return open(demo_sound("apprentice.flac"), true);
    emit inputChanged();
}

DeviceChoice InputController::appAudioDevice() const {
    return {DeviceKind::programme, outputOf(chain_.spec().id)};
}

StripDeviceSettings InputController::settings() const {
    StripDeviceSettings out;
    if (!hasNoInput()) out = {kindName(choice().kind), choice().target, choice().channel};
    out.offered = offers_processed_;
    out.plain = offers_unprocessed_;
    return out;
}

void InputController::stop() {
    if (source_) source_->stop();
}

void InputController::close() {
    ++job_;
    setOpening(std::nullopt);
    stop();
}

void InputController::setOpening(std::optional<DeviceChoice> choice) {
    audio_.inputs_opening += static_cast<int>(choice.has_value()) - static_cast<int>(opening_.has_value());
    opening_ = std::move(choice);
}

void InputController::reopen() {
    if (!hasNoInput()) open(DeviceChoice(choice()), true);
}

bool InputController::usesPipeWire() const {
    return !hasNoInput() && (choice().kind == DeviceKind::pipewire || choice().kind == DeviceKind::programme);
}

DeviceStatus InputController::status() const {
    if (!source_) return {};
    DeviceStatus out = source_->status();
    if (!hub_ || !source_->steady()) return out;
    out.dropouts += hub_->feed_dropouts() - lost_before_;
    out.delay_ms += hub_->feed_delay_ms();
    return out;
}

/// Nothing runs the strip any more when this returns.
void InputController::detachFromMixer() {
    if (!attached_) return;
    attached_ = false;
    emit attachmentChanging();
    context_.live.settle();
}

void InputController::attachToMixer() {
    attached_ = true;
    emit attachmentChanging();
}

// --- the input ---

QString InputController::title() const {
    if (hasNoInput()) return tr("No input selected");
    if (choice().kind == DeviceKind::simulated_room) return tr("Simulated room");
    if (choice().kind == DeviceKind::programme)
        return tr("%1 %2").arg(QString::fromStdString(audio_.settings().mic_title),
                               QString::fromStdString(chain_.spec().shown_name()));
    if (choice().channel > 0) {
        const PipeWireNode* there = microphone();
        return tr("%1, channel %2")
            .arg(QString::fromStdString(there != nullptr ? there->title : choice().target))
            .arg(choice().channel);
    }
    if (choice().target.empty()) return tr("Default microphone");
    if (choice().kind == DeviceKind::sound_file) {
        return QString::fromStdString(std::filesystem::path(choice().target).filename().string());
    }
    for (const auto& m : audio_.snapshot().sources) {
        if (m.name == choice().target) return QString::fromStdString(m.title);
    }
    return QString::fromStdString(choice().target);
}

/// All that is needed to make the source of a choice, on any thread.
struct InputController::Making {
    DeviceChoice choice;
    std::filesystem::path demo_data;
    PipeWireOptions options;
    AudioSystem::SourceFactory factory;
    std::shared_ptr<PipeWireHub> hub;
    int channels = 1;
    std::string title;

    Made make() const {
        if (factory && choice.kind == DeviceKind::pipewire) return factory(options);
        return make_source(choice, demo_data, *hub, channels, options.wait_for_source, title);
    }
};

InputController::Making InputController::making(const DeviceChoice& choice, bool wait) const {
    PipeWireOptions options;
    options.source = choice.target;
    options.block = audio_.settings().block;
    options.channels = audio_.settings().channels;
    options.mic_title = audio_.settings().mic_title;
    options.wait_for_source = wait;
    options.graph = audio_.graph();
    return {choice,
            context_.paths.demo_data,
            options,
            audio_.sourceFactory(),
            audio_.hub(),
            audio_.settings().channels,
            audio_.settings().mic_title + " " + chain_.spec().shown_name()};
}

void InputController::open(const DeviceChoice& choice, bool wait) {
    const int job = ++job_;
    setOpening(choice);
    emit inputChanged();
    background_.run(
        [making = making(choice, wait), chain = chain_.runnable(), rate = audio_.fixed_rate] {
            Opening out;
            auto made = making.make();
            if (!made.ok()) {
                out.problem = made.error();
                return out;
            }
            out.source = std::move(made.value());
            out.hub = making.hub;
            StreamFormat format = out.source->format();
            // A strip alone runs at the rate of its input.
            if (rate > 0.0) format.sample_rate = rate;
            auto engine = Engine::prepare(format, chain);
            if (engine.ok())
                out.engine = std::move(engine.value());
            else
                out.problem = engine.error();
            return out;
        },
        [this, job, choice](Opening opening) {
            if (job == job_) finish(choice, std::move(opening));
        });
}

void InputController::finish(const DeviceChoice& choice, Opening made) {
    setOpening(std::nullopt);
    audio_.poll();  // so that the next request for the microphone finds its node
    if (const auto used = use(choice, std::move(made)); used.ok()) {
        choice_ = choice;
        if (substitute_) notices_.warn(tr("Using the simulated room instead."));
        substitute_ = false;
    } else {
        notices_.tell(used.error());
        // The main strip needs an input: the fallback is reported once it is open.
        substitute_ = policy_.main && choice.kind != DeviceKind::simulated_room && !status().running;
        if (substitute_) return open({}, false);
    }
    emit opened();
    emit inputChanged();
    emit changed();
}

Result<void> InputController::use(const DeviceChoice& choice, Opening made) {
    if (made.problem) return *made.problem;
    stop();
    detachFromMixer();
    room_ = nullptr;
    source_ = std::move(made.source);
    source_format_ = source_->format();
    moved_.clear();  // its output is another one
    reported_problem_.clear();
    dropouts_seen_ = 0;
    dropout_times_.clear();
    if (choice.kind == DeviceKind::simulated_room) {
        room_ = static_cast<SimulatedRoom*>(source_.get());
        for (int c = 0; c < kRoomControls; ++c) {
            room_->set(static_cast<RoomControl>(c),
                       room_values_[std::string(room_controls()[static_cast<size_t>(c)].id)]);
        }
    }
    if (policy_.main) emit formatChanging(made.engine->format);
    strip_->open(std::move(*made.engine));
    strip_->expect(source_format_, source_->steady());
    useHub(made.hub);
    attachToMixer();
    chain_.runnerOpened();
    emit engineOpened();
    return source_->start(*strip_, strip_.get());
}

/// The feed goes through the hub of the newest input that uses PipeWire; so does what the strip is offered
/// as.
void InputController::useHub(const std::shared_ptr<PipeWireHub>& hub) {
    if (!source_->steady()) return;
    offers_.use(hub);
    context_.live.set_sink(&hub->feed());
    context_.live.settle();
    hub_ = hub;
    lost_before_ = hub_->feed_dropouts();
    offer();
}

// --- what other programs get of this strip alone ---

void InputController::offer() {
    if (!hub_ || !source_ || !source_->steady()) return;
    const bool programme = strip_->role() == StripRole::programme;
    const std::string node = node_of(chain_.spec().id), name = chain_.spec().shown_name();
    const std::string mic = audio_.settings().mic_title;
    const auto offer = [&](bool wanted, const std::string& id, const std::string& title) {
        if (!wanted) return StripMicrophones::Offer{};
        return StripMicrophones::Offer{id, audio_.microphone_titles.emplace(id, title).first->second,
                                       source_format_.channels};
    };
    const auto own = offer(programme || offers_processed_, node, mic + (programme ? " " : ": ") + name);
    const auto plain =
        offer(!programme && offers_unprocessed_, node + "-plain", mic + ": " + name + ", unprocessed");
    offers_.show(own, plain);
}

void InputController::setOffers(bool processed, bool unprocessed) {
    if (processed == offers_processed_ && unprocessed == offers_unprocessed_) return;
    const std::string was[] = {offers_.own().node, offers_.plain().node};
    offers_processed_ = processed;
    offers_unprocessed_ = unprocessed;
    offer();
    // Who no longer wants it offered does not want to find it in the lists either.
    const std::string is[] = {offers_.own().node, offers_.plain().node};
    for (int i = 0; i < 2; ++i) {
        if (was[i].empty() || !is[i].empty()) continue;
        audio_.graph()->remove_microphone(was[i]);
        audio_.microphone_titles.erase(was[i]);  // made again, it has the strip's new name
    }
    emit changed();
}

// --- programs that play ---

void InputController::moveApp(const PlayingProgram& app, bool here) {
    const std::string output = here ? choice().target : std::string();
    if (auto moved = audio_.graph()->move_program(app.id, output); !moved.ok()) {
        notices_.tell(moved.error());
        return;
    }
    if (here)
        audio_.moved_apps[app.name] = chain_.spec().id;
    else
        audio_.moved_apps.erase(app.name);
    // What else it plays now stays where it is.
    for (const PlayingProgram& p : audio_.snapshot().programs) {
        if (p.name == app.name) moved_.insert(p.id);
    }
    emit changed();
}

/// Those that came back are sent to where they were. Each stream once: whoever moves it then, in the system's
/// settings say, has the last word.
void InputController::moveReturnedApps() {
    if (strip_->role() != StripRole::programme || choice().kind != DeviceKind::programme) return;
    const PipeWireSnapshot& now = audio_.snapshot();
    std::erase_if(moved_, [&](std::uint32_t id) {
        return std::ranges::find(now.programs, id, &PlayingProgram::id) == now.programs.end();
    });
    if (!now.has_output(choice().target)) return;
    for (const PlayingProgram& app : now.programs) {
        const auto wish = audio_.moved_apps.find(app.name);
        if (wish == audio_.moved_apps.end() || wish->second != chain_.spec().id) continue;
        if (moved_.insert(app.id).second && app.into != choice().target)
            (void)audio_.graph()->move_program(app.id, choice().target);
    }
}

void InputController::select(const DeviceChoice& choice) {
    if (const QString who = user_of ? user_of(choice) : QString(); !who.isEmpty()) {
        notices_.warn(tr("“%1” already uses this microphone. Choose another one or remove one of the strips.")
                          .arg(who));
        emit inputChanged();
        return;
    }
    substitute_ = false;
    open(choice, false);
}

/// The virtual microphone or its buffer is another one.
void InputController::onSettings() {
    proposed_block_ = 0;
    if (usesPipeWire())
        reopen();
    else
        emit inputChanged();
}

void InputController::setRoom(RoomControl control, double value) {
    room_values_[std::string(room_controls()[static_cast<size_t>(control)].id)] = value;
    if (room_ != nullptr) room_->set(control, value);
    emit changed();
    emit roomChanged();
}

double InputController::totalDelayMs() const {
    const double ms = 1000.0 / std::max(1.0, engine_.format().sample_rate);
    const int latency =
        std::max(context_.live.latency(), engine_.figures().latency) + engine_.chain().latencies().excess();
    return status().delay_ms + ms * (latency + context_.live.load().block_frames());
}

// --- the virtual microphone ---

const PipeWireNode* InputController::microphone() const {
    if (hasNoInput() || choice().kind != DeviceKind::pipewire) return nullptr;
    return audio_.snapshot().source(choice().target.empty() ? audio_.snapshot().default_source
                                                            : choice().target);
}

void InputController::setSystemVolume(double db) {
    const PipeWireNode* there = microphone();
    if (there == nullptr) return;
    const SystemVolume wanted{std::nullopt, db};
    if (auto set = audio_.graph()->set_volume(there->name, wanted); !set.ok()) notices_.tell(set.error());
}

// --- looking after them ---

void InputController::poll() {
    if (!source_) return;
    if (!opening_) source_->tend();  // a job may be asking the graph just now, for a second at most
    const DeviceStatus now = status();
    const QString problem = QString::fromStdString(now.problem);
    if (problem != reported_problem_) {
        const bool back = problem.isEmpty() && !reported_problem_.isEmpty();
        reported_problem_ = problem;
        const QString who =
            policy_.main ? QString() : QString::fromStdString(chain_.spec().shown_name()) + ": ";
        if (!problem.isEmpty()) notices_.warn(who + problem);
        if (back) notices_.say(who + tr("Audio is working again."));
        emit inputChanged();
    }
    noteDropouts(now.dropouts);
}

/// What PipeWire knows has changed.
void InputController::onSnapshot() {
    moveReturnedApps();
    emit inputChanged();
}

void InputController::noteDropouts(std::uint64_t dropouts) {
    constexpr int kMany = 3;
    constexpr int kWithin = 30;  // seconds
    if (dropouts <= dropouts_seen_) {
        dropouts_seen_ = dropouts;
        return;
    }
    const QDateTime now = QDateTime::currentDateTime();
    for (; dropouts_seen_ < dropouts; ++dropouts_seen_) dropout_times_.push_back(now);
    if (dropout_times_.size() > 200) dropout_times_.erase(dropout_times_.begin(), dropout_times_.end() - 200);
    const auto recent = std::count_if(dropout_times_.begin(), dropout_times_.end(),
                                      [&](const QDateTime& t) { return t.secsTo(now) <= kWithin; });
    const int safer = 2 * audio_.settings().block;
    if (choice().kind != DeviceKind::pipewire || recent < kMany || safer > 2048 || proposed_block_ == safer)
        return;
    proposed_block_ = safer;
    notices_.warn(tr("%1 dropouts in 30 s: the system can't keep up with a %2 ms buffer. Click the latency "
                     "(top right) and choose %3 ms.")
                      .arg(recent)
                      .arg(1000.0 * audio_.settings().block / 48000.0, 0, 'f', 1)
                      .arg(1000.0 * safer / 48000.0, 0, 'f', 1));
}

}  // namespace reed::ui
