// Hears every microphone at once, so that one is found by speaking.
#pragma once

#include <map>
#include <memory>
#include <string>

#include "devices/pipewire_graph.h"

namespace reed {

/// Opens every microphone that PipeWire knows, mono, beside whatever else uses it: only while somebody looks.
/// All calls from one thread.
class MicrophoneScanner {
  public:
    explicit MicrophoneScanner(std::shared_ptr<const PipeWireGraph> graph);
    ~MicrophoneScanner();
    MicrophoneScanner(const MicrophoneScanner&) = delete;
    MicrophoneScanner& operator=(const MicrophoneScanner&) = delete;

    struct Heard {
        double peak = -200.0;  ///< highest since the last look in dBFS; -200 for digital silence
        double seconds = 0.0;  ///< of sound, since it was opened
        bool sound = false;    ///< anything but digital silence since it was opened
    };
    /// Takes up the microphones that came and lets those go that went; then what was heard since the last
    /// look, by node name. Empty when no daemon answers. Quick.
    std::map<std::string, Heard> look();

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
