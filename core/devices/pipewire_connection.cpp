#include "devices/pipewire_connection.h"

#include <spa/debug/types.h>
#include <spa/param/audio/format-utils.h>
#include <spa/param/audio/type-info.h>
#include <spa/utils/result.h>

#include <cerrno>

namespace reed {

Error no_pipewire() {
    return {"PipeWire isn't running.", "PipeWire",
            "Start it (systemctl --user start pipewire wireplumber), or use the simulated room."};
}

namespace {

pw_context* make_context(pw_loop* loop, PipeWireConnection::Use use) {
    // PipeWire's own two set-ups for clients; only the second raises the priority of the thread that runs
    // streams.
    if (use == PipeWireConnection::Use::sound) {
        pw_properties* with = pw_properties_new(PW_KEY_CONFIG_NAME, "client-rt.conf", nullptr);
        if (pw_context* made = pw_context_new(loop, with, 0); made != nullptr) return made;
    }
    return pw_context_new(loop, nullptr, 0);
}

}  // namespace

bool PipeWireConnection::open(const char* name, Use use) {
    close();
    static const bool initialised = [] {
        pw_init(nullptr, nullptr);
        return true;
    }();
    (void)initialised;
    lost_ = false;
    // What the library has to say of a failure it says once, not with every try.
    static std::atomic<bool> failed_before{false};
    const spa_log_level level = pw_log_level;
    if (failed_before) pw_log_set_level(SPA_LOG_LEVEL_NONE);
    const bool opened = connect(name, use);
    pw_log_set_level(level);
    failed_before = !opened;
    return opened;
}

bool PipeWireConnection::connect(const char* name, Use use) {
    loop_ = pw_thread_loop_new(name, nullptr);
    if (loop_ == nullptr) return false;
    context_ = make_context(pw_thread_loop_get_loop(loop_), use);
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

Result<void> connect_audio(pw_stream* stream, pw_direction direction, uint32_t flags, double sample_rate,
                           int channels, const std::string& position) {
    uint8_t space[1024];
    spa_pod_builder builder{};
    builder.data = space;
    builder.size = sizeof space;
    spa_audio_info_raw info{};
    info.format = SPA_AUDIO_FORMAT_F32P;
    info.rate = static_cast<uint32_t>(sample_rate);
    info.channels = static_cast<uint32_t>(channels);
    info.position[0] = channels == 1 ? SPA_AUDIO_CHANNEL_MONO : SPA_AUDIO_CHANNEL_FL;
    info.position[1] = SPA_AUDIO_CHANNEL_FR;
    if (!position.empty())
        info.position[0] = spa_debug_type_find_type_short(spa_type_audio_channel, position.c_str());
    const spa_pod* params[] = {spa_format_audio_raw_build(&builder, SPA_PARAM_EnumFormat, &info)};
    const int code =
        pw_stream_connect(stream, direction, PW_ID_ANY, static_cast<pw_stream_flags>(flags), params, 1);
    if (code >= 0) return {};
    return Error{std::string("An audio stream can't be connected: ") + spa_strerror(code) + ".", "PipeWire",
                 "Check that its session manager (wireplumber) is running."};
}

std::string property(const spa_dict* props, const char* key) {
    const char* value = spa_dict_lookup(props, key);
    return value != nullptr ? value : "";
}

void set_filled(pw_buffer* buffer, uint32_t frames) {
    for (uint32_t c = 0; c < buffer->buffer->n_datas; ++c) {
        spa_chunk* chunk = buffer->buffer->datas[c].chunk;
        chunk->offset = 0;
        chunk->stride = sizeof(float);
        chunk->size = frames * static_cast<uint32_t>(sizeof(float));
    }
}

void PipeWireConnection::wait_for_audio() const {
    if (context_ == nullptr) return;
    const auto nothing = [](spa_loop*, bool, uint32_t, const void*, size_t, void*) { return 0; };
    pw_data_loop_invoke(pw_context_get_data_loop(context_), nothing, SPA_ID_INVALID, nullptr, 0, true,
                        nullptr);
}

}  // namespace reed
