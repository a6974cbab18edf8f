// What is reached from anywhere: the value last used, places that a key leads to, the small window, the
// balance in the headphones, the voice that is off.
#include <QImage>
#include <catch2/catch.hpp>

#include "actions/actions.h"
#include "app/window.h"
#include "deck/popups.h"
#include "deck/scene_bar.h"
#include "model/soundcheck/output_advisor.h"
#include "model/strips/voice_loudness_model.h"
#include "rail/compact_window.h"

using namespace reed;
using namespace reed::test;

namespace {

/// A window with a guest on a sound file.
struct Two : Window {
    explicit Two(TemporaryFolder& f, double guest_db = 0.0) : Window(f) {
        auto words = spoken_words(2);
        for (float& x : words) x *= static_cast<float>(std::pow(10.0, guest_db / 20.0));
        write_wav(f.path("guest.wav"), mono(words));
        guest = app.mixer().add(StripRole::voice);
        guest->input().select({DeviceKind::sound_file, f.path("guest.wav")});
        REQUIRE(until([&] { return !guest->input().isOpening(); }));
        window.activateWindow();
    }
    /// The one of the strip that is worked on.
    ui::FlatButton* button(const char* name) {
        for (auto* b : window.findChildren<ui::FlatButton*>(name)) {
            if (b->isVisible()) return b;
        }
        return nullptr;
    }
    void key(int code, Qt::KeyboardModifiers with) { QTest::keyClick(&window, Qt::Key(code), with); }
    ui::StripModel* guest = nullptr;
};

}  // namespace

TEST_CASE("the value last used of a stage is turned by wheel and keys from anywhere") {
    TemporaryFolder folder;
    Window w(folder);
    w.strip().chainModel().focus("gate");
    const double hold = w.value("gate", "hold"), threshold = w.value("gate", "open_threshold");
    // Before anything was used: its threshold.
    CHECK(w.field("open_threshold")->next());
    w.wheel(&w.window, QPoint(4, 400), 1);
    CHECK(w.value("gate", "open_threshold") == threshold + 1.0);
    w.wheel(&w.window, QPoint(4, 400), -1, Qt::ShiftModifier);
    CHECK(w.value("gate", "open_threshold") == Approx(threshold + 0.9));
    // Another one is used, and is the next.
    w.window.activateWindow();
    w.field("hold")->setFocus();
    QTest::keyClick(w.field("hold"), Qt::Key_Right);
    const double held = w.value("gate", "hold");
    CHECK(held > hold);
    CHECK(w.field("hold")->next());
    CHECK_FALSE(w.field("open_threshold")->next());
    w.wheel(&w.window, QPoint(4, 400), 1);
    CHECK(w.value("gate", "hold") > held);
    QTest::keyClick(&w.window, Qt::Key_Down, Qt::AltModifier);
    CHECK(w.value("gate", "hold") == Approx(held));
    QTest::keyClick(&w.window, Qt::Key_Up, Qt::AltModifier);
    CHECK(w.value("gate", "hold") > held);
    w.window.setFocus();
    QTest::keyClick(&w.window, Qt::Key_Down);
    CHECK(w.value("gate", "hold") == Approx(held));
    // Who types a name does not turn it.
    w.window.sceneBar()->askName(ui::SceneBar::NameFor::new_scene);
    QTest::keyClick(w.find<QLineEdit>("scene_name"), Qt::Key_Up);
    CHECK(w.value("gate", "hold") == Approx(held));
    QTest::keyClick(w.find<QLineEdit>("scene_name"), Qt::Key_Escape);
    // Each stage has its own; a field that is under the mouse goes before it.
    w.strip().chainModel().focus("compressor");
    const double ratio = w.value("compressor", "ratio");
    w.wheel(w.field("ratio"), QPoint(20, 10), 1);
    CHECK(w.value("compressor", "ratio") > ratio);
    const double compressed = w.value("compressor", "ratio");
    w.wheel(&w.window, QPoint(4, 400), 1);
    CHECK(w.value("compressor", "ratio") > compressed);
    CHECK(w.value("gate", "hold") == Approx(held));
    // Undo takes it back.
    while (w.app.history().canUndo()) w.app.history().undo();
    CHECK(w.value("gate", "hold") == hold);
    CHECK(w.value("gate", "open_threshold") == threshold);
}

