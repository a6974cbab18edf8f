// Global shortcuts on a real X server: other programs have the focus, grab the keyboard, or have the key.
#include <catch2/catch.hpp>
#include <memory>

#include "model/shared/global_keys.h"
#include "model/shared/microphone_mute.h"
#include "model/shared/shortcut_text.h"
#include "onair/x_server.h"
#include "remote/global_shortcuts.h"
#include "remote/x11_key_grabs.h"

namespace reed::test {
namespace {

/// A window with global shortcuts on an X server, and another program that has the focus.
struct Global {
    XServer server;
    TemporaryFolder folder;
    Window w{folder};
    ui::GlobalKeys& wishes = w.app.preferences().globalKeys();
    OtherProgram other{server.display};
    ui::GlobalShortcuts shortcuts{w.window.actions(), QDBusConnection("nowhere"), server.display};

    Global() {
        shortcuts.start();
        REQUIRE(Window::until([&] { return wishes.provider() == ui::GlobalKeys::Provider::x_server; }));
    }
    bool muted() const { return w.app.mute().on(); }
};

const auto kControl = std::initializer_list<xcb_keysym_t>{XKB_KEY_Control_L};

}  // namespace

TEST_CASE("a marked shortcut works while another program has the focus, with every lock", "[onair]") {
    Global g;
    g.w.app.preferences().setTalkKey(ui::Preferences::TalkKey::talks);
    REQUIRE(g.muted());
    g.wishes.want("talk", true);
    CHECK(g.wishes.problem("talk") == "");
    for (const xcb_keysym_t lock : {XKB_KEY_VoidSymbol, XKB_KEY_Num_Lock, XKB_KEY_Caps_Lock}) {
        INFO("lock " << lock);
        if (lock != XKB_KEY_VoidSymbol) g.other.tap(lock);
        g.other.chord(kControl, XKB_KEY_m, true);
        REQUIRE(Window::until([&] { return !g.muted(); }));
        g.other.chord(kControl, XKB_KEY_m, false);
        REQUIRE(Window::until([&] { return g.muted(); }));
        if (lock != XKB_KEY_VoidSymbol) g.other.tap(lock);
        CHECK(std::ranges::count(g.other.received(), g.other.code(XKB_KEY_m)) == 0);
    }
    // The modifier is released before the key.
    g.other.chord(kControl, XKB_KEY_m, true);
    REQUIRE(Window::until([&] { return !g.muted(); }));
    g.other.key(XKB_KEY_Control_L, false);
    g.other.key(XKB_KEY_m, false);
    REQUIRE(Window::until([&] { return g.muted(); }));
    // The other program gets all keys but that one, and these do nothing here.
    (void)g.other.received();
    int changes = 0;
    QObject::connect(&g.w.app.mute(), &ui::MicrophoneMute::changed, [&] { ++changes; });
    g.other.tap(XKB_KEY_m);
    g.other.chord({XKB_KEY_Control_L, XKB_KEY_Shift_L}, XKB_KEY_m, true);
    g.other.chord({XKB_KEY_Control_L, XKB_KEY_Shift_L}, XKB_KEY_m, false);
    // Not even with a modifier that no shortcut has.
    g.other.chord({XKB_KEY_Control_L, XKB_KEY_ISO_Level3_Shift}, XKB_KEY_m, true);
    g.other.chord({XKB_KEY_Control_L, XKB_KEY_ISO_Level3_Shift}, XKB_KEY_m, false);
    g.other.chord(kControl, XKB_KEY_m, true);
    g.other.chord(kControl, XKB_KEY_m, false);
    const auto received = g.other.received();
    CHECK(std::ranges::count(received, g.other.code(XKB_KEY_m)) == 3);
    // Opened and closed once, by the last of them.
    REQUIRE(Window::until([&] { return changes >= 2; }));
    CHECK(g.muted());
    CHECK(changes == 2);
    // Turned off, it is the other program's again.
    g.wishes.want("talk", false);
    g.other.chord(kControl, XKB_KEY_m, true);
    g.other.chord(kControl, XKB_KEY_m, false);
    CHECK(std::ranges::count(g.other.received(), g.other.code(XKB_KEY_m)) == 1);
}

TEST_CASE("a held shortcut acts once, and one with a number recalls its scene", "[onair]") {
    Global g;
    g.wishes.want("talk", true);
    g.wishes.want("scene 3", true);
    CHECK_FALSE(g.muted());
    int changes = 0;
    QObject::connect(&g.w.app.mute(), &ui::MicrophoneMute::changed, [&] { ++changes; });
    // A keyboard that repeats keys sends further presses without a release.
    g.other.chord(kControl, XKB_KEY_m, true);
    g.other.key(XKB_KEY_m, true);
    g.other.key(XKB_KEY_m, true);
    REQUIRE(Window::until([&] { return g.muted(); }));
    g.other.chord(kControl, XKB_KEY_m, false);
    // A second press, which arrives after all of these, does what it should.
    g.other.chord(kControl, XKB_KEY_m, true);
    g.other.chord(kControl, XKB_KEY_m, false);
    REQUIRE(Window::until([&] { return !g.muted(); }));
    CHECK(changes == 2);
    g.other.chord(kControl, XKB_KEY_3, true);
    g.other.chord(kControl, XKB_KEY_3, false);
    REQUIRE(Window::until([&] { return g.w.strip().chainModel().scene().name == "Evening quiet"; }));
    CHECK(changes == 2);
}

TEST_CASE("a program that has grabbed the keyboard does not keep shortcuts from working", "[onair]") {
    Global g;
    g.w.app.preferences().setTalkKey(ui::Preferences::TalkKey::talks);
    g.wishes.want("talk", true);
    REQUIRE(g.other.grab_keyboard());
    g.other.chord(kControl, XKB_KEY_m, true);
    REQUIRE(Window::until([&] { return !g.muted(); }));
    g.other.chord(kControl, XKB_KEY_m, false);
    REQUIRE(Window::until([&] { return g.muted(); }));
}

TEST_CASE("a key that another program has is named, and so is one that does not exist", "[onair]") {
    Global g;
    xcb_grab_key(g.other.connection, 0, g.other.root, XCB_MOD_MASK_CONTROL, g.other.code(XKB_KEY_m),
                 XCB_GRAB_MODE_ASYNC, XCB_GRAB_MODE_ASYNC);
    g.other.sync();
    g.wishes.want("talk", true);
    CHECK(g.wishes.problem("talk") == "Another app uses Ctrl+M. Choose another shortcut.");
    g.other.chord(kControl, XKB_KEY_m, true);
    g.other.chord(kControl, XKB_KEY_m, false);
    // Another shortcut mends it at once.
    g.w.app.preferences().keys().set("talk", QKeySequence("Ctrl+Alt+M"));
    CHECK(g.wishes.problem("talk") == "");
    CHECK_FALSE(g.muted());
    g.other.chord({XKB_KEY_Control_L, XKB_KEY_Alt_L}, XKB_KEY_m, true);
    g.other.chord({XKB_KEY_Control_L, XKB_KEY_Alt_L}, XKB_KEY_m, false);
    REQUIRE(Window::until([&] { return g.muted(); }));
    g.w.app.preferences().keys().set("talk", QKeySequence(Qt::CTRL | Qt::Key_F35));
    CHECK_THAT(g.wishes.problem("talk").toStdString(), Catch::Contains("This keyboard has no key for"));
    g.w.app.preferences().keys().set("talk", QKeySequence(Qt::Key_F8));
    CHECK(g.wishes.problem("talk") == "");
}

TEST_CASE("while a new shortcut is pressed in the list, none is grabbed", "[onair]") {
    Global g;
    g.wishes.want("talk", true);
    g.wishes.pause(true);
    g.other.chord(kControl, XKB_KEY_m, true);
    g.other.chord(kControl, XKB_KEY_m, false);
    CHECK(std::ranges::count(g.other.received(), g.other.code(XKB_KEY_m)) == 1);
    g.wishes.pause(false);
    g.other.chord(kControl, XKB_KEY_m, true);
    g.other.chord(kControl, XKB_KEY_m, false);
    REQUIRE(Window::until([&] { return g.muted(); }));
}

TEST_CASE("a key whose grab goes away while it is held never opens the microphone", "[onair]") {
    Global g;
    g.w.app.preferences().setTalkKey(ui::Preferences::TalkKey::mutes);
    g.wishes.want("talk", true);
    g.other.chord(kControl, XKB_KEY_m, true);
    REQUIRE(Window::until([&] { return g.muted(); }));
    g.wishes.want("talk", false);
    CHECK(g.muted());
    g.other.chord(kControl, XKB_KEY_m, false);
    // Held to talk, it closes the microphone.
    g.w.app.preferences().setTalkKey(ui::Preferences::TalkKey::talks);
    g.wishes.want("talk", true);
    g.other.chord(kControl, XKB_KEY_m, true);
    REQUIRE(Window::until([&] { return !g.muted(); }));
    g.wishes.pause(true);
    CHECK(g.muted());
}

TEST_CASE("a mouse button works while another program is under the mouse, pressed and released", "[onair]") {
    Global g;
    const QKeySequence back(QKeyCombination(ui::mouseKey(Qt::BackButton)));
    g.w.app.preferences().setTalkKey(ui::Preferences::TalkKey::talks);
    g.w.app.preferences().keys().set("talk", back);
    g.wishes.want("talk", true);
    CHECK(g.wishes.problem("talk") == "");
    (void)g.other.clicked();
    for (const xcb_keysym_t lock : {XKB_KEY_VoidSymbol, XKB_KEY_Num_Lock}) {
        if (lock != XKB_KEY_VoidSymbol) g.other.tap(lock);
        g.other.button(8, true);
        REQUIRE(Window::until([&] { return !g.muted(); }));
        g.other.button(8, false);
        REQUIRE(Window::until([&] { return g.muted(); }));
    }
    g.other.tap(XKB_KEY_Num_Lock);
    // All other buttons are the other program's, and with Ctrl this one is, too.
    for (const std::uint8_t number : {1, 9}) {
        g.other.button(number, true);
        g.other.button(number, false);
    }
    g.other.key(XKB_KEY_Control_L, true);
    g.other.button(8, true);
    g.other.button(8, false);
    g.other.key(XKB_KEY_Control_L, false);
    CHECK(g.other.clicked() == std::vector<int>{1, 9, 8});
    CHECK(g.muted());
    // A key and a button of the same number are two things.
    g.w.app.preferences().keys().set(
        "talk", QKeySequence(QKeyCombination(Qt::ControlModifier, ui::mouseKey(Qt::ForwardButton))));
    g.other.button(8, true);
    g.other.button(8, false);
    g.other.key(XKB_KEY_Control_L, true);
    g.other.button(9, true);
    REQUIRE(Window::until([&] { return !g.muted(); }));
    // Another program that has the button is named.
    g.other.button(9, false);
    g.other.key(XKB_KEY_Control_L, false);
    REQUIRE(Window::until([&] { return g.muted(); }));
    CHECK(g.other.clicked() == std::vector<int>{8});
    xcb_grab_button(g.other.connection, 0, g.other.root, 0, XCB_GRAB_MODE_ASYNC, XCB_GRAB_MODE_ASYNC,
                    XCB_NONE, XCB_NONE, 10, XCB_MOD_MASK_ANY);
    g.other.sync();
    g.w.app.preferences().keys().set("talk", QKeySequence(QKeyCombination(ui::mouseKey(Qt::ExtraButton3))));
    CHECK(g.wishes.problem("talk") == "Another app uses Mouse 6. Choose another shortcut.");
}

TEST_CASE("media keys work while another program has the focus", "[onair]") {
    Global g;
    // Some keyboards lack them: the code beside the last one is free on this server's.
    const xcb_keycode_t free_code = 200;
    const std::vector<std::pair<Qt::Key, xcb_keysym_t>> keys = {
        {Qt::Key_MediaPlay, 0x1008ff14},   {Qt::Key_MediaPause, 0x1008ff31}, {Qt::Key_MicMute, 0x1008ffb2},
        {Qt::Key_LaunchMail, 0x1008ff19},  {Qt::Key_Back, 0x1008ff26},       {Qt::Key_Search, 0x1008ff1b},
        {Qt::Key_LaunchMedia, 0x1008ff32}, {Qt::Key_Forward, 0x1008ff27}};  // XF86keysym.h
    g.wishes.want("toggle-mute", true);
    for (const auto& [key, keysym] : keys) {
        INFO(QKeySequence(key).toString().toStdString());
        xcb_change_keyboard_mapping(g.other.connection, 1, free_code, 1, &keysym);
        g.other.sync();
        // The layout is read again when the server says that it has changed.
        REQUIRE(Window::until([&] {
            g.w.app.preferences().keys().set("toggle-mute", {});
            g.w.app.preferences().keys().set("toggle-mute", QKeySequence(key));
            return g.wishes.problem("toggle-mute").isEmpty();
        }));
        const bool was = g.muted();
        for (const auto what : {XCB_KEY_PRESS, XCB_KEY_RELEASE}) {
            xcb_test_fake_input(g.other.connection, static_cast<std::uint8_t>(what), free_code,
                                XCB_CURRENT_TIME, g.other.root, 0, 0, 0);
        }
        g.other.sync();
        CHECK(Window::until([&] { return g.muted() != was; }));
    }
}

TEST_CASE("a slot with several keys is grabbed with all of them or none", "[onair]") {
    XServer server;
    OtherProgram other(server.display);
    const auto grabs = ui::X11KeyGrabs::open(server.display);
    REQUIRE(grabs != nullptr);
    xcb_grab_key(other.connection, 0, other.root, XCB_MOD_MASK_CONTROL, other.code(XKB_KEY_m),
                 XCB_GRAB_MODE_ASYNC, XCB_GRAB_MODE_ASYNC);
    other.sync();
    std::vector<QString> pressed;
    QObject::connect(grabs.get(), &ui::X11KeyGrabs::pressed, [&](const QString& s) { pressed.push_back(s); });
    const auto problems = grabs->grab(
        {{"two", QKeySequence("F7")}, {"two", QKeySequence("Ctrl+M")}, {"one", QKeySequence("F8")}});
    CHECK(problems.size() == 1);
    CHECK(problems.contains("two"));
    (void)other.received();
    other.tap(XKB_KEY_F7);
    other.tap(XKB_KEY_F8);
    REQUIRE(Window::until([&] { return !pressed.empty(); }));
    CHECK(pressed == std::vector<QString>{"one"});
    CHECK(other.received() == std::vector<int>{other.code(XKB_KEY_F7)});
}

TEST_CASE("a modifier that the layout lacks is not left out of a shortcut", "[onair]") {
    XServer server;
    const OtherProgram other(server.display);
    // A layout without Alt: its place among the modifiers is empty.
    const xcb_keycode_t keys[8] = {other.code(XKB_KEY_Shift_L), 0, other.code(XKB_KEY_Control_L)};
    const std::unique_ptr<xcb_set_modifier_mapping_reply_t, void (*)(void*)> set{
        xcb_set_modifier_mapping_reply(other.connection, xcb_set_modifier_mapping(other.connection, 1, keys),
                                       nullptr),
        std::free};
    REQUIRE(set != nullptr);
    const auto grabs = ui::X11KeyGrabs::open(server.display);
    REQUIRE(grabs != nullptr);
    const auto problems = grabs->grab({{"up", QKeySequence("Alt+Up")}, {"talk", QKeySequence("Ctrl+M")}});
    CHECK(problems.size() == 1);
    REQUIRE(problems.contains("up"));
    CHECK_THAT(problems.at("up").toStdString(), Catch::Contains("This keyboard has no key for"));
    (void)other.received();
    other.tap(XKB_KEY_Up);
    CHECK(other.received() == std::vector<int>{other.code(XKB_KEY_Up)});
}

TEST_CASE("an X server that ends releases what is held without opening the microphone", "[onair]") {
    Global g;
    g.w.app.preferences().setTalkKey(ui::Preferences::TalkKey::talks);
    g.wishes.want("talk", true);
    g.other.chord(kControl, XKB_KEY_m, true);
    REQUIRE(Window::until([&] { return !g.muted(); }));
    g.server.end();
    REQUIRE(Window::until([&] { return g.muted(); }));
    CHECK(g.wishes.provider() == ui::GlobalKeys::Provider::none);
}

TEST_CASE("marked shortcuts are in effect again after a restart", "[onair]") {
    XServer server;
    TemporaryFolder folder;
    {
        Window w(folder);
        w.app.preferences().globalKeys().want("talk", true);
        w.app.preferences().globalKeys().wantDesktop(true);
    }
    Window w(folder);
    ui::GlobalKeys& wishes = w.app.preferences().globalKeys();
    CHECK(wishes.wants("talk"));
    CHECK(wishes.wantsDesktop());
    ui::GlobalShortcuts shortcuts(w.window.actions(), QDBusConnection("nowhere"), server.display);
    shortcuts.start();
    REQUIRE(Window::until([&] { return wishes.provider() == ui::GlobalKeys::Provider::x_server; }));
    const OtherProgram other(server.display);
    other.chord(kControl, XKB_KEY_m, true);
    other.chord(kControl, XKB_KEY_m, false);
    REQUIRE(Window::until([&] { return w.app.mute().on(); }));
}

TEST_CASE("without an X server nothing is grabbed", "[onair]") {
    TemporaryFolder folder;
    Window w(folder);
    for (const char* display : {"", ":4711"}) {
        ui::GlobalShortcuts shortcuts(w.window.actions(), QDBusConnection("nowhere"), display);
        shortcuts.start();
        QCoreApplication::processEvents();
        CHECK(w.app.preferences().globalKeys().provider() == ui::GlobalKeys::Provider::none);
    }
}

}  // namespace reed::test
