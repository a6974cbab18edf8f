// An evening at the window in short; run by bench/soak.
#include <catch2/catch.hpp>
#include <cstdio>
#include <fstream>

#include "app/window.h"
#include "model/shared/memory.h"
#include "model/strips/characters.h"
#include "model/takes/takes_model.h"

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
        const auto written = w.strip().engine().input_history()->written();
        const auto wanted = static_cast<std::int64_t>(seconds * w.strip().engine().format().sample_rate);
        // A strip that is opened anew begins to count again.
        (void)Window::until([&] {
            const auto now = w.strip().engine().input_history()->written();
            return now - written >= wanted || now < written;
        });
        most = std::max(most, memory_mb());
    };
    const double seconds = 60.0 * minutes("REED_SOAK_MINUTES", 5.0);
    QElapsedTimer time;
    time.start();
    int rounds = 0;
    for (; static_cast<double>(time.elapsed()) < 1000.0 * seconds; ++rounds) {
        const auto& scenes = w.app.scenes().scenes();
        w.app.scenes().recall(std::string(scenes[static_cast<size_t>(rounds) % scenes.size()].scene.name));
        const auto& characters = w.app.characters().all();
        w.strip().chainModel().setCharacter(
            characters[static_cast<size_t>(rounds) % characters.size()].spec.name);
        goes_on(1.0);
        if (rounds % 3 == 0 && w.app.mixer().count(StripRole::voice) < 4) w.app.mixer().add(StripRole::voice);
        (void)w.app.takes().keep(20.0);
        goes_on(1.0);
        if (!w.app.takes().all().empty()) w.app.takes().choose(w.app.takes().all().front());
        w.app.takes().setLooping(true);
        goes_on(1.0);
        w.app.takes().compare({});
        goes_on(1.0);
        w.app.takes().setLooping(false);
        w.strip().chainModel().setCharacter({});
        if (rounds % 3 == 2) {
            while (w.app.mixer().strips().size() > 1)
                w.app.mixer().remove(w.app.mixer().strips().back()->chainModel().spec().id);
        }
    }
    w.app.scenes().recall("Bench talk");
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
