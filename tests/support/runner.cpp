// Catch2 itself, compiled once for all test programs: it is half a minute of a build each time.
#define CATCH_CONFIG_RUNNER
#include "support/runner.h"

#include <execinfo.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <csignal>
#include <cstdlib>

namespace reed::test {
namespace {

/// A test that hangs says where, before ctest ends it: the stack of this thread, and the last assertion (by
/// Catch2's own handler of SIGABRT).
void report_hangs() {
    const char* seconds = std::getenv("REED_HANGS_AFTER");
    if (seconds == nullptr) return;
    (void)std::signal(SIGALRM, [](int) {
        static void* frames[64];
        backtrace_symbols_fd(frames, backtrace(frames, 64), STDERR_FILENO);
        std::abort();
    });
    alarm(static_cast<unsigned>(std::atoi(seconds)));
}

}  // namespace

int run_tests(int argc, char** argv) {
    report_hangs();
    return Catch::Session().run(argc, argv);
}

}  // namespace reed::test
