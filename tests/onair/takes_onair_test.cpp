// A take that loops, on a real daemon: nothing of it reaches those who listen.
#include <catch2/catch.hpp>
#include <csignal>

#include "base/sound_file.h"
#include "live/daemon.h"
#include "model/takes/takes_model.h"
#include "onair/on_air.h"

using namespace reed;
using namespace reed::test;

TEST_CASE(
    "nothing of a loop reaches the feed, a microphone of the strip's own or the plain one, but the "
    "headphones",
    "[onair][live]") {
    AtTheDesk w;
    Daemon& daemon = w.daemon;
    w.strip().input().setOffers(true, true);
    REQUIRE(Window::until([&] { return w.strip().input().status().running; }));
    REQUIRE(w.app.takes().store().keep(mono(noise(0.2, 3.0, 5)), 48000, {"Hiss", "", "", "", ""}).ok());
    w.app.takes().refresh();
    REQUIRE(Window::until([&] { return !w.app.takes().all().empty(); }));
    w.app.takes().choose(w.app.takes().all().front());
    // From before the loop until after it: the plain microphone beside the headphones; the others here, where
    // they leave the program.
    REQUIRE(daemon.wait_for_node("dusky-reed-strip-voice-plain"));
    const std::string both = w.folder.path("both.wav");
    const auto feed = w.app.context().live.feed_history(), own = w.strip().engine().feed_history();
    const auto begun = feed->written(), own_begun = own->written();
    const int recorder =
        daemon.record_pair(both, "dusky-reed-strip-voice-plain:capture_MONO", "phones:monitor_MONO");
    w.app.takes().setLooping(true);
    REQUIRE(Window::until([&] { return w.app.takes().position() > 0.5; }));
    REQUIRE(Daemon::goes_on(both, 2.0));
    w.app.takes().compare({});
    REQUIRE(Window::until([&] { return !w.app.takes().matched().isEmpty(); }));
    REQUIRE(Daemon::goes_on(both, 2.0));
    // Switched off meanwhile, the headphones stay off.
    CHECK(w.strip().monitoring().settings().source == MonitorSource::feed);
    w.strip().monitoring().toggle();
    w.app.takes().setLooping(false);
    CHECK(w.strip().monitoring().settings().source == MonitorSource::off);
    REQUIRE(Window::until([&] { return !w.strip().liveStrip().takes().holds(); }));
    const auto highest = [](const HistoryRing& ring, std::int64_t from) {
        from = std::max(from, ring.written() - 11 * 48000);
        std::vector<float> x(static_cast<size_t>(ring.written() - from));
        float* rows[2] = {x.data(), nullptr};
        REQUIRE(ring.read(from, static_cast<int>(x.size()), rows));
        return peak(x);
    };
    CHECK(highest(*feed, begun) == 0.0);
    CHECK(highest(*own, own_begun) == 0.0);
    Daemon::end(recorder, SIGINT);
    const auto got = read_sound(both);
    REQUIRE(got.ok());
    CHECK(peak(got.value()[0]) == 0.0);
    CHECK(peak(got.value()[1]) > 0.05);
    // The microphone is heard again.
    write_wav(w.folder.path("tone.wav"), mono(sine(1000, 0.2, 20.0)));
    const int player = daemon.play(w.folder.path("tone.wav"), "desk_mic");
    const auto level = [&] {
        std::vector<float> x(4800);
        float* rows[2] = {x.data(), nullptr};
        return feed->read(feed->written() - 4800, 4800, rows) ? peak(x) : -1.0;
    };
    CHECK(Window::until([&] { return level() > 0.05; }));
    Daemon::end(player);
}
