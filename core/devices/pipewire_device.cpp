#include "devices/pipewire_device.h"

#include <pipewire/pipewire.h>
#include <spa/param/audio/format-utils.h>
#include <spa/utils/result.h>
#include <unistd.h>

#include <atomic>
#include <cmath>
#include <cstring>

namespace reed {
namespace {

Error no_daemon() {
    return {"no PipeWire is running.", "PipeWire",
            "Start it (systemctl --user start pipewire wireplumber), or go on with the simulated room."};
}

void init_once() {
    static const bool done = [] {
        pw_init(nullptr, nullptr);
        return true;
    }();
    (void)done;
}

/// A loop, context and connection; everything in it ends with it.
struct Connection {
    pw_thread_loop* loop = nullptr;
    pw_context* context = nullptr;
    pw_core* core = nullptr;

    bool open(const char* name) {
        init_once();
        loop = pw_thread_loop_new(name, nullptr);
        if (loop == nullptr) return false;
        context = pw_context_new(pw_thread_loop_get_loop(loop), nullptr, 0);
        if (context == nullptr || pw_thread_loop_start(loop) != 0) return false;
        pw_thread_loop_lock(loop);
        core = pw_context_connect(context, nullptr, 0);
        pw_thread_loop_unlock(loop);
        return core != nullptr;
    }
    ~Connection() {
        if (loop != nullptr) pw_thread_loop_stop(loop);
        if (core != nullptr) pw_core_disconnect(core);
        if (context != nullptr) pw_context_destroy(context);
        if (loop != nullptr) pw_thread_loop_destroy(loop);
    }
};

struct Listing {
    std::vector<PipeWireSource> sources;
    pw_thread_loop* loop = nullptr;
    int expected = 0;
    bool done = false;
};

void on_global(void* data, uint32_t, uint32_t, const char* type, uint32_t, const spa_dict* props) {
    if (std::strcmp(type, PW_TYPE_INTERFACE_Node) != 0 || props == nullptr) return;
    const char* media = spa_dict_lookup(props, PW_KEY_MEDIA_CLASS);
    const char* name = spa_dict_lookup(props, PW_KEY_NODE_NAME);
    if (media == nullptr || name == nullptr || std::strncmp(media, "Audio/Source", 12) != 0) return;
    if (std::strcmp(name, kVirtualMicName) == 0) return;
    const char* title = spa_dict_lookup(props, PW_KEY_NODE_DESCRIPTION);
    static_cast<Listing*>(data)->sources.push_back({name, title != nullptr ? title : name});
}

void on_listing_done(void* data, uint32_t, int seq) {
    auto* listing = static_cast<Listing*>(data);
    if (seq != listing->expected) return;
    listing->done = true;
    pw_thread_loop_signal(listing->loop, false);
}

/// Samples on their way from the capture to the virtual microphone. Both run in one cycle of the daemon,
/// capture first; normally it holds exactly one block.
class HandOver {
  public:
    void prepare(int channels) {
        ring_ = std::make_unique<HistoryRing>(channels, 32768);
        read_ = 0;
    }
    void write(const AudioBlock& block) { ring_->write(block); }
    /// Fills `out`; false when there was not enough and silence took its place.
    bool read(const AudioBlock& out) {
        const std::int64_t available = ring_->written() - read_;
        // Blocks too many, from cycles in which nobody listened or a cycle the daemon lost: far too many are
        // skipped at once, a lasting rest (it would be delay for the whole evening) after a while.
        late_ = available > out.frames ? late_ + 1 : 0;
        if (available > 8 * out.frames || late_ > 200) {
            read_ = ring_->written() - std::min<std::int64_t>(available, out.frames);
            late_ = 0;
        }
        float* rows[kMaxChannels] = {out.rows[0], out.rows[1]};
        if (ring_->read(read_, out.frames, rows)) {
            read_ += out.frames;
            return true;
        }
        for (int c = 0; c < out.channels; ++c) std::fill_n(out[c], out.frames, 0.0f);
        return false;
    }

