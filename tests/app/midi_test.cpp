// MIDI in the window: what is assigned to what, and the files that say so.
#include <QLineEdit>
#include <filesystem>

#include "actions/actions.h"
#include "actions/midi_dialog.h"
#include "actions/shortcuts_dialog.h"
#include "app/window.h"
#include "base/file.h"
#include "widgets/words.h"

using namespace reed;
using namespace reed::test;

namespace {

using Control = MidiControl::Kind;
constexpr MidiControl kPad{Control::note, 10, 36}, kKnob{Control::controller, 1, 21};

struct WithMidi : Window {
    explicit WithMidi(TemporaryFolder& f) : Window(f) { midi.read(); }
    ui::MidiAssignments& midi = app.context().midi;
    ui::MidiDialog* dialog() {
        QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
        return window.findChild<ui::MidiDialog*>();
    }
    std::string said() { return dialog()->findChild<ui::Words*>("midi_said")->text().toStdString(); }
    void click(const char* name) { QTest::mouseClick(dialog()->findChild<QWidget*>(name), Qt::LeftButton); }
    std::string file(const char* name = "midi/deck.json") const {
        return read_file(folder.path(name), 100'000).value();
    }
};

}  // namespace

TEST_CASE("a MIDI control is assigned to an action in the list of shortcuts, and removed", "[app][midi]") {
    TemporaryFolder folder;
    WithMidi w(folder);
    QTest::keyClick(&w.window, Qt::Key_F1);
    auto* list = w.window.findChild<ui::ShortcutsDialog*>();
    REQUIRE(list != nullptr);
    auto* button = list->findChild<ui::FlatButton*>("midi toggle-mute");
    REQUIRE(button != nullptr);
    CHECK(button->text() == "MIDI…");
    QTest::mouseClick(button, Qt::LeftButton);
    REQUIRE(w.dialog() != nullptr);
    // It waits at once, and says why nothing can come here.
    REQUIRE(w.midi.learning() == ui::MidiTarget{"toggle-mute", {}});
    CHECK(w.said() == "MIDI devices are reached through PipeWire, which isn't running.");
    w.midi.setDevices({}, true);
    CHECK(w.said() == "No MIDI device found. Connect one; it appears here.");
    w.midi.setDevices({"Deck", "Pedal"}, true);
    CHECK(w.said() == "Press a key, pad or pedal. Listening to: Deck, Pedal.");
    w.midi.learned("Deck", kPad, MidiCoding::absolute);
    CHECK_FALSE(w.midi.learning());
    CHECK(w.said() == "Assigned: Deck, channel 10, note 36.");
    CHECK(button->text() == "note 36");
    CHECK_THAT(w.file(), Catch::Contains("\"toggle-mute\""));

    // The same control for another action: it says what it did before.
    w.dialog()->close();
    QTest::mouseClick(list->findChild<ui::FlatButton*>("midi record"), Qt::LeftButton);
    w.midi.learned("Deck", kPad, MidiCoding::absolute);
    CHECK(w.said() == "Assigned: Deck, channel 10, note 36. It was assigned to “Toggle mute” before.");
    CHECK(button->text() == "MIDI…");
    // Another one, and cancelled.
    w.click("midi_learn");
    CHECK(w.midi.learning());
    w.click("midi_learn");
    CHECK_FALSE(w.midi.learning());
    w.click("midi_remove");
    CHECK(w.midi.all().empty());
    CHECK(w.said() == "No MIDI control is assigned.");
    CHECK(w.file().find("record") == std::string::npos);
    // Closed while it waits: no longer.
    w.click("midi_learn");
    w.dialog()->close();
    CHECK(w.dialog() == nullptr);
    CHECK_FALSE(w.midi.learning());
}

TEST_CASE("a value gets a MIDI control by its menu, shows it, and stands in the list", "[app][midi]") {
    TemporaryFolder folder;
    WithMidi w(folder);
    w.strip().chainModel().focus("gate");
    ui::ValueField* field = w.field("hold");
    REQUIRE(field != nullptr);
    QContextMenuEvent right(QContextMenuEvent::Mouse, QPoint(5, 5), field->mapToGlobal(QPoint(5, 5)));
    QApplication::sendEvent(field, &right);
    REQUIRE(w.choose("value_menu", "MIDI control"));
    REQUIRE(w.dialog() != nullptr);
    CHECK(w.dialog()->findChild<ui::Words*>("midi_title")->text() == "Voice: Gate, Hold");
    w.midi.setDevices({"Deck"}, true);
    CHECK(w.said() == "Turn a knob up, or move a fader, a few steps. Listening to: Deck.");
    w.midi.learned("Deck", kKnob, MidiCoding::twos_complement);
    CHECK_THAT(field->toolTip().toStdString(), Catch::EndsWith("MIDI: controller 21"));
    // The coding can be changed.
    w.click("midi_coding");
    REQUIRE(w.choose("midi_codings", "Steps: 65 up"));
    CHECK(w.midi.at("Deck", kKnob)->coding == MidiCoding::offset);
    CHECK_THAT(w.file(), Catch::Contains("\"coding\": \"offset\""));
    w.dialog()->close();

    QTest::keyClick(&w.window, Qt::Key_F1);
    auto* list = w.window.findChild<ui::ShortcutsDialog*>();
    auto* row = list->findChild<ui::FlatButton*>("midi voice/gate/hold");
    REQUIRE(row != nullptr);
    CHECK(row->text() == "controller 21");
    // Found by the control's name.
    list->findChild<QLineEdit*>("keys_word")->setText("controller 21");
    CHECK(row->isVisible());
    CHECK_FALSE(list->findChild<ui::FlatButton*>("midi record")->isVisible());
    list->findChild<QLineEdit*>("keys_word")->clear();
    QTest::mouseClick(row, Qt::LeftButton);
    w.click("midi_remove");
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    CHECK(list->findChild<ui::FlatButton*>("midi voice/gate/hold") == nullptr);
    CHECK(list->findChild<ui::FlatButton*>("midi record") != nullptr);
    CHECK(field->toolTip().indexOf("MIDI") < 0);

    // For whatever strip is selected.
    w.dialog()->close();
    w.midi.edit({{}, "voice/gate/hold"});
    w.click("midi_follows");
    CHECK(w.midi.learning() == ui::MidiTarget{{}, "*/gate/hold"});
    CHECK(w.dialog()->findChild<ui::Words*>("midi_title")->text() == "Selected strip: Gate, Hold");
    w.midi.learned("Deck", kKnob, MidiCoding::absolute);
    CHECK_THAT(field->toolTip().toStdString(), Catch::EndsWith("MIDI: controller 21"));
    w.click("midi_follows");
    CHECK(w.said() == "No MIDI control is assigned.");
}

TEST_CASE("MIDI assignments outlive the session, scenes that are renamed, and damaged files", "[app][midi]") {
    TemporaryFolder folder;
    {
        WithMidi w(folder);
        REQUIRE(w.saveAs("Loud evening"));
        REQUIRE(w.midi.assign("Deck", kPad, MidiCoding::absolute, {"scene Loud evening", {}}));
        REQUIRE(w.midi.assign("Deck", kKnob, MidiCoding::offset, {{}, "voice/gate/hold"}));
        REQUIRE(w.midi.assign("Deck (2)", kPad, MidiCoding::absolute, {"record", {}}));
        REQUIRE(w.renameScene("Louder evening"));
        CHECK(w.midi.of({"scene Louder evening", {}}).size() == 1);
    }
    {
        WithMidi w(folder);
        CHECK(w.midi.all().size() == 3);
        CHECK(w.midi.at("Deck", kPad)->action == "scene Louder evening");
        CHECK(w.midi.at("Deck", kKnob)->coding == MidiCoding::offset);
        CHECK(w.midi.at("Deck (2)", kPad)->action == "record");
    }
    // One line of it can't be used: said, and a copy is kept when the file is written again.
    std::string damaged = read_file(folder.path("midi/deck.json"), 100'000).value();
    damaged.replace(damaged.find("note 36"), 7, "note 36x");
    REQUIRE(write_file(folder.path("midi/deck.json"), damaged).ok());
    // And another is no such file at all.
    REQUIRE(write_file(folder.path("midi/deck-2.json"), "{ something else").ok());
    {
        Window w(folder);
        std::vector<std::string> told;
        QObject::connect(&w.app.notices(), &ui::Notifications::told, &w.window,
                         [&](const QString& text) { told.push_back(text.toStdString()); });
        ui::MidiAssignments& midi = w.app.context().midi;
        midi.read();
        REQUIRE(told.size() == 2);
        CHECK_THAT(told[0], Catch::EndsWith("deck-2.json is no valid JSON."));
        CHECK_THAT(told[1], Catch::Contains("assignments[0] has no control such as"));
        CHECK(midi.all().size() == 1);
        REQUIRE(midi.assign("Deck", {Control::note, 1, 1}, MidiCoding::absolute, {"record", {}}));
        CHECK(read_file(folder.path("midi/deck.json.kept"), 100'000).value() == damaged);
        // A device whose file can't be read gets another one.
        REQUIRE(midi.assign("Deck (2)", kPad, MidiCoding::absolute, {"record", {}}));
        CHECK(read_file(folder.path("midi/deck-2.json"), 100'000).value() == "{ something else");
        std::error_code ec;
        CHECK(std::distance(std::filesystem::directory_iterator(folder.path("midi"), ec), {}) == 4);
    }
    // Where nothing can be written, it works until the end of the session, and that is said.
    std::filesystem::remove_all(folder.path("midi"));
    REQUIRE(write_file(folder.path("midi"), "a file in its place").ok());
    WithMidi w(folder);
    CHECK_FALSE(w.midi.assign("Deck", kPad, MidiCoding::absolute, {"record", {}}));
    CHECK(w.midi.of({"record", {}}).size() == 1);
    CHECK_THAT(w.told(), Catch::Contains("midi"));
}
