#define CATCH_CONFIG_RUNNER
#include <catch2/catch.hpp>

// The window's tests bring a main of their own, which makes the application first.
__attribute__((weak)) int main(int argc, char** argv) { return Catch::Session().run(argc, argv); }
