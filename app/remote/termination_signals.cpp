#include "remote/termination_signals.h"

#include <fcntl.h>
#include <signal.h>
#include <unistd.h>

#include <QSocketNotifier>
#include <atomic>
#include <cerrno>

namespace reed::ui {
namespace {

constexpr int kSignals[] = {SIGTERM, SIGINT, SIGHUP};
std::atomic<int> g_write_end{-1};

// A handler may do next to nothing; it leaves a byte for the event loop.
void leave_a_byte(int) {
    const int kept = errno;
    const char byte = 1;
    (void)!::write(g_write_end.load(std::memory_order_relaxed), &byte, 1);
    errno = kept;
}

void handle(void (*with)(int)) {
    struct sigaction action {};
    action.sa_handler = with;
    action.sa_flags = SA_RESTART;
    for (const int s : kSignals) ::sigaction(s, &action, nullptr);
}

}  // namespace

TerminationSignals::TerminationSignals(QObject* parent) : QObject(parent) {
    if (::pipe2(ends_, O_CLOEXEC | O_NONBLOCK) != 0) return;  // then they end it at once, as before
    g_write_end = ends_[1];
    notifier_ = new QSocketNotifier(ends_[0], QSocketNotifier::Read, this);
    connect(notifier_, &QSocketNotifier::activated, this, [this] {
        char bytes[16];
        while (::read(ends_[0], bytes, sizeof bytes) > 0) {
        }
        emit asked();
    });
    handle(&leave_a_byte);
}

TerminationSignals::~TerminationSignals() {
    if (notifier_ == nullptr) return;
    handle(SIG_DFL);
    g_write_end = -1;
    ::close(ends_[0]);
    ::close(ends_[1]);
}

}  // namespace reed::ui
