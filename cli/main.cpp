// nutatio-cli: the work of the bench without a screen.
#include <csignal>
#include <iostream>

#include "cli/commands.h"

namespace {
nutatio::Cancel& request() {
    static nutatio::Cancel cancel;
    return cancel;
}
}  // namespace

int main(int argc, char** argv) {
    request();  // made before the handler can run
    std::signal(SIGINT, [](int) { request().ask(); });
    return nutatio::cli::run({argv + 1, argv + argc}, std::cout, std::cerr, request());
}
