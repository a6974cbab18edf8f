#include "model/shared/start_guard.h"

#include <fcntl.h>
#include <signal.h>
#include <unistd.h>

#include <cstring>

namespace reed::ui {
namespace {

constexpr int kCrashes[] = {SIGSEGV, SIGABRT, SIGBUS, SIGFPE, SIGILL};
// All a handler may use: plain memory, made ready before.
char g_mark[4096] = {};
alignas(16) char g_stack[64 * 1024];  // of its own: the stack may be what ran out
struct sigaction g_before[std::size(kCrashes)];

void leave_mark(int signal) {
    const int fd = ::open(g_mark, O_WRONLY | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0600);
    if (fd >= 0) ::close(fd);
    ::raise(signal);  // the handler stands for one time: now it ends as it would have
}

}  // namespace

bool StartGuard::take_mark(const std::filesystem::path& mark) {
    std::error_code ec;
    return std::filesystem::remove(mark, ec);
}

StartGuard::StartGuard(const std::filesystem::path& mark) {
    const std::string path = mark.string();
    if (path.size() >= sizeof g_mark) return;
    std::memcpy(g_mark, path.c_str(), path.size() + 1);
    stack_t stack{};
    stack.ss_sp = g_stack;
    stack.ss_size = sizeof g_stack;
    ::sigaltstack(&stack, nullptr);
    struct sigaction action {};
    action.sa_handler = leave_mark;
    action.sa_flags = static_cast<int>(SA_RESETHAND) | SA_ONSTACK;
    for (size_t i = 0; i < std::size(kCrashes); ++i) ::sigaction(kCrashes[i], &action, &g_before[i]);
}

StartGuard::~StartGuard() {
    if (g_mark[0] == '\0') return;
    for (size_t i = 0; i < std::size(kCrashes); ++i) ::sigaction(kCrashes[i], &g_before[i], nullptr);
    stack_t none{};
    none.ss_flags = SS_DISABLE;
    ::sigaltstack(&none, nullptr);
    g_mark[0] = '\0';
}

}  // namespace reed::ui
