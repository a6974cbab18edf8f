// What the program remembers between evenings, and after a crash.
#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "engine/monitor.h"
#include "mixer/latency_settings.h"
#include "scenes/scene.h"

namespace reed {

/// Where the working state is, below user_state_folder().
inline constexpr const char* kStateFile = "dusky-reed/session.json";

/// The memory of a stage that is not in work.
struct InactiveSettings {
    std::string kind;  ///< of the stage; another kind of the same id has no use for it
    std::vector<double> values;
    LearnedData taught;
    char in_work = 'A';  ///< name of the one that is: 'A' or 'B'

    bool operator==(const InactiveSettings&) const = default;
};

/// Of one strip, by stage id; stages that never flipped have none.
using AbSettings = std::map<std::string, InactiveSettings>;

/// What this computer knows of a strip: where its sound comes from, and where it goes beside the feed.
struct StripDeviceSettings {
    std::string kind{};    ///< "room", "file", "pipewire" or "programme"
    std::string target{};  ///< file path or node name; empty: the default source
    int channel = 0;       ///< the only one of a device's channels that is taken, 1 to 64; 0: all
    bool offered = false;  ///< as a microphone of its own as well
    bool plain = false;    ///< what comes in, as it is, as a microphone too
    double monitor_db =
        0.0;  ///< its volume in the headphones, -60 to 12 dB (the first strip has MonitorSettings)

    bool operator==(const StripDeviceSettings&) const = default;
};

/// How live sound runs.
struct AudioSettings {
    int block = 256;                       ///< frames wished for, 32 to 2048
    int channels = 1;                      ///< 1 or 2
    std::string mic_title = "Dusky Reed";  ///< of the virtual microphone

    bool operator==(const AudioSettings&) const = default;
};

inline constexpr int kMaxBookmarks = 8;

/// The rules that recall a scene automatically on this computer.
struct RecallRule {
    enum class When { program_plays, device_is_there };
    When when = When::program_plays;
    std::string name{};   ///< what the program calls itself, or the device's node name
    std::string title{};  ///< how it is shown; empty: by its name
    std::string scene{};
    bool back = false;  ///< when it has ended, the scene before comes back

    bool operator==(const RecallRule&) const = default;
};
inline constexpr size_t kMaxRules = 100;

/// Open Sound Control.
struct OscSettings {
    static constexpr int kLeastPort = 1024, kMostPort = 65535;
    bool on = false;                    ///< whether the program listens
    std::string address = "127.0.0.1";  ///< the address of this computer on which it listens
    int port = 9010;                    ///< UDP, kLeastPort to kMostPort

    bool operator==(const OscSettings&) const = default;
};

struct WorkingState {
    Scene scene;                ///< the current mixer; the name is that of the scene it came from
    StripDeviceSettings input;  ///< of the first strip
    /// Of the others by their ids, also of strips that the scene in work has not: which device belongs to a
    /// strip is remembered by this computer, not by the scene.
    std::map<std::string, StripDeviceSettings> inputs;
    /// Programs that are sent into a strip whenever they play: its id by what they call themselves.
    std::map<std::string, std::string> programs;
    std::vector<RecallRule> rules;       ///< the first that fits counts; at most kMaxRules
    std::map<std::string, double> room;  ///< controls of the simulated room by id
    std::string theme;                   ///< "dusk" or "dawn"
    std::string geometry;                ///< the window's, as text
    std::string focused;                 ///< id of the focused stage
    std::string focused_strip;           ///< id of the strip it is in; empty: the first
    /// Strip and stage that a key leads to, by its number.
    std::map<int, std::pair<std::string, std::string>> places;
    std::string small_geometry;  ///< of the small window, as text
    bool small_on_top = true;    ///< it stays before all others
    double window_seconds = 10.0;
    AudioSettings audio;
    LatencySettings latency{};
    MonitorSettings monitor;       ///< its source is not stored: the monitor is off at every start
    std::string monitor_sink;      ///< node name; empty: the default output
    double monitor_balance = 0.0;  ///< the headphones', voices against programme, -30 to 30 dB
    bool monitor_linked = false;   ///< one volume in the headphones turns all
    double target_lufs = -16.0;    ///< target loudness of the output, LUFS, -30 to -9
    std::vector<std::string> hidden_advice{};  ///< ids of advice that is not shown, at most kMaxHiddenAdvice
    bool muted = false;                        ///< when it ended; it starts so again
    /// Name of the character that is on, by strip id; strips without one are missing.
    std::map<std::string, std::string> characters;
    std::string talk_key = "toggles";         ///< or "talks", "mutes"
    std::map<std::string, std::string> keys;  ///< changed ones by action, as the window writes them
    std::vector<std::string> global_keys{};   ///< actions whose shortcuts work in every window, at most
                                              ///< kMaxGlobalKeys
    bool desktop_keys = false;                ///< the user has set shortcuts up with the desktop
    OscSettings osc{};
    std::map<std::string, AbSettings> memories;  ///< by strip id

    std::vector<std::string> left_out;  ///< after reading: parts that could not be used, in plain words
    std::string kept_as;                ///< after reading: the file in which those parts were kept

    bool operator==(const WorkingState&) const = default;
};

inline constexpr size_t kMaxHiddenAdvice = 100;
inline constexpr size_t kMaxGlobalKeys = 200;

/// JSON text, indented, and back. Parts that are missing or of another type than expected are left out and
/// named; an error is only what is no state at all.
std::string write_working_state(const WorkingState& state);
Result<WorkingState> parse_working_state(std::string_view json);

/// Reads the state. Nothing there: an empty optional. Not usable, or not in all parts: it is kept aside under
/// a name with the date.
Result<std::optional<WorkingState>> load_working_state(const std::filesystem::path& path);
/// Moves a state aside, under a name with the date; returns the name, or nothing when that failed.
std::string back_up_state(const std::filesystem::path& path);

Result<void> save_working_state(const std::filesystem::path& path, const WorkingState& state);

}  // namespace reed
