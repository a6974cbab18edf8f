#include "devices/pipewire_connection.h"

#include <cerrno>

namespace reed {

Error no_pipewire() {
    return {"no PipeWire is running.", "PipeWire",
            "Start it (systemctl --user start pipewire wireplumber), or go on with the simulated room."};
}

bool PipeWireConnection::open(const char* name) {
    close();
    static const bool initialised = [] {
        pw_init(nullptr, nullptr);
        return true;
    }();
    (void)initialised;
    lost_ = false;
    loop_ = pw_thread_loop_new(name, nullptr);
    if (loop_ == nullptr) return false;
    context_ = pw_context_new(pw_thread_loop_get_loop(loop_), nullptr, 0);
    if (context_ == nullptr || pw_thread_loop_start(loop_) != 0) {
        close();
        return false;
    }
    {
        const Lock lock(*this);
        core_ = pw_context_connect(context_, nullptr, 0);
        if (core_ != nullptr) {
            static const pw_core_events events = [] {
                pw_core_events e{};
                e.version = PW_VERSION_CORE_EVENTS;
                e.error = [](void* data, uint32_t id, int, int code, const char*) {
                    if (id == PW_ID_CORE && code == -EPIPE)
                        static_cast<PipeWireConnection*>(data)->lost_.store(true, std::memory_order_relaxed);
                };
                return e;
            }();
            pw_core_add_listener(core_, &hook_, &events, this);
        }
    }
    if (core_ == nullptr) close();
    return core_ != nullptr;
}

void PipeWireConnection::close() {
    if (loop_ != nullptr) pw_thread_loop_stop(loop_);
    if (core_ != nullptr) {
        spa_hook_remove(&hook_);
        pw_core_disconnect(core_);
    }
    if (context_ != nullptr) pw_context_destroy(context_);
    if (loop_ != nullptr) pw_thread_loop_destroy(loop_);
    core_ = nullptr;
    context_ = nullptr;
    loop_ = nullptr;
}

}  // namespace reed
