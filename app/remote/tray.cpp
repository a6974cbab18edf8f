#include "remote/tray.h"

#include <QPainter>

#include "actions/actions.h"
#include "theme/theme.h"
#include "widgets/icon.h"
#include "widgets/plain_text.h"

namespace reed::ui {

QIcon Tray::picture(bool muted) {
    QPixmap map(64, 64);
    map.fill(Qt::transparent);
    QPainter p(&map);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = Theme::dusk();
    p.setPen(Qt::NoPen);
    p.setBrush(muted ? t.ember : t.window);
    p.drawRoundedRect(QRectF(2, 2, 60, 60), 14, 14);
    drawIcon(p, muted ? "mute" : "mic", QRectF(12, 12, 40, 40), muted ? t.window : t.straw);
    return QIcon(map);
}

Tray::Tray(Actions& actions) : actions_(actions), app_(actions.app()) {
    icon_.setContextMenu(&menu_);
    QObject::connect(&icon_, &QSystemTrayIcon::activated, this,
                     [this](QSystemTrayIcon::ActivationReason why) {
                         if (why == QSystemTrayIcon::Trigger) actions_.act("raise");
                     });
    QObject::connect(&app_.mute(), &MicrophoneMute::changed, this, &Tray::refresh);
    QObject::connect(&app_.scenes(), &SceneManager::scenesChanged, this, &Tray::refresh);
    refresh();
    if (QSystemTrayIcon::isSystemTrayAvailable()) icon_.show();
}

void Tray::refresh() {
    const bool muted = app_.mute().on();
    icon_.setIcon(picture(muted));
    setHint(&icon_, muted ? QObject::tr("Dusky Reed: muted") : QObject::tr("Dusky Reed"));
    menu_.clear();
    actions_.entry(&menu_, "raise");
    actions_.entry(&menu_, muted ? "unmute" : "mute");
    menu_.addSeparator();
    for (const auto& entry : app_.scenes().scenes()) {
        const std::string name = entry.scene.name;
        menu_.addAction(QString::fromStdString(name), this, [this, name] { app_.scenes().recall(name); });
    }
    menu_.addSeparator();
    actions_.entry(&menu_, "quit");
}

}  // namespace reed::ui
