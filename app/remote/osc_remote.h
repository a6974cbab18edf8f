// Runs actions by Open Sound Control.
#pragma once

#include <QDeadlineTimer>
#include <QHostAddress>
#include <QObject>
#include <QTimer>
#include <memory>
#include <set>
#include <utility>
#include <vector>

#include "remote/osc_packet.h"
#include "remote/state_reporter.h"

class QUdpSocket;

namespace reed::ui {

class Actions;

/// Listens on one address of this computer (OscLink), if the user has turned it on, and runs the actions that
/// messages name (oscRequest()). Values are set at most 30 times a second, the last one always. "/subscribe"
/// sends the sender "/muted", "/scene", "/advice", "/levels" and "/loudness" for a minute, and "/refused" for
/// messages that can't be done. What a subscriber holds is released when its subscription ends, which never
/// unmutes the microphone. The socket is Qt's, since that of liblo listens on all addresses. GUI thread only.
class OscRemote final : public QObject {
    Q_OBJECT
  public:
    /// `reporter` lives longer. `subscribed`: how long a subscription lasts, in ms.
    OscRemote(Actions& actions, StateReporter& reporter, int subscribed = kSubscribed);
    ~OscRemote() override;

    /// Begins to follow the settings.
    void start();

    static constexpr int kSubscribed = 60'000;
    static constexpr size_t kMaxSubscribers = 8;
    static constexpr size_t kMaxWaiting = 1000;  ///< messages whose time has not come; more are refused

  private:
    struct Sender {
        QHostAddress address;
        quint16 port = 0;
        bool operator==(const Sender&) const = default;
    };
    struct Subscriber {
        Sender at;
        QDeadlineTimer ends;
        std::set<QString> held{};  ///< slots of press-and-hold actions
    };

    /// A message whose time has not come.
    struct Waiting {
        QDeadlineTimer due;
        OscMessage message;
        Sender from;
    };

    void follow();
    void close();
    void receive();
    void handle(const OscMessage& message, const Sender& from);
    void run(const OscRequest& request, const Sender& from);
    void startWaiting();
    void runWaiting();
    void setValues();
    void refuse(const QString& why, const Sender& from);
    void subscribe(const Sender& from);
    void leave(const Sender& who);
    void endSubscriptions();
    Subscriber* subscriberAt(const Sender& from);
    void send(const Sender& to, const QByteArray& address, const QVariantList& arguments);
    void sendAll(const QByteArray& address, const QVariantList& arguments);
    void sendAdvice(const Sender& to, const QList<StripAdvice>& advice);

    Actions& actions_;
    StateReporter& reporter_;
    std::unique_ptr<QUdpSocket> socket_;
    std::vector<Subscriber> subscribers_;
    /// The last value for each address, not set yet, in the order in which they came.
    std::vector<std::pair<QString, std::pair<OscRequest, Sender>>> values_;
    QTimer set_later_, try_again_, read_later_, end_subscriptions_, run_waiting_;
    int subscribed_;
    std::vector<Waiting> waiting_;
    QString refused_;
};

}  // namespace reed::ui
