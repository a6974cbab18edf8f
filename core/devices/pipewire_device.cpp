#include "devices/pipewire_device.h"

#include <unistd.h>

#include <atomic>
#include <chrono>
#include <cmath>
#include <cstring>

#include "devices/hand_over.h"
#include "devices/pipewire_connection.h"
#include "devices/virtual_microphone.h"

namespace reed {
namespace {

using Clock = std::chrono::steady_clock;

constexpr double kStallSeconds = 2.0;

std::int64_t now_ns() {
    return std::chrono::duration_cast<std::chrono::nanoseconds>(Clock::now().time_since_epoch()).count();
}

double seconds_since(std::int64_t ns) {
    return 1e-9 * static_cast<double>(now_ns() - ns);
}

}  // namespace

struct PipeWireDevice::State {
    PipeWireOptions options;
    PipeWireConnection connection;
    pw_stream* capture = nullptr;
    pw_stream* playback = nullptr;
    VirtualMicrophone microphone;
    spa_hook capture_hook{}, playback_hook{};
    AudioCallback* callback = nullptr;
    HandOver hand_over;
    AudioBuffer work{2, 8192};
    bool started = false;
    std::string problem;  // control thread
    bool waiting = false;
    std::int64_t capture_since = 0;
    Clock::time_point last_try{};

    // Between threads.
    std::atomic<bool> capture_broken{false}, playback_broken{false}, fed{false};
    std::atomic<std::uint64_t> dropouts{0};
    std::atomic<std::int64_t> last_capture{0};
    std::atomic<double> capture_delay{0.0}, play_delay{0.0};

