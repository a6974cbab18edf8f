// A PipeWire source with the virtual microphone "Dusky Reed" as its output.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "devices/device.h"
#include "devices/pipewire_graph.h"
#include "devices/virtual_microphone.h"

namespace reed {

struct PipeWireOptions {
    std::string source;                        ///< node name; empty: the default source
    double sample_rate = 48000;                ///< Hz; PipeWire converts if the device differs
    int channels = 1;                          ///< 1 or 2, of the input and of the virtual microphone
    int block = 256;                           ///< requested buffer size in frames, 32 to 2048
    std::string mic_title = kVirtualMicTitle;  ///< title of the virtual microphone in other apps
    bool wait_for_source = false;              ///< waits for a missing source or PipeWire
    std::shared_ptr<PipeWireGraph> graph{};    ///< shared graph; created if empty
};

/// One source on a PipeWireHub of its own: captures it, calls the callback, and outputs the result to the
/// virtual microphone (and to the sink of start(), if there is one). If the source or PipeWire is lost, the
/// output is silent, and tend() reconnects when they are back. The virtual microphone exists as long as
/// PipeWire runs, also after this process.
class PipeWireDevice final : public SoundSource {
  public:
    /// Returns an error without PipeWire, or if the source does not exist, unless wait_for_source is set.
    static Result<std::unique_ptr<PipeWireDevice>> create(const PipeWireOptions& options);
    ~PipeWireDevice() override;

    StreamFormat format() const override;
    Result<void> start(AudioCallback& callback, FeedSink* feed = nullptr) override;
    void stop() override;
    DeviceStatus status() const override;
    void tend() override;

  private:
    explicit PipeWireDevice(const PipeWireOptions& options);
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
