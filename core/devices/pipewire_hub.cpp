#include "devices/pipewire_hub.h"

#include <algorithm>
#include <chrono>

#include "devices/pipewire_capture.h"
#include "devices/pipewire_connection.h"
#include "devices/pipewire_feed.h"

namespace reed {
namespace {

using Clock = std::chrono::steady_clock;

constexpr double kStallSeconds = 2.0;
constexpr auto kConnectAgain = std::chrono::milliseconds(500);
constexpr auto kStartAgain = std::chrono::milliseconds(300);
constexpr const char* kNotRunning =
    "PipeWire is not running, so nothing goes out. It goes on by itself as soon as it runs.";
constexpr const char* kOccupied =
    "Another Dusky Reed speaks into the virtual microphone. End it; this one goes on by itself.";

}  // namespace

Result<void> source_known(const PipeWireGraph& graph, const std::string& node) {
    const PipeWirePicture picture = graph.picture();
    if (!node.empty() && !picture.has_source(node))
        return Error{"this microphone is not there.", node, "Plug it in, or choose another input."};
    if (picture.sources.empty()) {
        return Error{"PipeWire knows no microphone.", "PipeWire",
                     "Plug one in, or go on with the simulated room."};
    }
    return {};
}

struct PipeWireHub::State {
    PipeWireHubOptions options;
    PipeWireConnection connection;
    PipeWireFeed feed;
    std::vector<PipeWireSource*> started;
    Clock::time_point last_try{};
    VirtualMicrophone::Standing standing = VirtualMicrophone::Standing::coming;

    PipeWireStreamOptions stream_options(int channels) const {
        return {options.sample_rate, channels, options.block};
    }
    bool connect();
    void end_all();
    bool captures() const;
};

/// A capture on the hub's connection.
class PipeWireSource final : public SoundSource {
  public:
    PipeWireSource(PipeWireHub::State& hub, PipeWireHub& owner, std::string node, int channels)
        : hub_(hub), owner_(owner), node_(std::move(node)), channels_(channels) {}
    ~PipeWireSource() override { stop(); }

    StreamFormat format() const override { return {hub_.options.sample_rate, channels_}; }
    Result<void> start(AudioCallback& callback, FeedSink* feed) override;
    void stop() override;
    DeviceStatus status() const override;
    void tend() override;

    void end() { capture_.end(); }
    bool captures() const { return capture_.running(); }

  private:
    bool there() const;
    void wait_for(const std::string& what) {
        problem_ = what;
        waiting_ = true;
    }
    Result<void> capture();

