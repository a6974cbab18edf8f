// A microphone through PipeWire, and the virtual microphone "Dusky Reed" that carries the feed.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "devices/device.h"

namespace reed {

struct PipeWireSource {
    std::string name;   ///< stable node name, kept by the session
    std::string title;  ///< readable description
};

/// Sources the daemon knows now, our own virtual microphone left out. Waits up to a second.
/// Fails when no daemon answers.
Result<std::vector<PipeWireSource>> list_pipewire_sources();

inline constexpr const char* kVirtualMicName = "dusky-reed";
inline constexpr const char* kVirtualMicTitle = "Dusky Reed";

struct PipeWireOptions {
    std::string source;          ///< node name; empty: the default source
    double sample_rate = 48000;  ///< Hz; the daemon converts where the device differs
    int channels = 1;            ///< 1 or 2
    int block = 256;             ///< frames wished for, 32 to 2048
};

/// Captures a source, hands it to the callback, and publishes the result as a source of its own.
class PipeWireDevice final : public Device {
  public:
    /// Fails when no daemon answers or the chosen source does not exist.
    static Result<std::unique_ptr<PipeWireDevice>> create(const PipeWireOptions& options);
    ~PipeWireDevice() override;

    StreamFormat format() const override;
    Result<void> start(AudioCallback& callback) override;
    void stop() override;
    DeviceStatus status() const override;

  private:
    PipeWireDevice();
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
