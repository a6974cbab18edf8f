#include "remote/x11_key_grabs.h"

#include <xcb/xcb.h>
#include <xcb/xcb_keysyms.h>
#include <xcb/xinput.h>
#include <xkbcommon/xkbcommon.h>

#include <QCoreApplication>
#include <QSocketNotifier>
#include <algorithm>
#include <cstdlib>
#include <optional>
#include <set>
#include <utility>

#include "model/shared/shortcut_text.h"

namespace reed::ui {
namespace {

/// Replies, errors and events of XCB are freed by free().
struct Free {
    void operator()(void* p) const { std::free(p); }
};
template <typename T>
using Owned = std::unique_ptr<T, Free>;

/// Names of keysyms (X11/keysymdef.h, XF86keysym.h) by the key of Qt; keys with a character are missing.
struct Named {
    int key;
    const char* keysym;
};
constexpr Named kNamed[] = {
    {Qt::Key_Escape, "Escape"},
    {Qt::Key_Tab, "Tab"},
    {Qt::Key_Backtab, "Tab"},
    {Qt::Key_Backspace, "BackSpace"},
    {Qt::Key_Return, "Return"},
    {Qt::Key_Enter, "KP_Enter"},
    {Qt::Key_Insert, "Insert"},
    {Qt::Key_Delete, "Delete"},
    {Qt::Key_Pause, "Pause"},
    {Qt::Key_Print, "Print"},
    {Qt::Key_Home, "Home"},
    {Qt::Key_End, "End"},
    {Qt::Key_Left, "Left"},
    {Qt::Key_Up, "Up"},
    {Qt::Key_Right, "Right"},
    {Qt::Key_Down, "Down"},
    {Qt::Key_PageUp, "Prior"},
    {Qt::Key_PageDown, "Next"},
    {Qt::Key_Menu, "Menu"},
    {Qt::Key_Help, "Help"},
    {Qt::Key_ScrollLock, "Scroll_Lock"},
    {Qt::Key_VolumeDown, "XF86AudioLowerVolume"},
    {Qt::Key_VolumeMute, "XF86AudioMute"},
    {Qt::Key_VolumeUp, "XF86AudioRaiseVolume"},
    {Qt::Key_MicMute, "XF86AudioMicMute"},
    {Qt::Key_MediaPlay, "XF86AudioPlay"},
    {Qt::Key_MediaStop, "XF86AudioStop"},
    {Qt::Key_MediaPrevious, "XF86AudioPrev"},
    {Qt::Key_MediaNext, "XF86AudioNext"},
    {Qt::Key_MediaRecord, "XF86AudioRecord"},
    {Qt::Key_MediaPause, "XF86AudioPause"},
    {Qt::Key_Back, "XF86Back"},
    {Qt::Key_Forward, "XF86Forward"},
    {Qt::Key_Stop, "XF86Stop"},
    {Qt::Key_Refresh, "XF86Reload"},
    {Qt::Key_Favorites, "XF86Favorites"},
    {Qt::Key_Search, "XF86Search"},
    {Qt::Key_LaunchMail, "XF86Mail"},
    {Qt::Key_LaunchMedia, "XF86AudioMedia"},
    {Qt::Key_HomePage, "XF86HomePage"},
    {Qt::Key_Calculator, "XF86Calculator"},
    {Qt::Key_Launch0, "XF86Launch0"},
    {Qt::Key_Launch1, "XF86Launch1"},
};

xcb_keysym_t keysym_of(int key) {
    if (key >= Qt::Key_F1 && key <= Qt::Key_F35)
        return XKB_KEY_F1 + static_cast<xcb_keysym_t>(key - Qt::Key_F1);
    const auto named = std::ranges::find(kNamed, key, &Named::key);
    if (named != std::end(kNamed)) return xkb_keysym_from_name(named->keysym, XKB_KEYSYM_NO_FLAGS);
    if (key >= Qt::Key_Escape) return XCB_NO_SYMBOL;
    // The keys of letters are found by the small ones.
    return xkb_utf32_to_keysym(QChar::toLower(static_cast<char32_t>(key)));
}

}  // namespace

struct X11KeyGrabs::State {
    xcb_connection_t* connection = nullptr;
    // A client gets no raw events of a key that it has grabbed itself, so that another one does it.
    xcb_connection_t* grabber = nullptr;
    xcb_window_t root = 0;
    std::uint8_t input_opcode = 0;  // of the events of XInput
    xcb_key_symbols_t* symbols = nullptr;
    std::map<xcb_keycode_t, std::uint16_t> modifiers;                // masks by key
    std::set<xcb_keycode_t> held;                                    // of these
    std::uint16_t alt = 0, meta = 0, num_lock = 0, scroll_lock = 0;  // masks of the layout

