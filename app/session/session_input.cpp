// Where the sound comes from and where it goes.
#include <algorithm>

#include "devices/file_device.h"
#include "session/monitoring.h"
#include "session/session.h"

namespace reed::ui {

// --- input and feed ---

QString Session::inputTitle() const {
    if (input_.kind == DeviceKind::simulated_room) return tr("Simulated room");
    if (input_.target.empty()) return tr("Default microphone");
    if (input_.kind == DeviceKind::sound_file) {
        return QString::fromStdString(std::filesystem::path(input_.target).filename().string());
    }
    for (const auto& m : devices_.sources) {
        if (m.name == input_.target) return QString::fromStdString(m.title);
    }
    return QString::fromStdString(input_.target);
}

bool Session::startDevice(const DeviceChoice& choice, bool wait) {
    Result<std::unique_ptr<Device>> made = [&]() -> Result<std::unique_ptr<Device>> {
        if (choice.kind == DeviceKind::pipewire) {
            PipeWireOptions options;
            options.source = choice.target;
            options.block = audio_.block;
            options.channels = audio_.channels;
            options.mic_title = audio_.mic_title;
            options.wait_for_source = wait;
            options.graph = graph_;
            if (microphones_) return microphones_(options);
            auto d = PipeWireDevice::create(options);
            if (!d.ok()) return d.error();
            return std::unique_ptr<Device>(std::move(d.value()));
        }
        if (choice.kind == DeviceKind::sound_file) {
            auto d = FileDevice::create(choice.target);
            if (!d.ok()) return d.error();
            return std::unique_ptr<Device>(std::move(d.value()));
        }
        auto d = SimulatedRoom::create(paths_.demo_data);
        if (!d.ok()) return d.error();
        return std::unique_ptr<Device>(std::move(d.value()));
    }();
    if (!made.ok()) {
        tell(made.error());
        return false;
    }
    if (device_) device_->stop();
    room_ = nullptr;
    device_ = std::move(made.value());
    told_problem_.clear();
    dropouts_seen_ = 0;
    dropout_times_.clear();
    if (choice.kind == DeviceKind::simulated_room) {
        room_ = static_cast<SimulatedRoom*>(device_.get());
        for (int c = 0; c < kRoomControls; ++c) {
            room_->set(static_cast<RoomControl>(c),
                       room_values_[std::string(room_controls()[static_cast<size_t>(c)].id)]);
        }
    }
    if (auto opened = engine_.open(device_->format(), chain()); !opened.ok()) {
        tell(opened.error());
        return false;
    }
    monitoring_->reopen();
    if (auto started = device_->start(engine_); !started.ok()) {
        tell(started.error());
        return false;
    }
    input_ = choice;
    return true;
}

void Session::setInput(const DeviceChoice& choice) {
    const bool had = device_ != nullptr;
    if (!startDevice(choice, false) && (!had || !device_->status().running) &&
        choice.kind != DeviceKind::simulated_room) {
        // The reason has been told; say what happens instead.
        if (startDevice({}, false)) emit message(tr("The simulated room is used instead."), true);
    }
    keepSoon();
    emit inputChanged();
}

void Session::setAudio(const AudioSettings& settings) {
    AudioSettings next = settings;
    next.block = std::clamp(next.block, 32, 2048);
    next.channels = std::clamp(next.channels, 1, 2);
    if (next.mic_title.empty()) next.mic_title = kVirtualMicTitle;
    if (next == audio_) return;
    audio_ = next;
    proposed_block_ = 0;
    if (input_.kind == DeviceKind::pipewire) startDevice(input_, true);
    keepSoon();
    emit inputChanged();
}

void Session::makeDefaultMicrophone() {
    if (!graph_->picture().virtual_microphone) {
        emit message(tr("The virtual microphone is made when a real one is the input. Choose it first."),
                     true);
        return;
    }
    if (auto made = graph_->make_default_source(kVirtualMicName); !made.ok())
        tell(made.error());
    else
        emit message(tr("Programs that do not choose a microphone now get %1.")
                         .arg(QString::fromStdString(audio_.mic_title)),
                     false);
}

void Session::removeMicrophone() {
    if (device_) device_->stop();
    if (auto removed = graph_->remove_virtual_microphone(); !removed.ok()) tell(removed.error());
}

double Session::totalDelayMs() const {
    const EngineFigures f = engine_.figures();
    const double ms = 1000.0 / engine_.format().sample_rate;
    return deviceStatus().delay_ms + ms * (f.latency + f.block_frames);
}

void Session::tendDevices() {
    graph_->tend();
    if (device_) device_->tend();
    if (const auto version = graph_->version(); version != devices_version_) {
        devices_version_ = version;
        devices_ = graph_->picture();
        emit devicesChanged();
        emit inputChanged();
    }
    if (!device_) return;
    const DeviceStatus status = device_->status();
    const QString problem = QString::fromStdString(status.problem);
    if (problem != told_problem_) {
        const bool back = problem.isEmpty() && !told_problem_.isEmpty();
        told_problem_ = problem;
        if (!problem.isEmpty()) emit message(problem, true);
        if (back) emit message(tr("The sound is back."), false);
        emit inputChanged();
    }
    noteDropouts(status.dropouts);
}

void Session::noteDropouts(std::uint64_t dropouts) {
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
    if (input_.kind != DeviceKind::pipewire || recent < kMany || safer > 2048 || proposed_block_ == safer)
        return;
    proposed_block_ = safer;
    emit message(
        tr("%1 dropouts in half a minute: the machine does not keep up with blocks of %2 ms. Choose %3 ms "
           "under the delay at the top right.")
            .arg(recent)
            .arg(1000.0 * audio_.block / 48000.0, 0, 'f', 1)
            .arg(1000.0 * safer / 48000.0, 0, 'f', 1),
        true);
}

void Session::setRoom(RoomControl control, double value) {
    room_values_[std::string(room_controls()[static_cast<size_t>(control)].id)] = value;
    if (room_ != nullptr) room_->set(control, value);
    keepSoon();
    emit roomChanged();
}

DeviceStatus Session::deviceStatus() const {
    return device_ ? device_->status() : DeviceStatus{};
}

void Session::setMuted(bool muted) {
    if (muted == engine_.muted()) return;
    engine_.set_mute(muted);
    keepNow();  // a crash a moment later must not open the microphone
    emit muteChanged();
}

void Session::setTarget(double lufs) {
    const double wanted = std::clamp(lufs, kLeastTarget, kMostTarget);
    if (wanted == target_) return;
    target_ = wanted;
    keepSoon();
    emit targetChanged();
}

void Session::setTalkKey(TalkKey mode) {
    talk_key_ = mode;
    // With a key to talk the microphone is closed until it is held.
    if (mode == TalkKey::talks) setMuted(true);
    keepSoon();
    emit muteChanged();
}

void Session::talk(bool held) {
    if (talk_key_ == TalkKey::talks) setMuted(!held);
    if (talk_key_ == TalkKey::mutes) setMuted(held);
    if (talk_key_ == TalkKey::toggles && held) setMuted(!muted());
}

}  // namespace reed::ui
