// What all strips of the desk share.
#pragma once

#include <QString>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>

#include "devices/pipewire_hub.h"
#include "mixer/live_mixer.h"
#include "scenes/working_state.h"
#include "session/history.h"
#include "session/notifications.h"
#include "session/preferences.h"

namespace reed::ui {

/// Paths of the files.
struct SessionPaths {
    std::filesystem::path scenes;     ///< folder of the user's scenes
    std::filesystem::path state;      ///< file of the application state
    std::filesystem::path demo_data;  ///< audio files and scenes that are included
    std::filesystem::path takes{};    ///< folder of the user's takes; empty: beside the scenes

    /// By the XDG base directory specification; demo data beside the program or in ../share.
    static SessionPaths standard();
};

class Devices;

/// Everything that all strips share. Owned by the Session of the first strip, which outlives the others.
struct AppContext {
    explicit AppContext(SessionPaths where) : paths(std::move(where)) {}

    SessionPaths paths;
    Notifications notices;
    History history;
    Preferences preferences;
    LiveMixer live;
    std::shared_ptr<PipeWireGraph> graph;  ///< from Devices::begin() of the first strip on
    bool muted = false;                    ///< all voices
    /// Whether there are several strips; the mixer then runs at 48 kHz instead of the rate of the first
    /// input.
    bool several = false;
    static constexpr double kDeskRate = 48000.0;
    /// Name of another strip that already uses this input; empty if none. Set by MixerModel.
    std::function<QString(const Devices&, const DeviceChoice&)> taken;
    /// Apps that are sent to a strip whenever they play: strip id by app name.
    std::map<std::string, std::string> called;
    /// Headphones: attenuation of the voices in dB (negative: of app audio), and whether volumes are linked.
    double monitor_balance = 0.0;
    bool monitor_linked = false;
    /// Titles of the strips' microphones when they were created in this session, by node name. A renamed
    /// strip keeps its node: creating it again has crashed session managers, and apps that use it would lose
    /// it for a moment.
    std::map<std::string, std::string> microphone_titles;
    /// See PipeWireHubOptions::on_takeover.
    std::function<void()> on_takeover;
    std::string solo;  ///< strip on solo in the headphones; empty: none

    /// The shared connection for these settings; a new one if they differ.
    std::shared_ptr<PipeWireHub> hub(const AudioSettings& audio) {
        if (hub_ && audio == hub_for_) return hub_;
        PipeWireHubOptions o;
        o.channels = audio.channels;
        o.block = audio.block;
        o.mic_title = audio.mic_title;
        o.graph = graph;
        o.on_takeover = on_takeover;
        hub_for_ = audio;
        hub_ = std::make_shared<PipeWireHub>(o);
        return hub_;
    }

  private:
    std::shared_ptr<PipeWireHub> hub_;
    AudioSettings hub_for_;
};

}  // namespace reed::ui
