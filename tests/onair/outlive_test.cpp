// The virtual microphone outlives the program: whoever listens to it hears silence, never the plain
// microphone.
#include <signal.h>

#include <QTest>
#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>

#include "base/file.h"
#include "base/sound_file.h"
#include "live/daemon.h"
#include "onair/program.h"
#include "scenes/working_state.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Largest sample among the last `frames` of a float recording that is being written; -1 while it is shorter.
double last_peak(const std::string& recording, size_t frames) {
    std::ifstream in(recording, std::ios::binary | std::ios::ate);
    const auto size = in.tellg();
    const auto bytes = static_cast<std::streamoff>(frames * sizeof(float));
    if (size < bytes + 4096) return -1.0;
    // Samples begin at a multiple of four: WAV's header is made of such pieces.
    in.seekg((static_cast<std::streamoff>(size) - bytes) / 4 * 4);
    std::vector<float> x(frames);
    in.read(reinterpret_cast<char*>(x.data()), bytes);
    return peak(x);
}

/// Whether a stream of ours is linked into the virtual microphone.
bool fed(const Daemon& daemon) {
    std::map<int, std::string> names;
    const auto all = nlohmann::json::parse(daemon.dump());
    for (const auto& o : all) {
        if (o.value("type", "") != "PipeWire:Interface:Node") continue;
        names[o.at("id").get<int>()] = o.at("info").at("props").value("node.name", "");
    }
    return std::ranges::any_of(all, [&](const auto& o) {
        if (o.value("type", "") != "PipeWire:Interface:Link") return false;
        const auto& info = o.at("info");
        return names[info.at("output-node-id")] == "dusky-reed-feed" &&
               names[info.at("input-node-id")] == "dusky-reed";
    });
}

void start_with_microphone(const Home& home, const std::string& microphone) {
    std::filesystem::remove(home.state().parent_path() / "start-crashed");
    WorkingState state;
    state.scene.name = "Half";
    state.scene.chain() = chain_of({stage("gain", {{"gain", -6}})});
    state.input.kind = "pipewire";
    state.input.target = microphone;
    REQUIRE(save_working_state(home.state(), state).ok());
}

}  // namespace