    /// A key or a button: both have numbers from 1 to 255.
    struct Source {
        bool button = false;
        std::uint8_t code = 0;
        bool operator==(const Source&) const = default;
        bool operator<(const Source& b) const {
            return std::pair(button, code) < std::pair(b.button, b.code);
        }
    };
    struct Grabbed {
        Source source;
        std::uint16_t with = 0;  // without locks
        QString slot;
    };
    std::vector<Grabbed> grabbed;
    std::map<Source, QString> down;
    std::unique_ptr<QSocketNotifier> notifier, grabber_notifier;

    State() = default;
    State(const State&) = delete;
    State& operator=(const State&) = delete;
    ~State() {
        notifier.reset();
        grabber_notifier.reset();
        if (symbols != nullptr) xcb_key_symbols_free(symbols);
        for (xcb_connection_t* c : {connection, grabber}) {
            if (c != nullptr) xcb_disconnect(c);
        }
    }

    /// Which of the eight modifiers one of the keysyms is.
    std::uint16_t mask_of(std::initializer_list<xcb_keysym_t> keysyms) const {
        for (const xcb_keysym_t wanted : keysyms) {
            const Owned<xcb_keycode_t> with{xcb_key_symbols_get_keycode(symbols, wanted)};
            if (with == nullptr) continue;
            for (const xcb_keycode_t* code = with.get(); *code != XCB_NO_SYMBOL; ++code) {
                const auto at = modifiers.find(*code);
                if (at != modifiers.end()) return at->second;
            }
        }
        return 0;
    }

    void read_layout() {
        if (symbols != nullptr) xcb_key_symbols_free(symbols);
        symbols = xcb_key_symbols_alloc(connection);
        modifiers.clear();
        const Owned<xcb_get_modifier_mapping_reply_t> map{
            xcb_get_modifier_mapping_reply(connection, xcb_get_modifier_mapping(connection), nullptr)};
        if (map != nullptr) {
            const xcb_keycode_t* codes = xcb_get_modifier_mapping_keycodes(map.get());
            const int per = map->keycodes_per_modifier;
            for (int i = 0; i < 8 * per; ++i) {
                if (codes[i] != XCB_NO_SYMBOL)
                    modifiers[codes[i]] = static_cast<std::uint16_t>(1 << (i / per));
            }
        }
        alt = mask_of({XKB_KEY_Alt_L, XKB_KEY_Alt_R});
        meta = mask_of({XKB_KEY_Super_L, XKB_KEY_Super_R, XKB_KEY_Meta_L});
        num_lock = mask_of({XKB_KEY_Num_Lock});
        scroll_lock = mask_of({XKB_KEY_Scroll_Lock});
    }

    /// Asks which modifiers are held. From then on they are followed by their raw events.
    void read_held() {
        held.clear();
        const Owned<xcb_query_keymap_reply_t> keys{
            xcb_query_keymap_reply(connection, xcb_query_keymap(connection), nullptr)};
        if (keys == nullptr) return;
        for (const auto& [code, mask] : modifiers) {
            if ((keys->keys[code / 8] & (1 << (code % 8))) != 0) held.insert(code);
        }
    }

    /// The held modifiers without locks.
    std::uint16_t held_mask() const {
        std::uint16_t out = 0;
        for (const xcb_keycode_t code : held) {
            const auto at = modifiers.find(code);
            if (at != modifiers.end()) out = static_cast<std::uint16_t>(out | at->second);
        }
        return static_cast<std::uint16_t>(out & relevant());
    }

    /// The mask of a shortcut's modifiers; nothing if the layout lacks one of them.
    std::optional<std::uint16_t> mask_for(Qt::KeyboardModifiers with) const {
        const std::pair<Qt::KeyboardModifier, std::uint16_t> masks[] = {
            {Qt::ShiftModifier, XCB_MOD_MASK_SHIFT},
            {Qt::ControlModifier, XCB_MOD_MASK_CONTROL},
            {Qt::AltModifier, alt},
            {Qt::MetaModifier, meta}};
        std::uint16_t out = 0;
        for (const auto& [modifier, mask] : masks) {
            if (!with.testFlag(modifier)) continue;
            if (mask == 0) return std::nullopt;
            out = static_cast<std::uint16_t>(out | mask);
        }
        return out;
    }

    /// All modifiers but the locks.
    std::uint16_t relevant() const {
        return static_cast<std::uint16_t>(0xff & ~(XCB_MOD_MASK_LOCK | num_lock | scroll_lock));
    }

    /// Every combination of the locks.
    std::vector<std::uint16_t> with_locks(std::uint16_t mask) const {
        std::set<std::uint16_t> out;
        for (int i = 0; i < 8; ++i) {
            out.insert(static_cast<std::uint16_t>(mask | ((i & 1) != 0 ? XCB_MOD_MASK_LOCK : 0) |
                                                  ((i & 2) != 0 ? num_lock : 0) |
                                                  ((i & 4) != 0 ? scroll_lock : 0)));
        }
        return {out.begin(), out.end()};
    }

