#include "deck/osc_dialog.h"

#include <QHBoxLayout>
#include <QHostAddress>
#include <QLineEdit>
#include <QMenu>
#include <QNetworkInterface>
#include <QVBoxLayout>

#include "model/shared/osc_link.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/layouts.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

/// IPv4 addresses of this computer; its own is first.
QStringList addresses() {
    QStringList out{QStringLiteral("127.0.0.1")};
    for (const QHostAddress& address : QNetworkInterface::allAddresses()) {
        if (address.protocol() == QAbstractSocket::IPv4Protocol && !address.isLoopback())
            out << address.toString();
    }
    return out;
}

bool isLocal(const QString& address) {
    return QHostAddress(address).isLoopback();
}

QString described(const QString& address) {
    return isLocal(address) ? QObject::tr("%1 (this computer only)").arg(address) : address;
}

}  // namespace

OscDialog::OscDialog(OscLink& link, QWidget* parent) : QDialog(parent), link_(link) {
    setObjectName("osc_dialog");
    setAttribute(Qt::WA_DeleteOnClose);
    setWindowTitle(tr("Open Sound Control - Dusky Reed"));
    setFixedWidth(560);
    auto* title = Words::wrapped(Words::Ink::text, 16, true, this, tr("Open Sound Control"));
    auto* purpose = Words::wrapped(
        Words::Ink::muted, 14, false, this,
        tr("Tablets and scripts run actions by messages to this address: /toggle-mute, /scene with a name, "
           "/set-value/gate/hold with a number."));
    on_ = FlatButton::raised("osc_on", {}, this);
    on_->setCheckable(true);
    connect(on_, &FlatButton::clicked, this, [this](bool on) {
        OscSettings next = link_.settings();
        next.on = on;
        link_.set(next);
    });
    address_ = FlatButton::raised("osc_address", {}, this);
    setHint(address_, tr("Choose the address on which it listens"));
    connect(address_, &FlatButton::clicked, this, &OscDialog::chooseAddress);
    auto* port_title = new Words(Words::Ink::muted, this);
    port_title->setFont(ui::font(14));
    port_title->setText(tr("UDP port"));
    port_ = new QLineEdit(this);
    port_->setObjectName("osc_port");
    port_->setAccessibleName(tr("UDP port"));
    port_->setFixedWidth(76);
    port_->setMaxLength(5);
    connect(port_, &QLineEdit::editingFinished, this, &OscDialog::takePort);
    auto* line = new QHBoxLayout;
    line->setSpacing(8);
    line->addWidget(on_);
    line->addWidget(address_);
    line->addStretch(1);
    line->addWidget(port_title);
    line->addWidget(port_);
    state_ = Words::wrapped(Words::Ink::muted, 14, false, this);
    state_->setObjectName("osc_state");
    state_->setMinimumHeight(44);
    refused_ = Words::wrapped(Words::Ink::warning, 13, false, this);
    refused_->setObjectName("osc_refused");
    auto* close = FlatButton::raised("osc_close", tr("Close"), this);
    connect(close, &FlatButton::clicked, this, &QDialog::accept);
    auto* foot = new QHBoxLayout;
    foot->addStretch(1);
    foot->addWidget(close);
    QVBoxLayout* all = columnOfDialog(this);
    all->addWidget(title);
    all->addWidget(purpose);
    all->addLayout(line);
    all->addWidget(state_);
    all->addWidget(refused_);
    all->addStretch(1);
    all->addLayout(foot);
    connect(&link_, &OscLink::settingsChanged, this, &OscDialog::refresh);
    connect(&link_, &OscLink::reported, this, &OscDialog::refresh);
    refresh();
    on_->setFocus();
}

OscDialog::~OscDialog() {
    port_->disconnect(this);  // it loses the focus when it is destroyed with the window
}

void OscDialog::open(OscLink& link, QWidget* window) {
    if (auto* other = window->findChild<OscDialog*>()) return other->raise();
    (new OscDialog(link, window))->show();
}

void OscDialog::chooseAddress() {
    auto* menu = new QMenu(this);
    menu->setObjectName("osc_addresses");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const QString current = QString::fromStdString(link_.settings().address);
    QStringList all = addresses();
    if (!all.contains(current)) all << current;
    for (const QString& address : std::as_const(all)) {
        QAction* action = menu->addAction(described(address), this, [this, address] {
            OscSettings next = link_.settings();
            next.address = address.toStdString();
            link_.set(next);
        });
        action->setCheckable(true);
        action->setChecked(address == current);
    }
    menu->popup(address_->mapToGlobal(QPoint(0, address_->height())));
}

void OscDialog::takePort() {
    OscSettings next = link_.settings();
    bool is_number = false;
    const int port = port_->text().toInt(&is_number);
    if (!is_number || port < OscSettings::kLeastPort || port > OscSettings::kMostPort) {
        const QString typed = port_->text();
        port_->setModified(false);
        refresh();
        state_->setInk(Words::Ink::warning);
        state_->setText(tr("“%1” isn't a port. Use a number from %2 to %3.")
                            .arg(typed)
                            .arg(OscSettings::kLeastPort)
                            .arg(OscSettings::kMostPort));
        return;
    }
    port_->setModified(false);
    next.port = port;
    link_.set(next);
}

void OscDialog::refresh() {
    const OscSettings& now = link_.settings();
    const QString address = QString::fromStdString(now.address);
    on_->setChecked(now.on);
    on_->setText(now.on ? tr("On") : tr("Off"));
    on_->setAccessibleName(tr("Open Sound Control: %1").arg(on_->text()));
    address_->setText(described(address));
    if (!port_->hasFocus() || !port_->isModified()) port_->setText(QString::number(now.port));
    const bool open = now.on && link_.problem().isEmpty() && !isLocal(address);
    state_->setInk(!link_.problem().isEmpty() || open ? Words::Ink::warning : Words::Ink::muted);
    QString state = tr("Off. Nothing listens.");
    if (!link_.problem().isEmpty())
        state = link_.problem();
    else if (now.on)
        state = tr("Listening on %1, port %2.").arg(address).arg(now.port);
    if (open) state += ' ' + tr("Every device in this network can unmute your microphone.");
    state_->setText(state);
    refused_->setText(
        link_.refused().isEmpty() ? QString() : tr("Last message that was refused: %1").arg(link_.refused()));
}

}  // namespace reed::ui