TEST_CASE("a key leads to a strip and its stage, and is remembered") {
    TemporaryFolder folder;
    {
        Two w(folder);
        w.key(Qt::Key_F3, Qt::ControlModifier);
        CHECK_THAT(w.told(), Catch::Contains("Bookmark 3 isn't set"));
        REQUIRE(w.window.actions().run("focus-at", "guest compressor").isEmpty());
        w.key(Qt::Key_F3, Qt::ControlModifier | Qt::ShiftModifier);
        CHECK(w.app.preferences().place(3) == ui::Preferences::Place("guest", "compressor"));
        REQUIRE(w.window.actions().run("focus-at", "voice gate").isEmpty());
        CHECK(&w.app.mixer().current() == &w.strip());
        w.key(Qt::Key_F3, Qt::ControlModifier);
        CHECK(&w.app.mixer().current() == w.guest);
        CHECK(w.guest->chainModel().focused() == "compressor");
        // A stage of another strip is set without going there.
        REQUIRE(w.window.actions().run("set", "voice/gate hold 300").isEmpty());
        CHECK(w.value("gate", "hold") == 300.0);
        REQUIRE(w.window.actions().run("bypass", "voice/gate").isEmpty());
        CHECK(w.strip().chainModel().stage("gate")->bypass);
        CHECK(&w.app.mixer().current() == w.guest);
        CHECK(w.window.actions().run("set", "nobody/gate hold 1").contains("No strip named “nobody”"));
        CHECK(w.window.actions().run("bypass", "guest/none").contains("No stage named “none”"));
        CHECK(w.window.actions().run("place", "9").contains("from 1 to 8"));
        CHECK(w.app.saveState());
    }
    Window again(folder);
    REQUIRE(again.app.mixer().strips().size() == 2);
    again.app.mixer().focus("voice");
    again.window.activateWindow();
    QTest::keyClick(&again.window, Qt::Key_F3, Qt::ControlModifier);
    CHECK(again.app.mixer().current().chainModel().spec().id == "guest");
    CHECK(again.app.mixer().current().chainModel().focused() == "compressor");
    // Its strip is no more.
    again.app.mixer().remove("guest");
    QTest::keyClick(&again.window, Qt::Key_F3, Qt::ControlModifier);
    CHECK_THAT(again.told(), Catch::Contains("No strip named “guest”"));
}

