// An evening at the window in short; run by bench/soak.
#include <catch2/catch.hpp>
#include <cstdio>
#include <fstream>

#include "app/window.h"
#include "session/characters.h"
#include "session/memory.h"
#include "session/takes_model.h"

using namespace reed;
using namespace reed::test;

namespace {

double memory_mb() {
    double all = 0.0, resident = 0.0;
    std::ifstream("/proc/self/statm") >> all >> resident;
    return resident * 4.0 / 1024.0;
}

double minutes(const char* name, double usual) {
    const char* set = std::getenv(name);
    return set != nullptr ? std::atof(set) : usual;
}

}  // namespace

TEST_CASE("soak: recalls, characters, takes and strips at the window", "[.soak]") {
    if (std::getenv("REED_SOAK_PLAIN") == nullptr) ui::returnLargeBlocks();
    TemporaryFolder folder;
    Window w(folder);
    REQUIRE(w.heard(5.0));
    const double before = memory_mb();
    double most = before;
    const auto goes_on = [&](double seconds) {
        const auto written = w.session.engine().input_history()->written();
        const auto wanted = static_cast<std::int64_t>(seconds * w.session.engine().format().sample_rate);
        // A strip that is opened anew begins to count again.
        (void)Window::until([&] {
            const auto now = w.session.engine().input_history()->written();
            return now - written >= wanted || now < written;
        });
        most = std::max(most, memory_mb());
    };
    const double seconds = 60.0 * minutes("REED_SOAK_MINUTES", 5.0);
    QElapsedTimer time;
    time.start();
    int rounds = 0;
    for (; static_cast<double>(time.elapsed()) < 1000.0 * seconds; ++rounds) {
        const auto& scenes = w.session.shelf().scenes();
        w.session.shelf().recall(std::string(scenes[static_cast<size_t>(rounds) % scenes.size()].scene.name));
        const auto& characters = w.session.characters().all();
        w.session.strip().setCharacter(characters[static_cast<size_t>(rounds) % characters.size()].spec.name);
        goes_on(1.0);
        if (rounds % 3 == 0 && w.session.desk().count(StripRole::voice) < 4)
            w.session.desk().add(StripRole::voice);
        (void)w.session.takes().keep(20.0);
        goes_on(1.0);
        if (!w.session.takes().all().empty()) w.session.takes().choose(w.session.takes().all().front());
        w.session.takes().setLooping(true);
        goes_on(1.0);
        w.session.takes().compare({});
        goes_on(1.0);
        w.session.takes().setLooping(false);
        w.session.strip().setCharacter({});
        if (rounds % 3 == 2) {
            while (w.session.desk().strips().size() > 1)
                w.session.desk().remove(w.session.desk().strips().back()->strip().spec().id);
        }
    }
    w.session.shelf().recall("Bench talk");
    const double after = memory_mb();
    time.restart();
    const double rest = 60.0 * minutes("REED_REST_MINUTES", 2.0);
    while (static_cast<double>(time.elapsed()) < 1000.0 * rest) goes_on(5.0);
    std::printf(
        "memory in MB: %.0f at the start, %.0f at most, %.0f after %d rounds in %.0f s, %.0f after %.0f s of "
        "rest\n",
        before, most, after, rounds, seconds, memory_mb(), rest);
    CHECK(rounds > 5);
}
