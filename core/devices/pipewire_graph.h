// Snapshot of the PipeWire graph: inputs, outputs, defaults, playing apps.
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
    std::string name;           ///< stable node name, stored in the working state
    std::string title;          ///< readable description
    bool loudspeakers = false;  ///< outputs: probably loudspeakers
    bool muted = false;         ///< sources: muted in the system settings
    /// Sources: volume in the system settings in dB, mean of the channels, at least kNoVolume; 0 is
    /// unchanged.
    double volume = 0.0;
    std::vector<std::string> channels{};  ///< sources: positions of the channels; empty until known

    bool operator==(const PipeWireNode&) const = default;
};

/// An app that plays audio.
struct PlayingProgram {
    std::uint32_t id = 0;  ///< id of its stream
    std::string name;      ///< name of the app
    std::string title;     ///< title of the media, if known
    std::string into;      ///< node name of the output it plays into; empty if none

    bool operator==(const PlayingProgram&) const = default;
};

struct PipeWireSnapshot {
    bool connected = false;
    std::vector<PipeWireNode> sources;  ///< without the virtual microphone
    std::vector<PipeWireNode> sinks;    ///< without app audio outputs
    std::vector<std::string> outputs;   ///< node names of app audio outputs
    std::vector<PlayingProgram> programs;
    std::string default_source, default_sink;  ///< node names; empty until known
    bool has_output(const std::string& name) const {
        return std::find(outputs.begin(), outputs.end(), name) != outputs.end();
    }
    bool virtual_microphone = false;  ///< whether the virtual microphone exists, fed by any process
    bool feed_used = false;           ///< whether an app uses it

    bool has_source(const std::string& name) const { return source(name) != nullptr; }
    /// Returns nullptr if not found.
    const PipeWireNode* source(const std::string& name) const;
    const PipeWireNode* sink(const std::string& name) const;
};

/// Listens to PipeWire on a thread of its own. Its functions may be called from one other thread.
class PipeWireGraph {
  public:
    PipeWireGraph();
    ~PipeWireGraph();
    PipeWireGraph(const PipeWireGraph&) = delete;
    PipeWireGraph& operator=(const PipeWireGraph&) = delete;

    PipeWireSnapshot picture() const;
    /// Increases with every change of the snapshot.
    std::uint64_t version() const;

    /// Detects a lost connection and reconnects once per second. Call about every 100 ms. Doesn't block.
    void tend();
    /// Waits for the initial enumeration, 1 s at most; false without PipeWire.
    bool settle();

    /// Removes the virtual microphone; the session manager may move apps that used it to another one. Waits 1
    /// s at most. Precondition: nothing feeds it, otherwise it is created again.
    Result<void> remove_virtual_microphone();
    /// Removes a separate microphone by its node name, if it exists. Precondition: nothing feeds it.
    void remove_microphone(const std::string& name);
    /// Moves the stream of an app (PlayingProgram::id) to an output, or back to its default (empty name).
    Result<void> move_program(std::uint32_t id, const std::string& output);
    /// Sets the volume or mute of a source as the system settings do; empty values are unchanged. The
    /// snapshot shows the result later. `decibel` from kNoVolume to kMostVolume.
    Result<void> set_volume(const std::string& source, const SystemVolume& wanted);
    /// Makes a node the default source of all apps that select none.
    Result<void> make_default_source(const std::string& name);

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
