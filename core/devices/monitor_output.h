// The monitor's way to the headphones, through PipeWire.
#pragma once

#include <memory>
#include <string>

#include "base/result.h"
#include "base/ring_reader.h"

namespace reed {

struct MonitorOptions {
    std::string sink;  ///< node name; empty: the default output
    double sample_rate = 48000;
    int block = 256;  ///< frames wished for
};

/// Plays what is written to `sound` from now on, as soon as it is there; keeps at most three blocks waiting.
/// What is missing is silence. Ends with the object.
class MonitorOutput {
  public:
    /// Fails when no daemon answers.
    static Result<std::unique_ptr<MonitorOutput>> create(std::shared_ptr<const HistoryRing> sound,
                                                         const MonitorOptions& options);
    ~MonitorOutput();
    MonitorOutput(const MonitorOutput&) = delete;
    MonitorOutput& operator=(const MonitorOutput&) = delete;

    /// The daemon or the output has gone.
    bool lost() const;

  private:
    MonitorOutput();
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
