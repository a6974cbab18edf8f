// What a change of one value costs the model, with as many strips as there can be: the share of a core that
// 1,000 changes a second take.
#include <QApplication>
#include <QTest>
#include <cstdio>
#include <ctime>

#include "model/app_model.h"

using namespace reed;

namespace {

double thread_seconds() {
    timespec t{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
    return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

/// Fills a chain to `stages` stages.
void fill(ui::ChainModel& chain, size_t stages) {
    while (chain.chain().stages.size() < stages) {
        const char* kind = chain.chain().stages.size() % 2 == 0 ? "equalizer" : "gate";
        chain.addStage(*find_stage_kind(kind), 1);
    }
}

}  // namespace

int main(int argc, char** argv) {
    qputenv("QT_QPA_PLATFORM", "offscreen");
    const QApplication program(argc, argv);
    const std::filesystem::path home = argc > 1 ? argv[1] : "/tmp/reed-model-bench";
    ui::AppModel app({home / "scenes", home / "state.json", REED_DEMO_DATA});
    app.start();
    while (app.mixer().count(StripRole::voice) < kMaxVoices) app.mixer().add(StripRole::voice);
    while (app.mixer().count(StripRole::programme) < kMaxAppAudioStrips)
        app.mixer().add(StripRole::programme);
    for (ui::StripModel* s : app.mixer().strips()) fill(s->chainModel(), 14);
    QTest::qWait(2000);
    ui::ChainModel& chain = app.mixer().main().chainModel();
    const auto row = static_cast<size_t>(find_stage_kind("gate")->find("open_threshold"));
    constexpr int kChanges = 2000;
    const auto share = [&](const char* what, auto change) {
        const double start = thread_seconds();
        for (int i = 0; i < kChanges; ++i) {
            change(i);
            if (i % 50 == 0) QCoreApplication::processEvents();
        }
        const double each = (thread_seconds() - start) / kChanges;
        std::printf("%-42s %7.1f us, 1000 a second: %5.1f %% of a core\n", what, 1e6 * each, 1e5 * each);
    };
    std::printf("%zu strips of %zu stages\n", app.mixer().strips().size(), chain.chain().stages.size());
    share("one value of a stage is dragged",
          [&](int i) { chain.setValue("gate", row, i % 2 == 0 ? -45.0 : -45.5); });
    share("the fader is dragged", [&](int i) { chain.setFader(i % 2 == 0 ? -1.0 : -1.5); });
    share("nothing changes", [&](int) { chain.setValue("gate", row, chain.stage("gate")->values[row]); });
    return 0;
}