TEST_CASE("the small window has levels, verdict, mute and scene, and the whole one comes back") {
    TemporaryFolder folder;
    Two w(folder);
    w.key(Qt::Key_F9, Qt::NoModifier);
    REQUIRE(w.window.smallShown());
    CHECK_FALSE(w.window.isVisible());
    ui::CompactWindow& small = *w.window.smallWindow();
    CHECK(small.size() == QSize(420, 140));
    const auto button = [&](const char* name) { return small.findChild<ui::FlatButton*>(name); };
    CHECK(small.windowFlags().testFlag(Qt::WindowStaysOnTopHint));
    // Levels move in it: it is seen, though not as closely as the whole one.
    CHECK_FALSE(w.strip().isVisible());
    const QImage before = small.grab().toImage();
    CHECK(Window::until([&] { return small.grab().toImage() != before; }));
    // Mute, by button and by key.
    QTest::mouseClick(button("small_mute"), Qt::LeftButton);
    CHECK(w.app.mute().on());
    CHECK(button("small_mute")->text() == "Muted");
    CHECK(small.windowTitle().startsWith("Muted"));
    QTest::keyClick(&small, Qt::Key_M, Qt::ControlModifier);
    CHECK_FALSE(w.app.mute().on());
    // A character that is on is seen here too, and taken off by a press.
    CHECK_FALSE(button("small_character")->isVisible());
    const int scene_width = button("small_scene")->width();
    QTest::keyClick(&small, Qt::Key_7, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(button("small_character")->isVisible());
    CHECK(button("small_character")->text() == "Robot");
    CHECK_FALSE(button("small_character")->geometry().intersects(button("small_scene")->geometry()));
    CHECK_FALSE(button("small_character")->geometry().intersects(button("small_mute")->geometry()));
    QTest::mouseClick(button("small_character"), Qt::LeftButton);
    CHECK(w.app.mixer().voice().chainModel().character().empty());
    CHECK_FALSE(button("small_character")->isVisible());
    CHECK(button("small_scene")->width() == scene_width);
    // A scene.
    QTest::mouseClick(button("small_scene"), Qt::LeftButton);
    auto* scenes = small.findChild<QMenu*>("small_scenes");
    REQUIRE(scenes != nullptr);
    REQUIRE(scenes->actions().size() == static_cast<int>(w.app.scenes().scenes().size()));
    scenes->actions()[1]->trigger();
    scenes->close();
    CHECK(QString::fromStdString(w.app.mixer().name()) == scenes->actions()[1]->text());
    CHECK(button("small_scene")->accessibleName().contains(scenes->actions()[1]->text()));
    // Before all others or not, and where it is, are remembered.
    QTest::mouseClick(button("small_on_top"), Qt::LeftButton);
    CHECK_FALSE(small.windowFlags().testFlag(Qt::WindowStaysOnTopHint));
    CHECK(small.isVisible());
    small.resize(500, 150);
    // Closed, it gives the whole one back, which goes on as before.
    small.close();
    CHECK_FALSE(w.window.smallShown());
    CHECK(w.window.isVisible());
    CHECK(Window::until([&] { return w.strip().isVisible(); }));
    CHECK_FALSE(w.app.preferences().smallOnTop());
    w.key(Qt::Key_F9, Qt::NoModifier);
    CHECK(small.size() == QSize(500, 150));
    QTest::mouseClick(button("small_whole"), Qt::LeftButton);
    CHECK(w.window.isVisible());
    CHECK_FALSE(small.isVisible());
    // Closing the program from it closes the program.
    w.key(Qt::Key_F9, Qt::NoModifier);
    w.window.close();
    CHECK_FALSE(w.window.isVisible());
    CHECK_FALSE(small.isVisible());
}

TEST_CASE("of several voices the one that is off is named, and one press of its fader mends it") {
    TemporaryFolder folder;
    Two w(folder, -6.0);
    // No other loudness than that of the fader: both chains do nothing.
    for (ui::StripModel* s : w.app.mixer().strips()) {
        std::vector<std::string> ids;
        for (const auto& stage : s->chainModel().chain().stages) ids.push_back(stage.id);
        for (const auto& id : ids) s->chainModel().removeStage(id);
    }
    // The same words, with silence between them in which the guest alone is heard.
    auto words = spoken_words(2);
    for (float& x : words) x *= static_cast<float>(db_to_gain(-6.0));
    words.resize(2 * words.size());
    write_wav(folder.path("voice.wav"), mono(words));
    w.strip().input().select({DeviceKind::sound_file, folder.path("voice.wav")});
    REQUIRE(Window::until([&] { return !w.strip().input().isOpening(); }));
    const auto loudness = [&](size_t i) { return w.app.voiceLoudness().now().at(i).loudness; };
    const auto judged = [&] {
        const auto& now = w.app.voiceLoudness().now();
        return now.size() == 2 && now[0].loudness.seconds >= 4.0 && now[1].loudness.seconds >= 4.0;
    };
    w.strip().chainModel().setFader(6.0);
    REQUIRE(Window::until(judged, 60.0));
    const double apart = *loudness(0).lufs - *loudness(1).lufs;
    CHECK(apart > 3.0);
    // The guest is where it should be, the main voice is not.
    w.app.preferences().setTarget(std::round(*loudness(1).lufs));
    auto& verdict = w.app.advisor(*w.guest);
    // It judges twice a second, and meanwhile what is judged goes on.
    double off = 0.0;
    REQUIRE(Window::until([&] {
        off = w.app.preferences().target() - *loudness(0).lufs;
        return !verdict.remedy().isEmpty() && verdict.words().startsWith("Voice: ");
    }));
    ui::StripModel& who = w.strip();
    const double before = who.chainModel().spec().fader;
    QTest::mouseClick(w.button("verdict_button"), Qt::LeftButton);
    CHECK(who.chainModel().spec().fader == Approx(before + off).margin(1.0));
    // What was said before it counts no more: the same is not asked again.
    const auto known = [&] {
        return std::ranges::any_of(w.app.voiceLoudness().now(),
                                   [](const auto& v) { return v.loudness.seconds > 0.0; });
    };
    CHECK(Window::until([&] { return !known(); }, 5.0));
    CHECK(Window::until([&] { return verdict.words() == "All voices are on target."; }, 60.0));
    CHECK_FALSE(verdict.remedy().contains("Fader"));
    w.app.history().undo();
    CHECK(who.chainModel().spec().fader == before);
    // Alone, the feed as a whole is judged again.
    w.app.mixer().remove("guest");
    CHECK(w.app.voiceLoudness().now().empty());
}

TEST_CASE("voices and sound are balanced in the headphones, singly or together, and it is remembered") {
    TemporaryFolder folder;
    {
        Two w(folder);
        ui::StripModel* music = w.app.mixer().add(StripRole::programme);
        REQUIRE(music != nullptr);
        REQUIRE(Window::until([&] { return !music->input().isOpening(); }));
        QTest::mouseClick(w.button("monitor_button"), Qt::LeftButton);
        auto* popup = w.window.findChild<ui::MonitorPopup*>();
        REQUIRE(popup != nullptr);
        auto* balance = popup->findChild<ui::ValueField*>("heard_balance");
        auto* together = popup->findChild<ui::ValueField*>("heard_together");
        REQUIRE(balance->isVisibleTo(popup));
        balance->setFocus();
        balance->openEditor("-8");
        QTest::keyClick(balance->findChild<QLineEdit*>(), Qt::Key_Return);
        CHECK(w.strip().context().monitor.balance() == -8.0);
        // The volumes themselves stay what they are.
        CHECK(music->monitoring().settings().volume_db == 0.0);
        auto* volume = popup->findChild<ui::ValueField*>("volume");
        REQUIRE(volume != nullptr);
        volume->setFocus();
        QTest::keyClick(volume, Qt::Key_Left);
        const double one = w.app.mixer().current().monitoring().settings().volume_db;
        CHECK(one < 0.0);
        CHECK(w.strip().monitoring().settings().volume_db == 0.0);
        QTest::mouseClick(together, Qt::LeftButton);
        QTest::keyClick(volume, Qt::Key_Left);
        CHECK(w.strip().monitoring().settings().volume_db < 0.0);
        CHECK(w.guest->monitoring().settings().volume_db == w.strip().monitoring().settings().volume_db);
        popup->close();
        CHECK(w.app.saveState());
    }
    ui::AppModel again(Window::paths(folder));
    again.start();
    CHECK(again.context().monitor.balance() == -8.0);
    CHECK(again.context().monitor.linked());
    REQUIRE(again.mixer().strips().size() == 3);
    CHECK(again.mixer().strips()[2]->monitoring().settings().volume_db <
          again.mixer().strips()[1]->monitoring().settings().volume_db);
}

TEST_CASE("what a stage listens to stands in its picture over time") {
    TemporaryFolder folder;
    Two w(folder);
    // A compressor that hears the guest, in a strip that is silent itself.
    const std::string id = "compressor";
    write_wav(folder.path("nothing.wav"), mono(silence(2.0)));
    w.app.mixer().focus("voice");
    w.strip().chainModel().focus(id);
    w.setInput({DeviceKind::sound_file, folder.path("nothing.wav")});
    auto* view = w.window.editor()->findChild<QWidget*>("time_view");
    REQUIRE(view != nullptr);
    const auto filled = [&] {
        const QImage picture = view->grab().toImage();
        const int y = picture.height() * 6 / 10;
        int n = 0;
        for (int x = 44; x < picture.width() - 12; ++x)
            n += static_cast<int>(picture.pixelColor(x, y) != picture.pixelColor(x, y + 1) ||
                                  picture.pixelColor(x, y).red() > picture.pixelColor(x, y).blue() + 20);
        return n;
    };
    REQUIRE(Window::until([&] { return w.heard(6.5); }));
    const int before = filled();
    w.app.mixer().setSidechain(w.strip(), id, "guest");
    REQUIRE(w.strip().chainModel().stage(id)->key == "guest");
    INFO(before);
    CHECK(Window::until([&] { return filled() > before + 20; }));
}
