// The output stream to the virtual microphone. Internal to core/devices.
#pragma once

#include <atomic>
#include <chrono>
#include <cstdint>
#include <functional>
#include <optional>

#include "base/stream_fifo.h"
#include "devices/pipewire_capture.h"
#include "devices/virtual_microphone.h"

namespace reed {

/// The virtual microphone, and the stream that is linked into it. Its blocks must come from a PipeWireCapture
/// on the same connection, in the same cycle. Control thread only, except for take() and push().
class PipeWireFeed final : public FeedSink {
  public:
    ~PipeWireFeed() override { detach(); }

    /// Call first; from then on take() may be called at any time.
    void prepare(int channels) { hand_over_.prepare(channels); }
    /// Creates the virtual microphone if it is missing or differs from the settings, on an open connection,
    /// which must stay open until detach().
    void attach(PipeWireConnection& connection, const VirtualMicrophone::Wish& wish,
                const PipeWireStreamOptions& options);
    /// Ends the stream as well. The microphone stays in PipeWire.
    void detach();

    /// Starts the stream. Without a capture it would block the apps that read the microphone: end() it with
    /// the capture.
    Result<void> start();
    void end();
    bool running() const { return stream_ != nullptr; }
    /// Whether the stream was removed or has an error.
    bool broken() const { return broken_.load(std::memory_order_relaxed); }
    /// Links and recovers. Call about every 100 ms. `on_takeover` is called when the process that fed the
    /// microphone has ended, 0.1 s before this output takes its place, so that it can be muted first.
    VirtualMicrophone::Standing tend(const std::function<void()>& on_takeover = {});
    double delay_ms() const { return delay_.load(std::memory_order_relaxed); }
    /// Number of blocks with too little audio.
    std::uint64_t dropouts() const { return dropouts_.load(std::memory_order_relaxed); }
    void forget_dropouts() { dropouts_ = 0; }

    void take(const AudioBlock& block, bool converted) noexcept override;
    void push() noexcept override;

  private:
    void block();

    PipeWireConnection* connection_ = nullptr;
    pw_stream* stream_ = nullptr;
    spa_hook hook_{};
    PipeWireStreamOptions options_;
    std::string name_;
    VirtualMicrophone microphone_;
    std::optional<std::chrono::steady_clock::time_point> vacant_since_;
    StreamFifo hand_over_;
    // Between threads.
    std::atomic<bool> broken_{false}, fed_{false}, streaming_{false};
    std::atomic<std::uint64_t> dropouts_{0};
    std::atomic<double> delay_{0.0};
};

}  // namespace reed
