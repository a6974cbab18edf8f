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

/// Where things are kept.
struct SessionPaths {
    std::filesystem::path scenes;     ///< folder of the person's scenes
    std::filesystem::path state;      ///< file of the working state
    std::filesystem::path demo_data;  ///< sounds and scenes that come with the program
    std::filesystem::path takes{};    ///< folder of the person's takes; empty: beside the scenes

    /// By the XDG base directory rules; demo data beside the program, in ../share, built or installed.
    static SessionPaths standard();
};

class Devices;

/// Made by the session of the first strip, which outlives the others.
struct AppContext {
    explicit AppContext(SessionPaths where) : paths(std::move(where)) {}

    SessionPaths paths;
    Notifications notices;
    History history;
    Preferences preferences;
    LiveMixer live;
    std::shared_ptr<PipeWireGraph> graph;  ///< from Devices::begin() of the first strip on
    bool muted = false;                    ///< all voices
    /// There are several strips. The desk then runs at the daemon's usual rate, not at that of the first
    /// input.
    bool several = false;
    static constexpr double kDeskRate = 48000.0;
    /// Name of another strip that has a choice as its input already; empty: none. MixerModel's.
    std::function<QString(const Devices&, const DeviceChoice&)> taken;
    /// Programs that are sent into a strip whenever they play: its id by what they call themselves.
    std::map<std::string, std::string> called;
    /// In the headphones: by how many dB the voices are lower than the programmes (below 0: the other way
    /// round), and whether one volume turns all.
    double monitor_balance = 0.0;
    bool monitor_linked = false;
    /// What strips' microphones were called when they were made in this session, by node name. A strip of
    /// another name keeps its node: making it again for a name has crashed session managers, and programs
    /// that use it would lose it for a moment.
    std::map<std::string, std::string> microphone_titles;
    /// See PipeWireHubOptions::on_takeover.
    std::function<void()> on_takeover;
    std::string solo;  ///< strip that the headphones get alone; empty: none

    /// The connection that all strips share, for these settings; another one when they are others.
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
