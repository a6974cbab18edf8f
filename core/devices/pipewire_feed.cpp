#include "devices/pipewire_feed.h"

#include <algorithm>

namespace reed {
namespace {

/// From on_takeover to the first sound: a mute that it sets has faded out by then.
constexpr auto kTakeoverDelay = std::chrono::milliseconds(100);

}  // namespace

void PipeWireFeed::attach(PipeWireConnection& connection, const VirtualMicrophone::Wish& wish,
                          const PipeWireStreamOptions& options) {
    connection_ = &connection;
    options_ = options;
    name_ = wish.feed;
    microphone_.attach(connection, wish);
}

void PipeWireFeed::detach() {
    end();
    microphone_.detach();
    connection_ = nullptr;
}

void PipeWireFeed::take(const AudioBlock& block, bool converted) noexcept {
    hand_over_.set_converted(converted);
    hand_over_.write(block);
    fed_.store(true, std::memory_order_relaxed);
}

void PipeWireFeed::push() noexcept {
    // Before it is linked a stream has nowhere to write to, and must not be triggered.
    if (streaming_.load(std::memory_order_acquire)) (void)pw_stream_trigger_process(stream_);
}

void PipeWireFeed::block() {
    pw_buffer* buffer = pw_stream_dequeue_buffer(stream_);
    if (buffer == nullptr) return;
    const uint32_t room = buffer->buffer->datas[0].maxsize / sizeof(float);
    uint32_t frames = buffer->requested > 0 ? static_cast<uint32_t>(buffer->requested) : 1024;
    frames = std::min(frames, room);
    const AudioBlock out = planes_of(buffer, options_.channels, static_cast<int>(frames));
    const bool whole = hand_over_.read(out);
    if (!whole && fed_.load(std::memory_order_relaxed)) dropouts_.fetch_add(1, std::memory_order_relaxed);
    set_filled(buffer, frames);
    pw_stream_queue_buffer(stream_, buffer);
    delay_.store(time_of(stream_).delay_ms, std::memory_order_relaxed);
}

Result<void> PipeWireFeed::start() {
    static const pw_stream_events events = [] {
        pw_stream_events e{};
        e.version = PW_VERSION_STREAM_EVENTS;
        e.process = [](void* data) { static_cast<PipeWireFeed*>(data)->block(); };
        e.state_changed = [](void* data, pw_stream_state, pw_stream_state now, const char*) {
            auto* feed = static_cast<PipeWireFeed*>(data);
            feed->streaming_.store(now == PW_STREAM_STATE_STREAMING, std::memory_order_release);
            if (now == PW_STREAM_STATE_ERROR || now == PW_STREAM_STATE_UNCONNECTED) feed->broken_ = true;
        };
        return e;
    }();
    end();
    const PipeWireConnection::Lock lock(*connection_);
    pw_properties* out = stream_properties(options_);
    pw_properties_set(out, PW_KEY_NODE_NAME, name_.c_str());
    pw_properties_set(out, PW_KEY_NODE_DESCRIPTION, "Dusky Reed output");
    pw_properties_set(out, PW_KEY_OBJECT_PATH, feed_path().c_str());
    // Not among the streams whose volume the desktop shows and restores: what goes into the microphone is set
    // here.
    pw_properties_set(out, PW_KEY_MEDIA_CLASS, "Stream/Output/Audio/Internal");
    pw_properties_set(out, "state.restore-props", "false");
    pw_properties_set(out, "state.restore-target", "false");
    broken_ = false;
    stream_ = pw_stream_new(connection_->core(), "Dusky Reed output", out);
    if (stream_ == nullptr) return stream_refused();
    pw_stream_add_listener(stream_, &hook_, &events, this);
    constexpr uint32_t kFlags =
        PW_STREAM_FLAG_MAP_BUFFERS | PW_STREAM_FLAG_RT_PROCESS | PW_STREAM_FLAG_TRIGGER;
    return connect_audio(stream_, PW_DIRECTION_OUTPUT, kFlags, options_.sample_rate, options_.channels);
}

void PipeWireFeed::end() {
    if (stream_ == nullptr) return;
    const PipeWireConnection::Lock lock(*connection_);
    streaming_ = false;
    pw_stream_destroy(stream_);
    stream_ = nullptr;
    fed_ = false;
    delay_ = 0.0;
}

VirtualMicrophone::Standing PipeWireFeed::tend(const std::function<void()>& on_takeover) {
    uint32_t node = PW_ID_ANY;
    if (stream_ != nullptr) {
        const PipeWireConnection::Lock lock(*connection_);
        node = pw_stream_get_node_id(stream_);
    }
    const auto standing = microphone_.tend(node);
    if (standing != VirtualMicrophone::Standing::vacant) {
        vacant_since_.reset();
        return standing;
    }
    const auto now = std::chrono::steady_clock::now();
    if (!vacant_since_) {
        vacant_since_ = now;
        if (on_takeover) on_takeover();
    } else if (now - *vacant_since_ > kTakeoverDelay) {
        vacant_since_.reset();
        microphone_.take_over();
    }
    return VirtualMicrophone::Standing::coming;
}

}  // namespace reed
