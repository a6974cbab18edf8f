#include "devices/virtual_microphone.h"

#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <chrono>
#include <cstdlib>
#include <cstring>
#include <map>
#include <vector>

#include "devices/pipewire_connection.h"

namespace reed {
namespace {

using Clock = std::chrono::steady_clock;

constexpr auto kTryAgain = std::chrono::seconds(1);

uint32_t number(const spa_dict* props, const char* key) {
    return static_cast<uint32_t>(std::strtoul(property(props, key).c_str(), nullptr, 10));
}

/// Marks a node as made by this program, with its channels: PipeWire reports the path of every node, but not
/// its channels.
std::string path_for(int channels) {
    return "dusky-reed:virtual-microphone:" + std::to_string(channels);
}

}  // namespace

std::string feed_path() {
    return "dusky-reed:feed:" + std::to_string(::getpid());
}

std::string node_of(const std::string& strip) {
    std::string out = std::string(kOwnNodes) + "-strip-";
    for (const char c : strip) out += std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' ? c : '-';
    return out;
}

struct VirtualMicrophone::State {
    struct Mic {
        std::string path, title;
    };
    struct Port {
        uint32_t node = 0;
        bool input = false;
    };
    struct Link {
        uint32_t from_node = 0, from_port = 0, to_node = 0, to_port = 0;
    };

    // All under the connection's lock.
    PipeWireConnection* connection = nullptr;
    Wish wish;
    uint32_t feed = PW_ID_ANY;
    pw_registry* registry = nullptr;
    spa_hook registry_hook{}, core_hook{};
    int expected = -1;
    bool told = false;
    std::map<uint32_t, Mic> mics;
    std::map<uint32_t, std::string> feeds;  // paths of streams named as ours, of whatever process
    bool contested = false;                 // another process fed it, and take_over() was not called since
    std::map<uint32_t, Port> ports;
    std::map<uint32_t, Link> links;
    pw_proxy* made = nullptr;
    Clock::time_point made_at{};
    std::vector<pw_proxy*> linked;  // what this program linked, for `linked_feed`
    uint32_t linked_feed = PW_ID_ANY;
    Clock::time_point linked_at{};
    Clock::time_point free_at{};  // when another program last stopped writing to it

