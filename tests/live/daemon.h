// A PipeWire daemon of the test's own, with a session manager and virtual devices.
#pragma once

#include <functional>
#include <map>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "support/signals.h"

namespace reed::test {

/// Starts dbus, pipewire and wireplumber under a private XDG_RUNTIME_DIR; ends them by their pids.
class Daemon {
  public:
    Daemon();
    ~Daemon();

    /// A virtual microphone: sound played to it comes out of it as a source.
    /// `positions`: of its channels; `rate`: of its own clock in Hz, 0: the daemon's; `properties`: more, in
    /// the daemon's own notation.
    void add_source(const std::string& name, const std::string& title, const std::string& positions = "MONO",
                    int rate = 0, const std::string& properties = "");
    /// A virtual output; what is played to it can be recorded from it.
    void add_sink(const std::string& name, const std::string& title);
    void remove_node(const std::string& name);
    /// What the system's settings do to a node: its parameter Props, in the daemon's own notation.
    void set_properties(const std::string& name, const std::string& props);
    /// Ends daemon and session manager, as a crash would; starts them again in the same place.
    void stop();
    void start_again();
    /// Records two ports at once on one clock, one left, one right; returns the pid once both are linked.
    /// A source's port is "name:capture_MONO", what an output plays "name:monitor_MONO".
    int record_pair(const std::string& file, const std::string& left, const std::string& right) const;
    /// The same for up to five ports, a channel each in their order.
    int record_ports(const std::string& file, const std::vector<std::string>& ports) const;
    /// Plays a WAV file into a virtual microphone; returns the pid once it is linked.
    int play(const std::string& file, const std::string& target) const;
    int play_into(const std::string& file, const std::string& port) const;
    /// Plays a WAV file as any program does, into an output that the session manager links it to.
    int play_as_program(const std::string& file, const std::string& sink) const {
        return start({"pw-cat", "--playback", "--target", sink, file});
    }
    /// The newest player plays into another one as well.
    void play_into_too(const std::string& target) const {
        link("pw-cat:output_MONO", target + ":input_MONO");
    }
    /// Records from a source; returns the pid once the session manager has linked it.
    int record(const std::string& file, const std::string& target, int rate = 48000) const;
    /// Waits until a recorder has written so many seconds more (mono, 48 kHz, 32-bit float as record() makes
    /// it): time as the daemon's sound tells it. False when nothing comes for a minute.
    static bool goes_on(const std::string& file, double seconds);
    /// True when a recorder or player takes its sound from this node, as far as the daemon's links say.
    bool hears(int pid, const std::string& node) const;
    /// True when a player has come to its end (it ends by itself) and has been waited for.
    static bool ended(int pid);
    /// Everything the daemon knows, as pw-dump's JSON.
    std::string dump() const;
    /// Waits until a node of this name exists.
    bool wait_for_node(const std::string& name) const;
    static void end(int pid, int signal = 15);
    const std::string& folder() const { return folder_.folder(); }

  private:
    int start(const std::vector<std::string>& arguments) const;
    void link(const std::string& from, const std::string& to) const;
    class News;
    /// What the daemon knows, by id.
    using Objects = std::map<int, nlohmann::json>;
    bool comes(const std::function<bool(const Objects&)>& done) const;
    static bool takes_sound(const Objects& all, int pid, const std::string& from);
    std::string log() const;
    TemporaryFolder folder_;
    std::vector<int> children_;
};

}  // namespace reed::test
