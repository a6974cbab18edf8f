#include "remote/osc_remote.h"

#include <QNetworkDatagram>
#include <QUdpSocket>
#include <algorithm>

#include "actions/actions.h"

namespace reed::ui {
namespace {

constexpr int kSetEvery = 33, kTryAgain = 2000, kEndEvery = 500;  // ms
constexpr int kAtATime = 500;                                     // packets, before the window goes on

}  // namespace

OscRemote::OscRemote(Actions& actions, StateReporter& reporter, int subscribed)
    : actions_(actions), reporter_(reporter), subscribed_(subscribed) {
    read_later_.setSingleShot(true);
    connect(&read_later_, &QTimer::timeout, this, &OscRemote::receive);
    run_waiting_.setSingleShot(true);
    run_waiting_.setTimerType(Qt::PreciseTimer);
    connect(&run_waiting_, &QTimer::timeout, this, &OscRemote::runWaiting);
    end_subscriptions_.setInterval(std::min(kEndEvery, subscribed));
    connect(&end_subscriptions_, &QTimer::timeout, this, &OscRemote::endSubscriptions);
    set_later_.setSingleShot(true);
    set_later_.setInterval(kSetEvery);
    connect(&set_later_, &QTimer::timeout, this, [this] {
        if (!values_.empty()) setValues();
    });
    try_again_.setSingleShot(true);
    try_again_.setInterval(kTryAgain);
    connect(&try_again_, &QTimer::timeout, this, &OscRemote::follow);
    connect(&reporter_, &StateReporter::mutedChanged, this, [this](bool on) { sendAll("/muted", {on}); });
    connect(&reporter_, &StateReporter::sceneChanged, this,
            [this](const QString& name) { sendAll("/scene", {name}); });
    connect(&reporter_, &StateReporter::adviceChanged, this, [this](const QList<StripAdvice>& advice) {
        for (const Subscriber& s : subscribers_) sendAdvice(s.at, advice);
    });
    connect(&reporter_, &StateReporter::levels, this,
            [this](const QList<StripLevelReading>& strips, const OutputLoudness& output) {
                for (const StripLevelReading& s : strips)
                    sendAll("/levels", {s.strip, s.input_peak, s.input_rms, s.output_peak, s.output_rms});
                sendAll("/loudness", {output.momentary, output.short_term});
            });
}

OscRemote::~OscRemote() {
    close();
}

void OscRemote::start() {
    connect(&actions_.app().preferences().osc(), &OscLink::settingsChanged, this, &OscRemote::follow);
    follow();
}

void OscRemote::close() {
    socket_.reset();
    values_.clear();
    refused_.clear();
    waiting_.clear();
    run_waiting_.stop();
    while (!subscribers_.empty()) leave(subscribers_.back().at);
}

void OscRemote::follow() {
    close();
    try_again_.stop();
    OscLink& link = actions_.app().preferences().osc();
    const OscSettings& wanted = link.settings();
    if (!wanted.on) return link.report({}, {});
    const QHostAddress address(QString::fromStdString(wanted.address));
    socket_ = std::make_unique<QUdpSocket>();
    if (!address.isNull() &&
        socket_->bind(address, static_cast<quint16>(wanted.port), QUdpSocket::DontShareAddress)) {
        // As much as the system allows: what comes while the window is busy must not get lost.
        socket_->setSocketOption(QAbstractSocket::ReceiveBufferSizeSocketOption, 1 << 22);
        connect(socket_.get(), &QUdpSocket::readyRead, this, &OscRemote::receive);
        return link.report({}, {});
    }
    const bool taken = socket_->error() == QAbstractSocket::AddressInUseError;
    const QString why = taken ? tr("Another program uses port %1. Choose another port.").arg(wanted.port)
                              : tr("This computer has no address %1 now. Choose another address.")
                                    .arg(shortened(QString::fromStdString(wanted.address)));
    socket_.reset();
    link.report(why, {});
    try_again_.start();  // a network may come later than the program
}

void OscRemote::receive() {
    for (int n = 0; socket_ && socket_->hasPendingDatagrams(); ++n) {
        if (n >= kAtATime) {
            read_later_.start();
            break;
        }
        const QNetworkDatagram datagram = socket_->receiveDatagram();
        const Sender from{datagram.senderAddress(), static_cast<quint16>(datagram.senderPort())};
        auto messages = readOscPacket(datagram.data(), oscTime());
        if (!messages.ok()) {
            refuse(QString::fromStdString(messages.error().text()), from);
            continue;
        }
        for (const OscMessage& message : messages.value()) {
            if (message.wait == 0) {
                handle(message, from);
            } else if (waiting_.size() >= kMaxWaiting) {
                refuse(tr("too many messages are waiting for their time"), from);
            } else {
                waiting_.push_back({QDeadlineTimer(message.wait, Qt::PreciseTimer), message, from});
                startWaiting();
            }
        }
    }
    if (!values_.empty() && !set_later_.isActive()) setValues();
}

/// Waits for the message that is due first.
void OscRemote::startWaiting() {
    const auto first = std::ranges::min_element(waiting_, {}, &Waiting::due);
    if (first == waiting_.end()) return;
    // Rounded up, else it would come a moment too early.
    run_waiting_.start(static_cast<int>(first->due.remainingTime()) + 1);
}

void OscRemote::runWaiting() {
    std::vector<Waiting> due;
    std::erase_if(waiting_, [&due](const Waiting& w) {
        const bool is_due = w.due.hasExpired();
        if (is_due) due.push_back(w);
        return is_due;
    });
    std::ranges::stable_sort(due, {}, &Waiting::due);
    for (const Waiting& w : due) handle(w.message, w.from);
    if (!values_.empty() && !set_later_.isActive()) setValues();
    startWaiting();
}

void OscRemote::handle(const OscMessage& message, const Sender& from) {
    if (message.address == "/subscribe") return subscribe(from);
    if (message.address == "/unsubscribe") return leave(from);
    const OscRequest request = oscRequest(message);
    if (!request.why.isEmpty()) return refuse(request.why, from);
    if (request.nothing) return;
    if (find_action(request.action)->absolute) {
        const QString target = request.action + ' ' + request.argument.section(' ', 0, -2);
        const auto same = std::ranges::find(values_, target, &decltype(values_)::value_type::first);
        if (same != values_.end()) values_.erase(same);
        values_.emplace_back(target, std::pair(request, from));
        return;
    }
    if (!values_.empty()) setValues();  // in the order in which they came
    run(request, from);
}

void OscRemote::run(const OscRequest& request, const Sender& from) {
    if (const QString why = actions_.run(request.action, request.argument); !why.isEmpty())
        return refuse(QStringLiteral("/%1: %2").arg(request.action, why), from);
    Subscriber* subscriber = subscriberAt(from);
    if (subscriber == nullptr || !find_action(request.action)->held) return;
    // Remembered, so that it is released when the subscriber is gone.
    const QString slot = (request.action + ' ' + request.argument).section(' ', 0, -2);
    request.argument.endsWith("on") ? (void)subscriber->held.insert(slot)
                                    : (void)subscriber->held.erase(slot);
}

void OscRemote::setValues() {
    for (const auto& [target, value] : std::exchange(values_, {})) run(value.first, value.second);
    set_later_.start();
}

void OscRemote::refuse(const QString& why, const Sender& from) {
    refused_ = why;
    actions_.app().preferences().osc().report({}, refused_);
    if (subscriberAt(from) != nullptr) send(from, "/refused", {why});
}

OscRemote::Subscriber* OscRemote::subscriberAt(const Sender& from) {
    const auto at = std::ranges::find(subscribers_, from, &Subscriber::at);
    return at == subscribers_.end() ? nullptr : &*at;
}

void OscRemote::subscribe(const Sender& from) {
    if (Subscriber* known = subscriberAt(from); known != nullptr) {
        known->ends.setRemainingTime(subscribed_);
        return;
    }
    if (subscribers_.size() >= kMaxSubscribers)
        return refuse(tr("/subscribe: there are %1 subscribers already").arg(kMaxSubscribers), from);
    subscribers_.push_back({from, QDeadlineTimer(subscribed_)});
    reporter_.wantLevels(this, true);
    if (!end_subscriptions_.isActive()) end_subscriptions_.start();
    send(from, "/muted", {reporter_.muted()});
    send(from, "/scene", {reporter_.scene()});
    sendAdvice(from, reporter_.advice());
}

void OscRemote::leave(const Sender& who) {
    const auto at = std::ranges::find(subscribers_, who, &Subscriber::at);
    if (at == subscribers_.end()) return;
    const auto held = std::exchange(at->held, {});
    subscribers_.erase(at);
    for (const QString& slot : held) actions_.ownerLost(slot);
    if (!subscribers_.empty()) return;
    reporter_.wantLevels(this, false);
    end_subscriptions_.stop();
}

void OscRemote::endSubscriptions() {
    std::vector<Sender> ended;
    for (const Subscriber& s : subscribers_) {
        if (s.ends.hasExpired()) ended.push_back(s.at);
    }
    for (const Sender& who : ended) leave(who);
}

void OscRemote::send(const Sender& to, const QByteArray& address, const QVariantList& arguments) {
    if (socket_) (void)socket_->writeDatagram(oscPacket(address, arguments), to.address, to.port);
}

void OscRemote::sendAll(const QByteArray& address, const QVariantList& arguments) {
    for (const Subscriber& s : subscribers_) send(s.at, address, arguments);
}

/// A message for each problem; one without arguments if there is none.
void OscRemote::sendAdvice(const Sender& to, const QList<StripAdvice>& advice) {
    for (const StripAdvice& a : advice) send(to, "/advice", {a.strip, a.text});
    if (advice.isEmpty()) send(to, "/advice", {});
}

}  // namespace reed::ui
