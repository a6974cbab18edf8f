#include "devices/microphone_scanner.h"

#include <algorithm>
#include <cmath>

#include "base/decibel.h"
#include "devices/pipewire_connection.h"

namespace reed {
namespace {

constexpr double kRate = 48000.0;
constexpr size_t kMost = 16;  // of microphones that are opened at once

/// A stream on one microphone. Made and ended under the loop's lock.
class Ear {
  public:
    Ear(pw_core* core, const std::string& microphone) {
        pw_properties* p = pw_properties_new(
            PW_KEY_NODE_NAME, "dusky-reed-ear", PW_KEY_NODE_DESCRIPTION, "Dusky Reed looks for a microphone",
            PW_KEY_MEDIA_TYPE, "Audio", PW_KEY_MEDIA_CATEGORY, "Capture", PW_KEY_STREAM_MONITOR, "true",
            PW_KEY_TARGET_OBJECT, microphone.c_str(), PW_KEY_NODE_DONT_RECONNECT, "true",
            "state.restore-props", "false", "state.restore-target", "false", nullptr);
        // Long blocks: it must not make the daemon hurry.
        pw_properties_setf(p, PW_KEY_NODE_LATENCY, "2048/%d", static_cast<int>(kRate));
        stream_ = pw_stream_new(core, "Dusky Reed looks for a microphone", p);
        if (stream_ == nullptr) return;
        static const pw_stream_events events = [] {
            pw_stream_events e{};
            e.version = PW_VERSION_STREAM_EVENTS;
            e.process = [](void* data) { static_cast<Ear*>(data)->hear(); };
            return e;
        }();
        pw_stream_add_listener(stream_, &hook_, &events, this);
        constexpr uint32_t kFlags =
            PW_STREAM_FLAG_AUTOCONNECT | PW_STREAM_FLAG_MAP_BUFFERS | PW_STREAM_FLAG_RT_PROCESS;
        if (connect_audio(stream_, PW_DIRECTION_INPUT, kFlags, kRate, 1).ok()) return;
        pw_stream_destroy(stream_);
        stream_ = nullptr;
    }
    ~Ear() {
        if (stream_ != nullptr) pw_stream_destroy(stream_);
    }
    Ear(const Ear&) = delete;
    Ear& operator=(const Ear&) = delete;

    MicrophoneScanner::Heard look() {
        const float peak = peak_.exchange(0.0f, std::memory_order_relaxed);
        sound_ = sound_ || peak > 0.0f;
        return {peak > 0.0f ? gain_to_db(peak) : -200.0,
                static_cast<double>(frames_.load(std::memory_order_relaxed)) / kRate, sound_};
    }

  private:
    void hear() {
        pw_buffer* buffer = pw_stream_dequeue_buffer(stream_);
        if (buffer == nullptr) return;
        const spa_data& d = buffer->buffer->datas[0];
        if (d.data != nullptr && d.chunk != nullptr) {
            const uint32_t offset = std::min(d.chunk->offset, d.maxsize);
            const size_t count = std::min(d.chunk->size, d.maxsize - offset) / sizeof(float);
            const float* x = static_cast<const float*>(d.data) + offset / sizeof(float);
            float peak = 0.0f;
            for (size_t i = 0; i < count; ++i)
                if (std::isfinite(x[i])) peak = std::max(peak, std::abs(x[i]));
            float before = peak_.load(std::memory_order_relaxed);
            while (peak > before && !peak_.compare_exchange_weak(before, peak, std::memory_order_relaxed)) {
            }
            frames_.fetch_add(count, std::memory_order_relaxed);
        }
        pw_stream_queue_buffer(stream_, buffer);
    }

    pw_stream* stream_ = nullptr;
    spa_hook hook_{};
    std::atomic<float> peak_{0.0f};
    std::atomic<std::uint64_t> frames_{0};
    bool sound_ = false;
};

}  // namespace

struct MicrophoneScanner::State {
    std::shared_ptr<const PipeWireGraph> graph;
    PipeWireConnection connection;
    std::map<std::string, std::unique_ptr<Ear>> ears;

    void end() {
        if (!connection.is_open()) return;
        {
            const PipeWireConnection::Lock lock(connection);
            ears.clear();
        }
        connection.close();
    }
};

MicrophoneScanner::MicrophoneScanner(std::shared_ptr<const PipeWireGraph> graph)
    : state_(std::make_unique<State>()) {
    state_->graph = std::move(graph);
}

MicrophoneScanner::~MicrophoneScanner() {
    state_->end();
}

std::map<std::string, MicrophoneScanner::Heard> MicrophoneScanner::look() {
    State& s = *state_;
    std::map<std::string, Heard> out;
    const PipeWireSnapshot picture = s.graph->picture();
    if (s.connection.is_open() && (s.connection.lost() || !picture.connected)) s.end();
    if (!picture.connected) return out;
    if (!s.connection.is_open() && !s.connection.open("dusky-reed-ears", PipeWireConnection::Use::listening))
        return out;
    const PipeWireConnection::Lock lock(s.connection);
    std::erase_if(s.ears, [&](const auto& e) { return !picture.has_source(e.first); });
    for (const auto& m : picture.sources) {
        if (s.ears.size() < kMost && !s.ears.contains(m.name))
            s.ears[m.name] = std::make_unique<Ear>(s.connection.core(), m.name);
    }
    for (auto& [name, ear] : s.ears) out[name] = ear->look();
    return out;
}

}  // namespace reed
