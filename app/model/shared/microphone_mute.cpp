#include "model/shared/microphone_mute.h"

#include "model/shared/notifications.h"
#include "model/shared/preferences.h"

namespace reed::ui {

MicrophoneMute::MicrophoneMute(const Preferences& preferences, Notifications& notices)
    : preferences_(preferences), notices_(notices) {
    connect(&preferences_, &Preferences::talkKeyChanged, this, [this] {
        // With a key to talk the microphone is muted until it is held.
        if (preferences_.talkKey() == Preferences::TalkKey::talks && !on_) return set(true);
        emit changed();
    });
}

void MicrophoneMute::set(bool on) {
    if (on == on_) return;
    on_ = on;
    emit changed();
}

void MicrophoneMute::talk(bool held) {
    switch (preferences_.talkKey()) {
        case Preferences::TalkKey::talks:
            return set(!held);
        case Preferences::TalkKey::mutes:
            return set(held);
        case Preferences::TalkKey::toggles:
            if (held) set(!on_);
    }
}

void MicrophoneMute::talkOwnerLost() {
    if (preferences_.talkKey() == Preferences::TalkKey::talks) set(true);
    notices_.warn(tr("The app that held the talk shortcut has quit. The microphone is %1.")
                      .arg(on_ ? tr("muted") : tr("on")));
}

QString MicrophoneMute::withKey(const QString& words, const QString& words_with_key) const {
    const QString key = preferences_.keys().text("talk");
    return key.isEmpty() ? words : words_with_key.arg(key);
}

}  // namespace reed::ui
