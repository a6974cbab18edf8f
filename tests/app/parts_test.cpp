// Parts of the window by themselves: undo, messages, fields, recorder.
#include <catch2/catch.hpp>

#include "app/window.h"
#include "base/file.h"
#include "deck/scene_bar.h"
#include "model/shared/history.h"
#include "model/takes/feed_recorder.h"
#include "theme/theme.h"
#include "widgets/words.h"

using namespace reed;
using namespace reed::test;

namespace {
/// A desk of one strip whose scene has a name, and its steps.
struct Steps {
    std::string now = "a";
    ui::History h;

    Steps() {
        h.serve([this] { return state(now); },
                [this](const ui::DeskState& before) { now = before.strips.at(before.first)->scene.name; });
    }
    static ui::DeskState state(const std::string& name) {
        ui::StripState s;
        s.scene.name = name;
        return {{std::make_shared<const ui::StripState>(s)}};
    }
    void change(const std::string& to, const QString& label, const QString& key) {
        h.push(label, key);
        now = to;
    }
};
}  // namespace

TEST_CASE("changes with one key in a row are one step of undo, others are not") {
    Steps s;
    ui::History& h = s.h;
    CHECK_FALSE(h.canUndo());
    s.change("b", "first", "gate/hold");
    s.change("c", "second", "gate/hold");
    s.change("d", "third", "gate/range");
    CHECK(h.undoLabel() == "third");
    h.undo();
    CHECK(s.now == "c");
    CHECK(h.redoLabel() == "third");
    h.undo();
    CHECK(s.now == "a");  // both drags of hold at once
    CHECK_FALSE(h.canUndo());
    h.undo();
    CHECK(s.now == "a");
    h.redo();
    CHECK(s.now == "c");
    h.redo();
    CHECK(s.now == "d");
    CHECK_FALSE(h.canRedo());
    // A step that was closed stays by itself; a new change forgets what could be redone.
    s.change("e", "x", "k");
    h.closeStep();
    s.change("f", "y", "k");
    h.undo();
    CHECK(s.now == "e");
    h.undo();
    CHECK(s.now == "d");
    s.change("h", "z", {});
    CHECK_FALSE(h.canRedo());
    // What is held back is no step; a scene that was renamed keeps its new name in what was before.
    {
        const ui::History::Hold hold(h);
        s.change("i", "not noted", {});
    }
    CHECK(h.undoLabel() == "z");
    h.rename("d", "renamed");
    h.undo();
    CHECK(s.now == "renamed");
}

TEST_CASE("changes of one key more than a second and a half apart are two steps") {
    Steps s;
    QElapsedTimer since;
    s.change("b", "first", "gate/hold");
    since.start();
    QTest::qWait(1000);
    s.change("c", "second", "gate/hold");
    s.h.undo();
    // A machine that stood still meanwhile proves nothing about it.
    if (since.elapsed() < 1400) CHECK(s.now == "a");
    Steps other;
    other.change("b", "first", "gate/hold");
    QTest::qWait(1600);
    other.change("c", "second", "gate/hold");
    other.h.undo();
    CHECK(other.now == "b");
    other.h.undo();
    CHECK(other.now == "a");
}

TEST_CASE("five hundred steps can be undone, and the newest are the ones kept") {
    Steps s;
    for (int i = 0; i < 600; ++i) s.change(std::to_string(i), QString("step %1").arg(i), {});
    int steps = 0;
    for (; s.h.canUndo(); ++steps) s.h.undo();
    CHECK(steps == 500);
    CHECK(s.now == "99");
}

TEST_CASE("errors wait to be read, other news does not cover them") {
    ui::MessageBar bar;
    bar.resize(600, 40);
    bar.tell("saved", false);
    CHECK(bar.text() == "saved");
    bar.tell("first trouble", true);
    CHECK(bar.text() == "first trouble");
    bar.tell("saved again", false);
    CHECK(bar.text() == "first trouble");
    bar.tell("second trouble", true);
    bar.tell("second trouble", true);
    QTest::mouseClick(&bar, Qt::LeftButton);
    CHECK(bar.text() == "second trouble");
    bar.dismiss();
    CHECK(bar.text().isEmpty());
    CHECK_FALSE(bar.isVisible());
    // With nothing to say it needs no room; a long text needs more the narrower it stands, and all of it
    // fits.
    CHECK(bar.heightFor(300) == 0);
    bar.tell(QString("A rather long sentence about what went wrong and what to do. ").repeated(4), true);
    const int line = QFontMetrics(bar.font()).lineSpacing();
    CHECK(bar.heightFor(2400) >= line + 8);
    CHECK(bar.heightFor(2400) < 2 * line + 16);
    CHECK(bar.heightFor(500) > bar.heightFor(2400) + 2 * line);
}

