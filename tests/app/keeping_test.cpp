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
#include "model/scenes/auto_recall_rules.h"
#include "model/takes/takes_model.h"

using namespace reed;
using namespace reed::test;

namespace {

size_t release_row() {
    return static_cast<size_t>(find_stage_kind("limiter")->find("release"));
}

}  // namespace

TEST_CASE("muted when it ended in whatever way, it starts muted and says so") {
    TemporaryFolder folder;
    {
        Window w(folder);
        REQUIRE(w.app.saveState());
        w.app.mute().set(true);
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
        CHECK(w.app.mute().on());
        CHECK(w.find<ui::FlatButton>("mute_button")->text() == "Muted");
        CHECK_THAT(w.window.messages()->text().toStdString(),
                   Catch::Contains("Still muted from the last session") && Catch::Contains("Ctrl+M"));
        REQUIRE(w.heard(0.3));
        CHECK(w.feed_level(0.2) < -180.0);
        w.app.mute().set(false);
    }
    Window w(folder);
    CHECK_FALSE(w.app.mute().on());
    CHECK_FALSE(w.window.messages()->text().contains("muted"));
}

TEST_CASE("a mute survives a kill though the state can't be written") {
    TemporaryFolder folder;
    const std::string state = folder.path("state/session.json");
    {
        Window w(folder);
        REQUIRE(w.app.saveState());
        // As a full disk does: the state of before stays, and no byte can be added.
        const std::string before = read_file(state, 2'000'000).value();
        std::filesystem::remove(state);
        std::filesystem::create_directory(state);
        w.app.mute().set(true);
        CHECK_FALSE(w.app.saveState());
        std::filesystem::remove(state);
        REQUIRE(write_file(state, before).ok());
        REQUIRE_FALSE(load_working_state(state).value()->muted);
        std::filesystem::create_directory(folder.path("then"));
        std::filesystem::copy(folder.path("state"), folder.path("then"));
        std::filesystem::remove(folder.path("then/session.lock"));  // of a program that lives
    }
    // As it was at the moment of the kill.
    std::filesystem::remove_all(folder.path("state"));
    std::filesystem::rename(folder.path("then"), folder.path("state"));
    Window w(folder);
    CHECK(w.app.mute().on());
    CHECK_THAT(w.told(), Catch::Contains("Still muted from the last session"));
    w.app.mute().set(false);
    CHECK_FALSE(std::filesystem::exists(folder.path("state/microphone-muted")));
    CHECK(std::filesystem::exists(folder.path("state/microphone-open")));
}

TEST_CASE("after a crash the character that was on is on before the first sound") {
    TemporaryFolder folder;
    const auto then = [&] {
        std::filesystem::remove_all(folder.path("then"));
        std::filesystem::copy(folder.path("state"), folder.path("then"));
        std::filesystem::remove(folder.path("then/session.lock"));  // of a program that lives
    };
    const auto crash = [&] {
        std::filesystem::remove_all(folder.path("state"));
        std::filesystem::rename(folder.path("then"), folder.path("state"));
    };
    {
        Window w(folder);
        w.strip().chainModel().setCharacter("Robot");
        // At once, not in a while.
        REQUIRE(Window::until(
            [&] {
                const auto state = load_working_state(folder.path("state/session.json"));
                return state.ok() && state.value() && state.value()->characters.size() == 1;
            },
            0.3));
        then();
    }
    CHECK(load_working_state(folder.path("state/session.json")).value()->characters.empty());
    crash();
    {
        ui::AppModel app(Window::paths(folder));
        QStringList told;
        QObject::connect(&app.notices(), &ui::Notifications::told,
                         [&](const QString& text) { told << text; });
        app.start();
        CHECK(app.mixer().main().chainModel().runnable().character == "Robot");  // before an input is open
        CHECK(told.join(' ').contains("“Robot” is on"));
        CHECK_FALSE(app.mute().on());
        REQUIRE(app.saveState());
        then();
    }
    crash();
    // Its file is gone: the plain voice would be heard.
    const std::string state = folder.path("state/session.json");
    std::string text = read_file(state, 2'000'000).value();
    text.replace(text.find("\"Robot\""), 7, "\"Ghost\"");
    REQUIRE(write_file(state, text).ok());
    Window w(folder);
    CHECK(w.app.mute().on());
    CHECK_THAT(w.told(), Catch::Contains("Muted") && Catch::Contains("Ghost"));
    REQUIRE(w.heard(0.3));
    CHECK(w.feed_level(0.2) < -180.0);
}

