#include "devices/pipewire_device.h"

#include <chrono>

#include "devices/pipewire_capture.h"
#include "devices/pipewire_connection.h"
#include "devices/pipewire_feed.h"

namespace reed {
namespace {

using Clock = std::chrono::steady_clock;

constexpr double kStallSeconds = 2.0;

/// The virtual microphone's feed, and another sink beside it.
struct BothSinks final : FeedSink {
    void take(const AudioBlock& block, bool converted) noexcept override {
        feed.take(block, converted);
        if (other != nullptr) other->take(block, converted);
    }
    void push() noexcept override {
        feed.push();
        if (other != nullptr) other->push();
    }
    PipeWireFeed feed;
    FeedSink* other = nullptr;
};

}  // namespace

struct PipeWireDevice::State {
    PipeWireOptions options;
    PipeWireConnection connection;
    BothSinks sinks;
    PipeWireCapture capture;  // ends before what it feeds
    AudioCallback* callback = nullptr;
    bool started = false;
    std::string problem;
    bool waiting = false;
    Clock::time_point last_try{};

    PipeWireStreamOptions stream_options() const {
        return {options.sample_rate, options.channels, options.block};
    }
    bool connect();
    Result<void> start_streams();
    void end_streams();
    void end_all();
    void wait_for(const std::string& what);
};

bool PipeWireDevice::State::connect() {
    if (!connection.open("dusky-reed", PipeWireConnection::Use::sound)) return false;
    sinks.feed.attach(connection, {options.mic_title, options.channels}, stream_options());
    return true;
}

/// Both or none: a feed without a capture would hold up the programs that listen to it.
Result<void> PipeWireDevice::State::start_streams() {
    if (auto feed = sinks.feed.start(); !feed.ok()) return feed;
    return capture.start(connection, options.source, stream_options(), *callback, &sinks);
}

void PipeWireDevice::State::end_streams() {
    capture.end();
    sinks.feed.end();
}

void PipeWireDevice::State::end_all() {
    end_streams();
    sinks.feed.detach();
    connection.close();
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

Result<void> PipeWireDevice::start(AudioCallback& callback, FeedSink* feed) {
    stop();
    State& s = *state_;
    s.callback = &callback;
    s.sinks.other = feed;
    s.capture.forget_dropouts();
    s.sinks.feed.forget_dropouts();
    s.problem.clear();
    s.waiting = false;
    if (!s.connect()) {
        if (!s.options.wait_for_source) return no_pipewire();
        s.started = true;
        tend();
        return {};
    }
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
        if (!s.options.graph->picture().connected || !s.connect()) return;
    }
    const auto standing = s.sinks.feed.tend();
    const PipeWirePicture picture = s.options.graph->picture();
    const bool any = s.options.source.empty();
    const bool there = any ? !picture.sources.empty() : picture.has_source(s.options.source);
    if (!there || s.capture.broken() || s.sinks.feed.broken()) s.end_streams();
    if (!there) {
        s.wait_for(
            any ? "There is no microphone, so the feed is silent. Plug one in; it goes on by itself."
                : "The microphone is gone, so the feed is silent. It goes on by itself when it returns.");
        return;
    }
    if (!s.capture.running()) {
        if (Clock::now() - s.last_try < std::chrono::milliseconds(300)) return;
        s.last_try = Clock::now();
        if (const auto again = s.start_streams(); !again.ok()) {
            s.end_streams();
            s.wait_for(again.error().text());
            return;
        }
    }
    // A source that is there but sends nothing.
    if (s.capture.silent_seconds() > kStallSeconds) {
        s.wait_for("The microphone sends nothing. Check its switch and its cable, or choose another input.");
        // Perhaps the stream hangs where nobody told: it is made anew, every two seconds until sound comes.
        s.end_streams();
        s.last_try = Clock::now();
    } else if (standing == VirtualMicrophone::Standing::occupied) {
        s.wait_for(
            "Another Dusky Reed speaks into the virtual microphone. End it; this one goes on by itself.");
    } else if (s.capture.heard()) {
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
    out.dropouts = s.capture.dropouts() + s.sinks.feed.dropouts();
    out.problem = s.problem;
    out.waiting = s.waiting;
    out.feed_used = s.started && s.options.graph->picture().feed_used;
    out.delay_ms = s.capture.delay_ms() + s.sinks.feed.delay_ms();
    return out;
}

}  // namespace reed
