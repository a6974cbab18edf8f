// What all parts of the model share.
#pragma once

#include <filesystem>

#include "mixer/live_mixer.h"
#include "model/shared/history.h"
#include "model/shared/microphone_mute.h"
#include "model/shared/midi_assignments.h"
#include "model/shared/monitor_mix.h"
#include "model/shared/notifications.h"
#include "model/shared/preferences.h"

namespace reed::ui {

/// Paths of the files.
struct AppPaths {
    std::filesystem::path scenes;     ///< folder of the user's scenes
    std::filesystem::path state;      ///< file of the working state
    std::filesystem::path demo_data;  ///< audio files and scenes that are included
    std::filesystem::path takes{};    ///< folder of the user's takes; empty: beside the scenes

    /// By the XDG base directory specification; demo data beside the program or in ../share.
    static AppPaths standard();
};

/// Shared by all strips and by everything above them. Owned by AppModel; outlives all users. GUI thread only.
struct AppContext {
    explicit AppContext(AppPaths where) : paths(std::move(where)) {}

    const AppPaths paths;
    Notifications notices;
    History history;
    Preferences preferences;
    MidiAssignments midi{paths.scenes.parent_path() / "midi", notices};
    MicrophoneMute mute{preferences, notices};
    MonitorMix monitor;
    LiveMixer live;
};

}  // namespace reed::ui
