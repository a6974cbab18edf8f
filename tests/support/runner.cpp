// Catch2 itself, compiled once for all test programs: it is half a minute of a build each time.
#define CATCH_CONFIG_RUNNER
#include "support/runner.h"

#include <catch2/catch.hpp>

namespace reed::test {

int run_tests(int argc, char** argv) {
    return Catch::Session().run(argc, argv);
}

}  // namespace reed::test
