// Plays the monitor signal through PipeWire.
#pragma once

#include <memory>
#include <string>

#include "base/result.h"
#include "base/ring_reader.h"

namespace reed {

struct MonitorOptions {
    std::string sink;  ///< node name; empty: the default output
    double sample_rate = 48000;
    int block = 256;  ///< requested buffer size in frames
};

/// Plays new audio of `sound` at once, with at most three blocks of delay. Missing audio is silence.
class MonitorOutput {
  public:
    /// Returns an error without PipeWire.
    static Result<std::unique_ptr<MonitorOutput>> create(std::shared_ptr<const HistoryRing> sound,
                                                         const MonitorOptions& options);
    ~MonitorOutput();
    MonitorOutput(const MonitorOutput&) = delete;
    MonitorOutput& operator=(const MonitorOutput&) = delete;

    /// Whether PipeWire or the device is gone.
    bool lost() const;

  private:
    MonitorOutput();
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