  private:
    std::unique_ptr<HistoryRing> ring_;
    std::int64_t read_ = 0;
    int late_ = 0;
};

}  // namespace

struct PipeWireDevice::State {
    PipeWireOptions options;
    Connection connection;
    pw_stream* capture = nullptr;
    pw_stream* playback = nullptr;
    spa_hook capture_hook{}, playback_hook{}, core_hook{};
    AudioCallback* callback = nullptr;
    HandOver hand_over;
    AudioBuffer work{2, 8192};
    std::atomic<bool> running{false}, lost{false}, fed{false};
    std::atomic<std::uint64_t> dropouts{0};
    std::string reason;  // under the loop's lock

    pw_properties* shared_properties() const;
    Result<void> connect_stream(pw_stream* stream, pw_direction direction, uint32_t flags);
    void capture_block();
    void play_block();
    void end_streams();
};

namespace {

AudioBlock planes(const pw_buffer* buffer, int channels, int frames) {
    AudioBlock out;
    out.channels = std::min<int>(channels, static_cast<int>(buffer->buffer->n_datas));
    out.frames = frames;
    for (int c = 0; c < out.channels; ++c) {
        out.rows[static_cast<size_t>(c)] = static_cast<float*>(buffer->buffer->datas[c].data);
    }
    return out;
}

}  // namespace

void PipeWireDevice::State::capture_block() {
    pw_buffer* buffer = pw_stream_dequeue_buffer(capture);
    if (buffer == nullptr) {
        dropouts.fetch_add(1, std::memory_order_relaxed);
        return;
    }
    const spa_data& first = buffer->buffer->datas[0];
    if (first.data != nullptr && first.chunk != nullptr) {
        const uint32_t offset = std::min(first.chunk->offset, first.maxsize) / sizeof(float);
        const size_t valid = std::min<size_t>(first.chunk->size, first.maxsize - offset * sizeof(float));
        const int frames = static_cast<int>(std::min<size_t>(valid / sizeof(float), 8192));
        const AudioBlock in = planes(buffer, options.channels, frames);
        const AudioBlock block = work.block(0, frames);
        AudioBlock view = block;
        view.channels = options.channels;
        for (int c = 0; c < view.channels; ++c) {
            const float* from = in[std::min(c, in.channels - 1)];
            if (from != nullptr) std::copy_n(from + offset, frames, view[c]);
        }
        callback->process(view);
        hand_over.write(view);
        fed.store(true, std::memory_order_relaxed);
    }
    pw_stream_queue_buffer(capture, buffer);
    // Not linked to anyone: there is nothing to trigger, and that is no error.
    (void)pw_stream_trigger_process(playback);
}

void PipeWireDevice::State::play_block() {
    pw_buffer* buffer = pw_stream_dequeue_buffer(playback);
    if (buffer == nullptr) return;
    const uint32_t room = buffer->buffer->datas[0].maxsize / sizeof(float);
    uint32_t frames = buffer->requested > 0 ? static_cast<uint32_t>(buffer->requested) : 1024;
    frames = std::min(frames, room);
    const AudioBlock out = planes(buffer, options.channels, static_cast<int>(frames));
    const bool whole = hand_over.read(out);
    if (!whole && fed.load(std::memory_order_relaxed)) dropouts.fetch_add(1, std::memory_order_relaxed);
    for (uint32_t c = 0; c < buffer->buffer->n_datas; ++c) {
        spa_chunk* chunk = buffer->buffer->datas[c].chunk;
        chunk->offset = 0;
        chunk->stride = sizeof(float);
        chunk->size = frames * static_cast<uint32_t>(sizeof(float));
    }
    pw_stream_queue_buffer(playback, buffer);
}

pw_properties* PipeWireDevice::State::shared_properties() const {
    // One group: the daemon runs both streams in the same cycle.
    const std::string group = "dusky-reed-" + std::to_string(::getpid());
    pw_properties* p = pw_properties_new(PW_KEY_NODE_GROUP, group.c_str(), PW_KEY_NODE_LINK_GROUP,
                                         group.c_str(), PW_KEY_MEDIA_TYPE, "Audio", nullptr);
    pw_properties_setf(p, PW_KEY_NODE_LATENCY, "%d/%d", options.block, static_cast<int>(options.sample_rate));
    return p;
}

Result<void> PipeWireDevice::State::connect_stream(pw_stream* stream, pw_direction direction,
                                                   uint32_t flags) {
    uint8_t space[1024];
    spa_pod_builder builder{};
    builder.data = space;
    builder.size = sizeof space;
    spa_audio_info_raw info{};
    info.format = SPA_AUDIO_FORMAT_F32P;
    info.rate = static_cast<uint32_t>(options.sample_rate);
    info.channels = static_cast<uint32_t>(options.channels);
    info.position[0] = options.channels == 1 ? SPA_AUDIO_CHANNEL_MONO : SPA_AUDIO_CHANNEL_FL;
    info.position[1] = SPA_AUDIO_CHANNEL_FR;
    const spa_pod* params[] = {spa_format_audio_raw_build(&builder, SPA_PARAM_EnumFormat, &info)};
    const int code =
        pw_stream_connect(stream, direction, PW_ID_ANY, static_cast<pw_stream_flags>(flags), params, 1);
    if (code >= 0) return {};
    return Error{std::string("a stream can't be connected (") + spa_strerror(code) + ").", "PipeWire",
                 "Check that its session manager (wireplumber) is running."};
}

void PipeWireDevice::State::end_streams() {
    if (connection.loop == nullptr) return;
    pw_thread_loop_lock(connection.loop);
    if (capture != nullptr) pw_stream_destroy(capture);
    if (playback != nullptr) pw_stream_destroy(playback);
    capture = playback = nullptr;
    running = false;
    pw_thread_loop_unlock(connection.loop);
}

PipeWireDevice::PipeWireDevice() : state_(std::make_unique<State>()) {}

PipeWireDevice::~PipeWireDevice() {
    stop();
}

Result<std::vector<PipeWireSource>> list_pipewire_sources() {
    Connection connection;
    if (!connection.open("dusky-reed-list")) return no_daemon();
    Listing listing;
    listing.loop = connection.loop;
    pw_thread_loop_lock(connection.loop);
    pw_core_events core_events{};
    core_events.version = PW_VERSION_CORE_EVENTS;
    core_events.done = on_listing_done;
    pw_registry_events registry_events{};
    registry_events.version = PW_VERSION_REGISTRY_EVENTS;
    registry_events.global = on_global;
    spa_hook core_hook{};
    spa_hook registry_hook{};
    pw_core_add_listener(connection.core, &core_hook, &core_events, &listing);
    pw_registry* registry = pw_core_get_registry(connection.core, PW_VERSION_REGISTRY, 0);
    pw_registry_add_listener(registry, &registry_hook, &registry_events, &listing);
    listing.expected = pw_core_sync(connection.core, PW_ID_CORE, 0);
    timespec until{};
    pw_thread_loop_get_time(connection.loop, &until, SPA_NSEC_PER_SEC);
    while (!listing.done && pw_thread_loop_timed_wait_full(connection.loop, &until) == 0) {
    }
    spa_hook_remove(&registry_hook);
    spa_hook_remove(&core_hook);
    pw_proxy_destroy(static_cast<pw_proxy*>(static_cast<void*>(registry)));
    pw_thread_loop_unlock(connection.loop);
    if (!listing.done) {
        return Error{"PipeWire does not answer.", "PipeWire",
                     "Restart it (systemctl --user restart pipewire)."};
    }
    return listing.sources;
}

Result<std::unique_ptr<PipeWireDevice>> PipeWireDevice::create(const PipeWireOptions& options) {
    const auto sources = list_pipewire_sources();
    if (!sources.ok()) return sources.error();
    bool found = options.source.empty();
    for (const auto& s : sources.value()) found = found || s.name == options.source;
    if (!found) {
        return Error{"this microphone is not there.", options.source, "Plug it in, or choose another input."};
    }
    if (sources.value().empty()) {
        return Error{"PipeWire knows no microphone.", "PipeWire",
                     "Plug one in, or go on with the simulated room."};
    }
    std::unique_ptr<PipeWireDevice> out(new PipeWireDevice);
    out->state_->options = options;
    if (!out->state_->connection.open("dusky-reed")) return no_daemon();
    return out;
}

StreamFormat PipeWireDevice::format() const {
    return {state_->options.sample_rate, state_->options.channels};
}

Result<void> PipeWireDevice::start(AudioCallback& callback) {
    stop();
    State& s = *state_;
    s.callback = &callback;
    s.hand_over.prepare(s.options.channels);
    s.dropouts = 0;
    s.lost = s.fed = false;

    static const pw_core_events core_events = [] {
        pw_core_events e{};
        e.version = PW_VERSION_CORE_EVENTS;
        e.error = [](void* data, uint32_t id, int, int code, const char*) {
            if (id == PW_ID_CORE && code == -EPIPE) static_cast<State*>(data)->lost = true;
        };
        return e;
    }();
    static const pw_stream_events capture_events = [] {
        pw_stream_events e{};
        e.version = PW_VERSION_STREAM_EVENTS;
        e.process = [](void* data) { static_cast<State*>(data)->capture_block(); };
        e.state_changed = [](void* data, pw_stream_state, pw_stream_state now, const char* error) {
            auto* state = static_cast<State*>(data);
            if (now == PW_STREAM_STATE_ERROR) {
                state->reason = error != nullptr ? error : "unknown reason";
                state->lost = true;
            }
        };
        return e;
    }();
    static const pw_stream_events playback_events = [] {
        pw_stream_events e{};
        e.version = PW_VERSION_STREAM_EVENTS;
        e.process = [](void* data) { static_cast<State*>(data)->play_block(); };
        return e;
    }();

    pw_thread_loop_lock(s.connection.loop);
    pw_core_add_listener(s.connection.core, &s.core_hook, &core_events, &s);
    pw_properties* in = s.shared_properties();
    pw_properties_set(in, PW_KEY_NODE_NAME, "dusky-reed-input");
    pw_properties_set(in, PW_KEY_NODE_DESCRIPTION, "Dusky Reed input");
    pw_properties_set(in, PW_KEY_MEDIA_CATEGORY, "Capture");
    if (!s.options.source.empty()) pw_properties_set(in, PW_KEY_TARGET_OBJECT, s.options.source.c_str());
    pw_properties* out = s.shared_properties();
    pw_properties_set(out, PW_KEY_NODE_NAME, kVirtualMicName);
    pw_properties_set(out, PW_KEY_NODE_DESCRIPTION, kVirtualMicTitle);
    pw_properties_set(out, PW_KEY_MEDIA_CLASS, "Audio/Source");
    pw_properties_set(out, PW_KEY_NODE_VIRTUAL, "true");
    s.capture = pw_stream_new(s.connection.core, "Dusky Reed input", in);
    s.playback = pw_stream_new(s.connection.core, kVirtualMicTitle, out);
    pw_stream_add_listener(s.capture, &s.capture_hook, &capture_events, &s);
    pw_stream_add_listener(s.playback, &s.playback_hook, &playback_events, &s);
    constexpr uint32_t kFlags =
        PW_STREAM_FLAG_AUTOCONNECT | PW_STREAM_FLAG_MAP_BUFFERS | PW_STREAM_FLAG_RT_PROCESS;
    auto connected = s.connect_stream(s.capture, PW_DIRECTION_INPUT, kFlags);
    if (connected.ok()) {
        connected = s.connect_stream(s.playback, PW_DIRECTION_OUTPUT, kFlags | PW_STREAM_FLAG_TRIGGER);
    }
    s.running = connected.ok();
    pw_thread_loop_unlock(s.connection.loop);
    if (!connected.ok()) s.end_streams();
    return connected;
}

void PipeWireDevice::stop() {
    State& s = *state_;
    if (s.capture == nullptr && s.playback == nullptr) return;
    s.end_streams();
    pw_thread_loop_lock(s.connection.loop);
    spa_hook_remove(&s.core_hook);
    pw_thread_loop_unlock(s.connection.loop);
}

DeviceStatus PipeWireDevice::status() const {
    DeviceStatus out;
    out.running = state_->running && !state_->lost;
    out.dropouts = state_->dropouts.load(std::memory_order_relaxed);
    if (state_->lost) {
        out.problem = "PipeWire: the connection was lost. Choose the input again once it is back.";
    }
    return out;
}

}  // namespace reed
