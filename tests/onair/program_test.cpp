// The program as it is started and ended from outside.
#include <signal.h>

#include <QTest>
#include <catch2/catch.hpp>
#include <filesystem>

#include "base/sound_file.h"
#include "model/takes/take_recorder.h"
#include "onair/program.h"
#include "scenes/working_state.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("what shows no window needs no display", "[onair]") {
    const Home home;
    const Ended version = run(home, {"--version"}, false);
    CHECK(version.status == 0);
    CHECK_THAT(version.out, Catch::Contains("dusky-reed"));
    const Ended help = run(home, {"--help"}, false);
    CHECK(help.status == 0);
    CHECK_THAT(help.out, Catch::Contains("--send") && Catch::Contains("--record"));
    const Ended sent = run(home, {"--send", "mute"}, false);
    CHECK(sent.status == 2);
    CHECK_THAT(sent.err, Catch::Contains("Dusky Reed is not running"));
}

TEST_CASE("what can't be meant is refused before anything starts", "[onair]") {
    const Home home;
    for (const char* bad : {"-1", "0", "nan", "inf", "abc", "1e9", ""}) {
        INFO("--seconds " << bad);
        const Ended r = run(home, {QString("--seconds=%1").arg(bad)});
        CHECK(r.status == 2);
        CHECK_THAT(r.err, Catch::Contains("--seconds"));
    }
    CHECK_THAT(run(home, {"--theme", "noon"}).err, Catch::Contains("dusk or dawn"));
    CHECK(run(home, {"--theme", "noon"}).status == 2);
    CHECK_THAT(run(home, {"more", "words"}).err, Catch::Contains("unknown option “more words”"));
    CHECK(run(home, {"--unknown"}).status == 2);
    CHECK_FALSE(std::filesystem::exists(home.state()));
    const Ended nowhere = run(home, {"--record", "/no/such/folder/x.wav"});
    CHECK(nowhere.status == 2);
    CHECK_THAT(nowhere.err, Catch::Contains("/no/such/folder"));
}

TEST_CASE("asked to end by the system it saves, finishes the recording and ends well", "[onair]") {
    for (const int signal : {SIGTERM, SIGINT, SIGHUP}) {
        const Home home;
        const QString take = home.folder.filePath("take.wav");
        Running program(home, {"--record", take});
        // It stands beside its name until it is whole.
        const QDir beside(home.folder.path());
        REQUIRE(QTest::qWaitFor(
            [&] { return !beside.entryList({".take*"}, QDir::Files | QDir::Hidden).isEmpty(); }, 60'000));
        QDBusInterface control(ui::kServiceName, ui::kServicePath, ui::kControlInterface);
        control.call("RecallScene", "Evening quiet");
        control.call("Bypass", "limiter", true);
        INFO("signal " << signal);
        REQUIRE(::kill(static_cast<pid_t>(program.p.processId()), signal) == 0);
        REQUIRE(program.p.waitForFinished(60'000));
        CHECK(program.p.exitStatus() == QProcess::NormalExit);
        CHECK(program.p.exitCode() == 0);
        const auto state = load_working_state(home.state());
        REQUIRE(state.ok());
        REQUIRE(state.value());
        CHECK(state.value()->scene.name == "Evening quiet");
        const auto& chain = state.value()->scene.chain();
        REQUIRE(chain.index_of("limiter") >= 0);
        CHECK(chain.stages[static_cast<size_t>(chain.index_of("limiter"))].bypass);
        const auto sound = read_sound(take.toStdString());
        REQUIRE(sound.ok());
        CHECK(sound.value().frames() > 0);
    }
}

TEST_CASE("what follows --send is the command, with numbers below zero", "[onair]") {
    const Home home;
    Running program(home, {});
    // An example of docs/remote.md.
    const Ended set = run(home, {"--send", "set", "gain", "gain", "-14.4"}, false);
    INFO(set.err);
    CHECK(set.status == 0);
    CHECK(run(home, {"--send=step", "gate", "open_threshold", "-2"}, false).status == 0);
    CHECK(run(home, {"--send", "fader", "1", "-6"}, false).status == 0);
    const Ended nonsense = run(home, {"--send", "set", "gain", "gain", "--help"}, false);
    CHECK(nonsense.status == 2);
    CHECK_THAT(nonsense.err, Catch::Contains("not a number"));
    const Ended all = run(home, {"--send", ""}, false);
    CHECK(all.status == 2);
    CHECK_THAT(all.err, Catch::Contains("toggle-mute"));
    REQUIRE(run(home, {"--send", "quit"}, false).status == 0);
    REQUIRE(program.p.waitForFinished(60'000));
    const auto state = load_working_state(home.state());
    REQUIRE(state.ok());
    REQUIRE(state.value());
    CHECK(state.value()->scene.chain().stages[0].value("gain") == -14.4);
    CHECK(state.value()->scene.desk.strips[0].fader == -6.0);
}

TEST_CASE("killed while muted, it starts muted", "[onair]") {
    const Home home;
    {
        Running program(home, {});
        REQUIRE_FALSE(program.muted());
        REQUIRE(run(home, {"--send", "mute"}, false).status == 0);
        // Answered, it is kept: nothing is waited for.
        REQUIRE(::kill(static_cast<pid_t>(program.p.processId()), SIGKILL) == 0);
        REQUIRE(program.p.waitForFinished(60'000));
    }
    Running again(home, {});
    CHECK(again.muted());
}

TEST_CASE("killed while it records, it has what was said until then at the next start", "[onair]") {
    const Home home;
    const std::filesystem::path takes = home.folder.filePath(".local/share/dusky-reed/takes").toStdString();
    const auto recording = [&] {
        std::vector<std::filesystem::path> out;
        std::error_code ec;
        for (std::filesystem::directory_iterator i(takes, ec), end; !ec && i != end; i.increment(ec)) {
            if (i->path().filename().string().starts_with(".recording-")) out.push_back(i->path());
        }
        return out;
    };
    {
        Running program(home, {});
        // Not before its input is open.
        REQUIRE(QTest::qWaitFor(
            [&] {
                // Refused until there is an input, and what is answered with 0 is being recorded.
                const bool recorded = run(home, {"--send", "record"}, false).status == 0;
                CHECK(recorded == !recording().empty());
                return recorded;
            },
            60'000));
        REQUIRE(QTest::qWaitFor(
            [&] {
                std::error_code ec;
                return !recording().empty() && std::filesystem::file_size(recording().front(), ec) > 300'000;
            },
            60'000));
        CHECK(ui::TakeRecorder::leftIn(takes).empty());  // it is still recorded
        REQUIRE(::kill(static_cast<pid_t>(program.p.processId()), SIGKILL) == 0);
        REQUIRE(program.p.waitForFinished(60'000));
    }
    REQUIRE(recording().size() == 1);
    CHECK(ui::TakeRecorder::leftIn(takes) == recording());
    Running again(home, {});
    REQUIRE(QTest::qWaitFor([&] { return recording().empty(); }, 60'000));
    const auto all = TakeStore(takes).list();
    REQUIRE(all.size() == 1);
    CHECK(all.front().problem.empty());
    CHECK(all.front().seconds() > 1.5);  // 300,000 bytes of 32-bit floats
    CHECK(all.front().notes.device == "Simulated room");
}
