// What is kept between evenings, through crashes, slow disks and other people's hands.
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <QElapsedTimer>
#include <QTimer>
#include <catch2/catch.hpp>
#include <mutex>

#include "app/window.h"
#include "base/file.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("muted when it ended in whatever way, it starts muted and says so") {
    TemporaryFolder folder;
    {
        Window w(folder);
        REQUIRE(w.session.saveState());
        w.session.setMuted(true);
        // Killed at this moment: what stands on the disk a hundredth of a second later is all there is.
        REQUIRE(Window::until(
            [&] {
                const auto state = load_working_state(folder.path("state/session.json"));
                return state.ok() && state.value() && state.value()->muted;
            },
            0.3));
    }
    {
        Window w(folder);
        CHECK(w.session.muted());
        CHECK(w.find<ui::FlatButton>("mute_button")->text() == "Muted");
        CHECK_THAT(w.window.messages()->text().toStdString(),
                   Catch::Contains("Muted, as at the end") && Catch::Contains("Ctrl+M"));
        REQUIRE(w.heard(0.3));
        CHECK(w.feed_level(0.2) < -180.0);
        w.session.setMuted(false);
    }
    Window w(folder);
    CHECK_FALSE(w.session.muted());
    CHECK_FALSE(w.window.messages()->text().contains("muted"));
}

TEST_CASE("what can be used of a broken session is used, and the rest is kept aside and told") {
    TemporaryFolder folder;
    {
        Window w(folder);
        w.session.strip().flipMemory("gate");
        w.session.shelf().recall("Evening quiet");
        w.session.devices().setRoom(kRoomRain, 40);
        w.session.preferences().setTheme("dawn");
        w.session.setMuted(true);
    }
    const std::string path = folder.path("state/session.json");
    const std::string good = read_file(path, 2'000'000).value();
    const auto with = [&](const std::string& from, const std::string& to) {
        std::string out = good;
        const auto at = out.find(from);
        REQUIRE(at != std::string::npos);
        out.replace(at, from.size(), to);
        return out;
    };
    struct Case {
        std::string text;
        const char* told;
        const char* scene;
    };
    const Case cases[] = {
        {with("\"attack\": ", "\"attack\": \"slow\", \"speed\": "), "the chain", "Bench talk"},
        {with("\"room\": {", "\"room\": { \"x\": \"y\","), "the simulated room", "Evening quiet"},
        {with("\"theme\": \"dawn\"", "\"theme\": 5"), "the theme", "Evening quiet"},
        {with("\"muted\": true", "\"muted\": \"perhaps\", \"memories\": [1, 2]"), "memories",
         "Evening quiet"},
    };
    for (const Case& c : cases) {
        INFO(c.told);
        REQUIRE(write_file(path, c.text).ok());
        {
            Window w(folder);
            CHECK_THAT(w.told(), Catch::Contains(c.told) && Catch::Contains("session.json.broken-20"));
            CHECK(w.session.strip().scene().name == c.scene);
            CHECK(w.session.muted());
            w.session.preferences().setTheme("dusk");
        }
        int kept = 0;
        for (const auto& e : std::filesystem::directory_iterator(folder.path("state"))) {
            if (e.path().filename().string().find(".broken-") == std::string::npos) continue;
            ++kept;
            CHECK(read_file(e.path(), 2'000'000).value() == c.text);
            std::filesystem::remove(e.path());
        }
        CHECK(kept == 1);
    }
}

