#include "live/daemon.h"

#include <fcntl.h>
#include <signal.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <catch2/catch.hpp>
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <functional>
#include <nlohmann/json.hpp>
#include <set>
#include <thread>

#include "base/file.h"
#include "support/command.h"

namespace reed::test {
namespace {
/// Looks again and again until `done`; false when it has not come about in a minute: how long it takes on a
/// busy machine says nothing.
bool until(const std::function<bool()>& done) {
    const auto last = std::chrono::steady_clock::now() + std::chrono::seconds(60);
    while (!done()) {
        if (std::chrono::steady_clock::now() > last) return false;
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    return true;
}

/// Left and right of a recorder, or the one port of a player.
constexpr const char* kPlayerPort = "pw-cat:output_MONO";
}  // namespace

int Daemon::start(const std::vector<std::string>& arguments) const {
    const pid_t child = fork();
    if (child == 0) {
        setpgid(0, 0);
        const int log = open((folder_.folder() + "/daemon.log").c_str(), O_WRONLY | O_CREAT | O_APPEND, 0600);
        dup2(log, STDOUT_FILENO);
        dup2(log, STDERR_FILENO);
        std::vector<char*> argv;
        for (const auto& a : arguments) argv.push_back(const_cast<char*>(a.c_str()));
        argv.push_back(nullptr);
        execvp(argv[0], argv.data());
        _exit(127);
    }
    return child;
}

Daemon::Daemon() {
    chmod(folder_.folder().c_str(), 0700);
    setenv("XDG_RUNTIME_DIR", folder_.folder().c_str(), 1);
    setenv("XDG_STATE_HOME", (folder_.folder() + "/state").c_str(), 1);
    setenv("XDG_CONFIG_HOME", (folder_.folder() + "/config").c_str(), 1);
    unsetenv("PIPEWIRE_REMOTE");
    unsetenv("PIPEWIRE_RUNTIME_DIR");
    // No Bluetooth: its monitor ends the session manager where systemd-logind does not run (containers).
    REQUIRE(write_file(folder_.path("config/wireplumber/bluetooth.lua.d/90-enable-all.lua"), "-- nothing\n")
                .ok());
    start_again();
}

void Daemon::start_again() {
    children_.push_back(start({"pipewire"}));
    REQUIRE(until([&] { return std::filesystem::exists(folder_.folder() + "/pipewire-0"); }));
    children_.push_back(start({"dbus-run-session", "--", "wireplumber"}));
    // The second of its two connections, with which its policy works; streams that come in before are linked
    // later.
    REQUIRE(until([&] { return dump().find("WirePlumber [export]") != std::string::npos; }));
}

Daemon::~Daemon() {
    stop();
}

void Daemon::stop() {
    for (auto it = children_.rbegin(); it != children_.rend(); ++it) {
        kill(-*it, SIGTERM);
        end(*it);
    }
    children_.clear();
    std::error_code ec;
    std::filesystem::remove(folder_.folder() + "/pipewire-0", ec);
}

void Daemon::end(int pid, int signal) {
    kill(pid, signal);
    if (until([&] { return waitpid(pid, nullptr, WNOHANG) != 0; })) return;
    kill(pid, SIGKILL);
    waitpid(pid, nullptr, 0);
}

bool Daemon::ended(int pid) {
    return waitpid(pid, nullptr, WNOHANG) != 0;
}

std::string Daemon::log() const {
    const auto text = read_file(folder_.path("daemon.log"), 1'000'000);
    return text.ok() ? text.value() : "";
}

std::string Daemon::dump() const {
    return run_command({"/usr/bin/pw-dump"}).out;
}

bool Daemon::wait_for_node(const std::string& name) const {
    return until([&] { return dump().find("\"node.name\": \"" + name + "\"") != std::string::npos; });
}

bool Daemon::hears(int pid, const std::string& node) const {
    return until([&] { return takes_sound(pid, node); });
}

bool Daemon::takes_sound(int pid, const std::string& from) const {
    const auto all = nlohmann::json::parse(dump(), nullptr, false);
    if (!all.is_array()) return false;
    const auto number = [](const nlohmann::json& object, const char* at) {
        const nlohmann::json::json_pointer where(at);
        return object.contains(where) && object[where].is_number_integer() ? object[where].get<int>() : -1;
    };
    // The process is known of the client, the client of the node, the node of the link.
    std::set<int> clients;
    std::set<int> nodes;
    std::set<int> sources;
    const nlohmann::json::json_pointer name("/info/props/node.name");
    for (const auto& object : all) {
        if (number(object, "/info/props/application.process.id") == pid)
            clients.insert(object["id"].get<int>());
        if (object.contains(name) && object[name] == from) sources.insert(object["id"].get<int>());
    }
    for (const auto& object : all) {
        if (clients.contains(number(object, "/info/props/client.id"))) nodes.insert(object["id"].get<int>());
    }
    return std::any_of(all.begin(), all.end(), [&](const auto& object) {
        return nodes.contains(number(object, "/info/input-node-id")) &&
               (from.empty() || sources.contains(number(object, "/info/output-node-id")));
    });
}

void Daemon::link(const std::string& from, const std::string& to) const {
    if (until([&] { return run_command({"/usr/bin/pw-link", from, to}).status == 0; })) return;
    FAIL("can't link " << from << " to " << to << "\nports:\n"
                       << run_command({"/usr/bin/pw-link", "-io"}).out << "\nlog:\n"
                       << log());
}

void Daemon::add_source(const std::string& name, const std::string& title) {
    const auto r = run_command(
        {"/usr/bin/pw-cli", "create-node", "adapter",
         "{ factory.name=support.null-audio-sink node.name=" + name + " node.description=\"" + title +
             "\" media.class=Audio/Source/Virtual object.linger=true audio.position=[ MONO ] }"});
    INFO(r.err);
    REQUIRE(r.status == 0);
    REQUIRE(wait_for_node(name));
}

void Daemon::add_sink(const std::string& name, const std::string& title) {
    const auto r =
        run_command({"/usr/bin/pw-cli", "create-node", "adapter",
                     "{ factory.name=support.null-audio-sink node.name=" + name + " node.description=\"" +
                         title + "\" media.class=Audio/Sink object.linger=true audio.position=[ MONO ] }"});
    INFO(r.err);
    REQUIRE(r.status == 0);
    REQUIRE(wait_for_node(name));
}

void Daemon::remove_node(const std::string& name) {
    const auto r = run_command({"/usr/bin/pw-cli", "destroy", name});
    INFO(r.err);
    REQUIRE(r.status == 0);
}

void Daemon::set_properties(const std::string& name, const std::string& props) {
    const auto r = run_command({"/usr/bin/pw-cli", "set-param", name, "Props", props});
    INFO(r.err);
    REQUIRE(r.status == 0);
}

int Daemon::record_pair(const std::string& file, const std::string& left, const std::string& right) const {
    const int recorder = start({"pw-cat", "--record", "--target", "0", "--rate", "48000", "--channels", "2",
                                "--format", "f32", file});
    link(left, "pw-cat:input_FL");
    link(right, "pw-cat:input_FR");
    return recorder;
}

int Daemon::play(const std::string& file, const std::string& target) const {
    // The session manager links players to sinks only; the way into a virtual microphone is linked by hand.
    const int player = start({"pw-cat", "--playback", "--target", "0", file});
    link(kPlayerPort, target + ":input_MONO");
    return player;
}

int Daemon::record(const std::string& file, const std::string& target, int rate) const {
    const int recorder = start({"pw-cat", "--record", "--target", target, "--rate", std::to_string(rate),
                                "--channels", "1", "--format", "f32", file});
    INFO(log());
    REQUIRE(until([&] { return takes_sound(recorder); }));
    return recorder;
}

}  // namespace reed::test
