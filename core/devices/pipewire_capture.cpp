#include "devices/pipewire_capture.h"

#include <unistd.h>

#include <algorithm>
#include <chrono>

#include "devices/virtual_microphone.h"

namespace reed {
namespace {

std::int64_t now_ns() {
    using Clock = std::chrono::steady_clock;
    return std::chrono::duration_cast<std::chrono::nanoseconds>(Clock::now().time_since_epoch()).count();
}

}  // namespace

pw_properties* stream_properties(const PipeWireStreamOptions& options) {
    const std::string group = "dusky-reed-" + std::to_string(::getpid());
    pw_properties* p = pw_properties_new(PW_KEY_NODE_GROUP, group.c_str(), PW_KEY_NODE_LINK_GROUP, kLinkGroup,
                                         PW_KEY_MEDIA_TYPE, "Audio", nullptr);
    pw_properties_setf(p, PW_KEY_NODE_LATENCY, "%d/%d", options.block, static_cast<int>(options.sample_rate));
    return p;
}

AudioBlock planes_of(const pw_buffer* buffer, int channels, int frames) {
    AudioBlock out;
    out.channels = std::min<int>(channels, static_cast<int>(buffer->buffer->n_datas));
    out.frames = frames;
    for (int c = 0; c < out.channels; ++c) {
        out.rows[static_cast<size_t>(c)] = static_cast<float*>(buffer->buffer->datas[c].data);
    }
    return out;
}

StreamTime time_of(pw_stream* stream) {
    pw_time t{};
    if (pw_stream_get_time_n(stream, &t, sizeof t) != 0 || t.rate.num == 0 || t.rate.denom == 0) return {};
    const double rate = static_cast<double>(t.rate.denom) / t.rate.num;
    return {std::max(0.0, 1000.0 * static_cast<double>(t.delay) / rate), rate};
}

Error stream_refused() {
    return {"PipeWire couldn't create an audio stream.", "PipeWire",
            "Restart it (systemctl --user restart pipewire)."};
}

double PipeWireCapture::silent_seconds() const {
    return 1e-9 * static_cast<double>(now_ns() - std::max(last_.load(std::memory_order_relaxed), since_));
}

void PipeWireCapture::block() {
    last_.store(now_ns(), std::memory_order_relaxed);
    pw_buffer* buffer = pw_stream_dequeue_buffer(stream_);
    if (buffer == nullptr) {
        dropouts_.fetch_add(1, std::memory_order_relaxed);
        return;
    }
    const spa_data& first = buffer->buffer->datas[0];
    if (first.data != nullptr && first.chunk != nullptr) {
        const uint32_t offset = std::min(first.chunk->offset, first.maxsize) / sizeof(float);
        const size_t valid = std::min<size_t>(first.chunk->size, first.maxsize - offset * sizeof(float));
        const int frames = static_cast<int>(std::min<size_t>(valid / sizeof(float), 8192));
        const AudioBlock in = planes_of(buffer, options_.channels, frames);
        AudioBlock view = work_.block(0, frames);
        view.channels = options_.channels;
        for (int c = 0; c < view.channels; ++c) {
            const float* from = in[std::min(c, in.channels - 1)];
            if (from != nullptr) std::copy_n(from + offset, frames, view[c]);
        }
        callback_->process(view);
        const StreamTime time = time_of(stream_);
        delay_.store(time.delay_ms, std::memory_order_relaxed);
        if (time.rate > 0.0) converted_ = time.rate != options_.sample_rate;
        if (feed_ != nullptr) feed_->take(view, converted_);
    }
    pw_stream_queue_buffer(stream_, buffer);
    if (feed_ != nullptr) feed_->push();
}

Result<void> PipeWireCapture::start(PipeWireConnection& connection, const From& from,
                                    const PipeWireStreamOptions& options, AudioCallback& callback,
                                    FeedSink* feed) {
    static const pw_stream_events events = [] {
        pw_stream_events e{};
        e.version = PW_VERSION_STREAM_EVENTS;
        e.process = [](void* data) { static_cast<PipeWireCapture*>(data)->block(); };
        e.state_changed = [](void* data, pw_stream_state, pw_stream_state now, const char*) {
            // Unconnected as well: a source that goes and returns at once leaves the stream so, without an
            // error.
            if (now == PW_STREAM_STATE_ERROR || now == PW_STREAM_STATE_UNCONNECTED)
                static_cast<PipeWireCapture*>(data)->broken_ = true;
        };
        return e;
    }();
    end();
    connection_ = &connection;
    options_ = options;
    callback_ = &callback;
    feed_ = feed;
    const PipeWireConnection::Lock lock(connection);
    pw_properties* in = stream_properties(options);
    pw_properties_set(in, PW_KEY_NODE_NAME, "dusky-reed-input");
    pw_properties_set(in, PW_KEY_NODE_DESCRIPTION, "Dusky Reed input");
    pw_properties_set(in, PW_KEY_MEDIA_CATEGORY, "Capture");
    // As it is, with no channel of the source mixed into another.
    if (!from.channel.empty()) pw_properties_set(in, PW_KEY_STREAM_DONT_REMIX, "true");
    if (from.output) pw_properties_set(in, PW_KEY_STREAM_CAPTURE_SINK, "true");
    if (!from.node.empty()) {
        pw_properties_set(in, PW_KEY_TARGET_OBJECT, from.node.c_str());
        // A microphone that was chosen is never quietly replaced by another one.
        pw_properties_set(in, PW_KEY_NODE_DONT_RECONNECT, "true");
    }
    broken_ = false;
    since_ = now_ns();
    last_ = 0;
    stream_ = pw_stream_new(connection.core(), "Dusky Reed input", in);
    if (stream_ == nullptr) return stream_refused();
    pw_stream_add_listener(stream_, &hook_, &events, this);
    constexpr uint32_t kFlags =
        PW_STREAM_FLAG_MAP_BUFFERS | PW_STREAM_FLAG_RT_PROCESS | PW_STREAM_FLAG_AUTOCONNECT;
    return connect_audio(stream_, PW_DIRECTION_INPUT, kFlags, options.sample_rate, options.channels,
                         from.channel);
}

void PipeWireCapture::end() {
    if (stream_ == nullptr) return;
    const PipeWireConnection::Lock lock(*connection_);
    pw_stream_destroy(stream_);
    stream_ = nullptr;
    delay_ = 0.0;
}

}  // namespace reed