TEST_CASE("a start that crashed is noticed by the next, which does without the session and stays muted") {
    TemporaryFolder folder;
    { Window w(folder); }
    const std::string mark = folder.path("state/start-crashed");
    // A crash while armed leaves the mark; being killed does not, nor does a crash after it.
    const auto ends_by = [&](int signal, bool armed) {
        const pid_t child = fork();
        if (child == 0) {
            if (armed) {
                const ui::StartGuard guard(mark);
                raise(signal);
            }
            ::signal(signal, SIG_DFL);
            raise(signal);
            _exit(0);
        }
        int status = 0;
        waitpid(child, &status, 0);
        CHECK(WIFSIGNALED(status));
        return ui::StartGuard::take_mark(mark);
    };
    CHECK(ends_by(SIGSEGV, true));
    CHECK(ends_by(SIGABRT, true));
    CHECK_FALSE(ends_by(SIGKILL, true));
    CHECK_FALSE(ends_by(SIGABRT, false));
    REQUIRE(write_file(mark, "").ok());
    {
        Window w(folder);
        CHECK_THAT(w.told(),
                   Catch::Contains("last start crashed") && Catch::Contains("session.json.broken-20"));
        CHECK(w.session.muted());
        CHECK_FALSE(std::filesystem::exists(mark));
        w.session.setMuted(false);
    }
    Window w(folder);
    CHECK_FALSE(w.session.muted());
    CHECK_THAT(w.told(), !Catch::Contains("crashed"));
}

TEST_CASE("a second program on the same settings says so and leaves the first one's state alone") {
    TemporaryFolder folder;
    const auto saved = [&] { return load_working_state(folder.path("state/session.json")).value()->theme; };
    {
        Window first(folder);
        first.session.preferences().setTheme("dawn");
        REQUIRE(first.session.saveState());
        {
            Window second(folder);
            CHECK_THAT(second.told(), Catch::Contains("Another Dusky Reed runs on the same settings"));
            second.session.preferences().setTheme("dusk");
            CHECK(second.session.saveState());
            CHECK(saved() == "dawn");
        }
        CHECK(saved() == "dawn");
        first.session.preferences().setTheme("dusk");
        CHECK(first.session.saveState());
        CHECK(saved() == "dusk");
    }
    Window third(folder);
    CHECK(third.told().empty());
    third.session.preferences().setTheme("dawn");
    CHECK(third.session.saveState());
    CHECK(saved() == "dawn");
    third.session.preferences().setTheme("dusk");
}

TEST_CASE("changes that go on and on are saved within a second, not at their end") {
    TemporaryFolder folder;
    Window w(folder);
    const int hold = w.session.strip().stage("gate")->stage_kind().find("hold");
    const auto saved_hold = [&] {
        const auto state = load_working_state(folder.path("state/session.json"));
        if (!state.ok() || !state.value()) return -1.0;
        const auto& chain = state.value()->scene.chain();
        return chain.stages[static_cast<size_t>(chain.index_of("gate"))].value("hold");
    };
    REQUIRE(w.session.saveState());
    const double before = saved_hold();
    // A change every thirtieth of a second, as a drag makes them.
    double value = 100.0;
    QTimer drag;
    QObject::connect(&drag, &QTimer::timeout,
                     [&] { w.session.strip().setValue("gate", static_cast<size_t>(hold), value += 1.0); });
    drag.start(33);
    QElapsedTimer since;
    since.start();
    CHECK(Window::until([&] { return saved_hold() != before; }, 20.0));
    CHECK(drag.isActive());
    CHECK(value < 100.0 + 20.0 * 30.0);
    drag.stop();
    CHECK(w.session.saveState());
    CHECK(saved_hold() == value);
}

TEST_CASE("a slow disk does not hold up who changes something, and nothing is lost by it") {
    std::mutex disk;
    std::vector<std::string> written;
    std::atomic<int> begun{0};
    bool fails = false;
    ui::StateKeeper keeper([&](const std::string& text) -> Result<void> {
        ++begun;
        const std::lock_guard lock(disk);
        if (fails) return Error{"it can't be written.", "", ""};
        written.push_back(text);
        return {};
    });
    {
        const std::lock_guard stuck(disk);
        keeper.keep("first");
        REQUIRE(Window::until([&] { return begun == 1; }));
        keeper.keep("second");  // returns though the disk hangs
        keeper.keep("third");
        CHECK(written.empty());
    }
    CHECK(keeper.finish());
    CHECK(written == std::vector<std::string>{"first", "third"});
    fails = true;
    keeper.keep("fourth");
    CHECK_FALSE(keeper.finish());
    REQUIRE(keeper.problem());
    CHECK(keeper.problem()->what == "it can't be written.");
    fails = false;
    keeper.keep("fifth");
    CHECK(keeper.finish());
    CHECK_FALSE(keeper.problem());
}
