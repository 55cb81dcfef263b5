#include "tests/support/runner.h"

int main(int argc, char** argv) {
    return nutatio::test::run(argc, argv);
}
