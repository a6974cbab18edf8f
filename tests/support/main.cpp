#include "support/runner.h"

int main(int argc, char** argv) {
    return reed::test::run_tests(argc, argv);
}
