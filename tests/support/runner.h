#pragma once

namespace reed::test {

/// Runs the tests linked into this program by Catch2's own options; what main() gives back.
int run_tests(int argc, char** argv);

}  // namespace reed::test