    /// The keys (buttons) that a key of Qt is on this keyboard.
    std::vector<Source> sources_of(int key) const {
        // The X server counts the four directions of the wheel as buttons 4 to 7.
        if (const int button = mouseButtonOf(key); button != 0)
            return {{true, static_cast<std::uint8_t>(button + 4)}};
        const xcb_keysym_t keysym = keysym_of(key);
        if (keysym == XCB_NO_SYMBOL) return {};
        std::vector<Source> out;
        const Owned<xcb_keycode_t> codes{xcb_key_symbols_get_keycode(symbols, keysym)};
        for (const xcb_keycode_t* code = codes.get(); code != nullptr && *code != XCB_NO_SYMBOL; ++code)
            out.push_back({false, *code});
        return out;
    }

    void ungrab(const Grabbed& g) const {
        for (const auto mask : with_locks(g.with)) {
            if (g.source.button)
                xcb_ungrab_button(grabber, g.source.code, root, mask);
            else
                xcb_ungrab_key(grabber, g.source.code, root, mask);
        }
    }

    bool grab(const Grabbed& g) const {
        std::vector<xcb_void_cookie_t> sent;
        constexpr std::uint8_t kAsync = XCB_GRAB_MODE_ASYNC;
        for (const auto mask : with_locks(g.with))
            sent.push_back(g.source.button
                               ? xcb_grab_button_checked(grabber, 0, root, XCB_EVENT_MASK_BUTTON_PRESS,
                                                         kAsync, kAsync, XCB_NONE, XCB_NONE, g.source.code,
                                                         mask)
                               : xcb_grab_key_checked(grabber, 0, root, mask, g.source.code, kAsync, kAsync));
        bool all = true;
        for (const auto cookie : sent) {
            const Owned<xcb_generic_error_t> error{xcb_request_check(grabber, cookie)};
            all = all && error == nullptr;
        }
        if (!all) ungrab(g);
        return all;
    }

