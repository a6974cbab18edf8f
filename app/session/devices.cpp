#include "session/devices.h"

#include <algorithm>

#include "devices/file_device.h"

namespace reed::ui {
namespace {

const char* kindName(DeviceKind kind) {
    switch (kind) {
        case DeviceKind::pipewire:
            return "pipewire";
        case DeviceKind::sound_file:
            return "file";
        default:
            return "room";
    }
}

DeviceKind kindByName(const std::string& name) {
    if (name == "pipewire") return DeviceKind::pipewire;
    return name == "file" ? DeviceKind::sound_file : DeviceKind::simulated_room;
}

template <typename Source>
Result<std::unique_ptr<SoundSource>> asSource(Result<std::unique_ptr<Source>> made) {
    if (!made.ok()) return made.error();
    return std::unique_ptr<SoundSource>(std::move(made.value()));
}

}  // namespace

/// What a job has made ready: the source, and the engine's part for it.
struct Devices::Opening {
    std::unique_ptr<SoundSource> source;
    std::optional<Engine::Prepared> engine;
    std::optional<Error> problem;
};

Devices::Devices(std::filesystem::path demo_data, Engine& engine, ChainModel& strip, Notices& notices,
                 QObject* parent)
    : QObject(parent), demo_data_(std::move(demo_data)), engine_(engine), strip_(strip), notices_(notices) {
    for (const auto& p : room_controls()) room_values_[std::string(p.id)] = p.default_value;
}

Devices::~Devices() {
    ++job_;
    stop();
}

void Devices::begin(const WorkingState& state) {
    graph_ = std::make_shared<PipeWireGraph>();
    audio_ = state.audio;
    for (const auto& p : room_controls()) {
        const auto found = state.room.find(std::string(p.id));
        if (found != state.room.end() && !value_problem(p, found->second))
            room_values_[found->first] = found->second;
    }
    open({kindByName(state.input.kind), state.input.target}, true);
}

void Devices::keep(WorkingState& state) const {
    state.input.kind = kindName(input().kind);
    state.input.target = input().target;
    state.room = room_values_;
    state.audio = audio_;
}

void Devices::stop() {
    if (source_) source_->stop();
}

// --- the input ---

QString Devices::inputTitle() const {
    if (input().kind == DeviceKind::simulated_room) return tr("Simulated room");
    if (input().target.empty()) return tr("Default microphone");
    if (input().kind == DeviceKind::sound_file) {
        return QString::fromStdString(std::filesystem::path(input().target).filename().string());
    }
    for (const auto& m : picture_.sources) {
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

    Made make() const {
        if (choice.kind == DeviceKind::sound_file) return asSource(FileDevice::create(choice.target));
        if (choice.kind == DeviceKind::simulated_room) return asSource(SimulatedRoom::create(demo_data));
        return maker ? maker(options) : asSource(PipeWireDevice::create(options));
    }
};

Devices::Making Devices::making(const DeviceChoice& choice, bool wait) const {
    PipeWireOptions options;
    options.source = choice.target;
    options.block = audio_.block;
    options.channels = audio_.channels;
    options.mic_title = audio_.mic_title;
    options.wait_for_source = wait;
    options.graph = graph_;
    return {choice, demo_data_, options, maker_};
}

void Devices::open(const DeviceChoice& choice, bool wait) {
    const int job = ++job_;
    opening_ = choice;
    emit inputChanged();
    background_.run(
        [making = making(choice, wait), state = strip_.state()] {
            Opening out;
            auto made = making.make();
            if (!made.ok()) {
                out.problem = made.error();
                return out;
            }
            out.source = std::move(made.value());
            auto engine = Engine::prepare(out.source->format(), state->scene.chain());
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
        if (instead_) notices_.warn(tr("The simulated room is used instead."));
        instead_ = false;
    } else {
        notices_.tell(taken.error());
        // Something must sound; what does is told when it is there.
        instead_ = choice.kind != DeviceKind::simulated_room && !status().running;
        if (instead_) return open({}, false);
    }
    emit opened();
    emit inputChanged();
    emit changed();
}

Result<void> Devices::take(const DeviceChoice& choice, Opening made) {
    if (made.problem) return *made.problem;
    stop();
    room_ = nullptr;
    source_ = std::move(made.source);
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
    engine_.open(std::move(*made.engine));
    strip_.runnerOpened();
    emit engineOpened();
    return source_->start(engine_);
}

void Devices::setInput(const DeviceChoice& choice) {
    instead_ = false;
    open(choice, false);
}

void Devices::setAudio(const AudioSettings& settings) {
    AudioSettings next = settings;
    next.block = std::clamp(next.block, 32, 2048);
    next.channels = std::clamp(next.channels, 1, 2);
    if (next.mic_title.empty()) next.mic_title = kVirtualMicTitle;
    if (next == audio_) return;
    audio_ = next;
    proposed_block_ = 0;
    if (input().kind == DeviceKind::pipewire)
        open(DeviceChoice(input()), true);
    else
        emit inputChanged();
    emit changed();
}

void Devices::setRoom(RoomControl control, double value) {
    room_values_[std::string(room_controls()[static_cast<size_t>(control)].id)] = value;
    if (room_ != nullptr) room_->set(control, value);
    emit changed();
    emit roomChanged();
}

double Devices::totalDelayMs() const {
    const EngineFigures f = engine_.figures();
    const double ms = 1000.0 / engine_.format().sample_rate;
    return status().delay_ms + ms * (f.latency + f.block_frames);
}

// --- the virtual microphone ---

void Devices::makeDefaultMicrophone() {
    if (!graph_->picture().virtual_microphone) {
        notices_.warn(tr("The virtual microphone is made when a real one is the input. Choose it first."));
        return;
    }
    if (auto made = graph_->make_default_source(kVirtualMicName); !made.ok())
        notices_.tell(made.error());
    else
        notices_.say(tr("Programs that do not choose a microphone now get %1.")
                         .arg(QString::fromStdString(audio_.mic_title)));
}

void Devices::removeMicrophone() {
    ++job_;
    opening_.reset();
    stop();
    if (auto removed = graph_->remove_virtual_microphone(); !removed.ok()) notices_.tell(removed.error());
}

// --- looking after them ---

void Devices::tend() {
    // A job may be asking the graph just now, for a second at most.
    if (!opening_) {
        graph_->tend();
        if (source_) source_->tend();
    }
    if (const auto version = graph_->version(); version != picture_version_) {
        picture_version_ = version;
        picture_ = graph_->picture();
        emit pictureChanged();
        emit inputChanged();
    }
    if (!source_) return;
    const DeviceStatus now = status();
    const QString problem = QString::fromStdString(now.problem);
    if (problem != told_problem_) {
        const bool back = problem.isEmpty() && !told_problem_.isEmpty();
        told_problem_ = problem;
        if (!problem.isEmpty()) notices_.warn(problem);
        if (back) notices_.say(tr("The sound is back."));
        emit inputChanged();
    }
    noteDropouts(now.dropouts);
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
    const int safer = 2 * audio_.block;
    if (input().kind != DeviceKind::pipewire || recent < kMany || safer > 2048 || proposed_block_ == safer)
        return;
    proposed_block_ = safer;
    notices_.warn(
        tr("%1 dropouts in half a minute: the machine does not keep up with blocks of %2 ms. Choose %3 ms "
           "under the delay at the top right.")
            .arg(recent)
            .arg(1000.0 * audio_.block / 48000.0, 0, 'f', 1)
            .arg(1000.0 * safer / 48000.0, 0, 'f', 1));
}

}  // namespace reed::ui
