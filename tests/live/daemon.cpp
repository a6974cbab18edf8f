#include "live/daemon.h"

#include <fcntl.h>
#include <signal.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <thread>

#include "base/file.h"
#include "support/command.h"

namespace reed::test {
namespace {
void pause(int ms) {
    std::this_thread::sleep_for(std::chrono::milliseconds(ms));
}
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
    for (int i = 0; i < 200 && !std::filesystem::exists(folder_.folder() + "/pipewire-0"); ++i) pause(20);
    REQUIRE(std::filesystem::exists(folder_.folder() + "/pipewire-0"));
    children_.push_back(start({"dbus-run-session", "--", "wireplumber"}));
    // Its policy is at work once it has set up the default metadata.
    for (int i = 0; i < 200 && dump().find("default") == std::string::npos; ++i) pause(50);
    pause(500);
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
    for (int i = 0; i < 100; ++i) {
        if (waitpid(pid, nullptr, WNOHANG) != 0) return;
        pause(20);
    }
    kill(pid, SIGKILL);
    waitpid(pid, nullptr, 0);
}

std::string Daemon::dump() const {
    return run_command({"/usr/bin/pw-dump"}).out;
}

bool Daemon::wait_for_node(const std::string& name) const {
    for (int i = 0; i < 100; ++i) {
        if (dump().find("\"node.name\": \"" + name + "\"") != std::string::npos) return true;
        pause(50);
    }
    return false;
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

int Daemon::record_pair(const std::string& file, const std::string& left, const std::string& right) const {
    const int recorder = start({"pw-cat", "--record", "--target", "0", "--rate", "48000", "--channels", "2",
                                "--format", "f32", file});
    bool linked = false;
    for (int i = 0; i < 200 && !linked; ++i) {
        linked = run_command({"/usr/bin/pw-link", left + ":capture_MONO", "pw-cat:input_FL"}).status == 0;
        if (!linked) pause(10);
    }
    const auto second = run_command({"/usr/bin/pw-link", right + ":capture_MONO", "pw-cat:input_FR"});
    INFO(second.err << run_command({"/usr/bin/pw-link", "-io"}).out);
    REQUIRE(linked);
    REQUIRE(second.status == 0);
    return recorder;
}

int Daemon::record_sink(const std::string& file, const std::string& sink) const {
    const int recorder = start({"pw-cat", "--record", "--target", "0", "--rate", "48000", "--channels", "1",
                                "--format", "f32", file});
    bool linked = false;
    for (int i = 0; i < 200 && !linked; ++i) {
        linked = run_command({"/usr/bin/pw-link", sink + ":monitor_MONO", "pw-cat:input_MONO"}).status == 0;
        if (!linked) pause(10);
    }
    INFO(run_command({"/usr/bin/pw-link", "-io"}).out);
    REQUIRE(linked);
    return recorder;
}

int Daemon::play(const std::string& file, const std::string& target) const {
    // The session manager links players to sinks only; the way into a virtual microphone is linked by hand.
    const int player = start({"pw-cat", "--playback", "--target", "0", file});
    bool linked = false;
    for (int i = 0; i < 200 && !linked; ++i) {
        linked = run_command({"/usr/bin/pw-link", "pw-cat:output_MONO", target + ":input_MONO"}).status == 0;
        if (!linked) pause(10);
    }
    if (!linked) {
        const auto log = read_file(folder_.path("daemon.log"), 1'000'000);
        const auto ports = run_command({"/usr/bin/pw-link", "-io"});
        FAIL("the player was not linked\nports:\n"
             << ports.out << ports.err << "\nlog:\n"
             << (log.ok() ? log.value() : ""));
    }
    return player;
}

int Daemon::record(const std::string& file, const std::string& target, int rate) const {
    return start({"pw-cat", "--record", "--target", target, "--rate", std::to_string(rate), "--channels", "1",
                  "--format", "f32", file});
}

}  // namespace reed::test
