// Measures all microphones at once, so that the user finds one by speaking.
#pragma once

#include <map>
#include <memory>
#include <string>

#include "devices/pipewire_graph.h"

namespace reed {

/// Opens every microphone of PipeWire in mono, in parallel to other uses. Not thread-safe.
class MicrophoneScanner {
  public:
    explicit MicrophoneScanner(std::shared_ptr<const PipeWireGraph> graph);
    ~MicrophoneScanner();
    MicrophoneScanner(const MicrophoneScanner&) = delete;
    MicrophoneScanner& operator=(const MicrophoneScanner&) = delete;

    struct Heard {
        double peak = -200.0;  ///< highest peak since the last call in dBFS; -200 for digital silence
        double seconds = 0.0;  ///< seconds of audio since it was opened
        bool sound = false;    ///< anything but digital silence since it was opened
    };
    /// Opens new microphones and closes those that are gone. Returns the levels since the last call by node
    /// name; empty without PipeWire. Doesn't block.
    std::map<std::string, Heard> look();

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
