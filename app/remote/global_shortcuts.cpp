#include "remote/global_shortcuts.h"

#include <QGuiApplication>

#include "actions/actions.h"
#include "model/shared/global_keys.h"
#include "remote/x11_key_grabs.h"

namespace reed::ui {

GlobalShortcuts::GlobalShortcuts(Actions& actions, const QDBusConnection& bus, QByteArray display,
                                 QObject* parent)
    : QObject(parent),
      actions_(actions),
      delivery_(actions),
      portal_(actions, bus),
      display_(std::move(display)) {
    GlobalKeys& wishes = actions_.app().preferences().globalKeys();
    connect(&portal_, &PortalShortcuts::failed, this, &GlobalShortcuts::failed);
    connect(&portal_, &PortalShortcuts::bound, this, [&wishes] { wishes.wantDesktop(true); });
    connect(&portal_, &PortalShortcuts::refused, this, [&wishes] { wishes.wantDesktop(false); });
    connect(&wishes, &GlobalKeys::wantedChanged, this, &GlobalShortcuts::grab);
    connect(&actions_.app().preferences().keys(), &Keys::changed, this, &GlobalShortcuts::grab);
}

GlobalShortcuts::~GlobalShortcuts() = default;

QByteArray GlobalShortcuts::displayOfSession() {
    const bool wayland =
        !qEnvironmentVariableIsEmpty("WAYLAND_DISPLAY") || qgetenv("XDG_SESSION_TYPE") == "wayland";
    // There, grabs would work over X windows only.
    return QGuiApplication::platformName() == "xcb" && !wayland ? qgetenv("DISPLAY") : QByteArray();
}

void GlobalShortcuts::start() {
    portal_.find(this, [this](bool offered) {
        GlobalKeys& wishes = actions_.app().preferences().globalKeys();
        if (!offered) return useXServer();
        wishes.setProvider(GlobalKeys::Provider::desktop);
        if (wishes.wantsDesktop() && !portal_.isBound()) portal_.bind();
    });
}

void GlobalShortcuts::setUp() {
    GlobalKeys& wishes = actions_.app().preferences().globalKeys();
    // A portal that was too slow at the start may be there by now.
    if (wishes.provider() == GlobalKeys::Provider::x_server || !portal_.offered()) return actions_.openKeys();
    wishes.setProvider(GlobalKeys::Provider::desktop);
    portal_.bind();
}

void GlobalShortcuts::useXServer() {
    if (display_.isEmpty()) return;
    grabs_ = X11KeyGrabs::open(display_);
    if (grabs_ == nullptr) return;
    connect(grabs_.get(), &X11KeyGrabs::pressed, this,
            [this](const QString& slot) { delivery_.deliver(slot, true); });
    connect(grabs_.get(), &X11KeyGrabs::released, this,
            [this](const QString& slot) { delivery_.deliver(slot, false); });
    connect(grabs_.get(), &X11KeyGrabs::dropped, this,
            [this](const QString& slot) { delivery_.ownerLost(slot); });
    connect(grabs_.get(), &X11KeyGrabs::layoutChanged, this, &GlobalShortcuts::grab);
    connect(grabs_.get(), &X11KeyGrabs::lost, this, [this] {
        delivery_.ownerLost();
        grabs_.release()->deleteLater();  // it is in the middle of its signal
        actions_.app().preferences().globalKeys().setProvider(GlobalKeys::Provider::none);
    });
    actions_.app().preferences().globalKeys().setProvider(GlobalKeys::Provider::x_server);
    grab();
}

void GlobalShortcuts::grab() {
    if (grabs_ == nullptr) return;
    GlobalKeys& wishes = actions_.app().preferences().globalKeys();
    const Keys& keys = actions_.app().preferences().keys();
    std::vector<X11KeyGrabs::Wanted> wanted;
    std::map<QString, QString> problems;
    for (const ShortcutSlot& slot : keys.all()) {
        if (!slot.everywhere || !wishes.wants(slot.id)) continue;
        const auto all = keys.of(slot.id);
        if (const QString why = GlobalKeys::unsuitable(all); !why.isEmpty()) {
            problems[slot.id] = why;
            continue;
        }
        for (const QKeySequence& key : all) wanted.push_back({slot.id, key});
    }
    if (wishes.paused()) {
        (void)grabs_->grab({});
        return;
    }
    problems.merge(grabs_->grab(wanted));
    wishes.setProblems(std::move(problems));
}

}  // namespace reed::ui
