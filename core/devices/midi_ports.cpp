#include "devices/midi_ports.h"

#include <pipewire/filter.h>
#include <pipewire/pipewire.h>
#include <readerwriterqueue/readerwriterqueue.h>
#include <spa/control/control.h>
#include <spa/pod/builder.h>
#include <spa/pod/iter.h>
#include <sys/eventfd.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdlib>
#include <cstring>
#include <functional>
#include <map>
#include <mutex>

#include "devices/pipewire_connection.h"
#include "devices/virtual_microphone.h"

namespace reed {
namespace {

using Clock = std::chrono::steady_clock;
constexpr const char* kMidiFormat = "8 bit raw midi";
constexpr const char* kNode = "dusky-reed-midi";
/// Frames at 48 kHz in which a message is delivered at the latest, if the device's clock allows it.
constexpr const char* kLatency = "128/48000";
constexpr size_t kToSend = 1024, kLongestName = 120;

struct Received {
    std::uint32_t device = 0;  // id of its output port
    MidiMessage message{};
};

/// One of PipeWire's MIDI ports.
struct Port {
    std::uint32_t node = 0;
    std::string name;
    bool sends = false;        // an output port
    std::uint64_t serial = 0;  // ids are used again, these aren't
};

/// A connection of two ports, which exists while this does.
class PortLink {
  public:
    PortLink() = default;
    ~PortLink() { end(); }
    PortLink(const PortLink&) = delete;
    PortLink& operator=(const PortLink&) = delete;

    /// `on_change`: called on the loop's thread when active() has changed.
    void begin(pw_core* core, const spa_dict& props, std::function<void()> on_change) {
        static const pw_link_events events = [] {
            pw_link_events e{};
            e.version = PW_VERSION_LINK_EVENTS;
            e.info = [](void* data, const pw_link_info* info) {
                static_cast<PortLink*>(data)->follow(*info);
            };
            return e;
        }();
        on_change_ = std::move(on_change);
        link_ = static_cast<pw_link*>(
            pw_core_create_object(core, "link-factory", PW_TYPE_INTERFACE_Link, PW_VERSION_LINK, &props, 0));
        if (link_ != nullptr) pw_link_add_listener(link_, &hook_, &events, this);
    }
    void end() {
        if (link_ == nullptr) return;
        spa_hook_remove(&hook_);
        pw_proxy_destroy(reinterpret_cast<pw_proxy*>(link_));
        link_ = nullptr;
        active_ = false;
    }
    bool begun() const { return link_ != nullptr; }
    /// Whether what is sent arrives.
    bool active() const { return active_.load(std::memory_order_relaxed); }

  private:
    void follow(const pw_link_info& info) {
        if (active_.exchange(info.state == PW_LINK_STATE_ACTIVE) != (info.state == PW_LINK_STATE_ACTIVE))
            on_change_();
    }
    pw_link* link_ = nullptr;
    spa_hook hook_{};
    std::atomic<bool> active_{false};
    std::function<void()> on_change_;
};

}  // namespace

struct MidiPorts::State {
    /// Our node that is linked to a device.
    struct Link {
        State* owner = nullptr;
        std::uint32_t device = 0;  // id of its output port
        std::uint32_t input = 0;   // id of its input port; 0: it has none
        pw_filter* filter = nullptr;
        spa_hook hook{};
        void *from = nullptr, *to = nullptr;  // our ports, from and to the device
        PortLink receives, sends;
        std::atomic<bool> runs{false};  // something could have arrived
        MidiParser parser;
        moodycamel::ReaderWriterQueue<MidiBytes> to_send{kToSend};
        void process();
        void read(const spa_data& data);
        void write(const spa_data& data);
    };

    moodycamel::ReaderWriterQueue<Received> received{kQueue};
    pw_registry* registry = nullptr;
    Clock::time_point last_try{};
    std::atomic<std::uint64_t> version{0};
    mutable std::mutex mutex;  // of the maps and of what is wanted
    spa_hook registry_hook{};
    std::map<std::uint32_t, Port> ports, own_ports;
    std::map<std::uint32_t, std::string> nodes;
    std::map<std::uint32_t, std::unique_ptr<Link>> links;  // by Link::device; the loop's own
    std::set<std::string> names;
    std::map<std::uint32_t, std::string> names_of;  // of the devices, by port
    PipeWireConnection connection;
    int wake = ::eventfd(0, EFD_NONBLOCK | EFD_CLOEXEC);
    bool all = false;

