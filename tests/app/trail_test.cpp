// A minute of what a stage measured or did, in its editor.
#include <thread>

#include "app/window.h"
#include "editors/readout_history_view.h"

using namespace reed;
using namespace reed::test;

namespace {

struct TrailWindow : Window {
    explicit TrailWindow(TemporaryFolder& f) : Window(f) {}
    ui::ReadoutHistoryView* view() { return find<ui::ReadoutHistoryView>("trail_view"); }
    const std::deque<ui::ReadoutHistory::Moment>& trail(const std::string& stage) {
        return strip().readoutHistory().of(stage);
    }
    double highest(const std::string& stage) {
        double out = -1e9;
        for (const auto& m : trail(stage)) out = std::max(out, static_cast<double>(m.value));
        return out;
    }
};

/// A hum with a hiss of a fifth of a second after each of its words.
std::vector<float> hissing(int times) {
    std::vector<float> out;
    for (int i = 0; i < times; ++i) {
        append(out, sine(200, 0.2, 0.4));
        append(out, noise(0.1, 0.2, static_cast<std::uint32_t>(i + 1)));
    }
    return out;
}

}  // namespace

TEST_CASE("a minute of how sharp every s was lies behind the de-esser's threshold, which is dragged there",
          "[window]") {
    TemporaryFolder folder;
    write_wav(folder.path("hissing.wav"), mono(hissing(100)));
    TrailWindow w(folder);
    w.strip().chainModel().addStage(*find_stage_kind("deesser"), 1);
    // It is kept whether anybody looks at it or not.
    w.strip().chainModel().focus("gate");
    CHECK(Window::until([&] { return w.view() == nullptr; }));
    w.setInput({DeviceKind::sound_file, folder.path("hissing.wav")});
    REQUIRE(Window::until([&] { return w.trail("deesser").size() > 30; }, 30.0));
    w.strip().chainModel().focus("deesser");
    REQUIRE(Window::until(
        [&] { return w.view() != nullptr && w.view()->isVisible() && w.view()->height() > 60; }));
    CHECK(w.trail("deesser").size() > 30);
    const double sharpest = w.highest("deesser");
    CHECK(sharpest > -15.0);
    // From its place to above the sharpest: nothing is taken any more, in one step of undo.
    auto* view = w.view();
    const double before = w.value("deesser", "threshold");
    const int x = view->width() / 2;
    const auto row = [&](double db) { return static_cast<int>(std::lround(view->rowOf(db))); };
    Window::drag(view, {x, row(before)}, {0, row(5.0) - row(before)});
    CHECK(w.value("deesser", "threshold") == Approx(5.0).margin(1.0));
    w.app.history().undo();
    CHECK(w.value("deesser", "threshold") == before);
    // Keys and wheel.
    view->setFocus();
    QTest::keyClick(view, Qt::Key_Up);
    const double up = w.value("deesser", "threshold");
    CHECK(up > before);
    Window::wheel(view, {x, 20}, -1);
    CHECK(w.value("deesser", "threshold") == Approx(before));
    // What reached over the threshold is filled, and is not where nothing does.
    const auto filled = [&] {
        const QImage image = view->grab().toImage();
        int out = 0;
        for (int px = image.width() / 2; px < image.width() - 12; ++px)
            out += image.pixelColor(px, row(before) - 3) != image.pixelColor(px, row(before) + 12);
        return out;
    };
    CHECK(Window::until([&] { return filled() > 10; }));
    // Bypassed it measures nothing for anybody.
    w.strip().chainModel().setBypass("deesser", true);
    CHECK(Window::until([&] { return w.trail("deesser").empty(); }));
}

TEST_CASE("what the leveller did over the last minute is told, and nothing of it can be dragged",
          "[window]") {
    TemporaryFolder folder;
    auto words = spoken_words(8);
    const double by = 0.012 / rms(words);
    for (float& s : words) s *= static_cast<float>(by);
    write_wav(folder.path("far.wav"), mono(words));
    TrailWindow w(folder);
    w.strip().chainModel().addStage(*find_stage_kind("leveller"), 0);
    w.strip().chainModel().focus("leveller");
    w.setInput({DeviceKind::sound_file, folder.path("far.wav")});
    REQUIRE(Window::until([&] { return w.view() != nullptr && w.view()->isVisible(); }));
    CHECK(Window::until([&] { return w.highest("leveller") > 3.0; }, 30.0));
    const auto values = w.strip().chainModel().stage("leveller")->values;
    Window::drag(w.view(), w.view()->rect().center(), {0, -20});
    CHECK(w.strip().chainModel().stage("leveller")->values == values);
    CHECK(w.view()->accessibleName().contains("60 s"));
}

TEST_CASE("a trail holds a minute at ten moments a second, and begins anew with another input", "[window]") {
    ChainSpec chain;
    chain.stages.push_back(new_stage(chain, *find_stage_kind("gate")));
    chain.stages.push_back(new_stage(chain, *find_stage_kind("plosives")));
    // What is held against a threshold, and what a leveller did; other figures have no scale.
    const auto shown = [](const char* kind) { return ui::ReadoutHistory::shown(*find_stage_kind(kind)); };
    CHECK(shown("deesser") == 0);
    CHECK(shown("plosives") == 0);
    CHECK(shown("leveller") == 1);
    CHECK(shown("saturation") == -1);
    CHECK(shown("widener") == -1);
    ui::ReadoutHistory trail;
    const auto follow = [&](double time) {
        trail.follow(chain, time,
                     [time](const StageSpec&) { return std::vector<float>{static_cast<float>(time)}; });
    };
    for (int i = 0; i < 9000; ++i) follow(0.01 * i);
    const auto& all = trail.of("plosives");
    CHECK(all.size() == Approx(600).margin(30));
    CHECK(all.back().time - all.front().time == Approx(60.0).margin(0.2));
    CHECK(static_cast<double>(all.back().value) == Approx(all.back().time).margin(1e-3));
    CHECK(trail.of("gate").empty());  // its thresholds stand among the levels themselves
    follow(0.5);
    CHECK(trail.of("plosives").size() == 1);
    chain.stages.pop_back();
    follow(0.7);
    CHECK(trail.of("plosives").empty());
}

TEST_CASE("a trail takes nothing from another stage while the chain is built anew", "[window]") {
    TemporaryFolder folder;
    write_wav(folder.path("hissing.wav"), mono(hissing(100)));
    TrailWindow w(folder);
    w.setInput({DeviceKind::sound_file, folder.path("hissing.wav")});
    w.strip().chainModel().addStage(*find_stage_kind("deesser"), 0);
    w.strip().chainModel().addStage(*find_stage_kind("leveller"), 1);
    REQUIRE(Window::until([&] { return w.trail("leveller").size() > 20; }, 30.0));
    // The second figure of the de-esser is in Hz: as a gain it would be thousands of dB.
    for (int i = 0; i < 8; ++i) {
        // The next look falls into the moment after the move, while the chain before it still tells.
        const auto due = [&] {
            return static_cast<double>(w.strip().engine().input_history()->written()) / 48000.0 >
                   w.strip().readoutHistory().now() + 0.15;
        };
        while (!due()) std::this_thread::yield();
        w.strip().chainModel().moveStage("deesser", i % 2 == 0 ? 1 : 0);
        emit w.strip().ticked();
        const double before = w.strip().readoutHistory().now();
        REQUIRE(Window::until([&] { return w.strip().readoutHistory().now() > before + 0.3; }, 30.0));
    }
    for (const auto& m : w.trail("leveller")) CHECK(std::abs(m.value) < 30.0f);
    CHECK(w.highest("deesser") < 30.0);
}
