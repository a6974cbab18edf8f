// The sound of one of PipeWire's sources. For the files of core/devices only.
#pragma once

#include <atomic>
#include <cstdint>
#include <string>

#include "devices/device.h"
#include "devices/pipewire_connection.h"

namespace reed {

/// How the streams of this program run: one group, so that the daemon runs all of them in one cycle.
struct PipeWireStreamOptions {
    double sample_rate = 48000;  ///< Hz; the daemon converts where the device differs
    int channels = 1;            ///< 1 or 2
    int block = 256;             ///< frames wished for
};
/// Properties that all of them have.
pw_properties* stream_properties(const PipeWireStreamOptions& options);
/// The planes of a buffer, as many as there are.
AudioBlock planes_of(const pw_buffer* buffer, int channels, int frames);

/// What the daemon tells of a stream's time.
struct StreamTime {
    double delay_ms = 0.0;
    double rate = 0.0;  ///< of the daemon's clock, in Hz; 0 when it is not known
};
StreamTime time_of(pw_stream* stream);
Error stream_refused();

/// A capture stream. Control thread, but for what it calls.
class PipeWireCapture {
  public:
    ~PipeWireCapture() { end(); }

    /// What is captured.
    struct From {
        std::string node;     ///< its name; empty: the default source, whichever that is
        bool output = false;  ///< what is played into an output
        /// Position of the only channel to take, as the source names it ("FR", "AUX2"); empty: all of them.
        std::string channel{};
    };
    /// Captures `from` on an open connection, which must stay open until end(). Calls `callback`, then
    /// `feed`, on the connection's audio thread.
    Result<void> start(PipeWireConnection& connection, const From& from, const PipeWireStreamOptions& options,
                       AudioCallback& callback, FeedSink* feed);
    void end();
    bool running() const { return stream_ != nullptr; }
    /// The stream was ended from outside, or has an error.
    bool broken() const { return broken_.load(std::memory_order_relaxed); }
    /// Sound has come since start().
    bool heard() const { return last_.load(std::memory_order_relaxed) > 0; }
    /// Since the last block, or since start().
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