TEST_CASE("a field tells values inside its range only, and shows what it is told") {
    const StageKind* kind = find_stage_kind("compressor");
    const Parameter& ratio = kind->parameters[static_cast<size_t>(kind->find("ratio"))];
    ui::ValueField field(ratio);
    field.resize(200, 36);
    field.show();
    double told = -1.0;
    int refused = 0;
    QObject::connect(&field, &ui::ValueField::valueRequested, [&](double v) {
        told = v;
        field.setValue(v);
    });
    QObject::connect(&field, &ui::ValueField::refused,
                     [&](const QString& why) { refused += why.size() > 10 ? 1 : 0; });
    for (int i = 0; i < 60; ++i) Window::wheel(&field, {10, 10}, 3);
    CHECK(told == 20.0);
    QTest::keyClick(&field, Qt::Key_Home);
    CHECK(told == 1.0);
    for (const char* bad : {"0", "21", "abc", "1e9", "-4"}) {
        field.openEditor(bad);
        QTest::keyClick(field.findChild<QLineEdit*>("value_editor"), Qt::Key_Return);
    }
    CHECK(refused == 5);
    CHECK(told == 1.0);
    field.openEditor("3,5:1");
    QTest::keyClick(field.findChild<QLineEdit*>("value_editor"), Qt::Key_Return);
    CHECK(told == 3.5);
    CHECK(field.complaint().isEmpty());
    CHECK(field.accessibleName() == "Ratio");
    CHECK(field.accessibleDescription().startsWith("3.5:1"));
    QTest::mouseClick(&field, Qt::LeftButton, Qt::ControlModifier, {10, 10});
    CHECK(told == ratio.default_value);
}

TEST_CASE("text that does not fit is cut between its sentences, else between its words") {
    const QFontMetrics metrics(ui::font(13));
    const QString text = "App audio is too quiet. You can raise it by 4.5 dB.";
    const auto pixels = [&](const QString& t) { return metrics.horizontalAdvance(t); };
    CHECK(ui::elidedBySentences(metrics, text, pixels(text)) == text);
    CHECK(ui::elidedBySentences(metrics, text, pixels(text) - 1) == "App audio is too quiet.");
    CHECK(ui::elidedBySentences(metrics, text, pixels("App audio is to…")) == "App audio is…");
    CHECK(ui::elidedByWords(metrics, text, pixels(text) - 1) ==
          "App audio is too quiet. You can raise it by 4.5…");
    CHECK(ui::elidedByWords(metrics, "Cathedral", pixels("Cathe…")).endsWith("…"));
}

TEST_CASE("a choice is made from its menu and by keys") {
    const StageKind* kind = find_stage_kind("compressor");
    ui::ValueField field(kind->parameters[static_cast<size_t>(kind->find("detection"))]);
    field.resize(200, 36);
    field.show();
    double told = -1.0;
    QObject::connect(&field, &ui::ValueField::valueRequested, [&](double v) {
        told = v;
        field.setValue(v);
    });
    QTest::mouseClick(&field, Qt::LeftButton, {}, {10, 10});
    auto* menu = field.findChild<QMenu*>();
    REQUIRE(menu != nullptr);
    REQUIRE(menu->actions().size() == 2);
    menu->actions()[0]->trigger();
    menu->close();
    CHECK(told == 0.0);
    QTest::keyClick(&field, Qt::Key_Right);
    CHECK(told == 1.0);
    QTest::keyClick(&field, Qt::Key_Right);
    CHECK(told == 1.0);
}

