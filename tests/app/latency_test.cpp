// The fixed latency and the output delay, as set in the window.
#include <QLineEdit>
#include <cmath>

#include "actions/actions.h"
#include "app/window.h"
#include "deck/popups.h"
#include "model/strips/latency_controller.h"
#include "widgets/value_field.h"

using namespace reed;
using namespace reed::test;

namespace {

struct LatencyWindow : Window {
    using Window::Window;
    ui::DelayPopup* open() {
        QTest::mouseClick(find<ui::FlatButton>("status"), Qt::LeftButton);
        auto* popup = find<ui::DelayPopup>("delay_popup");
        REQUIRE(popup != nullptr);
        return popup;
    }
    /// Types a value into a field of the popup.
    void type(const char* id, const char* text) {
        for (auto* f : open()->findChildren<ui::ValueField*>()) {
            if (f->parameter().id != id) continue;
            f->setFocus();
            f->openEditor(text);
            QTest::keyClick(f->findChild<QLineEdit*>(), Qt::Key_Return);
            return;
        }
        FAIL("no such field");
    }
    double total() { return strip().input().totalDelayMs(); }
    /// The latency of the sum when all that was asked for is heard, in ms.
    bool reaches(double ms) {
        return until([&] {
            return strip().engine().chain().settled() &&
                   std::abs(app.context().live.latency() / 48.0 - ms) < 0.03;
        });
    }
    bool tells(const char* words) {
        return until([&] { return QString::fromStdString(told()).contains(words); });
    }
};

}  // namespace

TEST_CASE("with a fixed latency no scene, stage or character changes the total, and the popup says so") {
    TemporaryFolder folder;
    LatencyWindow w(folder);
    const auto before = w.app.context().live.latency();
    w.type("fixed_latency", "90");
    CHECK(w.app.audio().latency().fixed_ms == 90.0);
    REQUIRE(w.reaches(90.0));
    CHECK(before < 90 * 48);
    const double total = w.total();
    const auto same = [&] { return w.reaches(90.0) && w.total() == Approx(total).margin(0.05); };
    // Rows add up to it.
    const auto rows = w.open()->rows();
    double sum = 0.0;
    for (size_t i = 0; i + 1 < rows.size(); ++i) sum += rows[i][1].split(' ')[0].toDouble();
    CHECK(rows.back()[1].split(' ')[0].toDouble() == Approx(sum).margin(0.5));
    CHECK(std::ranges::any_of(rows, [](const QStringList& r) { return r[0] == "Padding"; }));
    // A character of 50 ms, other scenes, stages, a guest.
    w.strip().chainModel().setCharacter("Giant");
    CHECK(same());
    w.strip().chainModel().setCharacter({});
    for (const SceneEntry& e : w.app.scenes().scenes()) {
        INFO(e.scene.name);
        w.app.scenes().recall(e.scene.name);
        CHECK(same());
    }
    w.strip().chainModel().removeStage(w.strip().chainModel().chain().stages.front().id);
    CHECK(same());
    REQUIRE(w.app.mixer().add(StripRole::voice) != nullptr);
    CHECK(same());
    // Kept by the computer, not by the scene, and no step of undo.
    CHECK_FALSE(w.app.history().undoLabel().contains("atency"));
    WorkingState state;
    w.app.audio().save(state);
    CHECK(state.latency.fixed_ms == 90.0);
    w.type("fixed_latency", "0");
    CHECK(w.until([&] { return w.app.context().live.latency() < 60 * 48; }));
}

TEST_CASE("a chain that does not fit into the fixed latency says by how much") {
    TemporaryFolder folder;
    LatencyWindow w(folder);
    w.type("fixed_latency", "20");
    CHECK(w.tells("longer than the fixed latency of 20 ms"));
    CHECK(w.app.latency().excess(w.strip()) > 1.0);
    w.window.messages()->dismiss();
    w.type("fixed_latency", "60");
    CHECK(w.until([&] { return w.app.latency().excess(w.strip()) == 0.0; }));
    // A character that does not is told as well, once it has been seen that all fits.
    int ticks = 0;
    QObject::connect(&w.app.mixer(), &ui::MixerModel::ticked, &w.window, [&] { ++ticks; });
    REQUIRE(w.until([&] { return ticks >= 2; }));
    w.strip().chainModel().setCharacter("Giant");
    CHECK(w.tells("longer than the fixed latency of 60 ms"));
    w.strip().chainModel().setCharacter({});
    CHECK(w.until([&] { return w.app.latency().excess(w.strip()) == 0.0; }));
    // Text that is no latency is refused with the range, and the value stays.
    w.window.messages()->dismiss();
    w.type("fixed_latency", "900");
    CHECK_THAT(w.told(), Catch::Contains("250"));
    CHECK(w.app.audio().latency().fixed_ms == 60.0);
}

TEST_CASE("fixed latency and output delay are set by actions, and survive a restart") {
    TemporaryFolder folder;
    {
        LatencyWindow w(folder);
        CHECK(w.window.actions().run("fixed-latency", "75 ms").isEmpty());
        CHECK(w.window.actions().run("output-delay", "200").isEmpty());
        for (const char* bad : {"nan", "-1", "1e9", "soon", ""})
            CHECK_FALSE(w.window.actions().run("output-delay", bad).isEmpty());
        CHECK(w.app.context().live.output_delay() == 200.0);
        const auto rows = w.open()->rows();
        CHECK(rows[rows.size() - 2] == QStringList{"Output delay", "200.0 ms", {}});
        CHECK(w.until([&] { return w.reaches(75.0); }));
    }
    LatencyWindow w(folder);
    CHECK(w.app.audio().latency() == LatencySettings{75.0, 200.0});
    CHECK(w.app.context().live.output_delay() == 200.0);
    CHECK(w.reaches(75.0));
}
