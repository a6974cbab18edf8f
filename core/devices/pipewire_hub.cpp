#include "devices/pipewire_hub.h"

#include <algorithm>
#include <chrono>
#include <optional>

#include "devices/pipewire_capture.h"
#include "devices/pipewire_connection.h"
#include "devices/pipewire_feed.h"

namespace reed {
namespace {

using Clock = std::chrono::steady_clock;

constexpr double kStallSeconds = 2.0;
constexpr auto kConnectAgain = std::chrono::milliseconds(500);
constexpr auto kSettingUp = std::chrono::seconds(3);
constexpr auto kStartAgain = std::chrono::milliseconds(300);
constexpr const char* kNotRunning =
    "PipeWire isn't running, so the output is silent. It resumes when PipeWire is back.";
constexpr const char* kOccupied =
    "Another Dusky Reed is using the virtual microphone. Quit it to continue automatically.";

/// The one that a choice means, as far as it is there.
const PipeWireNode* meant(const PipeWireSnapshot& picture, const std::string& node) {
    return picture.source(node.empty() ? picture.default_source : node);
}

/// Why a source has no channel of this number; empty if it has, or if its channels are not known yet.
std::string channel_problem(const PipeWireNode* source, int channel) {
    if (channel == 0 || source == nullptr || source->channels.empty()) return {};
    const auto count = static_cast<int>(source->channels.size());
    if (channel >= 1 && channel <= count) return {};
    return "This microphone has " + std::to_string(count) + (count == 1 ? " channel" : " channels") +
           " and no channel " + std::to_string(channel) +
           ", so it is silent. Choose another channel or "
           "another microphone.";
}
}  // namespace

Result<void> source_known(const PipeWireGraph& graph, const std::string& node, int channel) {
    const PipeWireSnapshot picture = graph.picture();
    if (!node.empty() && !picture.has_source(node))
        return Error{"isn't connected.", node, "Connect it, or choose another input."};
    if (picture.sources.empty()) {
        return Error{"No microphone found.", "PipeWire", "Connect one, or use the simulated room."};
    }
    const PipeWireNode* source = meant(picture, node);
    if (channel_problem(source, channel).empty()) return {};
    const size_t count = source->channels.size();
    return Error{
        "this microphone has no channel " + std::to_string(channel) + ", only " + std::to_string(count) + ".",
        source->title, "Choose a channel from 1 to " + std::to_string(count) + "."};
}

namespace {
/// A microphone that is offered beside the feed's.
struct Offer {
    VirtualMicrophone::Wish wish;
    PipeWireFeed feed;
};

/// The feed; pushes the others on as well, after it.
struct AllFeeds final : FeedSink {
    void take(const AudioBlock& block, bool converted) noexcept override { feed.take(block, converted); }
    void push() noexcept override {
        feed.push();
        for (size_t i = 0; i < kMost; ++i) {
            if (PipeWireFeed* other = others[i].load(std::memory_order_acquire); other != nullptr)
                other->push();
        }
    }
    static constexpr size_t kMost = 16;
    PipeWireFeed feed;
    std::atomic<PipeWireFeed*> others[kMost] = {};
};
}  // namespace

struct PipeWireHub::State {
    PipeWireHubOptions options;
    PipeWireConnection connection;
    AllFeeds all;
    PipeWireFeed& feed = all.feed;
    std::vector<std::unique_ptr<Offer>> offers;
    std::vector<PipeWireSource*> started;
    Clock::time_point last_try{};
    VirtualMicrophone::Standing standing = VirtualMicrophone::Standing::coming;

    PipeWireStreamOptions stream_options(int channels) const {
        return {options.sample_rate, channels, options.block};
    }
    bool connect();
    void end_all();
    bool captures() const;
    Result<void> start_feeds();
    void end_feeds();
    void attach(Offer& offer);
};

/// A capture on the hub's connection.
class PipeWireSource final : public SoundSource {
  public:
    /// `title`: of an output that is made for it; empty: a source that is there.
    PipeWireSource(PipeWireHub::State& hub, PipeWireHub& owner, std::string node, std::string title,
                   int channels, int channel = 0)
        : hub_(hub),
          owner_(owner),
          node_(std::move(node)),
          title_(std::move(title)),
          channels_(channel > 0 ? 1 : channels),
          channel_(channel) {}
    ~PipeWireSource() override { stop(); }

    StreamFormat format() const override { return {hub_.options.sample_rate, channels_}; }
    Result<void> start(AudioCallback& callback, FeedSink* feed) override;
    void stop() override;
    DeviceStatus status() const override;
    bool steady() const override { return true; }
    void tend() override;