TEST_CASE("a value that is null is lost alone, and 10,000 rules are told") {
    TemporaryFolder folder;
    const std::string path = folder.path("state/session.json");
    {
        Window w(folder);
        w.app.scenes().recall("Evening quiet");
        REQUIRE(w.strip().chainModel().setValue("limiter", release_row(), 77.0));
        w.strip().chainModel().setFader(-7.0);
    }
    std::string text = read_file(path, 8'000'000).value();
    const auto set_null = [&text](const std::string& field, const std::string& value) {
        const auto at = text.find("\"" + field + "\": " + value);
        REQUIRE(at != std::string::npos);
        text.replace(at, field.size() + 4 + value.size(), "\"" + field + "\": null");
    };
    set_null("fader", "-7.0");
    set_null("target_lufs", "-16.0");
    set_null("window_seconds", "10.0");
    REQUIRE(write_file(path, text).ok());
    {
        Window w(folder);
        CHECK_THAT(w.told(), Catch::Contains("fader") && Catch::Contains("target_lufs"));
        CHECK(w.strip().chainModel().scene().name == "Evening quiet");
        CHECK(w.strip().chainModel().spec().fader == 0.0);
        CHECK(w.value("limiter", "release") == 77.0);
        CHECK(w.app.preferences().target() == -16.0);
    }
    text = read_file(path, 8'000'000).value();
    std::string rules = "\"rules\": [";
    for (int i = 0; i < 10'000; ++i)
        rules +=
            (i > 0 ? "," : "") + ("{\"program\": \"p" + std::to_string(i)) + "\", \"scene\": \"Bench talk\"}";
    text.insert(text.find('{') + 1, rules + "],");
    REQUIRE(write_file(path, text).ok());
    Window w(folder);
    CHECK_THAT(w.told(), Catch::Contains("9900 of the rules") && Catch::Contains("at most 100"));
    CHECK(w.app.recallRules().all().size() == kMaxRules);
}

TEST_CASE("what is kept is closed to other accounts, and what was open is closed at the start") {
    TemporaryFolder folder;
    const auto mode = [&](const std::string& path) {
        return static_cast<int>(std::filesystem::status(folder.path(path)).permissions()) & 0777;
    };
    std::filesystem::create_directories(folder.path("takes"));
    std::filesystem::create_directories(folder.path("state"));
    const std::vector<float> x(4800, 0.1f);
    write_wav(folder.path("takes/old.wav"), mono(x));
    std::filesystem::permissions(folder.path("takes"), std::filesystem::perms(0755));
    std::filesystem::permissions(folder.path("takes/old.wav"), std::filesystem::perms(0644));
    {
        Window w(folder);
        REQUIRE(w.app.saveState());
        REQUIRE(w.app.takes().store().keep(mono(x), 48000, {"New", "", "", "", ""}).ok());
        REQUIRE(w.save());
    }
    CHECK(mode("state") == 0700);
    CHECK(mode("state/session.json") == 0600);
    CHECK(mode("takes") == 0700);
    CHECK(mode("takes/old.wav") == 0600);
    for (const auto& take : std::filesystem::directory_iterator(folder.path("takes")))
        CHECK((static_cast<int>(take.status().permissions()) & 0077) == 0);
    CHECK(mode("scenes") == 0700);
    CHECK(mode("scenes/bench-talk.json") == 0600);
    // What goes elsewhere is as files usually are.
    const TemporaryFolder elsewhere;
    std::filesystem::permissions(elsewhere.folder(), std::filesystem::perms(0755));
    REQUIRE(write_file(elsewhere.path("new/page.html"), "x").ok());
    CHECK((static_cast<int>(std::filesystem::status(elsewhere.path("new/page.html")).permissions()) & 0777) ==
          0644);
}

TEST_CASE("relative XDG paths are ignored, as the specification says") {
    // XDG Base Directory Specification 0.8: "All paths set in these environment variables must be absolute.
    // If an implementation encounters a relative path [...] it should consider the path invalid and ignore
    // it."
    const QByteArray data = qgetenv("XDG_DATA_HOME"), state = qgetenv("XDG_STATE_HOME"),
                     home = qgetenv("HOME");
    qputenv("HOME", "/home/somebody");
    qputenv("XDG_DATA_HOME", "data");
    qputenv("XDG_STATE_HOME", "./state");
    CHECK(ui::AppPaths::standard().scenes == "/home/somebody/.local/share/dusky-reed/scenes");
    CHECK(ui::AppPaths::standard().state == "/home/somebody/.local/state/dusky-reed/session.json");
    qputenv("XDG_DATA_HOME", "/srv/data");
    CHECK(ui::AppPaths::standard().scenes == "/srv/data/dusky-reed/scenes");
    qputenv("HOME", home);
    data.isNull() ? (void)qunsetenv("XDG_DATA_HOME") : (void)qputenv("XDG_DATA_HOME", data);
    state.isNull() ? (void)qunsetenv("XDG_STATE_HOME") : (void)qputenv("XDG_STATE_HOME", state);
}

TEST_CASE("what can be used of a broken session is used, and the rest is kept aside and told") {
    TemporaryFolder folder;
    {
        Window w(folder);
        w.strip().chainModel().toggleAb("gate");
        w.app.scenes().recall("Evening quiet");
        w.strip().input().setRoom(kRoomRain, 40);
        w.app.preferences().setTheme("dawn");
        w.app.mute().set(true);
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
        {with("\"muted\": true", "\"muted\": \"perhaps\", \"memories\": [1, 2]"), "A/B settings",
         "Evening quiet"},
    };
    for (const Case& c : cases) {
        INFO(c.told);
        REQUIRE(write_file(path, c.text).ok());
        {
            Window w(folder);
            CHECK_THAT(w.told(), Catch::Contains(c.told) && Catch::Contains("session.json.broken-20"));
            CHECK(w.strip().chainModel().scene().name == c.scene);
            CHECK(w.app.mute().on());
            w.app.preferences().setTheme("dusk");
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
                   Catch::Contains("crashed at the last start") && Catch::Contains("session.json.broken-20"));
        CHECK(w.app.mute().on());
        CHECK_FALSE(std::filesystem::exists(mark));
        w.app.mute().set(false);
    }
    Window w(folder);
    CHECK_FALSE(w.app.mute().on());
    CHECK_THAT(w.told(), !Catch::Contains("crashed"));
}

TEST_CASE("a second program on the same settings says so and leaves the first one's state alone") {
    TemporaryFolder folder;
    const auto saved = [&] { return load_working_state(folder.path("state/session.json")).value()->theme; };
    {
        Window first(folder);
        first.app.preferences().setTheme("dawn");
        REQUIRE(first.app.saveState());
        {
            Window second(folder);
            CHECK_THAT(second.told(), Catch::Contains("Another Dusky Reed is using the same settings"));
            second.app.preferences().setTheme("dusk");
            CHECK(second.app.saveState());
            CHECK(saved() == "dawn");
        }
        CHECK(saved() == "dawn");
        first.app.preferences().setTheme("dusk");
        CHECK(first.app.saveState());
        CHECK(saved() == "dusk");
    }
    Window third(folder);
    CHECK(third.told().empty());
    third.app.preferences().setTheme("dawn");
    CHECK(third.app.saveState());
    CHECK(saved() == "dawn");
    third.app.preferences().setTheme("dusk");
}

TEST_CASE("changes that go on and on are saved within a second, not at their end") {
    TemporaryFolder folder;
    Window w(folder);
    const int hold = w.strip().chainModel().stage("gate")->stage_kind().find("hold");
    const auto saved_hold = [&] {
        const auto state = load_working_state(folder.path("state/session.json"));
        if (!state.ok() || !state.value()) return -1.0;
        const auto& chain = state.value()->scene.chain();
        return chain.stages[static_cast<size_t>(chain.index_of("gate"))].value("hold");
    };
    REQUIRE(w.app.saveState());
    const double before = saved_hold();
    // A change every thirtieth of a second, as a drag makes them.
    double value = 100.0;
    QTimer drag;
    QObject::connect(&drag, &QTimer::timeout, [&] {
        w.strip().chainModel().setValue("gate", static_cast<size_t>(hold), value += 1.0);
    });
    drag.start(33);
    QElapsedTimer since;
    since.start();
    CHECK(Window::until([&] { return saved_hold() != before; }, 20.0));
    CHECK(drag.isActive());
    CHECK(value < 100.0 + 20.0 * 30.0);
    drag.stop();
    CHECK(w.app.saveState());
    CHECK(saved_hold() == value);
}

TEST_CASE("a slow disk does not hold up who changes something, and nothing is lost by it") {
    std::mutex disk;
    std::vector<std::string> written;
    std::atomic<int> begun{0};
    bool fails = false;
    ui::StateWriter keeper([&](const std::string& text) -> Result<void> {
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
