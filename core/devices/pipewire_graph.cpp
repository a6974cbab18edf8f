#include "devices/pipewire_graph.h"

#include <pipewire/extensions/metadata.h>

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <cstring>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>

#include "devices/pipewire_connection.h"
#include "devices/pipewire_metadata.h"
#include "devices/source_watch.h"
#include "devices/virtual_microphone.h"

namespace reed {
namespace {

using Clock = std::chrono::steady_clock;

const PipeWireNode* node_of(const std::vector<PipeWireNode>& nodes, const std::string& name) {
    const auto at = std::find_if(nodes.begin(), nodes.end(), [&](const auto& n) { return n.name == name; });
    return at == nodes.end() ? nullptr : &*at;
}

void destroy(void* object) {
    pw_proxy_destroy(static_cast<pw_proxy*>(object));
}

}  // namespace

const PipeWireNode* PipeWireSnapshot::source(const std::string& name) const {
    return node_of(sources, name);
}

const PipeWireNode* PipeWireSnapshot::sink(const std::string& name) const {
    return node_of(sinks, name);
}

struct PipeWireGraph::State {
    struct Entry {
        PipeWireNode node;
        bool source = false;
    };
    PipeWireConnection connection;
    pw_registry* registry = nullptr;
    pw_metadata* metadata = nullptr;
    spa_hook registry_hook{}, metadata_hook{}, core_hook{};
    uint32_t metadata_id = 0;
    int expected = -1;
    Clock::time_point last_try{};

    mutable std::mutex mutex;
    std::map<uint32_t, Entry> nodes;
    std::map<uint32_t, std::unique_ptr<SourceWatch>> followed;  // by node; the loop's own
    struct Link {
        uint32_t from = 0, to = 0;  // nodes
    };
    std::map<uint32_t, Link> links;
    std::map<uint32_t, std::string> outputs;  // our own
    std::map<uint32_t, PlayingProgram> programs;
    std::map<uint32_t, std::string> own;  // our virtual microphone, and those that are offered beside it
    std::string default_source, default_sink;
    bool connected = false, told = false;
    bool asked = false;  // the loop's own
    std::atomic<std::uint64_t> version{1};

    // PipeWire may skip parameter events for clients that know the parameters while another client
    // subscribes, and does not send them later. They are therefore requested again a second after a change,
    // and every ten seconds for changes by other programs.
    std::atomic<std::int64_t> ask_at{0};
    static constexpr std::int64_t kAskAfter = 1'000'000'000;  // ns
    static constexpr std::int64_t kAskEvery = 10'000'000'000;

