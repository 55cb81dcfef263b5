// Counts every request for memory, so that a test can see that stepping makes none.
#include <atomic>
#include <cstdlib>
#include <new>

namespace {
std::atomic<std::size_t> g_count{0};
}

namespace nutatio::test {
std::size_t allocations() {
    return g_count;
}
}  // namespace nutatio::test

#ifdef __SANITIZE_ADDRESS__

// The sanitizer keeps its own books of operator new; it tells of each request instead.
extern "C" int __sanitizer_install_malloc_and_free_hooks(void (*)(const volatile void*, std::size_t),
                                                         void (*)(const volatile void*));

namespace {
[[maybe_unused]] const int g_hooks =
    __sanitizer_install_malloc_and_free_hooks([](const volatile void*, std::size_t) { ++g_count; }, [](const volatile void*) {});
}

#else

[[gnu::noinline]] void* operator new(std::size_t size) {
    ++g_count;
    if (void* p = std::malloc(size ? size : 1)) return p;
    throw std::bad_alloc();
}
[[gnu::noinline]] void operator delete(void* p) noexcept {
    std::free(p);
}
[[gnu::noinline]] void operator delete(void* p, std::size_t) noexcept {
    std::free(p);
}

#endif