TEST_CASE("killed, ended or crashed, it leaves silence, and is heard again after a start", "[onair][live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    Home home;
    home.runtime = QString::fromStdString(daemon.folder());
    const char* tries_wanted = std::getenv("REED_TRIES");
    const int tries = tries_wanted != nullptr ? std::atoi(tries_wanted) : 3;
    // The plain microphone is twice as loud as the feed, so it would be seen wherever it got through.
    const std::string file = daemon.folder() + "/tone.wav";
    write_wav(file, mono(sine(997, 0.5, 60.0 + 30.0 * tries)));
    const int player = daemon.play(file, "desk_mic");
    const std::string heard = daemon.folder() + "/heard.wav";
    int recorder = -1;
    constexpr size_t kLook = 4800;
    const auto comes = [&](double least, double most) {
        return QTest::qWaitFor(
            [&] {
                const double p = last_peak(heard, kLook);
                return p >= least && p <= most;
            },
            60'000);
    };
    for (int n = 0; n < tries; ++n) {
        const int how = std::vector<int>{SIGKILL, SIGTERM, SIGSEGV}[static_cast<size_t>(n % 3)];
        INFO("try " << n << ", signal " << how);
        start_with_microphone(home, "desk_mic");
        Running program(home, {});
        REQUIRE(daemon.wait_for_node("dusky-reed"));
        if (recorder < 0) recorder = daemon.record(heard, "dusky-reed");
        REQUIRE(comes(0.24, 0.26));
        REQUIRE(::kill(static_cast<pid_t>(program.p.processId()), how) == 0);
        REQUIRE(program.p.waitForFinished(60'000));
        CHECK((program.p.exitStatus() == QProcess::NormalExit) == (how == SIGTERM));
        REQUIRE(comes(0.0, 0.0));
    }
    Daemon::end(recorder, SIGINT);
    Daemon::end(player);
    const auto all = read_sound(heard);
    REQUIRE(all.ok());
    CHECK(peak(all.value()[0]) < 0.26);
}

TEST_CASE("whoever takes the microphone over from one that was muted and killed is muted too",
          "[onair][live]") {
    for (const bool command_line : {false, true}) {
        INFO((command_line ? "dusky-reed-cli live" : "a second window without the bus"));
        Daemon daemon;
        daemon.add_source("desk_mic", "Desk microphone");
        Home home;
        home.runtime = QString::fromStdString(daemon.folder());
        const std::string file = daemon.folder() + "/tone.wav";
        write_wav(file, mono(sine(997, 0.5, 120.0)));
        const int player = daemon.play(file, "desk_mic");
        start_with_microphone(home, "desk_mic");
        const QString scene = home.folder.filePath("scene.json");
        Scene half;
        half.name = "Half";
        half.chain() = chain_of({stage("gain", {{"gain", -6}})});
        REQUIRE(write_file(scene.toStdString(), write_scene(half)).ok());
        QProcess second;
        second.setProcessEnvironment(home.environment(true));
        const std::string heard = daemon.folder() + "/heard.wav";
        int recorder = -1;
        {
            Running first(home, {});
            REQUIRE(daemon.wait_for_node("dusky-reed"));
            REQUIRE(QTest::qWaitFor([&] { return fed(daemon); }, 60'000));
            recorder = daemon.record(heard, "dusky-reed");
            REQUIRE(QTest::qWaitFor([&] { return last_peak(heard, 4800) > 0.2; }, 60'000));
            if (command_line)
                second.start(REED_CLI, {"live", "--scene", scene, "--input", "desk_mic"});
            else
                second.start(REED_PROGRAM, {"--seconds", "100"});
            REQUIRE(second.waitForStarted(60'000));
            // It has the microphone open, and waits.
            const auto captures = [&] {
                const std::string all = daemon.dump();
                size_t n = 0;
                for (size_t at = 0;
                     (at = all.find("\"media.class\": \"Stream/Input/Audio", at)) != std::string::npos; ++at)
                    ++n;
                return n;
            };
            REQUIRE(QTest::qWaitFor([&] { return captures() >= 3; }, 60'000));  // the recorder is one
            REQUIRE(run(home, {"--send", "mute"}, false).status == 0);
            REQUIRE(QTest::qWaitFor([&] { return last_peak(heard, 4800) == 0.0; }, 60'000));
            REQUIRE(::kill(static_cast<pid_t>(first.p.processId()), SIGKILL) == 0);
            REQUIRE(first.p.waitForFinished(60'000));
        }
        const auto muted_at = std::filesystem::file_size(heard);
        REQUIRE(QTest::qWaitFor([&] { return fed(daemon); }, 60'000));
        REQUIRE(Daemon::goes_on(heard, 3.0));
        Daemon::end(recorder, SIGINT);
        const auto all = read_sound(heard);
        REQUIRE(all.ok());
        // From when it was muted to the end: nothing, whoever feeds it.
        const size_t from = muted_at / sizeof(float) - 4800;
        CHECK(peak(all.value()[0], from) == 0.0);
        CHECK(all.value().frames() > from + 2 * 48000);
        if (command_line)
            CHECK_THAT(second.readAllStandardError().toStdString(), Catch::Contains("muted, as"));
        second.terminate();
        second.waitForFinished(60'000);
        if (command_line) {
            // Started later it is muted as well, but where that is not wished.
            for (const bool unmute : {false, true}) {
                QProcess later;
                later.setProcessEnvironment(home.environment(true));
                QStringList words{"live", "--scene", scene, "--input", "desk_mic"};
                if (unmute) words << "--unmute";
                const std::string again = daemon.folder() + (unmute ? "/unmuted.wav" : "/again.wav");
                const int ears = daemon.record(again, "dusky-reed");
                later.start(REED_CLI, words);
                REQUIRE(QTest::qWaitFor([&] { return fed(daemon); }, 60'000));
                REQUIRE(Daemon::goes_on(again, 1.0));
                if (unmute)
                    CHECK(QTest::qWaitFor([&] { return last_peak(again, 4800) > 0.2; }, 60'000));
                else
                    CHECK(last_peak(again, 24000) == 0.0);
                Daemon::end(ears, SIGINT);
                later.terminate();
                REQUIRE(later.waitForFinished(60'000));
                REQUIRE(QTest::qWaitFor([&] { return !fed(daemon); }, 60'000));
            }
        }
        Daemon::end(player);
    }
}
