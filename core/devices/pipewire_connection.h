// A connection to PipeWire with a loop of its own. For the files of core/devices only.
#pragma once

#include <pipewire/pipewire.h>

#include <atomic>
#include <cstdint>
#include <string>

#include "base/result.h"

namespace reed {

/// What is said when no daemon answers.
Error no_pipewire();

/// Loop, context and connection; everything in it ends with it.
class PipeWireConnection {
  public:
    PipeWireConnection() = default;
    ~PipeWireConnection() { close(); }
    PipeWireConnection(const PipeWireConnection&) = delete;
    PipeWireConnection& operator=(const PipeWireConnection&) = delete;

    /// Who only listens to the daemon, and whose streams carry sound: their thread gets real-time priority
    /// where the system grants it (directly, or through its RealtimeKit).
    enum class Use { listening, sound };

    /// False when no daemon answers.
    bool open(const char* name, Use use);
    /// Objects made on it must be gone.
    void close();
    bool is_open() const { return core_ != nullptr; }
    /// The daemon has ended the connection.
    bool lost() const { return lost_.load(std::memory_order_relaxed); }

    pw_core* core() const { return core_; }
    pw_thread_loop* loop() const { return loop_; }

    /// Returns when what the audio thread does at this moment is over. Without the lock.
    void wait_for_audio() const;

    /// Holds the loop's lock.
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

/// Connects a stream of 32-bit floats, one plane a channel, mono or left and right. `position`: of a mono
/// stream that is one channel of a device, by its name; empty: none. Under the loop's lock.
Result<void> connect_audio(pw_stream* stream, pw_direction direction, uint32_t flags, double sample_rate,
                           int channels, const std::string& position = {});

/// A property of one of the daemon's objects; empty when it has none of this key.
std::string property(const spa_dict* props, const char* key);

/// Says of all planes of a buffer that `frames` frames were written.
void set_filled(pw_buffer* buffer, uint32_t frames);

}  // namespace reed
