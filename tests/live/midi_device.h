// A MIDI device as the daemon knows it, without any hardware.
#pragma once

#include <pipewire/filter.h>
#include <pipewire/pipewire.h>
#include <spa/utils/hook.h>

#include <atomic>
#include <cstdint>
#include <mutex>
#include <string>
#include <vector>

#include "live/pipewire_client.h"

namespace reed::test {

/// A node in the daemon at `XDG_RUNTIME_DIR` with a MIDI output port, and an input port if it has lamps; both
/// have `alias`, as the ports of a real device have.
class MidiDevice {
  public:
    explicit MidiDevice(const std::string& alias, bool lamps = false);
    ~MidiDevice();
    MidiDevice(const MidiDevice&) = delete;
    MidiDevice& operator=(const MidiDevice&) = delete;

    /// Sends bytes as they are, each piece as one event, in order.
    void send(const std::vector<std::vector<std::uint8_t>>& pieces);
    /// From now on a controller goes through its positions, so many messages a second by the daemon's clock;
    /// 0: it stops.
    void sweep(std::uint8_t number, int messages_per_second);
    /// Bytes it was sent so far, without those taken before.
    std::vector<std::uint8_t> take();
    /// When the last piece was sent (steady clock, ns).
    std::int64_t sent_at() const { return sent_at_; }

  private:
    void process(const spa_io_position& position);
    void add_sweep(const spa_io_position& position);
    PipeWireClient client_{"midi-device"};
    pw_filter* filter_ = nullptr;
    spa_hook hook_{};
    void *out_ = nullptr, *in_ = nullptr;
    std::atomic<std::int64_t> sent_at_{0};
    std::mutex mutex_;
    std::vector<std::vector<std::uint8_t>> to_send_;
    std::vector<std::uint8_t> received_;
    std::uint8_t swept_ = 0, position_ = 0;
    double per_second_ = 0.0, due_ = 0.0;  // of the sweep: messages
};

}  // namespace reed::test
