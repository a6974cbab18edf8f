// A microphone through PipeWire, and the virtual microphone "Dusky Reed" that carries the feed.
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
    double sample_rate = 48000;                ///< Hz; the daemon converts where the device differs
    int channels = 1;                          ///< 1 or 2, of the input and of the virtual microphone
    int block = 256;                           ///< frames wished for, 32 to 2048
    std::string mic_title = kVirtualMicTitle;  ///< what other programs call the virtual microphone
    bool wait_for_source = false;              ///< a source or a daemon that is not there is waited for
    std::shared_ptr<PipeWireGraph> graph{};    ///< shared with others; made when empty
};

/// One source of a PipeWireHub of its own: captures it, hands it to the callback, and feeds the result into
/// the virtual microphone (and on to start()'s own sink, if there is one). When the source or the daemon goes
/// away, the feed is silent and tend() takes it up again as soon as they are back; the virtual microphone
/// stays as long as the daemon does, after the end of this program too.
class PipeWireDevice final : public SoundSource {
  public:
    /// Fails when no daemon answers or the chosen source does not exist, unless they are to be waited for.
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
