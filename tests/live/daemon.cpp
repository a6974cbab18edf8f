#include "live/daemon.h"

#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <sys/inotify.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <catch2/catch.hpp>
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <set>

extern "C" {
#include <sys/pidfd.h>  // says nothing to C++ by itself
}

#include "base/file.h"
#include "support/command.h"

namespace reed::test {
namespace {
constexpr int kMinute = 60'000;  // ms: how long a thing takes on a busy machine says nothing

/// True when `fd` can be read before the time is over.
bool readable(int fd, int ms) {
    pollfd one{fd, POLLIN, 0};
    return poll(&one, 1, ms) > 0;
}

/// Waits for a file to appear in a folder.
bool appears(const std::string& folder, const std::string& name) {
    const int watch = inotify_init1(IN_CLOEXEC);
    inotify_add_watch(watch, folder.c_str(), IN_CREATE | IN_MOVED_TO);
    char news[4096];
    bool there = std::filesystem::exists(folder + "/" + name);
    while (!there && readable(watch, kMinute) && read(watch, news, sizeof news) > 0)
        there = std::filesystem::exists(folder + "/" + name);
    close(watch);
    return there;
}

/// Left and right of a recorder, or the one port of a player.
const nlohmann::json::json_pointer kNodeName("/info/props/node.name");
constexpr const char* kPlayerPort = "pw-cat:output_MONO";
}  // namespace

/// What the daemon tells of itself whenever something changes, as long as it lives: pw-dump --monitor's
/// arrays of objects.
class Daemon::News {
  public:
    News() {
        int ends[2];
        REQUIRE(pipe2(ends, O_CLOEXEC) == 0);
        from_ = ends[0];
        child_ = fork();
        if (child_ == 0) {
            dup2(ends[1], STDOUT_FILENO);
            execl("/usr/bin/pw-dump", "pw-dump", "--monitor", "--no-colors", nullptr);
            _exit(127);
        }
        close(ends[1]);
    }
    ~News() {
        kill(child_, SIGKILL);
        waitpid(child_, nullptr, 0);
        close(from_);
    }
    News(const News&) = delete;
    News& operator=(const News&) = delete;

    /// Takes in what comes next; false when nothing comes in a minute, or the daemon has ended.
    bool next() {
        char piece[65536];
        if (!readable(from_, kMinute)) return false;
        const auto n = read(from_, piece, sizeof piece);
        if (n <= 0) return false;
        text_.append(piece, static_cast<size_t>(n));
        for (auto end = text_.find("\n]\n"); end != std::string::npos; end = text_.find("\n]\n")) {
            const auto changed = nlohmann::json::parse(text_.substr(0, end + 3), nullptr, false);
            text_.erase(0, end + 3);
            for (const auto& object : changed) {
                // What has gone comes without its contents.
                const int id = object.value("id", -1);
                if (object.contains("info") && object["info"].is_null())
                    objects_.erase(id);
                else
                    objects_[id] = object;
            }
        }
        return true;
    }
    const Objects& objects() const { return objects_; }

  private:
    int from_ = -1;
    pid_t child_ = 0;
    std::string text_;
    Objects objects_;
};

/// Waits for what the daemon's objects are to show; false when it has not come about in a minute without
/// news.
bool Daemon::comes(const std::function<bool(const Objects&)>& done) const {
    const auto last = std::chrono::steady_clock::now() + std::chrono::milliseconds(kMinute);
    News news;
    while (!done(news.objects())) {
        if (!news.next() || std::chrono::steady_clock::now() > last) return false;
    }
    return true;
}

bool Daemon::goes_on(const std::string& file, double seconds) {
    const int watch = inotify_init1(IN_CLOEXEC);
    inotify_add_watch(watch, file.c_str(), IN_MODIFY);
    std::error_code ec;
    const auto wanted =
        std::filesystem::file_size(file, ec) + static_cast<std::uintmax_t>(seconds * 48000.0 * sizeof(float));
    bool there = !ec && seconds <= 0.0;
    char news[4096];
    while (!ec && !there && readable(watch, kMinute) && read(watch, news, sizeof news) > 0)
        there = std::filesystem::file_size(file, ec) >= wanted;
    close(watch);
    return there && !ec;
}

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
    REQUIRE(appears(folder_.folder(), "pipewire-0"));
    children_.push_back(start({"dbus-run-session", "--", "wireplumber"}));
    // The second of its two connections, with which its policy works; streams that come in before are linked
    // later.
    REQUIRE(comes([](const Objects& all) {
        return std::ranges::any_of(all, [](const auto& o) {
            return o.second.dump().find("WirePlumber [export]") != std::string::npos;
        });
    }));
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
    // One that was waited for already has no descriptor, and nothing to wait for.
    const int process = pidfd_open(pid, 0);
    if (process >= 0 && !readable(process, kMinute)) kill(pid, SIGKILL);
    if (process >= 0) close(process);
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
    return comes([&](const Objects& all) {
        return std::ranges::any_of(all, [&](const auto& o) { return o.second.value(kNodeName, "") == name; });
    });
}