    pw_properties* shared_properties() const;
    void capture_block();
    void play_block();
    Result<void> start_capture();
    Result<void> start_playback();
    Result<void> start_streams();
    void end_streams();
    VirtualMicrophone::Standing tend_microphone();
    void end_all();
    void wait_for(const std::string& what);
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

/// What the daemon tells of a stream's time.
struct StreamTime {
    double delay_ms = 0.0;
    double rate = 0.0;  ///< of the daemon's clock, in Hz; 0 when it is not known
};

StreamTime time_of(pw_stream* stream) {
    pw_time t{};
    if (pw_stream_get_time_n(stream, &t, sizeof t) != 0 || t.rate.num == 0 || t.rate.denom == 0) return {};
    const double rate = static_cast<double>(t.rate.denom) / t.rate.num;
    return {std::max(0.0, 1000.0 * static_cast<double>(t.delay) / rate), rate};
}

}  // namespace

void PipeWireDevice::State::capture_block() {
    last_capture.store(now_ns(), std::memory_order_relaxed);
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
        AudioBlock view = work.block(0, frames);
        view.channels = options.channels;
        for (int c = 0; c < view.channels; ++c) {
            const float* from = in[std::min(c, in.channels - 1)];
            if (from != nullptr) std::copy_n(from + offset, frames, view[c]);
        }
        callback->process(view);
        const StreamTime time = time_of(capture);
        capture_delay.store(time.delay_ms, std::memory_order_relaxed);
        if (time.rate > 0.0) hand_over.set_converted(time.rate != options.sample_rate);
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
    set_filled(buffer, frames);
    pw_stream_queue_buffer(playback, buffer);
    play_delay.store(time_of(playback).delay_ms, std::memory_order_relaxed);
}

pw_properties* PipeWireDevice::State::shared_properties() const {
    // One group: the daemon runs both streams in the same cycle.
    const std::string group = "dusky-reed-" + std::to_string(::getpid());
    pw_properties* p = pw_properties_new(PW_KEY_NODE_GROUP, group.c_str(), PW_KEY_NODE_LINK_GROUP, kLinkGroup,
                                         PW_KEY_MEDIA_TYPE, "Audio", nullptr);
    pw_properties_setf(p, PW_KEY_NODE_LATENCY, "%d/%d", options.block, static_cast<int>(options.sample_rate));
    return p;
}

namespace {
constexpr uint32_t kStreamFlags = PW_STREAM_FLAG_MAP_BUFFERS | PW_STREAM_FLAG_RT_PROCESS;

Error stream_refused() {
    return {"a stream can't be made.", "PipeWire", "Restart it (systemctl --user restart pipewire)."};
}
}  // namespace

Result<void> PipeWireDevice::State::start_playback() {
    static const pw_stream_events events = [] {
        pw_stream_events e{};
        e.version = PW_VERSION_STREAM_EVENTS;
        e.process = [](void* data) { static_cast<State*>(data)->play_block(); };
        e.state_changed = [](void* data, pw_stream_state, pw_stream_state now, const char*) {
            if (now == PW_STREAM_STATE_ERROR || now == PW_STREAM_STATE_UNCONNECTED)
                static_cast<State*>(data)->playback_broken = true;
        };
        return e;
    }();
    const PipeWireConnection::Lock lock(connection);
    pw_properties* out = shared_properties();
    pw_properties_set(out, PW_KEY_NODE_NAME, kFeedName);
    pw_properties_set(out, PW_KEY_NODE_DESCRIPTION, "Dusky Reed feed");
    // Not among the streams whose volume the desktop shows and restores: what goes into the microphone is set
    // here.
    pw_properties_set(out, PW_KEY_MEDIA_CLASS, "Stream/Output/Audio/Internal");
    pw_properties_set(out, "state.restore-props", "false");
    pw_properties_set(out, "state.restore-target", "false");
    playback_broken = false;
    playback = pw_stream_new(connection.core(), "Dusky Reed feed", out);
    if (playback == nullptr) return stream_refused();
    pw_stream_add_listener(playback, &playback_hook, &events, this);
    return connect_audio(playback, PW_DIRECTION_OUTPUT, kStreamFlags | PW_STREAM_FLAG_TRIGGER,
                         options.sample_rate, options.channels);
}

Result<void> PipeWireDevice::State::start_capture() {
    static const pw_stream_events events = [] {
        pw_stream_events e{};
        e.version = PW_VERSION_STREAM_EVENTS;
        e.process = [](void* data) { static_cast<State*>(data)->capture_block(); };
        e.state_changed = [](void* data, pw_stream_state, pw_stream_state now, const char*) {
            // Unconnected as well: a source that goes and returns at once leaves the stream so, without an
            // error.
            if (now == PW_STREAM_STATE_ERROR || now == PW_STREAM_STATE_UNCONNECTED)
                static_cast<State*>(data)->capture_broken = true;
        };
        return e;
    }();
    const PipeWireConnection::Lock lock(connection);
    pw_properties* in = shared_properties();
    pw_properties_set(in, PW_KEY_NODE_NAME, "dusky-reed-input");
    pw_properties_set(in, PW_KEY_NODE_DESCRIPTION, "Dusky Reed input");
    pw_properties_set(in, PW_KEY_MEDIA_CATEGORY, "Capture");
    if (!options.source.empty()) {
        pw_properties_set(in, PW_KEY_TARGET_OBJECT, options.source.c_str());
        // A microphone that was chosen is never quietly replaced by another one.
        pw_properties_set(in, PW_KEY_NODE_DONT_RECONNECT, "true");
    }
    capture_broken = false;
    capture_since = now_ns();
    last_capture = 0;
    capture = pw_stream_new(connection.core(), "Dusky Reed input", in);
    if (capture == nullptr) return stream_refused();
    pw_stream_add_listener(capture, &capture_hook, &events, this);
    return connect_audio(capture, PW_DIRECTION_INPUT, kStreamFlags | PW_STREAM_FLAG_AUTOCONNECT,
                         options.sample_rate, options.channels);
}

/// Both or none: a feed without a capture would hold up the programs that listen to it.
Result<void> PipeWireDevice::State::start_streams() {
    if (auto feed = start_playback(); !feed.ok()) return feed;
    return start_capture();
}

void PipeWireDevice::State::end_streams() {
    if (capture == nullptr && playback == nullptr) return;
    const PipeWireConnection::Lock lock(connection);
    if (capture != nullptr) pw_stream_destroy(capture);
    if (playback != nullptr) pw_stream_destroy(playback);
    capture = playback = nullptr;
    fed = false;
    capture_delay = play_delay = 0.0;
}

void PipeWireDevice::State::end_all() {
    end_streams();
    microphone.detach();
    connection.close();
}

VirtualMicrophone::Standing PipeWireDevice::State::tend_microphone() {
    uint32_t feed = PW_ID_ANY;
    if (playback != nullptr) {
        const PipeWireConnection::Lock lock(connection);
        feed = pw_stream_get_node_id(playback);
    }
    return microphone.tend(feed);
}

void PipeWireDevice::State::wait_for(const std::string& what) {
    problem = what;
    waiting = true;
}

PipeWireDevice::PipeWireDevice() : state_(std::make_unique<State>()) {}

PipeWireDevice::~PipeWireDevice() {
    stop();
}

Result<std::unique_ptr<PipeWireDevice>> PipeWireDevice::create(const PipeWireOptions& options) {
    std::unique_ptr<PipeWireDevice> out(new PipeWireDevice);
    State& s = *out->state_;
    s.options = options;
    if (!s.options.graph) s.options.graph = std::make_shared<PipeWireGraph>();
    const bool there = s.options.graph->settle();
    if (options.wait_for_source) return out;
    if (!there) return no_pipewire();
    const PipeWirePicture picture = s.options.graph->picture();
    if (!options.source.empty() && !picture.has_source(options.source))
        return Error{"this microphone is not there.", options.source, "Plug it in, or choose another input."};
    if (picture.sources.empty()) {
        return Error{"PipeWire knows no microphone.", "PipeWire",
                     "Plug one in, or go on with the simulated room."};
    }
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
    s.fed = false;
    s.problem.clear();
    s.waiting = false;
    if (!s.connection.open("dusky-reed", PipeWireConnection::Use::sound)) {
        if (!s.options.wait_for_source) return no_pipewire();
        s.started = true;
        tend();
        return {};
    }
    s.microphone.attach(s.connection, {s.options.mic_title, s.options.channels});
    const PipeWirePicture picture = s.options.graph->picture();
    const bool there =
        s.options.source.empty() ? !picture.sources.empty() : picture.has_source(s.options.source);
    if (there) {
        if (auto connected = s.start_streams(); !connected.ok()) {
            s.end_all();
            return connected;
        }
    }
    s.started = true;
    tend();
    return {};
}

void PipeWireDevice::tend() {
    State& s = *state_;
    if (!s.started) return;
    s.options.graph->tend();
    if (s.connection.is_open() && s.connection.lost()) s.end_all();
    if (!s.connection.is_open()) {
        s.wait_for("PipeWire is not running, so nothing goes out. It goes on by itself as soon as it runs.");
        if (Clock::now() - s.last_try < std::chrono::milliseconds(500)) return;
        s.last_try = Clock::now();
        if (!s.options.graph->picture().connected ||
            !s.connection.open("dusky-reed", PipeWireConnection::Use::sound))
            return;
        s.microphone.attach(s.connection, {s.options.mic_title, s.options.channels});
    }
    const auto standing = s.tend_microphone();
    const PipeWirePicture picture = s.options.graph->picture();
    const bool any = s.options.source.empty();
    const bool there = any ? !picture.sources.empty() : picture.has_source(s.options.source);
    if (!there || s.capture_broken || s.playback_broken) s.end_streams();
    if (!there) {
        s.wait_for(
            any ? "There is no microphone, so the feed is silent. Plug one in; it goes on by itself."
                : "The microphone is gone, so the feed is silent. It goes on by itself when it returns.");
        return;
    }
    if (s.capture == nullptr) {
        if (Clock::now() - s.last_try < std::chrono::milliseconds(300)) return;
        s.last_try = Clock::now();
        if (const auto again = s.start_streams(); !again.ok()) {
            s.end_streams();
            s.wait_for(again.error().text());
            return;
        }
    }
    // A source that is there but sends nothing.
    const std::int64_t last = std::max(s.last_capture.load(), s.capture_since);
    if (seconds_since(last) > kStallSeconds) {
        s.wait_for("The microphone sends nothing. Check its switch and its cable, or choose another input.");
        // Perhaps the stream hangs where nobody told: it is made anew, every two seconds until sound comes.
        s.end_streams();
        s.last_try = Clock::now();
    } else if (standing == VirtualMicrophone::Standing::occupied) {
        s.wait_for(
            "Another Dusky Reed speaks into the virtual microphone. End it; this one goes on by itself.");
    } else if (s.last_capture.load() > 0) {
        s.problem.clear();
        s.waiting = false;
    }
}

void PipeWireDevice::stop() {
    State& s = *state_;
    s.started = false;
    s.end_all();
}

DeviceStatus PipeWireDevice::status() const {
    const State& s = *state_;
    DeviceStatus out;
    out.running = s.started && s.problem.empty() && s.connection.is_open() && !s.connection.lost();
    out.dropouts = s.dropouts.load(std::memory_order_relaxed);
    out.problem = s.problem;
    out.waiting = s.waiting;
    out.feed_used = s.started && s.options.graph->picture().feed_used;
    out.delay_ms = s.capture_delay.load() + s.play_delay.load();
    return out;
}

}  // namespace reed
