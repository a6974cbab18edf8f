// What PipeWire knows at this moment: inputs, outputs, defaults. Kept up to date by itself.
#pragma once

#include <algorithm>
#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "base/result.h"
#include "devices/pipewire_metadata.h"
#include "devices/system_volume.h"

namespace reed {

struct PipeWireNode {
    std::string name;           ///< stable node name, kept by the session
    std::string title;          ///< readable description
    bool loudspeakers = false;  ///< outputs: it looks like loudspeakers, not like headphones
    bool muted = false;         ///< sources: switched off in the system's settings
    /// Sources: their volume in the system's settings in dB, mean of the channels, at least kNoVolume; 0: as
    /// the device gives it.
    double volume = 0.0;
    std::vector<std::string> channels{};  ///< sources: positions of their channels; empty: not told yet

    bool operator==(const PipeWireNode&) const = default;
};

/// A program that plays sound now.
struct PlayingProgram {
    std::uint32_t id = 0;  ///< of its stream
    std::string name;      ///< what the program calls itself
    std::string title;     ///< what it plays, where it says so
    std::string into;      ///< node name of the output it plays into; empty while into none

    bool operator==(const PlayingProgram&) const = default;
};

struct PipeWireSnapshot {
    bool connected = false;
    std::vector<PipeWireNode> sources;  ///< our own virtual microphone left out
    std::vector<PipeWireNode> sinks;    ///< without our own outputs
    std::vector<std::string> outputs;   ///< node names of our own outputs, into which programs can play
    std::vector<PlayingProgram> programs;
    std::string default_source, default_sink;  ///< node names; empty while not known
    bool has_output(const std::string& name) const {
        return std::find(outputs.begin(), outputs.end(), name) != outputs.end();
    }
    bool virtual_microphone = false;  ///< ours is there, whether this program feeds it or not
    bool feed_used = false;           ///< some program is linked to it

    bool has_source(const std::string& name) const { return source(name) != nullptr; }
    /// Null when there is none of this name.
    const PipeWireNode* source(const std::string& name) const;
    const PipeWireNode* sink(const std::string& name) const;
};

/// Listens to the daemon on a thread of its own; the members may be called from any one other thread.
class PipeWireGraph {
  public:
    PipeWireGraph();
    ~PipeWireGraph();
    PipeWireGraph(const PipeWireGraph&) = delete;
    PipeWireGraph& operator=(const PipeWireGraph&) = delete;

    PipeWireSnapshot picture() const;
    /// Rises with every change of the picture.
    std::uint64_t version() const;

    /// Looks after the connection: notices that the daemon has gone, and tries again once a second. Call it
    /// some times a second. Quick.
    void tend();
    /// Waits until the daemon has told all it knows, a second at most; false when none answers.
    bool settle();

    /// Takes our virtual microphone away from all programs; the session manager may hand those that used it
    /// another one. Waits a second at most. Nothing may feed it at that time (it would be made anew).
    Result<void> remove_virtual_microphone();
    /// Takes away another microphone of ours that nothing feeds any more, by its node name; nothing happens
    /// when it is not there.
    void remove_microphone(const std::string& name);
    /// Sends what a program plays (PlayingProgram::id) into an output, or back to where it would go by itself
    /// (empty name).
    Result<void> move_program(std::uint32_t id, const std::string& output);
    /// Sets the volume or mute of a source as the system's settings do; what is empty stays. The picture
    /// tells when it has come about. `decibel` from kNoVolume to kMostVolume.
    Result<void> set_volume(const std::string& source, const SystemVolume& wanted);
    /// Makes a node the default source for every program that does not choose one.
    Result<void> make_default_source(const std::string& name);

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
