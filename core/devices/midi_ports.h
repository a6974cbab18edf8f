// MIDI devices, by the ports that PipeWire has for them.
#pragma once

#include <cstdint>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "midi/message.h"

namespace reed {

/// A message, and the device that sent it.
struct MidiEvent {
    std::string device;  ///< name, as MidiPorts::devices()
    MidiMessage message;
};

/// Receives from MIDI devices and sends to them. A device has one name for its output and its input port
/// (port.alias of PipeWire); of several with the same name, all but the first that came
/// are numbered: "Pad (2)".
/// Connected to PipeWire only while devices are wanted. Devices that come back, also after a restart of
/// PipeWire, are connected again. Its functions may be called from one thread; PipeWire's threads fill the
/// queue.
class MidiPorts {
  public:
    MidiPorts();
    ~MidiPorts();
    MidiPorts(const MidiPorts&) = delete;
    MidiPorts& operator=(const MidiPorts&) = delete;

    /// Which devices to listen to: all, those of these names, or with none of both, not to PipeWire either.
    void want(bool all, const std::set<std::string>& names);
    /// Names of the devices that are present and send something, in the order in which they came; empty
    /// while none are wanted.
    std::vector<std::string> devices() const;
    /// Those of them that are connected: their messages arrive.
    std::vector<std::string> connected() const;
    /// Whether PipeWire is there; false while no devices are wanted.
    bool available() const;

    /// Increases when devices came, were connected or went.
    std::uint64_t version() const;

    /// Readable when there are messages, or when devices came, were connected or went: for poll(2).
    int descriptor() const;
    /// Takes the wake-up from the descriptor; call before next().
    void acknowledge();
    /// The oldest message that was not taken; false if there is none. Up to kQueue are kept.
    bool next(MidiEvent& out);
    static constexpr std::size_t kQueue = 16384;

    /// Sends a message to a device; false if it is not connected, has no input, or its queue is full.
    bool send(const std::string& device, const MidiMessage& message);

    /// Detects a lost connection and reconnects once per second. Call about every 100 ms to 1 s. Doesn't
    /// block.
    void tend();

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