    void add(uint32_t id, const char* type, const spa_dict* props);
    void remove(uint32_t id);
    void make();
    void link(const std::vector<uint32_t>& from, uint32_t mic, const std::vector<uint32_t>& to);
    void unlink();
    std::vector<uint32_t> ports_of(uint32_t node, bool input) const;
    bool is_linked(uint32_t from, uint32_t to) const;
    bool fed_by_another(uint32_t mic) const;
    bool fed_by_another_process(uint32_t mic) const;
    Standing act();
    Standing occupied() const;
};

void VirtualMicrophone::State::add(uint32_t id, const char* type, const spa_dict* props) {
    if (props == nullptr) return;
    if (std::strcmp(type, PW_TYPE_INTERFACE_Node) == 0) {
        const std::string name = property(props, PW_KEY_NODE_NAME);
        const std::string path = property(props, PW_KEY_OBJECT_PATH);
        if (name == wish.node && path.rfind(path_for(0).substr(0, path_for(0).size() - 1), 0) == 0)
            mics[id] = {path, property(props, PW_KEY_NODE_DESCRIPTION)};
        if (name == wish.feed) feeds[id] = path;
    } else if (std::strcmp(type, PW_TYPE_INTERFACE_Port) == 0) {
        ports[id] = {number(props, PW_KEY_NODE_ID), property(props, PW_KEY_PORT_DIRECTION) == "in"};
    } else if (std::strcmp(type, PW_TYPE_INTERFACE_Link) == 0) {
        links[id] = {number(props, PW_KEY_LINK_OUTPUT_NODE), number(props, PW_KEY_LINK_OUTPUT_PORT),
                     number(props, PW_KEY_LINK_INPUT_NODE), number(props, PW_KEY_LINK_INPUT_PORT)};
    } else {
        return;
    }
    act();
}

void VirtualMicrophone::State::remove(uint32_t id) {
    mics.erase(id);
    feeds.erase(id);
    ports.erase(id);
    links.erase(id);
    act();
}

void VirtualMicrophone::State::make() {
    if (made != nullptr) pw_proxy_destroy(made);
    pw_properties* p = pw_properties_new(
        PW_KEY_FACTORY_NAME, "support.null-audio-sink", PW_KEY_NODE_NAME, wish.node.c_str(),
        PW_KEY_NODE_DESCRIPTION, wish.title.c_str(), PW_KEY_MEDIA_CLASS, "Audio/Source/Virtual",
        PW_KEY_OBJECT_LINGER, "true", PW_KEY_OBJECT_PATH, path_for(wish.channels).c_str(),
        PW_KEY_NODE_LINK_GROUP, kLinkGroup, PW_KEY_NODE_VIRTUAL, "true", "audio.position",
        wish.channels == 1 ? "[ MONO ]" : "[ FL FR ]", nullptr);
    made = static_cast<pw_proxy*>(pw_core_create_object(connection->core(), "adapter", PW_TYPE_INTERFACE_Node,
                                                        PW_VERSION_NODE, &p->dict, 0));
    pw_properties_free(p);
    made_at = Clock::now();
}

void VirtualMicrophone::State::unlink() {
    for (pw_proxy* l : linked) pw_proxy_destroy(l);
    linked.clear();
}

void VirtualMicrophone::State::link(const std::vector<uint32_t>& from, uint32_t mic,
                                    const std::vector<uint32_t>& to) {
    unlink();
    linked_feed = feed;
    linked_at = Clock::now();
    for (size_t c = 0; c < from.size(); ++c) {
        pw_properties* p = pw_properties_new(nullptr, nullptr);
        pw_properties_setf(p, PW_KEY_LINK_OUTPUT_NODE, "%u", feed);
        pw_properties_setf(p, PW_KEY_LINK_OUTPUT_PORT, "%u", from[c]);
        pw_properties_setf(p, PW_KEY_LINK_INPUT_NODE, "%u", mic);
        pw_properties_setf(p, PW_KEY_LINK_INPUT_PORT, "%u", to[c]);
        auto* made_link = static_cast<pw_proxy*>(pw_core_create_object(
            connection->core(), "link-factory", PW_TYPE_INTERFACE_Link, PW_VERSION_LINK, &p->dict, 0));
        pw_properties_free(p);
        if (made_link != nullptr) linked.push_back(made_link);
    }
}

std::vector<uint32_t> VirtualMicrophone::State::ports_of(uint32_t node, bool input) const {
    std::vector<uint32_t> out;
    for (const auto& [id, port] : ports) {
        if (port.node == node && port.input == input) out.push_back(id);
    }
    return out;
}

bool VirtualMicrophone::State::is_linked(uint32_t from, uint32_t to) const {
    return std::any_of(links.begin(), links.end(),
                       [&](const auto& l) { return l.second.from_port == from && l.second.to_port == to; });
}

bool VirtualMicrophone::State::fed_by_another(uint32_t mic) const {
    return std::any_of(links.begin(), links.end(), [&](const auto& l) {
        return l.second.to_node == mic && l.second.from_node != feed && feeds.contains(l.second.from_node);
    });
}

bool VirtualMicrophone::State::fed_by_another_process(uint32_t mic) const {
    return std::any_of(links.begin(), links.end(), [&](const auto& l) {
        const auto from = feeds.find(l.second.from_node);
        return l.second.to_node == mic && from != feeds.end() && from->second != feed_path();
    });
}

/// A stream that ends may still be listed for a moment, this program's own of before among them.
VirtualMicrophone::Standing VirtualMicrophone::State::occupied() const {
    return Clock::now() - free_at > kTryAgain ? Standing::occupied : Standing::coming;
}

VirtualMicrophone::Standing VirtualMicrophone::State::act() {
    const bool taken =
        std::any_of(mics.begin(), mics.end(), [&](const auto& m) { return fed_by_another(m.first); });
    if (!taken) free_at = Clock::now();
    contested = contested || std::any_of(mics.begin(), mics.end(),
                                         [&](const auto& m) { return fed_by_another_process(m.first); });
    if (feed != linked_feed) unlink();
    if (!told) return Standing::coming;
    const auto fits = [&](const auto& m) {
        return m.second.path == path_for(wish.channels) && m.second.title == wish.title;
    };
    const auto mic = std::find_if(mics.begin(), mics.end(), fits);
    if (mic == mics.end()) {
        if (taken) return occupied();  // another process feeds one of other channels: it is left to it
        if (Clock::now() - made_at > kTryAgain) make();
        return Standing::coming;
    }
    const auto to = ports_of(mic->first, true);
    const auto channels = static_cast<size_t>(wish.channels);
    if (to.size() != channels) return Standing::coming;  // the session manager has not made them yet
    if (taken) return occupied();
    if (contested) return Standing::vacant;
    for (const auto& [id, other] : mics) {
        if (id != mic->first) pw_registry_destroy(registry, id);
    }
    if (feed == PW_ID_ANY) return Standing::unfed;
    const auto from = ports_of(feed, false);
    if (from.size() != channels) return Standing::coming;
    bool all = true;
    for (size_t c = 0; c < channels; ++c) all = all && is_linked(from[c], to[c]);
    if (all) return Standing::fed;
    if (feed != linked_feed || Clock::now() - linked_at > kTryAgain) link(from, mic->first, to);
    return Standing::coming;
}

VirtualMicrophone::VirtualMicrophone() : state_(std::make_unique<State>()) {}

VirtualMicrophone::~VirtualMicrophone() {
    detach();
}

void VirtualMicrophone::attach(PipeWireConnection& connection, const Wish& wish) {
    detach();
    State& s = *state_;
    s.connection = &connection;
    s.wish = wish;
    static const pw_core_events core_events = [] {
        pw_core_events e{};
        e.version = PW_VERSION_CORE_EVENTS;
        e.done = [](void* data, uint32_t, int seq) {
            auto* state = static_cast<State*>(data);
            if (seq != state->expected) return;
            state->told = true;
            state->act();
        };
        return e;
    }();
    const PipeWireConnection::Lock lock(connection);
    pw_core_add_listener(connection.core(), &s.core_hook, &core_events, &s);
    s.registry = pw_core_get_registry(connection.core(), PW_VERSION_REGISTRY, 0);
    pw_registry_add_listener(s.registry, &s.registry_hook, &registry_events<State>(), &s);
    s.expected = pw_core_sync(connection.core(), PW_ID_CORE, 0);
}

void VirtualMicrophone::detach() {
    State& s = *state_;
    if (s.connection == nullptr) return;
    {
        const PipeWireConnection::Lock lock(*s.connection);
        s.unlink();
        if (s.made != nullptr) pw_proxy_destroy(s.made);  // the node lingers
        spa_hook_remove(&s.registry_hook);
        pw_proxy_destroy(static_cast<pw_proxy*>(static_cast<void*>(s.registry)));
        spa_hook_remove(&s.core_hook);
    }
    s = State{};
}

void VirtualMicrophone::take_over() {
    State& s = *state_;
    if (s.connection == nullptr) return;
    const PipeWireConnection::Lock lock(*s.connection);
    s.contested = false;
    s.act();
}

VirtualMicrophone::Standing VirtualMicrophone::tend(std::uint32_t feed) {
    State& s = *state_;
    if (s.connection == nullptr) return Standing::coming;
    const PipeWireConnection::Lock lock(*s.connection);
    s.feed = feed;
    return s.act();
}

}  // namespace reed
