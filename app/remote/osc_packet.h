// Packets of Open Sound Control.
#pragma once

#include <QByteArray>
#include <QString>
#include <QStringList>
#include <optional>
#include <vector>

#include "base/result.h"

namespace reed::ui {

/// A message (Open Sound Control 1.0), its arguments as text: numbers as the C locale writes them, true and
/// false as 1 and 0.
struct OscMessage {
    QString address;
    QStringList arguments;
    /// How long it is to wait, in ms; 0: run it now.
    int wait = 0;
};

inline constexpr int kMaxOscWait = 60'000;  // ms

/// Messages of a packet, in order; of bundles those inside. `now`: seconds since 1900-01-01 00:00 UTC, for
/// time tags. Nothing is returned of a packet that is damaged, has an argument that is no number, text or
/// truth value, or a time tag more than kMaxOscWait ahead.
Result<std::vector<OscMessage>> readOscPacket(const QByteArray& packet, double now);
/// The time of this computer as `now`.
double oscTime();

/// What an address asks for: an action and its argument as Actions::run() takes them.
struct OscRequest {
    QString action, argument;
    QString why;           ///< why it is refused; empty if it is not
    bool nothing = false;  ///< the release of a button: there is nothing to do
};

/// The first part of the address is an action, the parts after it begin its argument ("/fader/guest -3",
/// "/set-value/guest/gate/hold 120"). A button sends 1 when it is pressed and 0 when it is released: actions
/// without an argument, or with their whole argument in the address ("/scene/3"), run at values from 0.5 up;
/// press-and-hold actions take both.
OscRequest oscRequest(const OscMessage& message);

/// A message in the bytes of a packet. Arguments: QString, int, bool (as int), double (as float).
QByteArray oscPacket(const QByteArray& address, const QVariantList& arguments);

}  // namespace reed::ui