    /// Raw events only of what is grabbed: every press of any key or button would wake the program up.
    void select_raw() const {
        std::uint32_t mask = 0;
        for (const Grabbed& g : grabbed) {
            // The modifiers of a button are keys.
            mask |= XCB_INPUT_XI_EVENT_MASK_RAW_KEY_PRESS | XCB_INPUT_XI_EVENT_MASK_RAW_KEY_RELEASE;
            if (g.source.button)
                mask |= XCB_INPUT_XI_EVENT_MASK_RAW_BUTTON_PRESS | XCB_INPUT_XI_EVENT_MASK_RAW_BUTTON_RELEASE;
        }
        struct {
            xcb_input_event_mask_t head;
            std::uint32_t mask;
        } wanted = {{XCB_INPUT_DEVICE_ALL_MASTER, 1}, mask};
        xcb_input_xi_select_events(connection, root, 1, &wanted.head);
        xcb_flush(connection);
    }
};

X11KeyGrabs::X11KeyGrabs(std::unique_ptr<State> state) : x_(std::move(state)) {
    x_->notifier =
        std::make_unique<QSocketNotifier>(xcb_get_file_descriptor(x_->connection), QSocketNotifier::Read);
    connect(x_->notifier.get(), &QSocketNotifier::activated, this, &X11KeyGrabs::read);
    read_later_.setSingleShot(true);
    connect(&read_later_, &QTimer::timeout, this, &X11KeyGrabs::read);
    // What the grabs report is not needed.
    x_->grabber_notifier =
        std::make_unique<QSocketNotifier>(xcb_get_file_descriptor(x_->grabber), QSocketNotifier::Read);
    connect(x_->grabber_notifier.get(), &QSocketNotifier::activated, this, [this] {
        while (const Owned<xcb_generic_event_t> event{xcb_poll_for_event(x_->grabber)}) {
        }
        if (xcb_connection_has_error(x_->grabber) != 0) x_->grabber_notifier->setEnabled(false);
    });
}

X11KeyGrabs::~X11KeyGrabs() = default;

std::unique_ptr<X11KeyGrabs> X11KeyGrabs::open(const QByteArray& display) {
    auto x = std::make_unique<State>();
    int number = 0;
    x->connection = xcb_connect(display.constData(), &number);
    x->grabber = xcb_connect(display.constData(), nullptr);
    if (xcb_connection_has_error(x->connection) != 0 || xcb_connection_has_error(x->grabber) != 0)
        return nullptr;
    auto screens = xcb_setup_roots_iterator(xcb_get_setup(x->connection));
    for (; number > 0 && screens.rem > 1; --number) xcb_screen_next(&screens);
    x->root = screens.data->root;
    const xcb_query_extension_reply_t* input = xcb_get_extension_data(x->connection, &xcb_input_id);
    if (input == nullptr || input->present == 0) return nullptr;
    x->input_opcode = input->major_opcode;
    // From 2.1 on raw events are sent during the grabs of other clients, too.
    const Owned<xcb_input_xi_query_version_reply_t> version{xcb_input_xi_query_version_reply(
        x->connection, xcb_input_xi_query_version(x->connection, 2, 2), nullptr)};
    if (version == nullptr || version->major_version < 2 ||
        (version->major_version == 2 && version->minor_version < 1))
        return nullptr;
    x->read_layout();
    return std::unique_ptr<X11KeyGrabs>(new X11KeyGrabs(std::move(x)));
}

std::map<QString, QString> X11KeyGrabs::grab(const std::vector<Wanted>& wanted) {
    std::map<QString, QString> problems;
    xcb_ungrab_key(x_->grabber, XCB_GRAB_ANY, x_->root, XCB_MOD_MASK_ANY);
    xcb_ungrab_button(x_->grabber, XCB_BUTTON_INDEX_ANY, x_->root, XCB_MOD_MASK_ANY);
    x_->grabbed.clear();
    for (const Wanted& w : wanted) {
        const QString name = shortcutText(w.key);
        const QKeyCombination first = w.key.isEmpty() ? QKeyCombination() : w.key[0];
        const auto sources = x_->sources_of(first.key());
        const std::optional<std::uint16_t> mask = x_->mask_for(first.keyboardModifiers());
        if (sources.empty() || !mask) {
            problems[w.slot] = tr("This keyboard has no key for %1.").arg(name);
            continue;
        }
        for (const State::Source& source : sources) {
            const State::Grabbed g{source, *mask, w.slot};
            if (x_->grab(g))
                x_->grabbed.push_back(g);
            else
                problems[w.slot] = tr("Another app uses %1. Choose another shortcut.").arg(name);
        }
    }
    std::erase_if(x_->grabbed, [&](const State::Grabbed& g) {
        if (!problems.contains(g.slot)) return false;
        x_->ungrab(g);
        return true;
    });
    xcb_flush(x_->grabber);
    x_->select_raw();
    x_->read_held();
    // Replies may have brought events along, for which the socket is no longer readable.
    read_later_.start();
    std::vector<QString> gone;
    std::erase_if(x_->down, [&](const auto& held) {
        const bool stays = std::ranges::any_of(x_->grabbed, [&](const State::Grabbed& g) {
            return g.source == held.first && g.slot == held.second;
        });
        if (!stays) gone.push_back(held.second);
        return !stays;
    });
    for (const QString& slot : gone) emit dropped(slot);
    return problems;
}

void X11KeyGrabs::read() {
    if (!x_->notifier->isEnabled()) return;  // lost
    while (const Owned<xcb_generic_event_t> event{xcb_poll_for_event(x_->connection)}) {
        const int type = event->response_type & 0x7f;
        if (type == XCB_MAPPING_NOTIFY) {
            x_->read_layout();
            emit layoutChanged();
            continue;
        }
        if (type != XCB_GE_GENERIC) continue;
        const auto* raw = reinterpret_cast<const xcb_input_raw_key_press_event_t*>(event.get());
        if (raw->extension != x_->input_opcode) continue;
        const bool button =
            raw->event_type == XCB_INPUT_RAW_BUTTON_PRESS || raw->event_type == XCB_INPUT_RAW_BUTTON_RELEASE;
        const State::Source source{button, static_cast<std::uint8_t>(raw->detail)};
        if (raw->event_type == XCB_INPUT_RAW_KEY_RELEASE || raw->event_type == XCB_INPUT_RAW_BUTTON_RELEASE) {
            if (!button) x_->held.erase(source.code);
            const auto at = x_->down.find(source);
            if (at == x_->down.end()) continue;
            const QString slot = at->second;
            x_->down.erase(at);
            emit released(slot);
            continue;
        }
        if ((!button && raw->event_type != XCB_INPUT_RAW_KEY_PRESS) || x_->down.contains(source)) continue;
        const std::uint16_t with = x_->held_mask();
        if (!button && x_->modifiers.contains(source.code)) x_->held.insert(source.code);
        const auto at = std::ranges::find_if(
            x_->grabbed, [&](const auto& g) { return g.source == source && g.with == with; });
        if (at == x_->grabbed.end()) continue;
        const QString slot = at->slot;  // a copy: what it does may grab other keys
        x_->down[source] = slot;
        emit pressed(slot);
    }
    if (xcb_connection_has_error(x_->connection) == 0) return;
    x_->notifier->setEnabled(false);
    x_->down.clear();
    emit lost();
}

}  // namespace reed::ui