bool Daemon::hears(int pid, const std::string& node) const {
    return comes([&](const Objects& all) { return takes_sound(all, pid, node); });
}

bool Daemon::takes_sound(const Objects& all, int pid, const std::string& from) {
    const auto number = [](const nlohmann::json& object, const char* at) {
        const nlohmann::json::json_pointer where(at);
        return object.contains(where) && object[where].is_number_integer() ? object[where].get<int>() : -1;
    };
    // The process is known of the client, the client of the node, the node of the link.
    std::set<int> clients;
    std::set<int> nodes;
    std::set<int> sources;
    for (const auto& [id, object] : all) {
        if (number(object, "/info/props/application.process.id") == pid) clients.insert(id);
        if (!from.empty() && object.value(kNodeName, "") == from) sources.insert(id);
    }
    for (const auto& [id, object] : all) {
        if (clients.contains(number(object, "/info/props/client.id"))) nodes.insert(id);
    }
    return std::ranges::any_of(all, [&](const auto& one) {
        const auto& object = one.second;
        return nodes.contains(number(object, "/info/input-node-id")) &&
               (from.empty() || sources.contains(number(object, "/info/output-node-id")));
    });
}

void Daemon::link(const std::string& from, const std::string& to) const {
    // It is there as soon as both ports are, which only pw-link knows how to name.
    if (comes([&](const Objects&) { return run_command({"/usr/bin/pw-link", from, to}).status == 0; }))
        return;
    FAIL("can't link " << from << " to " << to << "\nports:\n"
                       << run_command({"/usr/bin/pw-link", "-io"}).out << "\nlog:\n"
                       << log());
}

void Daemon::add_source(const std::string& name, const std::string& title, const std::string& positions,
                        int rate, const std::string& properties) {
    const auto r = run_command(
        {"/usr/bin/pw-cli", "create-node", "adapter",
         "{ factory.name=support.null-audio-sink node.name=" + name + " node.description=\"" + title +
             "\" media.class=Audio/Source/Virtual object.linger=true audio.position=[ " + positions + " ]" +
             (rate > 0 ? " audio.rate=" + std::to_string(rate) : "") + " " + properties + " }"});
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
    return record_ports(file, {left, right});
}

int Daemon::record_ports(const std::string& file, const std::vector<std::string>& ports) const {
    static const std::vector<std::string> kPositions{"FL", "FR", "FC", "RL", "RR"};
    REQUIRE(ports.size() <= kPositions.size());
    std::string map;
    for (size_t i = 0; i < ports.size(); ++i) map += (i > 0 ? "," : "") + kPositions[i];
    const int recorder = start({"pw-cat", "--record", "--target", "0", "--rate", "48000", "--channels",
                                std::to_string(ports.size()), "--channel-map", map, "--format", "f32", file});
    for (size_t i = 0; i < ports.size(); ++i) link(ports[i], "pw-cat:input_" + kPositions[i]);
    return recorder;
}

int Daemon::play(const std::string& file, const std::string& target) const {
    return play_into(file, target + ":input_MONO");
}

int Daemon::play_into(const std::string& file, const std::string& port) const {
    // The session manager links players to sinks only; the way into a virtual microphone is linked by hand.
    const int player = start({"pw-cat", "--playback", "--target", "0", file});
    link(kPlayerPort, port);
    return player;
}

int Daemon::record(const std::string& file, const std::string& target, int rate) const {
    const int recorder = start({"pw-cat", "--record", "--target", target, "--rate", std::to_string(rate),
                                "--channels", "1", "--format", "f32", file});
    INFO(log());
    REQUIRE(comes([&](const Objects& all) { return takes_sound(all, recorder, {}); }));
    return recorder;
}

}  // namespace reed::test
