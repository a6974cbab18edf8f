// A connection to PipeWire with its own loop. Internal to core/devices.
#pragma once

#include <pipewire/pipewire.h>

#include <atomic>
#include <cstdint>
#include <string>

#include "base/result.h"

namespace reed {

/// Error without PipeWire.
Error no_pipewire();

/// Loop, context and connection; objects on it end with it.
class PipeWireConnection {
  public:
    PipeWireConnection() = default;
    ~PipeWireConnection() { close(); }
    PipeWireConnection(const PipeWireConnection&) = delete;
    PipeWireConnection& operator=(const PipeWireConnection&) = delete;

    /// Listening only, or with audio streams: the thread of the latter gets real-time priority if the system
    /// grants it (directly, or through RealtimeKit).
    enum class Use { listening, sound };

    /// Connects; false without PipeWire.
    bool open(const char* name, Use use);
    /// Disconnects. Precondition: objects on it were destroyed.
    void close();
    bool is_open() const { return core_ != nullptr; }
    /// Whether PipeWire has closed the connection.
    bool lost() const { return lost_.load(std::memory_order_relaxed); }

    pw_core* core() const { return core_; }
    pw_thread_loop* loop() const { return loop_; }

    /// Waits until the current cycle of the audio thread is over. Precondition: the lock is not held.
    void wait_for_audio() const;

    /// Holds the lock of the loop.
    class Lock {
      public:
        explicit Lock(const PipeWireConnection& c) : loop_(c.loop_) { pw_thread_loop_lock(loop_); }
        ~Lock() { pw_thread_loop_unlock(loop_); }
        Lock(const Lock&) = delete;
        Lock& operator=(const Lock&) = delete;

      private:
        pw_thread_loop* loop_;
    };

  private:
    bool connect(const char* name, Use use);

    pw_thread_loop* loop_ = nullptr;
    pw_context* context_ = nullptr;
    pw_core* core_ = nullptr;
    spa_hook hook_{};
    std::atomic<bool> lost_{false};
};

/// Connects a stream of 32-bit floats, one plane per channel, mono or stereo. `position`: name of the device
/// channel of a mono stream; empty: none. Precondition: the lock of the loop is held.
Result<void> connect_audio(pw_stream* stream, pw_direction direction, uint32_t flags, double sample_rate,
                           int channels, const std::string& position = {});

/// The events of a registry, for a listener that has add(id, type, properties) and remove(id). The properties
/// may be nullptr.
template <typename Listener>
const pw_registry_events& registry_events() {
    static const pw_registry_events events = [] {
        pw_registry_events e{};
        e.version = PW_VERSION_REGISTRY_EVENTS;
        e.global = [](void* data, uint32_t id, uint32_t, const char* type, uint32_t, const spa_dict* props) {
            static_cast<Listener*>(data)->add(id, type, props);
        };
        e.global_remove = [](void* data, uint32_t id) { static_cast<Listener*>(data)->remove(id); };
        return e;
    }();
    return events;
}

/// A property of an object; empty if it is missing.
std::string property(const spa_dict* props, const char* key);

/// Marks `frames` frames as written in all planes of a buffer.
void set_filled(pw_buffer* buffer, uint32_t frames);

}  // namespace reed
