// The virtual microphone outlives the program: whoever listens to it hears silence, never the plain
// microphone.
#include <signal.h>

#include <QTest>
#include <catch2/catch.hpp>
#include <cmath>
#include <fstream>

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