TEST_CASE("the recorder writes what goes out, and a place that can't be written is told") {
    TemporaryFolder folder;
    Window w(folder);
    ui::FeedRecorder recorder(w.strip().engine());
    CHECK_FALSE(recorder.start(folder.path("no/folder/x.wav")).ok());
    const auto from = w.strip().engine().feed_history()->written();
    REQUIRE(recorder.start(folder.path("feed.flac")).ok());
    REQUIRE(w.heard(static_cast<double>(from) / 48000.0 + 0.7));
    REQUIRE(recorder.finish().ok());
    SoundInfo info;
    const auto sound = read_sound(folder.path("feed.flac"), &info);
    REQUIRE(sound.ok());
    CHECK(info.sample_rate == 48000);
    REQUIRE(info.frames > 48000 / 2);
    // Frame by frame what went out from the moment it was started, to the last bit of 24.
    std::vector<float> feed(24000);
    float* rows[2] = {feed.data(), nullptr};
    REQUIRE(w.strip().engine().feed_history()->read(from, 24000, rows));
    REQUIRE(rms(feed) > 1e-5);
    const auto& x = sound.value()[0];
    // Written again while it was started, by at most a block or two.
    size_t begin = 0;
    while (begin < 4800 && std::abs(x[0] - feed[begin]) > 2e-7f) ++begin;
    double worst = 0.0;
    for (size_t i = 0; begin + i < feed.size(); ++i)
        worst = std::max<double>(worst, std::abs(x[i] - feed[begin + i]));
    CHECK(worst < 2e-7);
}

TEST_CASE("a scene file that can't be read is named at the start, and stays") {
    TemporaryFolder folder;
    { Window first(folder); }
    const std::string bad = folder.path("scenes/broken.json");
    REQUIRE(write_file(bad, "{ no scene").ok());
    Window w(folder);
    CHECK_THAT(w.window.messages()->text().toStdString(),
               Catch::Contains("broken.json") && Catch::Contains("left unchanged"));
    CHECK(w.app.scenes().scenes().size() == 6);
    CHECK(read_file(bad, 100).value() == "{ no scene");
}

TEST_CASE("scenes that do not fit the bar are in its menu") {
    TemporaryFolder folder;
    Window w(folder);
    for (int i = 0; i < 12; ++i) REQUIRE(w.saveAs(QString("Evening with a rather long name %1").arg(i)));
    auto* bar = w.window.sceneBar();
    // Whichever is in work, it is among those shown, inside the bar and beside the others.
    int hidden = 0;
    for (const auto& entry : w.app.scenes().scenes()) {
        w.app.scenes().recall(entry.scene.name);
        INFO(entry.scene.name);
        auto* current = w.find<ui::FlatButton>("scene_" + QString::fromStdString(entry.scene.name));
        REQUIRE(current != nullptr);
        CHECK(current->isVisible());
        CHECK(current->isChecked());
        CHECK(current->width() == current->sizeHint().width());
        QRegion taken;
        for (auto* b : bar->findChildren<ui::FlatButton*>()) {
            hidden += b->isVisible() || b->objectName().isEmpty() ? 0 : 1;
            if (!b->isVisible()) continue;
            CHECK(bar->rect().contains(b->geometry()));
            CHECK_FALSE(taken.intersects(b->geometry()));
            taken += b->geometry();
        }
    }
    CHECK(hidden > 0);
    QTest::mouseClick(w.find<ui::FlatButton>("scene_menu"), Qt::LeftButton);
    REQUIRE(w.choose("scene_popup", "Evening with a rather long name 7"));
    CHECK(w.strip().chainModel().scene().name == "Evening with a rather long name 7");
}

TEST_CASE("digital silence is told beside the input, and nothing of the sound before stays in the diagram") {
    TemporaryFolder folder;
    Window w(folder);
    const auto voice_pixels = [&] {
        const QImage picture = w.window.diagram()->grab().toImage();
        int n = 0;
        for (int y = 0; y < picture.height() / 2; ++y) {
            for (int x = 0; x < picture.width(); ++x)
                n += picture.pixelColor(x, y) == ui::theme().straw ? 1 : 0;
        }
        return n;
    };
    REQUIRE(Window::until([&] { return voice_pixels() > 100; }));
    write_wav(folder.path("muted.wav"), mono(silence(1.0)));
    w.setInput({DeviceKind::sound_file, folder.path("muted.wav")});
    auto* advice = w.find<QLabel>("input_advice");
    REQUIRE(advice != nullptr);
    CHECK(Window::until([&] { return advice->text().contains("digital silence"); }));
    CHECK(Window::until([&] { return voice_pixels() == 0; }));
}
