#include "remote/osc_packet.h"

#include <lo/lo.h>
#include <lo/lo_lowlevel.h>

#include <QVariant>
#include <QtEndian>
#include <algorithm>
#include <cmath>
#include <cstring>
#include <memory>

#include "actions/action_table.h"
#include "actions/actions.h"

namespace reed::ui {
namespace {

using Message = std::unique_ptr<std::remove_pointer_t<lo_message>, void (*)(lo_message)>;

constexpr int kMaxDepth = 8;  // of bundles in bundles
constexpr char kBundle[] = "#bundle";
constexpr qsizetype kBundleHead = 16;        // with the time tag
constexpr double kPerSecond = 4294967296.0;  // fractions of a time tag
constexpr quint64 kAtOnce = 1;

QString number(double value) {
    return QString::number(value, 'g', 9);
}

/// An argument in the bytes of a message, where it is aligned to 4 bytes only.
template <typename T>
T valueAt(const void* at) {
    T out;
    std::memcpy(&out, at, sizeof out);
    return out;
}

/// Text of an argument; nothing if it is of a type that no action takes.
std::optional<QString> textOf(char type, const void* at) {
    switch (type) {
        case LO_INT32:
            return QString::number(valueAt<qint32>(at));
        case LO_INT64:
            return QString::number(valueAt<qint64>(at));
        case LO_FLOAT:
            return number(static_cast<double>(valueAt<float>(at)));
        case LO_DOUBLE:
            return number(valueAt<double>(at));
        case LO_STRING:
        case LO_SYMBOL:
            return QString::fromUtf8(static_cast<const char*>(at));
        case LO_TRUE:
            return QStringLiteral("1");
        case LO_FALSE:
            return QStringLiteral("0");
        default:
            return std::nullopt;
    }
}

struct Reading {
    double now = 0.0;
    std::vector<OscMessage> messages;
    QString problem;

