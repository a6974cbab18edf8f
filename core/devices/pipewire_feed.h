// The feed's way into the virtual microphone. For the files of core/devices only.
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

/// A stream that is linked into the virtual microphone, and that microphone. Its blocks must come from a
/// PipeWireCapture on the same connection, whose cycle it runs in. Control thread, but for take() and push().
class PipeWireFeed final : public FeedSink {
  public:
    ~PipeWireFeed() override { detach(); }

    /// Before everything else: from then on take() may be called at any time.
    void prepare(int channels) { hand_over_.prepare(channels); }
    /// Makes the virtual microphone where it is missing, or another than wished, on an open connection, which
    /// must stay open until detach().
    void attach(PipeWireConnection& connection, const VirtualMicrophone::Wish& wish,
                const PipeWireStreamOptions& options);
    /// Ends the stream as well. The microphone stays in the daemon.
    void detach();

    /// A stream without a capture would hold up the programs that listen to the microphone: end() it with
    /// that one.
    Result<void> start();
    void end();
    bool running() const { return stream_ != nullptr; }
    /// The stream was ended from outside, or has an error.
    bool broken() const { return broken_.load(std::memory_order_relaxed); }
    /// Links and mends. Some times a second. `on_takeover` is called when the program that fed the microphone
    /// has gone, a tenth of a second before this feed takes its place: it may mute.
    VirtualMicrophone::Standing tend(const std::function<void()>& on_takeover = {});
    double delay_ms() const { return delay_.load(std::memory_order_relaxed); }
    /// Blocks for which there was not enough sound.
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
