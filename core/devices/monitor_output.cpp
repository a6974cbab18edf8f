#include "devices/monitor_output.h"

#include <unistd.h>

#include <algorithm>

#include "devices/pipewire_connection.h"
#include "devices/virtual_microphone.h"

namespace reed {

struct MonitorOutput::State {
    MonitorOptions options;
    RingReader sound;
    PipeWireConnection connection;
    pw_stream* stream = nullptr;
    spa_hook hook{};
    bool flowing = false;
    std::atomic<bool> broken{false};

    void play();
};

void MonitorOutput::State::play() {
    pw_buffer* buffer = pw_stream_dequeue_buffer(stream);
    if (buffer == nullptr) return;
    const uint32_t room = buffer->buffer->datas[0].maxsize / sizeof(float);
    const uint32_t wished = buffer->requested > 0 ? static_cast<uint32_t>(buffer->requested) : 1024;
    const int frames = static_cast<int>(std::min(wished, room));
    AudioBlock out;
    out.frames = frames;
    out.channels = std::min<int>(sound.channels(), static_cast<int>(buffer->buffer->n_datas));
    for (int c = 0; c < out.channels; ++c)
        out.rows[static_cast<size_t>(c)] = static_cast<float*>(buffer->buffer->datas[c].data);
    const std::int64_t available = sound.waiting();
    // Two blocks to begin with, against jitter; far behind, it leaps.
    if (!flowing && available >= 2 * frames) flowing = true;
    if (available > 4 * frames) sound.skip_to_newest(2 * frames);
    flowing = flowing && sound.read(out) == RingReader::Got::sound;
    if (!flowing) {
        for (int c = 0; c < out.channels; ++c) std::fill_n(out[c], frames, 0.0f);
    }
    set_filled(buffer, static_cast<uint32_t>(frames));
    pw_stream_queue_buffer(stream, buffer);
}

MonitorOutput::MonitorOutput() : state_(std::make_unique<State>()) {}

Result<std::unique_ptr<MonitorOutput>> MonitorOutput::create(std::shared_ptr<const HistoryRing> sound,
                                                             const MonitorOptions& options) {
    std::unique_ptr<MonitorOutput> out(new MonitorOutput);
    State& s = *out->state_;
    s.options = options;
    s.sound = RingReader(std::move(sound));
    if (!s.connection.open("dusky-reed-monitor", PipeWireConnection::Use::sound)) return no_pipewire();
    static const pw_stream_events events = [] {
        pw_stream_events e{};
        e.version = PW_VERSION_STREAM_EVENTS;
        e.process = [](void* data) { static_cast<State*>(data)->play(); };
        e.state_changed = [](void* data, pw_stream_state, pw_stream_state now, const char*) {
            if (now == PW_STREAM_STATE_ERROR || now == PW_STREAM_STATE_UNCONNECTED)
                static_cast<State*>(data)->broken = true;
        };
        return e;
    }();
    const PipeWireConnection::Lock lock(s.connection);
    // In the group of the other streams: driven by the same clock.
    const std::string group = "dusky-reed-" + std::to_string(::getpid());
    pw_properties* p = pw_properties_new(PW_KEY_NODE_NAME, "dusky-reed-monitor", PW_KEY_NODE_DESCRIPTION,
                                         "Dusky Reed headphones", PW_KEY_MEDIA_TYPE, "Audio",
                                         PW_KEY_MEDIA_CATEGORY, "Playback", PW_KEY_NODE_GROUP, group.c_str(),
                                         PW_KEY_NODE_LINK_GROUP, kPlaybackLinkGroup, nullptr);
    pw_properties_setf(p, PW_KEY_NODE_LATENCY, "%d/%d", options.block, static_cast<int>(options.sample_rate));
    if (!options.sink.empty()) {
        pw_properties_set(p, PW_KEY_TARGET_OBJECT, options.sink.c_str());
        // Headphones that are pulled out must not be replaced by loudspeakers.
        pw_properties_set(p, PW_KEY_NODE_DONT_RECONNECT, "true");
    }
    s.stream = pw_stream_new(s.connection.core(), "Dusky Reed headphones", p);
    if (s.stream == nullptr) return no_pipewire();
    pw_stream_add_listener(s.stream, &s.hook, &events, &s);
    constexpr uint32_t kFlags =
        PW_STREAM_FLAG_AUTOCONNECT | PW_STREAM_FLAG_MAP_BUFFERS | PW_STREAM_FLAG_RT_PROCESS;
    const auto connected =
        connect_audio(s.stream, PW_DIRECTION_OUTPUT, kFlags, options.sample_rate, s.sound.channels());
    if (!connected.ok()) {
        pw_stream_destroy(s.stream);
        s.stream = nullptr;
        return connected.error();
    }
    return out;
}

MonitorOutput::~MonitorOutput() {
    State& s = *state_;
    if (s.stream != nullptr) {
        const PipeWireConnection::Lock lock(s.connection);
        pw_stream_destroy(s.stream);
    }
    s.connection.close();
}

bool MonitorOutput::lost() const {
    return state_->broken || state_->connection.lost();
}

}  // namespace reed
