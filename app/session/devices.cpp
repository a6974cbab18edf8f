#include "session/devices.h"

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
struct Devices::Opening {
    std::shared_ptr<PipeWireHub> hub;  // goes last
    std::unique_ptr<SoundSource> source;
    std::optional<Engine::Prepared> engine;
    std::optional<Error> problem;
};

Devices::Devices(AppContext& house, std::shared_ptr<LiveStrip> seat, ChainModel& strip, Devices* first)
    : house_(house),
      first_(first != nullptr ? *first : *this),
      seat_(std::move(seat)),
      engine_(seat_->engine()),
      strip_(strip),
      notices_(house.notices),
      offers_(house.live, *seat_) {
    for (const auto& p : room_controls()) room_values_[std::string(p.id)] = p.default_value;
    connect(&strip_, &ChainModel::stripChanged, this, [this] { offer(); });
    if (first == nullptr) return;
    connect(first, &Devices::pictureChanged, this, &Devices::follow);
}

Devices::~Devices() {
    ++job_;
    stop();
}

void Devices::begin(const WorkingState& state) {
    house_.graph = std::make_shared<PipeWireGraph>();
    audio_ = state.audio;
    for (const auto& p : room_controls()) {
        const auto found = state.room.find(std::string(p.id));
        if (found != state.room.end() && !value_problem(p, found->second))
            room_values_[found->first] = found->second;
    }
    house_.called = state.programs;
    offered_ = state.input.offered;
    plain_ = state.input.plain;
    open({kindByName(state.input.kind), state.input.target, state.input.channel}, true);
}

void Devices::beginOther(const StripDeviceSettings& input) {
    offered_ = input.offered;
    plain_ = input.plain;
    if (!input.kind.empty()) return open({kindByName(input.kind), input.target, input.channel}, true);
    // Beside the simulated room sits an apprentice, and where no program can play, it has music of its own.
    const bool simulated = first_.input().kind == DeviceKind::simulated_room;
    const auto made_up = [&](const char* sound) {
        return DeviceChoice{DeviceKind::sound_file, (house_.paths.demo_data / "sounds" / sound).string()};
    };
    if (seat_->role() == StripRole::programme) {
        const bool music = simulated && !house_.graph->picture().connected;
        return open(music ? made_up("evening_music.flac") : appAudioDevice(), true);
    }
    if (simulated && strip_.spec().id == "guest") return open(made_up("apprentice.flac"), true);
    emit inputChanged();
}

DeviceChoice Devices::appAudioDevice() const {
    return {DeviceKind::programme, outputOf(strip_.spec().id)};
}

StripDeviceSettings Devices::kept() const {
    StripDeviceSettings out;
    if (!unchosen()) out = {kindName(input().kind), input().target, input().channel};
    out.offered = offered_;
    out.plain = plain_;
    return out;
}

void Devices::keep(WorkingState& state) const {
    state.input = kept();
    state.room = room_values_;
    state.audio = audio_;
    state.programs = house_.called;
}

void Devices::stop() {
    if (source_) source_->stop();
}

void Devices::reopen() {
    if (!unchosen()) open(DeviceChoice(input()), true);
}

bool Devices::usesPipeWire() const {
    return !unchosen() && (input().kind == DeviceKind::pipewire || input().kind == DeviceKind::programme);
}

DeviceStatus Devices::status() const {
    if (!source_) return {};
    DeviceStatus out = source_->status();
    if (!hub_ || !source_->steady()) return out;
    out.dropouts += hub_->feed_dropouts() - lost_before_;
    out.delay_ms += hub_->feed_delay_ms();
    return out;
}

/// Nothing runs the strip any more when this returns.
void Devices::detachFromMixer() {
    if (!seated_) return;
    seated_ = false;
    emit seatsChange();
    house_.live.settle();
}

void Devices::attachToMixer() {
    seated_ = true;
    emit seatsChange();
}

// --- the input ---

