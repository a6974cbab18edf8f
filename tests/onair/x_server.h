// A virtual X server, and another program on it.
#pragma once

#include <xcb/xcb.h>
#include <xcb/xcb_keysyms.h>
#include <xcb/xtest.h>
#include <xkbcommon/xkbcommon-keysyms.h>

#include <QProcess>
#include <catch2/catch.hpp>
#include <cstdlib>
#include <memory>

#include "app/window.h"

namespace reed::test {

/// A virtual X server.
struct XServer {
    QProcess process;
    QByteArray display;
    XServer() {
        process.start("Xvfb", {"-displayfd", "1", "-screen", "0", "640x480x24", "-nolisten", "tcp"});
        REQUIRE(Window::until([&] { return process.canReadLine(); }));
        display = ":" + process.readLine().trimmed();
    }
    ~XServer() { end(); }
    void end() {
        process.terminate();
        process.waitForFinished();
    }
};

/// Another program with a window that has the focus. It also presses the keys.
struct OtherProgram {
    xcb_connection_t* connection;
    xcb_window_t window = 0, root = 0;
    xcb_key_symbols_t* symbols;
    explicit OtherProgram(const QByteArray& display)
        : connection(xcb_connect(display.constData(), nullptr)), symbols(xcb_key_symbols_alloc(connection)) {
        REQUIRE(xcb_connection_has_error(connection) == 0);
        const xcb_screen_t* screen = xcb_setup_roots_iterator(xcb_get_setup(connection)).data;
        root = screen->root;
        window = xcb_generate_id(connection);
        const std::uint32_t events = XCB_EVENT_MASK_KEY_PRESS | XCB_EVENT_MASK_BUTTON_PRESS;
        xcb_create_window(connection, XCB_COPY_FROM_PARENT, window, root, 0, 0, 640, 480, 0,
                          XCB_WINDOW_CLASS_INPUT_OUTPUT, screen->root_visual, XCB_CW_EVENT_MASK, &events);
        xcb_map_window(connection, window);
        sync();
        xcb_set_input_focus(connection, XCB_INPUT_FOCUS_PARENT, window, XCB_CURRENT_TIME);
        sync();
    }
    ~OtherProgram() {
        xcb_key_symbols_free(symbols);
        xcb_disconnect(connection);
    }
    void sync() const {
        std::free(xcb_get_input_focus_reply(connection, xcb_get_input_focus(connection), nullptr));
    }
    xcb_keycode_t code(xcb_keysym_t keysym) const {
        const std::unique_ptr<xcb_keycode_t, void (*)(void*)> codes{
            xcb_key_symbols_get_keycode(symbols, keysym), std::free};
        REQUIRE(codes != nullptr);
        return *codes;
    }
    void key(xcb_keysym_t keysym, bool down) const {
        xcb_test_fake_input(connection, down ? XCB_KEY_PRESS : XCB_KEY_RELEASE, code(keysym),
                            XCB_CURRENT_TIME, root, 0, 0, 0);
        sync();
    }
    void tap(xcb_keysym_t keysym) const {
        key(keysym, true);
        key(keysym, false);
    }
    void chord(std::initializer_list<xcb_keysym_t> modifiers, xcb_keysym_t keysym, bool down) const {
        if (down)
            for (const auto m : modifiers) key(m, true);
        key(keysym, down);
        if (!down)
            for (const auto m : modifiers) key(m, false);
    }
    /// Codes of the keys that were pressed here since the last call.
    std::vector<int> received() const {
        sync();
        std::vector<int> out;
        while (xcb_generic_event_t* event = xcb_poll_for_event(connection)) {
            if ((event->response_type & 0x7f) == XCB_KEY_PRESS)
                out.push_back(reinterpret_cast<xcb_key_press_event_t*>(event)->detail);
            std::free(event);
        }
        return out;
    }
    /// A button of the mouse: 8 is back, 9 is forward.
    void button(std::uint8_t number, bool down) const {
        xcb_test_fake_input(connection, down ? XCB_BUTTON_PRESS : XCB_BUTTON_RELEASE, number,
                            XCB_CURRENT_TIME, root, 0, 0, 0);
        sync();
    }
    /// Buttons that were pressed here since the last call.
    std::vector<int> clicked() const {
        sync();
        std::vector<int> out;
        while (xcb_generic_event_t* event = xcb_poll_for_event(connection)) {
            if ((event->response_type & 0x7f) == XCB_BUTTON_PRESS)
                out.push_back(reinterpret_cast<xcb_button_press_event_t*>(event)->detail);
            std::free(event);
        }
        return out;
    }
    bool grab_keyboard() const {
        const std::unique_ptr<xcb_grab_keyboard_reply_t, void (*)(void*)> reply{
            xcb_grab_keyboard_reply(connection,
                                    xcb_grab_keyboard(connection, 0, window, XCB_CURRENT_TIME,
                                                      XCB_GRAB_MODE_ASYNC, XCB_GRAB_MODE_ASYNC),
                                    nullptr),
            std::free};
        return reply != nullptr && reply->status == XCB_GRAB_STATUS_SUCCESS;
    }
};

}  // namespace reed::test