    void wake_up() const {
        const std::uint64_t one = 1;
        // Fails only when it is readable anyway.
        [[maybe_unused]] const auto written = ::write(wake, &one, sizeof one);
    }
    /// Devices came, were connected or went.
    void notify() {
        version.fetch_add(1, std::memory_order_relaxed);
        wake_up();
    }
    bool wanted() const { return all || !names.empty(); }
    struct Named {
        std::uint32_t port = 0;
        std::string name;
    };
    std::vector<Named> named(bool sends) const;
    void add(std::uint32_t id, const char* type, const spa_dict* props);
    void remove(std::uint32_t id);
    void arrange();
    void open(Link& link);
    void close(Link& link);
    void begin(PortLink& link, std::uint32_t from_node, std::uint32_t from, std::uint32_t to_node,
               std::uint32_t to);
    void connect();
    void disconnect();
};

// --- the audio thread ---

void MidiPorts::State::Link::process() {
    if (pw_buffer* buffer = pw_filter_dequeue_buffer(from)) {
        if (!runs.exchange(true, std::memory_order_relaxed)) owner->notify();
        if (buffer->buffer->n_datas > 0) read(buffer->buffer->datas[0]);
        pw_filter_queue_buffer(from, buffer);
    }
    if (to == nullptr) return;
    if (pw_buffer* buffer = pw_filter_dequeue_buffer(to)) {
        if (buffer->buffer->n_datas > 0) write(buffer->buffer->datas[0]);
        pw_filter_queue_buffer(to, buffer);
    }
}

void MidiPorts::State::Link::read(const spa_data& data) {
    if (data.data == nullptr || data.chunk == nullptr) return;
    auto* pod = static_cast<spa_pod*>(
        spa_pod_from_data(data.data, data.maxsize, data.chunk->offset, data.chunk->size));
    if (pod == nullptr || !spa_pod_is_sequence(pod)) return;
    bool any = false;
    spa_pod_control* control = nullptr;
    SPA_POD_SEQUENCE_FOREACH(reinterpret_cast<spa_pod_sequence*>(pod), control) {
        if (control->type != SPA_CONTROL_Midi) continue;
        const auto* bytes = static_cast<const std::uint8_t*>(SPA_POD_BODY(&control->value));
        for (std::uint32_t i = 0; i < SPA_POD_BODY_SIZE(&control->value); ++i) {
            if (const auto message = parser.push(bytes[i]))
                any = owner->received.try_enqueue({device, *message}) || any;
        }
    }
    if (any) owner->wake_up();
}

void MidiPorts::State::Link::write(const spa_data& data) {
    if (data.data == nullptr || data.chunk == nullptr) return;
    spa_pod_builder builder{};
    spa_pod_frame frame{};
    spa_pod_builder_init(&builder, data.data, data.maxsize);
    spa_pod_builder_push_sequence(&builder, &frame, 0);
    MidiBytes message;
    // What has no room in this cycle goes with the next one.
    while (builder.state.offset + 64 < data.maxsize && to_send.try_dequeue(message)) {
        spa_pod_builder_control(&builder, 0, SPA_CONTROL_Midi);
        spa_pod_builder_bytes(&builder, message.bytes.data(), message.size);
    }
    spa_pod_builder_pop(&builder, &frame);
    data.chunk->offset = 0;
    data.chunk->size = builder.state.offset;
    data.chunk->stride = 1;
}

// --- the loop's thread, or with its lock ---

/// The devices in the order in which they came; those with the same name are numbered.
std::vector<MidiPorts::State::Named> MidiPorts::State::named(bool sends) const {
    std::vector<std::pair<std::uint32_t, const Port*>> in_order;
    for (const auto& [id, port] : ports) {
        if (port.sends == sends) in_order.emplace_back(id, &port);
    }
    std::ranges::sort(in_order, {}, [](const auto& p) { return p.second->serial; });
    std::vector<Named> out;
    std::map<std::string, int> count;
    for (const auto& [id, port] : in_order) {
        std::string name = port->name;
        if (name.empty()) {
            const auto node = nodes.find(port->node);
            name = node != nodes.end() ? node->second : "MIDI";
        }
        if (name.size() > kLongestName) {
            size_t end = kLongestName;
            while (end > 0 && (static_cast<unsigned char>(name[end]) & 0xc0) == 0x80)
                --end;  // a whole character
            name.resize(end);
        }
        const int n = ++count[name];
        out.push_back({id, n == 1 ? name : name + " (" + std::to_string(n) + ")"});
    }
    return out;
}

void MidiPorts::State::add(std::uint32_t id, const char* type, const spa_dict* props) {
    if (props == nullptr) return;
    const auto number = [&](const char* key) {
        return static_cast<std::uint32_t>(std::strtoul(property(props, key).c_str(), nullptr, 10));
    };
    if (std::strcmp(type, PW_TYPE_INTERFACE_Node) == 0) {
        const std::lock_guard lock(mutex);
        nodes[id] = property(props, PW_KEY_NODE_NAME);
        return;
    }
    if (std::strcmp(type, PW_TYPE_INTERFACE_Port) != 0) return;
    if (property(props, PW_KEY_FORMAT_DSP) != kMidiFormat || property(props, PW_KEY_PORT_MONITOR) == "true")
        return;
    Port port{number(PW_KEY_NODE_ID), property(props, PW_KEY_PORT_ALIAS),
              property(props, PW_KEY_PORT_DIRECTION) == "out",
              std::strtoull(property(props, PW_KEY_OBJECT_SERIAL).c_str(), nullptr, 10)};
    {
        const std::lock_guard lock(mutex);
        const auto node = nodes.find(port.node);
        const bool ours = node != nodes.end() && node->second.rfind(kOwnNodes, 0) == 0;
        (ours ? own_ports : ports)[id] = std::move(port);
    }
    arrange();
    notify();
}

void MidiPorts::State::remove(std::uint32_t id) {
    {
        const std::lock_guard lock(mutex);
        nodes.erase(id);
        if (ports.erase(id) + own_ports.erase(id) == 0) return;
    }
    arrange();
    notify();
}

void MidiPorts::State::arrange() {
    const std::lock_guard lock(mutex);
    const auto devices = named(true), inputs = named(false);
    names_of.clear();
    for (const auto& [id, name] : devices) names_of[id] = name;
    // Those that are gone or not wanted any more.
    std::erase_if(links, [&](auto& entry) {
        const auto at = std::ranges::find(devices, entry.first, &Named::port);
        const bool stays = at != devices.end() && (all || names.contains(at->name));
        const bool input_gone = entry.second->input != 0 && !ports.contains(entry.second->input);
        if (stays && !input_gone) return false;
        close(*entry.second);
        return true;
    });
    for (const auto& [id, name] : devices) {
        if (links.contains(id) || !(all || names.contains(name))) continue;
        auto made = std::make_unique<Link>();
        made->owner = this;
        made->device = id;
        const auto input = std::ranges::find(inputs, name, &Named::name);
        if (input != inputs.end()) made->input = input->port;
        open(*made);
        if (made->filter != nullptr) links.emplace(id, std::move(made));
    }
    for (auto& [id, link] : links) {
        const std::uint32_t node = pw_filter_get_node_id(link->filter);
        for (const auto& [port_id, port] : own_ports) {
            if (port.node != node) continue;
            if (!port.sends && !link->receives.begun())
                begin(link->receives, ports.at(id).node, id, node, port_id);
            if (port.sends && !link->sends.begun() && link->input != 0)
                begin(link->sends, node, port_id, ports.at(link->input).node, link->input);
        }
    }
}

void MidiPorts::State::begin(PortLink& link, std::uint32_t from_node, std::uint32_t from,
                             std::uint32_t to_node, std::uint32_t to) {
    const std::string a = std::to_string(from_node), b = std::to_string(from), c = std::to_string(to_node),
                      d = std::to_string(to);
    const spa_dict_item items[] = {{PW_KEY_LINK_OUTPUT_NODE, a.c_str()},
                                   {PW_KEY_LINK_OUTPUT_PORT, b.c_str()},
                                   {PW_KEY_LINK_INPUT_NODE, c.c_str()},
                                   {PW_KEY_LINK_INPUT_PORT, d.c_str()}};
    const spa_dict props{0, std::size(items), items};
    link.begin(connection.core(), props, [this] { notify(); });
}

void MidiPorts::State::open(Link& link) {
    static const pw_filter_events events = [] {
        pw_filter_events e{};
        e.version = PW_VERSION_FILTER_EVENTS;
        e.process = [](void* data, spa_io_position*) { static_cast<Link*>(data)->process(); };
        return e;
    }();
    const std::string name = std::string(kNode) + "-" + std::to_string(link.device);
    pw_properties* props =
        pw_properties_new(PW_KEY_MEDIA_TYPE, "Midi", PW_KEY_MEDIA_CATEGORY, "Filter", PW_KEY_MEDIA_ROLE,
                          "DSP", PW_KEY_NODE_NAME, name.c_str(), PW_KEY_NODE_DESCRIPTION, "Dusky Reed MIDI",
                          PW_KEY_NODE_LATENCY, kLatency, PW_KEY_NODE_WANT_DRIVER, "true", nullptr);
    link.filter = pw_filter_new(connection.core(), name.c_str(), props);
    if (link.filter == nullptr) return;
    pw_filter_add_listener(link.filter, &link.hook, &events, &link);
    const auto port = [&](pw_direction direction, const char* title) {
        return pw_filter_add_port(
            link.filter, direction, PW_FILTER_PORT_FLAG_MAP_BUFFERS, sizeof(void*),
            pw_properties_new(PW_KEY_FORMAT_DSP, kMidiFormat, PW_KEY_PORT_NAME, title, nullptr), nullptr, 0);
    };
    link.from = port(PW_DIRECTION_INPUT, "from-device");
    if (link.input != 0) link.to = port(PW_DIRECTION_OUTPUT, "to-device");
    if (link.from == nullptr || pw_filter_connect(link.filter, PW_FILTER_FLAG_RT_PROCESS, nullptr, 0) < 0)
        close(link);
}

void MidiPorts::State::close(Link& link) {
    link.receives.end();
    link.sends.end();
    if (link.filter != nullptr) pw_filter_destroy(link.filter);
    link.filter = nullptr;
}

void MidiPorts::State::connect() {
    last_try = Clock::now();
    if (!connection.open(kNode, PipeWireConnection::Use::sound)) return;
    const PipeWireConnection::Lock lock(connection);
    registry = pw_core_get_registry(connection.core(), PW_VERSION_REGISTRY, 0);
    pw_registry_add_listener(registry, &registry_hook, &registry_events<State>(), this);
}

void MidiPorts::State::disconnect() {
    if (connection.is_open()) {
        const PipeWireConnection::Lock lock(connection);
        for (auto& [id, link] : links) close(*link);
        links.clear();
        spa_hook_remove(&registry_hook);
        pw_proxy_destroy(reinterpret_cast<pw_proxy*>(registry));
        registry = nullptr;
    }
    connection.close();
    const std::lock_guard lock(mutex);
    ports.clear();
    own_ports.clear();
    nodes.clear();
    names_of.clear();
    notify();
}

// --- the thread that uses it ---

MidiPorts::MidiPorts() : state_(std::make_unique<State>()) {}

MidiPorts::~MidiPorts() {
    state_->disconnect();
    ::close(state_->wake);
}

void MidiPorts::want(bool all, const std::set<std::string>& names) {
    State& s = *state_;
    {
        const std::lock_guard lock(s.mutex);
        if (s.all == all && s.names == names) return;
        s.all = all;
        s.names = names;
    }
    if (!s.wanted()) return s.disconnect();
    if (!s.connection.is_open()) return s.connect();
    const PipeWireConnection::Lock lock(s.connection);
    s.arrange();
    s.notify();
}

std::vector<std::string> MidiPorts::devices() const {
    std::vector<std::string> out;
    const std::lock_guard lock(state_->mutex);
    for (const auto& [id, name] : state_->named(true)) out.push_back(name);
    return out;
}

std::vector<std::string> MidiPorts::connected() const {
    std::vector<std::string> out;
    const std::lock_guard lock(state_->mutex);
    for (const auto& [id, name] : state_->named(true)) {
        const auto link = state_->links.find(id);
        if (link != state_->links.end() && link->second->runs) out.push_back(name);
    }
    return out;
}

bool MidiPorts::available() const {
    return state_->connection.is_open() && !state_->connection.lost();
}

std::uint64_t MidiPorts::version() const {
    return state_->version.load(std::memory_order_relaxed);
}

int MidiPorts::descriptor() const {
    return state_->wake;
}

void MidiPorts::acknowledge() {
    std::uint64_t count = 0;
    [[maybe_unused]] const auto got = ::read(state_->wake, &count, sizeof count);
}

bool MidiPorts::next(MidiEvent& out) {
    Received received;
    while (state_->received.try_dequeue(received)) {
        const std::lock_guard lock(state_->mutex);
        const auto at = state_->names_of.find(received.device);
        if (at == state_->names_of.end()) continue;  // it has gone since
        out = {at->second, received.message};
        return true;
    }
    return false;
}

bool MidiPorts::send(const std::string& device, const MidiMessage& message) {
    const std::lock_guard lock(state_->mutex);
    for (const auto& [id, name] : state_->named(true)) {
        if (name != device) continue;
        const auto link = state_->links.find(id);
        return link != state_->links.end() && link->second->sends.active() &&
               link->second->to_send.try_enqueue(midi_bytes(message));
    }
    return false;
}

void MidiPorts::tend() {
    State& s = *state_;
    if (s.connection.is_open() && s.connection.lost()) s.disconnect();
    if (s.wanted() && !s.connection.is_open() && Clock::now() - s.last_try > std::chrono::seconds(1))
        s.connect();
}

}  // namespace reed