QString Devices::inputTitle() const {
    if (unchosen()) return tr("No input selected");
    if (input().kind == DeviceKind::simulated_room) return tr("Simulated room");
    if (input().kind == DeviceKind::programme)
        return tr("%1 %2").arg(QString::fromStdString(audio().mic_title),
                               QString::fromStdString(strip_.spec().shown_name()));
    if (input().channel > 0) {
        const PipeWireNode* there = microphone();
        return tr("%1, channel %2")
            .arg(QString::fromStdString(there != nullptr ? there->title : input().target))
            .arg(input().channel);
    }
    if (input().target.empty()) return tr("Default microphone");
    if (input().kind == DeviceKind::sound_file) {
        return QString::fromStdString(std::filesystem::path(input().target).filename().string());
    }
    for (const auto& m : picture().sources) {
        if (m.name == input().target) return QString::fromStdString(m.title);
    }
    return QString::fromStdString(input().target);
}

/// All that is needed to make the source of a choice, on any thread.
struct Devices::Making {
    DeviceChoice choice;
    std::filesystem::path demo_data;
    PipeWireOptions options;
    Maker maker;
    std::shared_ptr<PipeWireHub> hub;
    int channels = 1;
    std::string title;

    Made make() const {
        if (maker && choice.kind == DeviceKind::pipewire) return maker(options);
        return make_source(choice, demo_data, *hub, channels, options.wait_for_source, title);
    }
};

Devices::Making Devices::making(const DeviceChoice& choice, bool wait) const {
    PipeWireOptions options;
    options.source = choice.target;
    options.block = audio().block;
    options.channels = audio().channels;
    options.mic_title = audio().mic_title;
    options.wait_for_source = wait;
    options.graph = house_.graph;
    return {choice,
            house_.paths.demo_data,
            options,
            first_.maker_,
            house_.hub(audio()),
            audio().channels,
            audio().mic_title + " " + strip_.spec().shown_name()};
}