    void refuse(const QString& why) {
        if (problem.isEmpty()) problem = why;
    }
    void message(const QByteArray& bytes, int wait) {
        QByteArray copy = bytes;
        const Message read{lo_message_deserialise(copy.data(), static_cast<size_t>(copy.size()), nullptr),
                           lo_message_free};
        if (!read) return refuse(QObject::tr("damaged message"));
        OscMessage out{QString::fromUtf8(lo_get_path(copy.data(), copy.size())), {}, wait};
        if (!out.address.startsWith('/')) return refuse(QObject::tr("damaged message"));
        const char* types = lo_message_get_types(read.get());
        lo_arg** values = lo_message_get_argv(read.get());
        for (int i = 0; i < lo_message_get_argc(read.get()); ++i) {
            const auto text = textOf(types[i], values[i]);
            if (!text)
                return refuse(QObject::tr("%1: an argument is no number, text or truth value")
                                  .arg(shortened(out.address)));
            out.arguments << *text;
        }
        messages.push_back(std::move(out));
    }
    void bundle(const QByteArray& bytes, int depth) {
        if (depth > kMaxDepth) return refuse(QObject::tr("too many bundles in bundles"));
        const auto tag = qFromBigEndian<quint64>(bytes.constData() + 8);
        const double ahead = tag == kAtOnce ? 0.0 : static_cast<double>(tag) / kPerSecond - now;
        const int wait = static_cast<int>(std::clamp(1000.0 * ahead, 0.0, kMaxOscWait + 1.0));
        if (wait > kMaxOscWait)
            return refuse(QObject::tr("the time tag is more than %1 s ahead").arg(kMaxOscWait / 1000));
        qsizetype at = kBundleHead;
        while (at < bytes.size()) {
            if (bytes.size() - at < 4) return refuse(QObject::tr("damaged bundle"));
            const auto size = qFromBigEndian<quint32>(bytes.constData() + at);
            at += 4;
            if (size == 0 || size % 4 != 0 || size > static_cast<quint64>(bytes.size() - at))
                return refuse(QObject::tr("damaged bundle"));
            element(bytes.mid(at, size), depth, wait);
            at += size;
        }
    }
    void element(const QByteArray& bytes, int depth, int wait) {
        const bool is_bundle = bytes.startsWith(QByteArray(kBundle, sizeof kBundle));
        if (is_bundle && bytes.size() < kBundleHead) return refuse(QObject::tr("damaged bundle"));
        is_bundle ? bundle(bytes, depth + 1) : message(bytes, wait);
    }
};

/// A single number, as a button sends it; nothing if it is something else.
std::optional<bool> pressed(const QStringList& arguments) {
    bool is_number = false;
    const double value = arguments.size() == 1 ? arguments.first().toDouble(&is_number) : 0.0;
    return is_number && std::isfinite(value) ? std::optional(value >= 0.5) : std::nullopt;
}

bool takesName(Argument argument) {
    switch (argument) {
        case Argument::scene:
        case Argument::stage:
        case Argument::source:
        case Argument::theme:
        case Argument::strip:
        case Argument::place:
        case Argument::character:
            return true;
        default:
            return false;
    }
}

}  // namespace

Result<std::vector<OscMessage>> readOscPacket(const QByteArray& packet, double now) {
    Reading reading{now, {}, {}};
    // The specification has all sizes be multiples of 4.
    if (packet.isEmpty() || packet.size() % 4 != 0)
        reading.refuse(QObject::tr("damaged packet"));
    else
        reading.element(packet, 0, 0);
    if (!reading.problem.isEmpty()) return Error{reading.problem.toStdString(), "", ""};
    return std::move(reading.messages);
}

double oscTime() {
    lo_timetag now;
    lo_timetag_now(&now);
    return static_cast<double>(now.sec) + static_cast<double>(now.frac) / kPerSecond;
}

OscRequest oscRequest(const OscMessage& message) {
    QStringList words = message.address.split('/');
    const Action* action = words.size() < 2 ? nullptr : find_action(words[1]);
    if (action == nullptr || !words.first().isEmpty())
        return {{}, {}, QObject::tr("%1: this action doesn't exist").arg(shortened(message.address)), false};
    words = words.mid(2);
    QStringList arguments = message.arguments;
    const QString id = action->id;
    const auto button = pressed(arguments);
    if (action->held) {
        if (!arguments.isEmpty()) {
            bool is_number = false;
            const double last = arguments.last().toDouble(&is_number);
            if (is_number) arguments.last() = last >= 0.5 ? "on" : "off";
        }
        return {id, (words + arguments).join(' '), {}, false};
    }
    if (action->argument == Argument::none && words.isEmpty() && button) return {id, {}, {}, !*button};
    if (takesName(action->argument) && !words.isEmpty() && button) return {id, words.join(' '), {}, !*button};
    // "guest/gate hold 120" is a value of another strip.
    const bool value = action->argument == Argument::value || action->argument == Argument::steps ||
                       action->argument == Argument::position;
    if (value && words.size() == 3) words = {words[0] + '/' + words[1], words[2]};
    return {id, (words + arguments).join(' '), {}, false};
}

QByteArray oscPacket(const QByteArray& address, const QVariantList& arguments) {
    const Message message{lo_message_new(), lo_message_free};
    for (const QVariant& a : arguments) {
        if (a.typeId() == QMetaType::QString)
            lo_message_add_string(message.get(), a.toString().toUtf8().constData());
        else if (a.typeId() == QMetaType::Double)
            lo_message_add_float(message.get(), a.toFloat());
        else
            lo_message_add_int32(message.get(), a.toInt());
    }
    QByteArray out(static_cast<qsizetype>(lo_message_length(message.get(), address.constData())), '\0');
    lo_message_serialise(message.get(), address.constData(), out.data(), nullptr);
    return out;
}

}  // namespace reed::ui
