#include "devices/pipewire_device.h"

#include "devices/pipewire_connection.h"
#include "devices/pipewire_hub.h"

namespace reed {
namespace {

/// The virtual microphone's feed, and another sink beside it.
struct BothSinks final : FeedSink {
    explicit BothSinks(FeedSink& to) : feed(to) {}
    void take(const AudioBlock& block, bool converted) noexcept override {
        feed.take(block, converted);
        if (other != nullptr) other->take(block, converted);
    }
    void push() noexcept override {
        feed.push();
        if (other != nullptr) other->push();
    }
    FeedSink& feed;
    FeedSink* other = nullptr;
};

}  // namespace

struct PipeWireDevice::State {
    explicit State(const PipeWireOptions& o)
        : options(o),
          hub({o.sample_rate, o.channels, o.block, o.mic_title, o.graph}),
          sinks(hub.feed()),
          source(hub.source(o.source, o.channels)) {}
    PipeWireOptions options;
    PipeWireHub hub;
    BothSinks sinks;
    std::unique_ptr<SoundSource> source;
    std::uint64_t lost_before = 0;  // by the feed, before start()
};

PipeWireDevice::PipeWireDevice(const PipeWireOptions& options) : state_(std::make_unique<State>(options)) {}

PipeWireDevice::~PipeWireDevice() {
    stop();
}

Result<std::unique_ptr<PipeWireDevice>> PipeWireDevice::create(const PipeWireOptions& options) {
    std::unique_ptr<PipeWireDevice> out(new PipeWireDevice(options));
    PipeWireGraph& graph = out->state_->hub.graph();
    const bool there = graph.settle();
    if (options.wait_for_source) return out;
    if (!there) return no_pipewire();
    if (auto known = source_known(graph, options.source); !known.ok()) return known.error();
    return out;
}

StreamFormat PipeWireDevice::format() const {
    return state_->source->format();
}

Result<void> PipeWireDevice::start(AudioCallback& callback, FeedSink* feed) {
    stop();
    State& s = *state_;
    s.sinks.other = feed;
    s.lost_before = s.hub.feed_dropouts();
    if (auto started = s.source->start(callback, &s.sinks); !started.ok()) return started;
    if (s.options.wait_for_source || s.hub.connected()) return {};
    s.source->stop();
    return no_pipewire();
}

void PipeWireDevice::tend() {
    state_->source->tend();
}

void PipeWireDevice::stop() {
    state_->source->stop();
}

DeviceStatus PipeWireDevice::status() const {
    const State& s = *state_;
    DeviceStatus out = s.source->status();
    out.dropouts += s.hub.feed_dropouts() - s.lost_before;
    out.delay_ms += s.hub.feed_delay_ms();
    return out;
}

}  // namespace reed