    PipeWireHub::State& hub_;
    PipeWireHub& owner_;
    std::string node_;
    int channels_;
    PipeWireCapture capture_;
    AudioCallback* callback_ = nullptr;
    FeedSink* feed_ = nullptr;
    bool started_ = false, waiting_ = false;
    std::string problem_;
    Clock::time_point last_try_{};
};

bool PipeWireHub::State::connect() {
    if (!connection.open("dusky-reed", PipeWireConnection::Use::sound)) return false;
    feed.attach(connection, {options.mic_title, options.channels}, stream_options(options.channels));
    return true;
}

bool PipeWireHub::State::captures() const {
    return std::ranges::any_of(started, [](const PipeWireSource* s) { return s->captures(); });
}

void PipeWireHub::State::end_all() {
    for (PipeWireSource* s : started) s->end();
    feed.end();
    feed.detach();
    connection.close();
}

PipeWireHub::PipeWireHub(PipeWireHubOptions options) : state_(std::make_unique<State>()) {
    state_->options = std::move(options);
    if (!state_->options.graph) state_->options.graph = std::make_shared<PipeWireGraph>();
}

PipeWireHub::~PipeWireHub() {
    state_->end_all();
}

const PipeWireHubOptions& PipeWireHub::options() const {
    return state_->options;
}

PipeWireGraph& PipeWireHub::graph() const {
    return *state_->options.graph;
}

std::unique_ptr<SoundSource> PipeWireHub::source(const std::string& node, int channels) {
    return std::make_unique<PipeWireSource>(*state_, *this, node, channels);
}

FeedSink& PipeWireHub::feed() {
    return state_->feed;
}

std::uint64_t PipeWireHub::feed_dropouts() const {
    return state_->feed.dropouts();
}

double PipeWireHub::feed_delay_ms() const {
    return state_->feed.delay_ms();
}

bool PipeWireHub::feed_used() const {
    return state_->options.graph->picture().feed_used;
}

bool PipeWireHub::connected() const {
    return state_->connection.is_open() && !state_->connection.lost();
}

std::string PipeWireHub::problem() const {
    if (!state_->connection.is_open()) return kNotRunning;
    return state_->standing == VirtualMicrophone::Standing::occupied ? kOccupied : "";
}

void PipeWireHub::tend() {
    State& s = *state_;
    s.options.graph->tend();
    if (s.started.empty()) return;
    if (s.connection.is_open() && s.connection.lost()) s.end_all();
    if (!s.connection.is_open()) {
        if (Clock::now() - s.last_try < kConnectAgain) return;
        s.last_try = Clock::now();
        if (!s.options.graph->picture().connected || !s.connect()) return;
    }
    // Captures push it on, so they end first; each begins again by itself.
    if (s.feed.broken()) {
        for (PipeWireSource* source : s.started) source->end();
    }
    if (!s.captures()) s.feed.end();
    s.standing = s.feed.tend();
}

// ---- the source ----

bool PipeWireSource::there() const {
    const PipeWirePicture picture = hub_.options.graph->picture();
    return node_.empty() ? !picture.sources.empty() : picture.has_source(node_);
}

/// The feed first, so that none of what is captured is lost.
Result<void> PipeWireSource::capture() {
    if (!hub_.feed.running()) {
        if (auto feed = hub_.feed.start(); !feed.ok()) return feed;
    }
    auto captured = capture_.start(hub_.connection, node_, hub_.stream_options(channels_), *callback_, feed_);
    if (!captured.ok() && !hub_.captures()) hub_.feed.end();
    return captured;
}

Result<void> PipeWireSource::start(AudioCallback& callback, FeedSink* feed) {
    stop();
    callback_ = &callback;
    feed_ = feed;
    capture_.forget_dropouts();
    problem_.clear();
    waiting_ = false;
    started_ = true;
    hub_.started.push_back(this);
    if (hub_.connection.is_open() && hub_.connection.lost()) hub_.end_all();
    if (hub_.connection.is_open() || hub_.connect()) {
        if (there()) {
            if (auto captured = capture(); !captured.ok()) {
                stop();
                return captured;
            }
        }
    }
    tend();
    return {};
}

void PipeWireSource::stop() {
    capture_.end();
    started_ = false;
    std::erase(hub_.started, this);
    if (hub_.started.empty())
        hub_.end_all();
    else if (!hub_.captures())
        hub_.feed.end();
}

void PipeWireSource::tend() {
    if (!started_) return;
    owner_.tend();
    if (!hub_.connection.is_open()) return wait_for(kNotRunning);
    const bool any = node_.empty();
    if (!there() || capture_.broken()) {
        capture_.end();
        if (!hub_.captures()) hub_.feed.end();
    }
    if (!there()) {
        return wait_for(
            any ? "There is no microphone, so the feed is silent. Plug one in; it goes on by itself."
                : "The microphone is gone, so the feed is silent. It goes on by itself when it returns.");
    }
    if (!capture_.running()) {
        if (Clock::now() - last_try_ < kStartAgain) return;
        last_try_ = Clock::now();
        if (const auto again = capture(); !again.ok()) {
            capture_.end();
            return wait_for(again.error().text());
        }
    }
    // A source that is there but sends nothing.
    if (capture_.silent_seconds() > kStallSeconds) {
        wait_for("The microphone sends nothing. Check its switch and its cable, or choose another input.");
        // Perhaps the stream hangs where nobody told: it is made anew, every two seconds until sound comes.
        capture_.end();
        if (!hub_.captures()) hub_.feed.end();
        last_try_ = Clock::now();
    } else if (hub_.standing == VirtualMicrophone::Standing::occupied) {
        wait_for(kOccupied);
    } else if (capture_.heard()) {
        problem_.clear();
        waiting_ = false;
    }
}

DeviceStatus PipeWireSource::status() const {
    DeviceStatus out;
    out.running = started_ && problem_.empty() && hub_.connection.is_open() && !hub_.connection.lost();
    out.dropouts = capture_.dropouts();
    out.problem = problem_;
    out.waiting = waiting_;
    out.feed_used = started_ && owner_.feed_used();
    out.delay_ms = capture_.delay_ms();
    return out;
}

}  // namespace reed
