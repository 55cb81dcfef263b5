// The reed bed: 400 strands of 16 joints among 20 bodies, 240 frames. Prints how long it takes and how much memory.
#include <sys/resource.h>

#include <chrono>
#include <cstdio>
#include <filesystem>
#include <thread>

#include "demo/reeds.h"
#include "pipeline/evaluate.h"
#include "pipeline/open.h"

using namespace nutatio;

namespace {
double seconds(std::chrono::steady_clock::time_point from) {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - from).count();
}
}  // namespace

int main() {
    const auto folder = std::filesystem::temp_directory_path() / "nutatio-reed-bed";
    demo::writeReeds(folder);
    auto from = std::chrono::steady_clock::now();
    const scene::Scene scene = pipeline::open(folder / "reeds.nutatio").value().scene;
    std::printf("opened in %.2f s\n", seconds(from));
    for (int run = 0; run < 2; ++run) {
        pipeline::Evaluator e;
        from = std::chrono::steady_clock::now();
        const auto r = e.evaluate(scene, {});
        std::printf("400 strands x 16 joints, 20 bodies, %d frames: %.2f s, %.0f MB of motion kept\n",
                    r.actors[0].result->frames(), seconds(from), static_cast<double>(e.cachedBytes()) / 1e6);
    }
    pipeline::Evaluator e;
    const Cancel cancel;
    std::chrono::steady_clock::time_point asked;
    std::thread other([&] {
        std::this_thread::sleep_for(std::chrono::milliseconds(300));
        asked = std::chrono::steady_clock::now();
        cancel.ask();
    });
    try {
        (void)e.evaluate(scene, cancel);
        std::printf("ended before it could be cancelled\n");
    } catch (const Cancelled&) {
        std::printf("cancelled %.1f ms after it was asked to\n", 1000 * seconds(asked));
    }
    other.join();
    rusage use{};
    getrusage(RUSAGE_SELF, &use);
    std::printf("peak memory %.0f MB\n", static_cast<double>(use.ru_maxrss) / 1024);
    std::filesystem::remove_all(folder);
    return 0;
}
