#include "model/devices/audio_system.h"

#include <algorithm>
#include <cmath>

namespace reed::ui {

void AudioSystem::start(const WorkingState& state) {
    graph_ = std::make_shared<PipeWireGraph>();
    settings_ = state.audio;
    moved_apps = state.programs;
    setLatency(state.latency);
}

void AudioSystem::save(WorkingState& state) const {
    state.audio = settings_;
    state.programs = moved_apps;
    state.latency = latency_;
}

void AudioSystem::poll() {
    if (!graph_) return;
    if (inputs_opening == 0) graph_->tend();
    if (const auto version = graph_->version(); version != version_) {
        version_ = version;
        snapshot_ = graph_->picture();
        emit snapshotChanged();
    }
}

void AudioSystem::setSettings(const AudioSettings& settings) {
    AudioSettings next = settings;
    next.block = std::clamp(next.block, 32, 2048);
    next.channels = std::clamp(next.channels, 1, 2);
    if (next.mic_title.empty()) next.mic_title = kVirtualMicTitle;
    if (next == settings_) return;
    if (next.mic_title != settings_.mic_title) microphone_titles.clear();
    settings_ = next;
    emit settingsChanged();
}

void AudioSystem::setLatency(const LatencySettings& latency) {
    LatencySettings next = latency_;
    for (int row = 0; row < kLatencyRows; ++row) {
        const Parameter& p = latency_parameters()[static_cast<size_t>(row)];
        const double value = latency_value(latency, row);
        if (std::isfinite(value)) set_latency_value(next, row, std::clamp(value, p.minimum, p.maximum));
    }
    if (next == latency_) return;
    latency_ = next;
    emit latencyChanged();
}

std::shared_ptr<PipeWireHub> AudioSystem::hub() {
    if (hub_ && settings_ == hub_settings_) return hub_;
    PipeWireHubOptions options;
    options.channels = settings_.channels;
    options.block = settings_.block;
    options.mic_title = settings_.mic_title;
    options.graph = graph_;
    options.on_takeover = [this] { emit takenOver(); };
    hub_settings_ = settings_;
    hub_ = std::make_shared<PipeWireHub>(options);
    return hub_;
}

void AudioSystem::makeDefaultMicrophone() {
    if (!graph_->picture().virtual_microphone) {
        context_.notices.warn(
            tr("The virtual microphone is created when a real microphone is the input. Choose one first."));
        return;
    }
    if (auto made = graph_->make_default_source(kVirtualMicName); !made.ok())
        context_.notices.tell(made.error());
    else
        context_.notices.say(
            tr("%1 is now the default microphone.").arg(QString::fromStdString(settings_.mic_title)));
}

void AudioSystem::removeVirtualMicrophone() {
    if (auto removed = graph_->remove_virtual_microphone(); !removed.ok())
        context_.notices.tell(removed.error());
}

}  // namespace reed::ui
