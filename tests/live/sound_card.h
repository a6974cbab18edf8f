// Hardware as the daemon knows it, without any.
#pragma once

#include <pipewire/pipewire.h>
#include <spa/monitor/device.h>
#include <spa/utils/hook.h>

#include <condition_variable>
#include <cstdint>
#include <mutex>
#include <optional>
#include <vector>

#include "devices/system_volume.h"

namespace reed::test {

/// A device in the daemon at `XDG_RUNTIME_DIR`, as a session manager makes one of a sound card: ways its
/// sound takes now (SPA_PARAM_Route), whose volume is set on the device. Keeps what it was asked for.
class SoundCard {
  public:
    /// What a program has asked for.
    struct Asked {
        DeviceRoute route;
        SystemVolume volume;
        bool saved = false;
    };
    explicit SoundCard(std::vector<DeviceRoute> routes);
    ~SoundCard();
    SoundCard(const SoundCard&) = delete;
    SoundCard& operator=(const SoundCard&) = delete;

    /// Its id in the daemon, to which a node belongs by device.id.
    std::uint32_t id() const { return id_; }
    /// The next wish; nothing when none comes for a minute.
    std::optional<Asked> next();

  private:
    int listen(spa_hook* listener, const spa_device_events* events, void* data);
    int sync(int seq);
    int enumerate(int seq, uint32_t id, uint32_t index, uint32_t max);
    int set(uint32_t id, const spa_pod* param);

    std::vector<DeviceRoute> routes_;
    pw_thread_loop* loop_ = nullptr;
    pw_context* context_ = nullptr;
    pw_core* core_ = nullptr;
    pw_proxy* exported_ = nullptr;
    spa_device device_{};
    spa_hook_list listeners_{};
    spa_hook bound_{};
    std::uint32_t id_ = 0;
    std::mutex mutex_;
    std::condition_variable news_;
    std::vector<Asked> asked_;
};

}  // namespace reed::test