void Devices::open(const DeviceChoice& choice, bool wait) {
    const int job = ++job_;
    opening_ = choice;
    emit inputChanged();
    background_.run(
        [making = making(choice, wait), chain = strip_.runnable(),
         rate = house_.several ? AppContext::kDeskRate : 0.0] {
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

void Devices::finish(const DeviceChoice& choice, Opening made) {
    opening_.reset();
    if (const auto taken = take(choice, std::move(made)); taken.ok()) {
        input_ = choice;
        if (instead_) notices_.warn(tr("Using the simulated room instead."));
        instead_ = false;
    } else {
        notices_.tell(taken.error());
        // Something must sound; what does is told when it is there.
        instead_ = &first_ == this && choice.kind != DeviceKind::simulated_room && !status().running;
        if (instead_) return open({}, false);
    }
    emit opened();
    emit inputChanged();
    emit changed();
}

Result<void> Devices::take(const DeviceChoice& choice, Opening made) {
    if (made.problem) return *made.problem;
    stop();
    detachFromMixer();
    room_ = nullptr;
    source_ = std::move(made.source);
    source_format_ = source_->format();
    called_.clear();  // its output is another one
    told_problem_.clear();
    dropouts_seen_ = 0;
    dropout_times_.clear();
    if (choice.kind == DeviceKind::simulated_room) {
        room_ = static_cast<SimulatedRoom*>(source_.get());
        for (int c = 0; c < kRoomControls; ++c) {
            room_->set(static_cast<RoomControl>(c),
                       room_values_[std::string(room_controls()[static_cast<size_t>(c)].id)]);
        }
    }
    if (&first_ == this) emit formatChanges(made.engine->format);
    seat_->open(std::move(*made.engine));
    seat_->expect(source_format_, source_->steady());
    useHub(made.hub);
    attachToMixer();
    strip_.runnerOpened();
    emit engineOpened();
    return source_->start(*seat_, seat_.get());
}

/// The feed goes through the hub of the newest input that uses PipeWire; so does what the strip is offered
/// as.
void Devices::useHub(const std::shared_ptr<PipeWireHub>& hub) {
    if (!source_->steady()) return;
    offers_.use(hub);
    house_.live.set_sink(&hub->feed());
    house_.live.settle();
    hub_ = hub;
    lost_before_ = hub_->feed_dropouts();
    offer();
}

// --- what other programs get of this strip alone ---

void Devices::offer() {
    if (!hub_ || !source_ || !source_->steady()) return;
    const bool programme = seat_->role() == StripRole::programme;
    const std::string node = node_of(strip_.spec().id), name = strip_.spec().shown_name();
    const std::string mic = audio().mic_title;
    const auto offer = [&](bool wanted, const std::string& id, const std::string& title) {
        if (!wanted) return StripMicrophones::Offer{};
        return StripMicrophones::Offer{id, house_.microphone_titles.emplace(id, title).first->second,
                                       source_format_.channels};
    };
    const auto own = offer(programme || offered_, node, mic + (programme ? " " : ": ") + name);
    const auto plain = offer(!programme && plain_, node + "-plain", mic + ": " + name + ", unprocessed");
    offers_.show(own, plain);
}

void Devices::setOffered(bool own, bool plain) {
    if (own == offered_ && plain == plain_) return;
    const std::string was[] = {offers_.own().node, offers_.plain().node};
    offered_ = own;
    plain_ = plain;
    offer();
    // Who no longer wants it offered does not want to find it in the lists either.
    const std::string is[] = {offers_.own().node, offers_.plain().node};
    for (int i = 0; i < 2; ++i) {
        if (was[i].empty() || !is[i].empty()) continue;
        house_.graph->remove_microphone(was[i]);
        house_.microphone_titles.erase(was[i]);  // made again, it has the strip's new name
    }
    emit changed();
}

// --- programs that play ---

void Devices::moveProgram(const PlayingProgram& program, bool here) {
    const std::string output = here ? input().target : std::string();
    if (auto moved = house_.graph->move_program(program.id, output); !moved.ok()) {
        notices_.tell(moved.error());
        return;
    }
    if (here)
        house_.called[program.name] = strip_.spec().id;
    else
        house_.called.erase(program.name);
    // What else it plays now stays where it is.
    for (const PlayingProgram& p : picture().programs) {
        if (p.name == program.name) called_.insert(p.id);
    }
    emit changed();
}

/// Those that came back are sent to where they were. Each stream once: whoever moves it then, in the system's
/// settings say, has the last word.
void Devices::callPrograms() {
    if (seat_->role() != StripRole::programme || input().kind != DeviceKind::programme) return;
    const PipeWireSnapshot& now = picture();
    std::erase_if(called_, [&](std::uint32_t id) {
        return std::ranges::find(now.programs, id, &PlayingProgram::id) == now.programs.end();
    });
    if (!now.has_output(input().target)) return;
    for (const PlayingProgram& program : now.programs) {
        const auto wish = house_.called.find(program.name);
        if (wish == house_.called.end() || wish->second != strip_.spec().id) continue;
        if (called_.insert(program.id).second && program.into != input().target)
            (void)house_.graph->move_program(program.id, input().target);
    }
}

void Devices::setInput(const DeviceChoice& choice) {
    if (const QString who = house_.taken ? house_.taken(*this, choice) : QString(); !who.isEmpty()) {
        notices_.warn(tr("“%1” already uses this microphone. Choose another one or remove one of the strips.")
                          .arg(who));
        emit inputChanged();
        return;
    }
    instead_ = false;
    open(choice, false);
}

void Devices::setAudio(const AudioSettings& settings) {
    AudioSettings next = settings;
    next.block = std::clamp(next.block, 32, 2048);
    next.channels = std::clamp(next.channels, 1, 2);
    if (next.mic_title.empty()) next.mic_title = kVirtualMicTitle;
    if (&first_ != this) return first_.setAudio(next);
    if (next == audio_) return;
    if (next.mic_title != audio_.mic_title) house_.microphone_titles.clear();
    audio_ = next;
    proposed_block_ = 0;
    if (input().kind == DeviceKind::pipewire)
        open(DeviceChoice(input()), true);
    else
        emit inputChanged();
    emit audioChanged();
    emit changed();
}

void Devices::setRoom(RoomControl control, double value) {
    room_values_[std::string(room_controls()[static_cast<size_t>(control)].id)] = value;
    if (room_ != nullptr) room_->set(control, value);
    emit changed();
    emit roomChanged();
}

double Devices::totalDelayMs() const {
    const double ms = 1000.0 / std::max(1.0, engine_.format().sample_rate);
    const int latency =
        std::max(house_.live.latency(), engine_.figures().latency) + engine_.chain().character_latency();
    return status().delay_ms + ms * (latency + house_.live.load().block_frames());
}

// --- the virtual microphone ---

const PipeWireNode* Devices::microphone() const {
    if (unchosen() || input().kind != DeviceKind::pipewire) return nullptr;
    return picture().source(input().target.empty() ? picture().default_source : input().target);
}

void Devices::setSystemVolume(double db) {
    const PipeWireNode* there = microphone();
    if (there == nullptr) return;
    const SystemVolume wanted{std::nullopt, db};
    if (auto set = house_.graph->set_volume(there->name, wanted); !set.ok()) notices_.tell(set.error());
}

void Devices::makeDefaultMicrophone() {
    if (!house_.graph->picture().virtual_microphone) {
        notices_.warn(
            tr("The virtual microphone is created when a real microphone is the input. Choose one first."));
        return;
    }
    if (auto made = house_.graph->make_default_source(kVirtualMicName); !made.ok())
        notices_.tell(made.error());
    else
        notices_.say(tr("%1 is now the default microphone.").arg(QString::fromStdString(audio().mic_title)));
}

void Devices::removeMicrophone() {
    ++job_;
    opening_.reset();
    stop();
    if (auto removed = house_.graph->remove_virtual_microphone(); !removed.ok())
        notices_.tell(removed.error());
}

// --- looking after them ---

void Devices::tend() {
    // A job may be asking the graph just now, for a second at most.
    if (!opening_) {
        if (&first_ == this) house_.graph->tend();
        if (source_) source_->tend();
    }
    if (&first_ == this) {
        if (const auto version = house_.graph->version(); version != picture_version_) {
            picture_version_ = version;
            picture_ = house_.graph->picture();
            follow();
        }
    }
    if (!source_) return;
    const DeviceStatus now = status();
    const QString problem = QString::fromStdString(now.problem);
    if (problem != told_problem_) {
        const bool back = problem.isEmpty() && !told_problem_.isEmpty();
        told_problem_ = problem;
        const QString who =
            &first_ == this ? QString() : QString::fromStdString(strip_.spec().shown_name()) + ": ";
        if (!problem.isEmpty()) notices_.warn(who + problem);
        if (back) notices_.say(who + tr("Audio is working again."));
        emit inputChanged();
    }
    noteDropouts(now.dropouts);
}

/// What PipeWire knows has changed.
void Devices::follow() {
    callPrograms();
    emit pictureChanged();
    emit inputChanged();
}

void Devices::noteDropouts(std::uint64_t dropouts) {
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
    const int safer = 2 * audio().block;
    if (input().kind != DeviceKind::pipewire || recent < kMany || safer > 2048 || proposed_block_ == safer)
        return;
    proposed_block_ = safer;
    notices_.warn(tr("%1 dropouts in 30 s: the system can't keep up with a %2 ms buffer. Click the latency "
                     "(top right) and choose %3 ms.")
                      .arg(recent)
                      .arg(1000.0 * audio().block / 48000.0, 0, 'f', 1)
                      .arg(1000.0 * safer / 48000.0, 0, 'f', 1));
}

}  // namespace reed::ui
