// A connection of a test to the daemon, as any other program has one.
#pragma once

#include <pipewire/pipewire.h>

#include <catch2/catch.hpp>

namespace reed::test {

/// Connects to the daemon at `XDG_RUNTIME_DIR`, with a loop of its own. Objects on it must end before it.
class PipeWireClient {
  public:
    explicit PipeWireClient(const char* name) {
        pw_init(nullptr, nullptr);
        loop_ = pw_thread_loop_new(name, nullptr);
        context_ = pw_context_new(pw_thread_loop_get_loop(loop_), nullptr, 0);
        REQUIRE(pw_thread_loop_start(loop_) == 0);
        pw_thread_loop_lock(loop_);
        core_ = pw_context_connect(context_, nullptr, 0);
        pw_thread_loop_unlock(loop_);
        REQUIRE(core_ != nullptr);
    }
    ~PipeWireClient() {
        pw_thread_loop_lock(loop_);
        pw_core_disconnect(core_);
        pw_thread_loop_unlock(loop_);
        pw_thread_loop_stop(loop_);
        pw_context_destroy(context_);
        pw_thread_loop_destroy(loop_);
    }
    PipeWireClient(const PipeWireClient&) = delete;
    PipeWireClient& operator=(const PipeWireClient&) = delete;

    pw_core* core() const { return core_; }
    /// Runs with the lock of the loop.
    template <typename Run>
    void locked(const Run& run) const {
        pw_thread_loop_lock(loop_);
        run();
        pw_thread_loop_unlock(loop_);
    }

  private:
    pw_thread_loop* loop_ = nullptr;
    pw_context* context_ = nullptr;
    pw_core* core_ = nullptr;
};

}  // namespace reed::test