    void end() { capture_.end(); }
    /// The connection is closed next.
    void forget_output() {
        if (output_ == nullptr) return;
        spa_hook_remove(&output_hook_);
        pw_proxy_destroy(output_);
        output_ = nullptr;
    }
    bool captures() const { return capture_.running(); }

  private:
    bool there() const;
    void make_output();
    void wait_for(const std::string& what) {
        problem_ = what;
        waiting_ = true;
    }
    Result<void> capture();

    PipeWireHub::State& hub_;
    PipeWireHub& owner_;
    std::string node_, title_;
    int channels_, channel_;
    pw_proxy* output_ = nullptr;
    spa_hook output_hook_{};
    std::atomic<bool> output_gone_{false};  // it was destroyed, or the daemon refused it
    PipeWireCapture capture_;
    AudioCallback* callback_ = nullptr;
    FeedSink* feed_ = nullptr;
    bool started_ = false, waiting_ = false;
    std::string problem_;
    std::optional<Clock::time_point> setting_up_since_;
    Clock::time_point last_try_{}, last_made_{};
};

bool PipeWireHub::State::connect() {
    if (!connection.open("dusky-reed", PipeWireConnection::Use::sound)) return false;
    feed.attach(connection, {options.mic_title, options.channels}, stream_options(options.channels));
    for (const auto& offer : offers) attach(*offer);
    return true;
}

void PipeWireHub::State::attach(Offer& offer) {
    offer.feed.attach(connection, offer.wish, stream_options(offer.wish.channels));
}

/// All or none; one that is offered beside the feed and can't be is left out.
Result<void> PipeWireHub::State::start_feeds() {
    if (!feed.running()) {
        if (auto begun = feed.start(); !begun.ok()) return begun;
    }
    for (const auto& offer : offers) {
        PipeWireFeed& other = offer->feed;
        if (other.running() || !other.start().ok()) continue;
        const auto place =
            std::ranges::find_if(all.others, [](const auto& o) { return o.load() == nullptr; });
        if (place != std::end(all.others)) *place = &other;
    }
    return {};
}

/// Only while nothing captures.
void PipeWireHub::State::end_feeds() {
    for (auto& other : all.others) other = nullptr;
    for (const auto& offer : offers) offer->feed.end();
    feed.end();
}

bool PipeWireHub::State::captures() const {
    return std::ranges::any_of(started, [](const PipeWireSource* s) { return s->captures(); });
}

void PipeWireHub::State::end_all() {
    for (PipeWireSource* s : started) s->end();
    end_feeds();
    if (connection.is_open()) {
        const PipeWireConnection::Lock lock(connection);
        for (PipeWireSource* s : started) s->forget_output();
    }
    feed.detach();
    for (const auto& offer : offers) offer->feed.detach();
    connection.close();
}

PipeWireHub::PipeWireHub(PipeWireHubOptions options) : state_(std::make_unique<State>()) {
    state_->options = std::move(options);
    if (!state_->options.graph) state_->options.graph = std::make_shared<PipeWireGraph>();
    state_->feed.prepare(state_->options.channels);
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

std::unique_ptr<SoundSource> PipeWireHub::source(const std::string& node, int channels, int channel) {
    return std::make_unique<PipeWireSource>(*state_, *this, node, "", channels, channel);
}

std::unique_ptr<SoundSource> PipeWireHub::programme(const std::string& node, const std::string& title) {
    return std::make_unique<PipeWireSource>(*state_, *this, node, title, 2);
}

FeedSink& PipeWireHub::offer(const std::string& node, const std::string& title, int channels) {
    State& s = *state_;
    withdraw(node);
    auto made = std::make_unique<Offer>();
    made->wish = {title, channels, node, node + "-feed"};
    made->feed.prepare(channels);
    s.offers.push_back(std::move(made));
    if (s.connection.is_open()) s.attach(*s.offers.back());
    if (s.captures()) (void)s.start_feeds();
    return s.offers.back()->feed;
}

void PipeWireHub::withdraw(const std::string& node) {
    State& s = *state_;
    const auto found = std::ranges::find_if(s.offers, [&](const auto& o) { return o->wish.node == node; });
    if (found == s.offers.end()) return;
    for (auto& other : s.all.others) {
        if (other.load() == &(*found)->feed) other = nullptr;
    }
    s.connection.wait_for_audio();
    (*found)->feed.detach();
    s.offers.erase(found);
}

FeedSink& PipeWireHub::feed() {
    return state_->all;
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
    // Captures drive it, so they end first; each restarts automatically.
    if (s.feed.broken()) {
        for (PipeWireSource* source : s.started) source->end();
    }
    if (!s.captures()) s.end_feeds();
    s.standing = s.feed.tend(s.options.on_takeover);
    for (const auto& offer : s.offers) (void)offer->feed.tend(s.options.on_takeover);
}

// ---- the source ----

bool PipeWireSource::there() const {
    const PipeWireSnapshot picture = hub_.options.graph->picture();
    if (!title_.empty()) return picture.has_output(node_);
    if (channel_ > 0) {
        const PipeWireNode* source = meant(picture, node_);
        return source != nullptr && !source->channels.empty() && channel_problem(source, channel_).empty();
    }
    return node_.empty() ? !picture.sources.empty() : picture.has_source(node_);
}

/// It goes with the connection: programs that play into it then go on where they would by themselves.
void PipeWireSource::make_output() {
    if (title_.empty() || (output_ != nullptr && !output_gone_)) return;
    if (output_gone_ && Clock::now() - last_made_ < kStartAgain) return;
    static const pw_proxy_events events = [] {
        pw_proxy_events e{};
        e.version = PW_VERSION_PROXY_EVENTS;
        e.removed = [](void* data) { static_cast<PipeWireSource*>(data)->output_gone_ = true; };
        e.error = [](void* data, int, int, const char*) {
            static_cast<PipeWireSource*>(data)->output_gone_ = true;
        };
        return e;
    }();
    const PipeWireConnection::Lock lock(hub_.connection);
    forget_output();
    output_gone_ = false;
    last_made_ = Clock::now();
    pw_properties* p =
        pw_properties_new(PW_KEY_FACTORY_NAME, "support.null-audio-sink", PW_KEY_NODE_NAME, node_.c_str(),
                          PW_KEY_NODE_DESCRIPTION, title_.c_str(), PW_KEY_MEDIA_CLASS, "Audio/Sink",
                          PW_KEY_NODE_VIRTUAL, "true", PW_KEY_NODE_LINK_GROUP, kPlaybackLinkGroup,
                          "audio.position", "[ FL FR ]", "monitor.channel-volumes", "true", nullptr);
    output_ = static_cast<pw_proxy*>(pw_core_create_object(
        hub_.connection.core(), "adapter", PW_TYPE_INTERFACE_Node, PW_VERSION_NODE, &p->dict, 0));
    pw_properties_free(p);
    if (output_ != nullptr) pw_proxy_add_listener(output_, &output_hook_, &events, this);
}

/// The output first, so that no captured audio is lost.
Result<void> PipeWireSource::capture() {
    if (auto feeds = hub_.start_feeds(); !feeds.ok()) return feeds;
    PipeWireCapture::From from{node_, !title_.empty()};
    const PipeWireSnapshot picture = hub_.options.graph->picture();
    if (const PipeWireNode* source = meant(picture, node_); channel_ > 0 && source != nullptr) {
        from.node = source->name;  // its channel's name is this one's alone
        from.channel = source->channels[static_cast<size_t>(channel_ - 1)];
    }
    auto captured = capture_.start(hub_.connection, from, hub_.stream_options(channels_), *callback_, feed_);
    if (!captured.ok() && !hub_.captures()) hub_.end_feeds();
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
        make_output();
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
    if (output_ != nullptr) {
        const PipeWireConnection::Lock lock(hub_.connection);
        forget_output();
    }
    started_ = false;
    std::erase(hub_.started, this);
    if (hub_.started.empty())
        hub_.end_all();
    else if (!hub_.captures())
        hub_.end_feeds();
}

void PipeWireSource::tend() {
    if (!started_) return;
    owner_.tend();
    if (!hub_.connection.is_open()) return wait_for(kNotRunning);
    const bool any = node_.empty();
    make_output();
    if (!there() || capture_.broken()) {
        capture_.end();
        if (!hub_.captures()) hub_.end_feeds();
    }
    if (!there() && !title_.empty()) {
        // A passing state: reported only if it lasts.
        const auto now = Clock::now();
        if (!setting_up_since_) setting_up_since_ = now;
        return wait_for(now - *setting_up_since_ < kSettingUp
                            ? ""
                            : "The app audio device can't be set up. Restart PipeWire (systemctl --user "
                              "restart pipewire).");
    }
    setting_up_since_.reset();
    if (!there()) {
        const PipeWireSnapshot picture = hub_.options.graph->picture();
        const std::string channel = channel_problem(meant(picture, node_), channel_);
        if (!channel.empty()) return wait_for(channel);
        return wait_for(any ? "No microphone found. Connect one to continue automatically."
                            : "Microphone disconnected. Audio resumes when it is connected again.");
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
        wait_for("The microphone isn't sending audio. Check its switch and cable, or choose another input.");
        // The stream may hang without an error: it is created again every two seconds until audio arrives.
        capture_.end();
        if (!hub_.captures()) hub_.end_feeds();
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