    void changed() { version.fetch_add(1, std::memory_order_relaxed); }
    void ask_in(std::int64_t ns) { ask_at = Clock::now().time_since_epoch().count() + ns; }
    void ask_anew();
    void listen_to_settings();
    void add(uint32_t id, const char* type, const spa_dict* props);
    void remove(uint32_t id);
    void told_of(uint32_t id, const SourceWatch::News& news);
    void default_told(const char* key, const char* value);
    bool connect();
    void disconnect();
};

void PipeWireGraph::State::listen_to_settings() {
    metadata = static_cast<pw_metadata*>(
        pw_registry_bind(registry, metadata_id, PW_TYPE_INTERFACE_Metadata, PW_VERSION_METADATA, 0));
    if (metadata == nullptr) return;
    static const pw_metadata_events events = [] {
        pw_metadata_events e{};
        e.version = PW_VERSION_METADATA_EVENTS;
        e.property = [](void* data, uint32_t, const char* key, const char*, const char* value) {
            static_cast<State*>(data)->default_told(key, value);
            return 0;
        };
        return e;
    }();
    pw_metadata_add_listener(metadata, &metadata_hook, &events, this);
}

void PipeWireGraph::State::ask_anew() {
    if (Clock::now().time_since_epoch().count() < ask_at.load() || !connection.is_open()) return;
    ask_in(kAskEvery);
    const PipeWireConnection::Lock lock(connection);
    if (metadata == nullptr) return;
    spa_hook_remove(&metadata_hook);
    destroy(metadata);
    listen_to_settings();
}

void PipeWireGraph::State::add(uint32_t id, const char* type, const spa_dict* props) {
    if (props == nullptr) return;
    if (std::strcmp(type, PW_TYPE_INTERFACE_Metadata) == 0 &&
        property(props, PW_KEY_METADATA_NAME) == "default") {
        if (metadata != nullptr) return;
        metadata_id = id;
        listen_to_settings();
        return;
    }
    if (std::strcmp(type, PW_TYPE_INTERFACE_Link) == 0) {
        const auto node = [&](const char* key) {
            return static_cast<uint32_t>(std::strtoul(property(props, key).c_str(), nullptr, 10));
        };
        const std::lock_guard lock(mutex);
        links[id] = {node(PW_KEY_LINK_OUTPUT_NODE), node(PW_KEY_LINK_INPUT_NODE)};
        changed();
        return;
    }
    if (std::strcmp(type, PW_TYPE_INTERFACE_Node) != 0) return;
    ask_in(kAskAfter);
    const std::string media = property(props, PW_KEY_MEDIA_CLASS);
    const std::string name = property(props, PW_KEY_NODE_NAME);
    const bool ours = name.rfind(kOwnNodes, 0) == 0;
    if (media == "Stream/Output/Audio" && !ours) {
        PlayingProgram program{id, property(props, PW_KEY_APP_NAME), property(props, PW_KEY_MEDIA_NAME), ""};
        if (program.name.empty()) program.name = name;
        const std::lock_guard lock(mutex);
        programs[id] = std::move(program);
        changed();
        return;
    }
    const bool source = media.rfind("Audio/Source", 0) == 0 || media == "Audio/Duplex";
    if (!source && media != "Audio/Sink") return;
    Entry entry;
    entry.source = source;
    entry.node.name = name;
    if (ours) {
        const std::lock_guard lock(mutex);
        if (source)
            own[id] = name;
        else
            outputs[id] = name;
        changed();
        return;
    }
    if (entry.node.name.empty()) return;
    entry.node.title = property(props, PW_KEY_NODE_DESCRIPTION);
    if (entry.node.title.empty()) entry.node.title = entry.node.name;
    entry.node.loudspeakers = !source && looks_like_loudspeakers(property(props, PW_KEY_DEVICE_FORM_FACTOR),
                                                                 entry.node.name, entry.node.title);
    {
        const std::lock_guard lock(mutex);
        nodes[id] = std::move(entry);
        changed();
    }
    if (source)
        followed[id] = std::make_unique<SourceWatch>(
            registry, id, [this, id](const SourceWatch::News& news) { told_of(id, news); });
}

void PipeWireGraph::State::told_of(uint32_t id, const SourceWatch::News& news) {
    const std::lock_guard lock(mutex);
    const auto at = nodes.find(id);
    if (at == nodes.end()) return;
    const PipeWireNode before = at->second.node;
    if (news.channels) at->second.node.channels = *news.channels;
    if (news.volume.muted) at->second.node.muted = *news.volume.muted;
    if (news.volume.decibel) at->second.node.volume = *news.volume.decibel;
    if (at->second.node != before) changed();
}

void PipeWireGraph::State::remove(uint32_t id) {
    if (metadata != nullptr && id == metadata_id) {
        spa_hook_remove(&metadata_hook);
        destroy(metadata);
        metadata = nullptr;
    }
    followed.erase(id);
    const std::lock_guard lock(mutex);
    if (own.erase(id) + outputs.erase(id) + programs.erase(id) > 0) changed();
    if (nodes.contains(id)) ask_in(kAskAfter);
    if (nodes.erase(id) + links.erase(id) > 0) changed();
}

void PipeWireGraph::State::default_told(const char* key, const char* value) {
    if (key == nullptr) return;
    const std::lock_guard lock(mutex);
    const std::string source = default_source;
    const std::string sink = default_sink;
    if (std::strcmp(key, "default.audio.source") == 0) default_source = default_name(value);
    if (std::strcmp(key, "default.audio.sink") == 0) default_sink = default_name(value);
    if (source != default_source || sink != default_sink) changed();
}

bool PipeWireGraph::State::connect() {
    last_try = Clock::now();
    ask_in(kAskEvery);
    told = asked = false;
    if (!connection.open("dusky-reed-graph", PipeWireConnection::Use::listening)) return false;
    static const pw_core_events core_events = [] {
        pw_core_events e{};
        e.version = PW_VERSION_CORE_EVENTS;
        e.done = [](void* data, uint32_t, int seq) {
            auto* s = static_cast<State*>(data);
            if (seq != s->expected) return;
            // Values that are sent on request only were requested meanwhile; they arrive after another sync.
            if (!s->asked) {
                s->asked = true;
                s->expected = pw_core_sync(s->connection.core(), PW_ID_CORE, 0);
                return;
            }
            const std::lock_guard lock(s->mutex);
            s->told = true;
            pw_thread_loop_signal(s->connection.loop(), false);
        };
        return e;
    }();
    const PipeWireConnection::Lock lock(connection);
    pw_core_add_listener(connection.core(), &core_hook, &core_events, this);
    registry = pw_core_get_registry(connection.core(), PW_VERSION_REGISTRY, 0);
    pw_registry_add_listener(registry, &registry_hook, &registry_events<State>(), this);
    expected = pw_core_sync(connection.core(), PW_ID_CORE, 0);
    const std::lock_guard inner(mutex);
    connected = true;
    changed();
    return true;
}

void PipeWireGraph::State::disconnect() {
    if (connection.is_open()) {
        const PipeWireConnection::Lock lock(connection);
        followed.clear();
        if (metadata != nullptr) {
            spa_hook_remove(&metadata_hook);
            destroy(metadata);
            metadata = nullptr;
        }
        if (registry != nullptr) {
            spa_hook_remove(&registry_hook);
            destroy(registry);
            registry = nullptr;
        }
        spa_hook_remove(&core_hook);
    }
    connection.close();
    const std::lock_guard lock(mutex);
    nodes.clear();
    links.clear();
    own.clear();
    outputs.clear();
    programs.clear();
    default_source.clear();
    default_sink.clear();
    connected = told = false;
    changed();
}

PipeWireGraph::PipeWireGraph() : state_(std::make_unique<State>()) {
    state_->connect();
}

PipeWireGraph::~PipeWireGraph() {
    state_->disconnect();
}

std::uint64_t PipeWireGraph::version() const {
    return state_->version.load(std::memory_order_relaxed);
}

PipeWireSnapshot PipeWireGraph::picture() const {
    PipeWireSnapshot out;
    const std::lock_guard lock(state_->mutex);
    out.connected = state_->connected && !state_->connection.lost();
    if (!out.connected) return out;
    for (const auto& [id, entry] : state_->nodes)
        (entry.source ? out.sources : out.sinks).push_back(entry.node);
    out.default_source = state_->default_source;
    out.default_sink = state_->default_sink;
    out.virtual_microphone = !state_->own.empty();
    for (const auto& [id, name] : state_->outputs) out.outputs.push_back(name);
    for (const auto& [id, link] : state_->links)
        out.feed_used = out.feed_used || state_->own.contains(link.from);
    for (auto [id, program] : state_->programs) {
        for (const auto& [unused, link] : state_->links) {
            if (link.from != id) continue;
            if (const auto o = state_->outputs.find(link.to); o != state_->outputs.end())
                program.into = o->second;
            else if (const auto n = state_->nodes.find(link.to); n != state_->nodes.end())
                program.into = n->second.node.name;
        }
        out.programs.push_back(std::move(program));
    }
    return out;
}

void PipeWireGraph::tend() {
    if (state_->connection.is_open() && state_->connection.lost()) state_->disconnect();
    if (!state_->connection.is_open() && Clock::now() - state_->last_try > std::chrono::seconds(1))
        state_->connect();
    state_->ask_anew();
}

bool PipeWireGraph::settle() {
    State& s = *state_;
    if (!s.connection.is_open()) return false;
    const PipeWireConnection::Lock lock(s.connection);
    timespec until{};
    pw_thread_loop_get_time(s.connection.loop(), &until, SPA_NSEC_PER_SEC);
    const auto told = [&s] {
        const std::lock_guard inner(s.mutex);
        return s.told;
    };
    while (!told() && !s.connection.lost() &&
           pw_thread_loop_timed_wait_full(s.connection.loop(), &until) == 0) {
    }
    return told();
}

Result<void> PipeWireGraph::remove_virtual_microphone() {
    State& s = *state_;
    if (!s.connection.is_open() || s.connection.lost()) return no_pipewire();
    {
        const PipeWireConnection::Lock lock(s.connection);
        const std::lock_guard inner(s.mutex);
        for (const auto& [id, name] : s.own) pw_registry_destroy(s.registry, id);
        s.told = false;
        s.expected = pw_core_sync(s.connection.core(), PW_ID_CORE, 0);
    }
    // Until the daemon has answered: the program may end next.
    if (settle()) return {};
    return no_pipewire();
}

void PipeWireGraph::remove_microphone(const std::string& name) {
    State& s = *state_;
    if (!s.connection.is_open() || s.connection.lost()) return;
    const PipeWireConnection::Lock lock(s.connection);
    const std::lock_guard inner(s.mutex);
    for (const auto& [id, own] : s.own) {
        if (own == name) pw_registry_destroy(s.registry, id);
    }
}

Result<void> PipeWireGraph::move_program(std::uint32_t id, const std::string& output) {
    State& s = *state_;
    if (!s.connection.is_open() || s.connection.lost()) return no_pipewire();
    std::string target;
    {
        const std::lock_guard lock(s.mutex);
        if (!s.programs.contains(id))
            return Error{"This app is no longer playing.", std::to_string(id),
                         "Start playback and try again."};
        for (const auto& [node, name] : s.outputs) {
            if (name == output) target = std::to_string(node);
        }
        for (const auto& [node, entry] : s.nodes) {
            if (!entry.source && entry.node.name == output) target = std::to_string(node);
        }
    }
    if (!output.empty() && target.empty()) return Error{"isn't connected.", output, "Choose another one."};
    const PipeWireConnection::Lock lock(s.connection);
    if (s.metadata == nullptr) {
        return Error{"Can't move the app: no session manager is running.", "PipeWire",
                     "Start it (systemctl --user start wireplumber)."};
    }
    // What newer session managers look at first would win over it.
    pw_metadata_set_property(s.metadata, id, "target.object", nullptr, nullptr);
    pw_metadata_set_property(s.metadata, id, "target.node", output.empty() ? nullptr : "Spa:Id",
                             output.empty() ? nullptr : target.c_str());
    return {};
}

Result<void> PipeWireGraph::set_volume(const std::string& source, const SystemVolume& wanted) {
    State& s = *state_;
    if (!s.connection.is_open() || s.connection.lost()) return no_pipewire();
    const PipeWireConnection::Lock lock(s.connection);
    SourceWatch* there = nullptr;
    {
        const std::lock_guard inner(s.mutex);
        for (const auto& [id, entry] : s.nodes) {
            const auto f = s.followed.find(id);
            if (entry.source && entry.node.name == source && f != s.followed.end()) there = f->second.get();
        }
    }
    if (there == nullptr) return Error{"isn't connected.", source, "Connect it and try again."};
    there->set(wanted);
    return {};
}

Result<void> PipeWireGraph::make_default_source(const std::string& name) {
    State& s = *state_;
    if (!s.connection.is_open() || s.connection.lost()) return no_pipewire();
    const PipeWireConnection::Lock lock(s.connection);
    if (s.metadata == nullptr) {
        return Error{"Can't set the default microphone: no session manager is running.", "PipeWire",
                     "Start it (systemctl --user start wireplumber)."};
    }
    const std::string value = nlohmann::json{{"name", name}}.dump();
    pw_metadata_set_property(s.metadata, 0, "default.configured.audio.source", "Spa:String:JSON",
                             value.c_str());
    s.ask_in(State::kAskAfter);
    return {};
}

}  // namespace reed
