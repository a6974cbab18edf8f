// A capture stream of PipeWire. Internal to core/devices.
#pragma once

#include <atomic>
#include <cstdint>
#include <string>

#include "devices/device.h"
#include "devices/pipewire_connection.h"

namespace reed {

/// Settings of all streams of this process: one group, so that PipeWire runs them in one cycle.
struct PipeWireStreamOptions {
    double sample_rate = 48000;  ///< Hz; PipeWire converts if the device differs
    int channels = 1;            ///< 1 or 2
    int block = 256;             ///< requested buffer size in frames
};
/// Properties of all streams.
pw_properties* stream_properties(const PipeWireStreamOptions& options);
/// Channels of a buffer.
AudioBlock planes_of(const pw_buffer* buffer, int channels, int frames);

/// Timing of a stream.
struct StreamTime {
    double delay_ms = 0.0;
    double rate = 0.0;  ///< rate of the graph clock in Hz; 0 if unknown
};
StreamTime time_of(pw_stream* stream);
Error stream_refused();

/// Control thread only, except for its callbacks.
class PipeWireCapture {
  public:
    ~PipeWireCapture() { end(); }

    /// The source to capture.
    struct From {
        std::string node;     ///< node name; empty: the current default source
        bool output = false;  ///< captures an output instead
        /// Position of a single channel ("FR", "AUX2"); empty: all.
        std::string channel{};
    };
    /// Captures `from` on an open connection, which must stay open until end(). Calls `callback`, then
    /// `feed`, on the audio thread of the connection.
    Result<void> start(PipeWireConnection& connection, const From& from, const PipeWireStreamOptions& options,
                       AudioCallback& callback, FeedSink* feed);
    void end();
    bool running() const { return stream_ != nullptr; }
    /// Whether the stream was removed or has an error.
    bool broken() const { return broken_.load(std::memory_order_relaxed); }
    /// Whether audio has arrived since start().
    bool heard() const { return last_.load(std::memory_order_relaxed) > 0; }
    /// Time since the last block, or since start().
    double silent_seconds() const;
    double delay_ms() const { return delay_.load(std::memory_order_relaxed); }
    std::uint64_t dropouts() const { return dropouts_.load(std::memory_order_relaxed); }
    void forget_dropouts() { dropouts_ = 0; }

  private:
    void block();

    PipeWireConnection* connection_ = nullptr;
    pw_stream* stream_ = nullptr;
    spa_hook hook_{};
    PipeWireStreamOptions options_;
    AudioCallback* callback_ = nullptr;
    FeedSink* feed_ = nullptr;
    AudioBuffer work_{2, 8192};
    bool converted_ = false;  // audio thread
    std::int64_t since_ = 0;
    // Between threads.
    std::atomic<bool> broken_{false};
    std::atomic<std::uint64_t> dropouts_{0};
    std::atomic<std::int64_t> last_{0};
    std::atomic<double> delay_{0.0};
};

}  // namespace reed
