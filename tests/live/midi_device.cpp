#include "live/midi_device.h"

#include <spa/control/control.h>
#include <spa/pod/builder.h>
#include <spa/pod/iter.h>

#include <algorithm>
#include <chrono>

namespace reed::test {
namespace {
constexpr size_t kPerCycle = 16;
}

MidiDevice::MidiDevice(const std::string& alias, bool lamps) {
    static const pw_filter_events events = [] {
        pw_filter_events e{};
        e.version = PW_VERSION_FILTER_EVENTS;
        e.process = [](void* data, spa_io_position* position) {
            static_cast<MidiDevice*>(data)->process(*position);
        };
        return e;
    }();
    client_.locked([&] {
        filter_ = pw_filter_new(client_.core(), alias.c_str(),
                                pw_properties_new(PW_KEY_NODE_NAME, "midi-device", PW_KEY_MEDIA_TYPE, "Midi",
                                                  PW_KEY_NODE_WANT_DRIVER, "true", nullptr));
        pw_filter_add_listener(filter_, &hook_, &events, this);
        const auto port = [&](pw_direction direction, const char* name) {
            return pw_filter_add_port(filter_, direction, PW_FILTER_PORT_FLAG_MAP_BUFFERS, sizeof(void*),
                                      pw_properties_new(PW_KEY_FORMAT_DSP, "8 bit raw midi", PW_KEY_PORT_NAME,
                                                        name, PW_KEY_PORT_ALIAS, alias.c_str(), nullptr),
                                      nullptr, 0);
        };
        out_ = port(PW_DIRECTION_OUTPUT, "capture");
        if (lamps) in_ = port(PW_DIRECTION_INPUT, "playback");
        pw_filter_connect(filter_, PW_FILTER_FLAG_RT_PROCESS, nullptr, 0);
    });
}

MidiDevice::~MidiDevice() {
    client_.locked([this] { pw_filter_destroy(filter_); });
}

void MidiDevice::send(const std::vector<std::vector<std::uint8_t>>& pieces) {
    const std::lock_guard lock(mutex_);
    to_send_.insert(to_send_.end(), pieces.begin(), pieces.end());
}

std::vector<std::uint8_t> MidiDevice::take() {
    const std::lock_guard lock(mutex_);
    return std::exchange(received_, {});
}

void MidiDevice::sweep(std::uint8_t number, int messages_per_second) {
    const std::lock_guard lock(mutex_);
    swept_ = number;
    per_second_ = messages_per_second;
    due_ = 0.0;
}

void MidiDevice::add_sweep(const spa_io_position& position) {
    const spa_io_clock& clock = position.clock;
    if (per_second_ <= 0.0 || clock.rate.denom == 0) return;
    due_ += per_second_ * static_cast<double>(clock.duration) * clock.rate.num / clock.rate.denom;
    for (; due_ >= 1.0; due_ -= 1.0) {
        to_send_.push_back({0xb0, swept_, position_});
        position_ = static_cast<std::uint8_t>((position_ + 1) % 128);
    }
}

void MidiDevice::process(const spa_io_position& position) {
    const std::lock_guard lock(mutex_);
    add_sweep(position);
    if (pw_buffer* buffer = pw_filter_dequeue_buffer(out_)) {
        const spa_data& data = buffer->buffer->datas[0];
        spa_pod_builder builder{};
        spa_pod_frame frame{};
        spa_pod_builder_init(&builder, data.data, data.maxsize);
        spa_pod_builder_push_sequence(&builder, &frame, 0);
        size_t sent = 0;
        // No more than a fast device does: the daemon drops cycles with thousands of bytes.
        while (sent < std::min<size_t>(kPerCycle, to_send_.size()) &&
               builder.state.offset + to_send_[sent].size() + 64 < data.maxsize) {
            const auto& piece = to_send_[sent++];
            spa_pod_builder_control(&builder, 0, SPA_CONTROL_Midi);
            spa_pod_builder_bytes(&builder, piece.data(), static_cast<std::uint32_t>(piece.size()));
        }
        spa_pod_builder_pop(&builder, &frame);
        data.chunk->offset = 0;
        data.chunk->size = builder.state.offset;
        data.chunk->stride = 1;
        if (sent > 0) sent_at_ = std::chrono::steady_clock::now().time_since_epoch().count();
        to_send_.erase(to_send_.begin(), to_send_.begin() + static_cast<std::ptrdiff_t>(sent));
        pw_filter_queue_buffer(out_, buffer);
    }
    if (in_ == nullptr) return;
    if (pw_buffer* buffer = pw_filter_dequeue_buffer(in_)) {
        const spa_data& data = buffer->buffer->datas[0];
        auto* pod = static_cast<spa_pod*>(
            spa_pod_from_data(data.data, data.maxsize, data.chunk->offset, data.chunk->size));
        if (pod != nullptr && spa_pod_is_sequence(pod)) {
            spa_pod_control* control = nullptr;
            SPA_POD_SEQUENCE_FOREACH(reinterpret_cast<spa_pod_sequence*>(pod), control) {
                if (control->type != SPA_CONTROL_Midi) continue;
                const auto* bytes = static_cast<const std::uint8_t*>(SPA_POD_BODY(&control->value));
                received_.insert(received_.end(), bytes, bytes + SPA_POD_BODY_SIZE(&control->value));
            }
        }
        pw_filter_queue_buffer(in_, buffer);
    }
}

}  // namespace reed::test
