// The window moved by MIDI devices, on a daemon of the test's own.
#include "actions/actions.h"
#include "actions/midi_dialog.h"
#include "live/midi_device.h"
#include "model/strips/parameter_ref.h"
#include "onair/on_air.h"
#include "remote/midi_remote.h"
#include "widgets/words.h"

namespace reed::test {
namespace {

using Control = MidiControl::Kind;

/// The window, with a device that has a controller for each kind of assignment.
struct WithMidi {
    Daemon daemon;
    std::unique_ptr<MidiDevice> deck;
    OnAir w;
    ui::MidiRemote remote{w.window.actions()};
    ui::MidiAssignments& midi = w.app.context().midi;

    explicit WithMidi(bool lamps = false) : deck(std::make_unique<MidiDevice>("Deck", lamps)) {
        remote.start();
    }

    void assign(Control kind, int number, const ui::MidiTarget& target,
                MidiCoding coding = MidiCoding::absolute) {
        REQUIRE(midi.assign("Deck", {kind, 1, static_cast<std::uint8_t>(number)}, coding, target));
        connected();
    }
    void connected() {
        // A message that says nothing arrives at the latest when those that follow do.
        REQUIRE(Window::until([&] { return midi.devices().contains("Deck"); }));
    }
    /// Sends until it has an effect: the first messages may come before the device is connected.
    bool send(const std::vector<std::vector<std::uint8_t>>& pieces, const std::function<bool()>& done) {
        for (int i = 0; i < 60; ++i) {
            deck->send(pieces);
            if (Window::until(done, 0.5)) return true;
        }
        return false;
    }
    ui::ParameterRef value(const char* address) const { return ui::ParameterRef::at(w.app.mixer(), address); }
    bool muted() const { return w.app.mute().on(); }
};

constexpr const char* kGain = "voice/gain/gain";

}  // namespace

TEST_CASE("a pad that is held talks, and its device never leaves the microphone open", "[onair][midi]") {
    WithMidi m;
    m.w.app.preferences().setTalkKey(ui::Preferences::TalkKey::talks);
    REQUIRE(m.muted());
    m.assign(Control::note, 36, {"talk", {}});
    REQUIRE(m.send({{0x90, 36, 100}}, [&] { return !m.muted(); }));
    m.deck->send({{0x80, 36, 0}});
    REQUIRE(Window::until([&] { return m.muted(); }));
    // Another key of the same device does nothing.
    m.deck->send({{0x90, 37, 100}, {0x91, 36, 100}, {0x90, 36, 1}});
    REQUIRE(Window::until([&] { return !m.muted(); }));
    // Pulled out while it is held.
    m.deck.reset();
    REQUIRE(Window::until([&] { return m.muted(); }));
    // It comes back, and works again.
    m.deck = std::make_unique<MidiDevice>("Deck");
    REQUIRE(m.send({{0x90, 36, 100}}, [&] { return !m.muted(); }));
    m.deck->send({{0x90, 36, 0}});  // a note-on with velocity 0 is a release
    REQUIRE(Window::until([&] { return m.muted(); }));
}

TEST_CASE("a pad that is held mutes, and without its device it stays muted", "[onair][midi]") {
    WithMidi m;
    m.w.app.preferences().setTalkKey(ui::Preferences::TalkKey::mutes);
    REQUIRE_FALSE(m.muted());
    m.assign(Control::note, 36, {"talk", {}});
    REQUIRE(m.send({{0x90, 36, 100}}, [&] { return m.muted(); }));
    m.deck.reset();
    REQUIRE(Window::until([&] { return m.midi.devices().isEmpty(); }));
    CHECK(m.muted());
}

TEST_CASE("a pad that is held is released when it is unassigned, or when a control is learned",
          "[onair][midi]") {
    WithMidi m;
    m.w.app.preferences().setTalkKey(ui::Preferences::TalkKey::talks);
    m.assign(Control::note, 36, {"talk", {}});
    REQUIRE(m.send({{0x90, 36, 100}}, [&] { return !m.muted(); }));
    m.midi.learn({"record", {}});
    CHECK(m.muted());
    m.midi.stopLearning();
    REQUIRE(m.send({{0x80, 36, 0}, {0x90, 36, 100}}, [&] { return !m.muted(); }));
    m.midi.remove("Deck", {Control::note, 1, 36});
    CHECK(m.muted());
}

TEST_CASE("pedals and programs press actions once", "[onair][midi]") {
    WithMidi m;
    m.assign(Control::controller, 64, {"toggle-mute", {}});
    m.assign(Control::program, 2, {"scene Evening quiet", {}});
    REQUIRE_FALSE(m.muted());
    m.deck->send({{0xb0, 64, 0}});
    REQUIRE(m.send({{0xb0, 64, 0}, {0xb0, 64, 127}}, [&] { return m.muted(); }));
    // Further up its way: not pressed again. The program behind it says when all have arrived.
    m.deck->send({{0xb0, 64, 100}, {0xb0, 64, 127}, {0xb0, 64, 90}, {0xc0, 2}});
    REQUIRE(Window::until([&] { return m.w.app.mixer().name() == "Evening quiet"; }));
    CHECK(m.muted());
    m.deck->send({{0xb0, 64, 10}, {0xb0, 64, 127}});
    CHECK(Window::until([&] { return !m.muted(); }));
}

TEST_CASE("a knob takes a value over softly, steps move it, and each movement is one undo step",
          "[onair][midi]") {
    WithMidi m;
    const auto gain = m.value(kGain);
    REQUIRE(gain.isValid());
    REQUIRE(gain.setPosition(0.5));
    gain.endEdit();
    const double before = *gain.value();
    m.assign(Control::controller, 21, {{}, kGain});
    m.assign(Control::note, 1, {"toggle-mute", {}});  // says when all before it have arrived
    // Far from the value: it stays.
    REQUIRE(m.send({{0xb0, 21, 10}, {0x90, 1, 1}}, [&] { return m.muted(); }));
    CHECK(*gain.value() == before);
    // Past it, and on.
    m.deck->send({{0xb0, 21, 100}});
    REQUIRE(Window::until([&] { return std::abs(*gain.position() - 100.0 / 127.0) < 0.01; }));
    m.deck->send({{0xb0, 21, 101}, {0xb0, 21, 102}, {0xb0, 21, 103}});
    REQUIRE(Window::until([&] { return std::abs(*gain.position() - 103.0 / 127.0) < 0.01; }));
    REQUIRE(m.w.app.history().canUndo());
    m.w.app.history().undo();
    CHECK(*gain.value() == before);

    // Of an encoder, the same coding as it has learnt.
    m.assign(Control::controller, 22, {{}, kGain}, MidiCoding::sign_magnitude);
    m.deck->send({{0xb0, 22, 3}});
    REQUIRE(Window::until([&] { return *gain.value() > before; }));
    const double up = *gain.value() - before;
    m.deck->send({{0xb0, 22, 67}, {0xb0, 22, 66}});
    REQUIRE(Window::until([&] { return *gain.value() < before; }));
    CHECK(before - *gain.value() == Approx(up * 2.0 / 3.0).margin(0.06));

    // The stage goes while its knob moves: nothing happens, and it works again when the stage is back.
    m.w.strip().chainModel().removeStage("gain");
    m.deck->send({{0xb0, 21, 50}, {0xb0, 21, 60}, {0x90, 1, 1}});
    REQUIRE(Window::until([&] { return !m.muted(); }));
    CHECK_FALSE(gain.isValid());
    m.w.app.history().undo();
    REQUIRE(gain.isValid());
    m.deck->send({{0xb0, 21, 0}, {0xb0, 21, 127}});
    CHECK(Window::until([&] { return *gain.position() > 0.99; }));
}

TEST_CASE("the first press of a button switches a value", "[onair][midi]") {
    WithMidi m;
    constexpr const char* kMute = "voice/strip/mute";
    const auto mute = m.value(kMute);
    REQUIRE(*mute.value() == 0.0);
    m.assign(Control::controller, 30, {{}, kMute});
    // Once only, so that no later message helps: it is sent when the device is connected for sure.
    m.assign(Control::note, 1, {"toggle-mute", {}});
    REQUIRE(m.send({{0x90, 1, 1}, {0x80, 1, 0}}, [&] { return m.muted(); }));
    m.deck->send({{0xb0, 30, 127}});
    REQUIRE(Window::until([&] { return *mute.value() == 1.0; }));
    m.deck->send({{0xb0, 30, 0}});
    CHECK(Window::until([&] { return *mute.value() == 0.0; }));
}

TEST_CASE("a knob follows the selected strip", "[onair][midi]") {
    WithMidi m;
    ui::StripModel* guest = m.w.app.mixer().add(StripRole::voice);
    REQUIRE(guest != nullptr);
    m.w.app.mixer().focus("voice");
    m.assign(Control::controller_14_bit, 7, {{}, "*/strip/fader"});
    const auto own = m.value("voice/strip/fader");
    const ui::ParameterRef other(*guest, ui::ParameterRef::kStrip, "fader");
    // Through the whole range, so that it passes the value.
    REQUIRE(m.send({{0xb0, 7, 0}, {0xb0, 39, 0}, {0xb0, 7, 127}, {0xb0, 39, 127}},
                   [&] { return *own.position() > 0.999; }));
    CHECK(*other.position() < 0.999);
    m.w.app.mixer().focus(guest->chainModel().spec().id);
    m.deck->send({{0xb0, 7, 0}, {0xb0, 39, 0}});
    REQUIRE(Window::until([&] { return *other.position() < 0.001; }));
    CHECK(*own.position() > 0.999);
}

TEST_CASE("lamps and motor faders show values and states, and nothing is sent back to who sent it",
          "[onair][midi]") {
    WithMidi m(true);
    m.assign(Control::note, 36, {"toggle-mute", {}});
    m.assign(Control::controller, 21, {{}, kGain});
    std::vector<std::uint8_t> got;
    const auto shows = [&](const std::vector<std::uint8_t>& piece) {
        return Window::until([&] {
            const auto more = m.deck->take();
            got.insert(got.end(), more.begin(), more.end());
            const bool found = std::ranges::search(got, piece).begin() != got.end();
            if (found) got.clear();
            return found;
        });
    };
    REQUIRE(shows({0x90, 36, 0}));
    m.w.app.mute().set(true);
    CHECK(shows({0x90, 36, 127}));
    const auto gain = m.value(kGain);
    REQUIRE(gain.setPosition(0.0));
    CHECK(shows({0xb0, 21, 0}));
    REQUIRE(gain.setPosition(1.0));
    CHECK(shows({0xb0, 21, 127}));
    gain.endEdit();
    // Its own movement doesn't come back; what follows shows that all has been sent.
    REQUIRE(m.send({{0xb0, 21, 127}, {0xb0, 21, 64}},
                   [&] { return std::abs(*gain.position() - 64.0 / 127.0) < 0.01; }));
    m.w.app.mute().set(false);
    REQUIRE(Window::until([&] {
        const auto more = m.deck->take();
        got.insert(got.end(), more.begin(), more.end());
        return std::ranges::search(got, std::vector<std::uint8_t>{0x90, 36, 0}).begin() != got.end();
    }));
    CHECK(std::ranges::find(got, 0xb0) == got.end());
    // Undone elsewhere: the fader follows.
    m.w.app.history().undo();
    CHECK(shows({0xb0, 21, 127}));
}

TEST_CASE("a control is learnt in the window by moving it, saved, and there after a restart",
          "[onair][midi]") {
    Daemon daemon;
    MidiDevice deck("Deck");
    TemporaryFolder folder;
    {
        ui::AppModel app(Window::paths(folder));
        ui::MainWindow window(app);
        app.start();
        REQUIRE(Window::until([&] { return !app.mixer().main().input().isOpening(); }));
        window.resize(1280, 800);
        window.show();
        REQUIRE(QTest::qWaitForWindowExposed(&window, 60'000));
        ui::MidiRemote remote(window.actions());
        remote.start();
        app.context().midi.edit({"toggle-mute", {}});
        auto* dialog = window.findChild<ui::MidiDialog*>();
        REQUIRE(dialog != nullptr);
        CHECK(dialog->findChild<ui::Words*>("midi_title")->text() == "Toggle mute");
        auto* said = dialog->findChild<ui::Words*>("midi_said");
        REQUIRE(Window::until([&] { return said->text().endsWith("Listening to: Deck."); }));
        // The first press is taken, and does nothing else.
        REQUIRE_FALSE(app.mute().on());
        REQUIRE(Window::until([&] {
            deck.send({{0x99, 40, 100}, {0x89, 40, 0}});
            return Window::until([&] { return said->text() == "Assigned: Deck, channel 10, note 40."; }, 0.5);
        }));
        CHECK(dialog->findChild<ui::Words*>("midi_control")->text() == "Deck, channel 10, note 40");
        dialog->close();
        const bool before = app.mute().on();
        CHECK(Window::until([&] {
            deck.send({{0x99, 40, 100}, {0x89, 40, 0}});
            return Window::until([&] { return app.mute().on() != before; }, 0.5);
        }));
    }
    CHECK(std::filesystem::exists(folder.path("midi/deck.json")));
    ui::AppModel app(Window::paths(folder));
    ui::MainWindow window(app);
    app.start();
    ui::MidiRemote remote(window.actions());
    remote.start();
    const bool before = app.mute().on();
    // Nothing was opened for it: the device is listened to from the start.
    CHECK(Window::until([&] {
        deck.send({{0x99, 40, 100}, {0x89, 40, 0}});
        return Window::until([&] { return app.mute().on() != before; }, 0.5);
    }));
}

}  // namespace reed::test
