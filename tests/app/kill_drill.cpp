// Kills the application again and again while it edits, saves and hands off, and looks at what is left: nothing older than five
// seconds may be lost, and no file may be broken. scripts/on-a-screen build/release/bin/nutatio-kill-drill [RUNS] [SEED]
#include <fcntl.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <QApplication>
#include <QDir>
#include <QTimer>
#include <chrono>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <random>
#include <thread>

#include "app/bench/bench.h"
#include "app/look/theme.h"
#include "files/scene_file.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"

using namespace nutatio;
namespace fs = std::filesystem;

namespace {

double now() {
    return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

double gravityOf(const fs::path& scene) {
    const auto opened = pipeline::open(scene);
    const scene::Layer* l = opened ? opened.value().scene.layer("tail") : nullptr;
    return l ? l->number("gravity") : -1;
}

/// The one that is killed: an edit every 40 ms, each written down with its time, a save and a hand-off now and then.
int victim(int argc, char** argv) {
    look::setSurfaceFormat();
    QApplication application(argc, argv);
    look::dress(application);
    const fs::path folder = argv[2];
    app::Bench bench(QString::fromStdString((folder / "keep").string()));
    bench.show();
    bench.open(QString::fromStdString((folder / "s.nutatio").string()));
    std::ofstream log(folder / "log");
    std::mt19937 random(static_cast<unsigned>(std::atoi(argv[3])));
    int edits = 0;
    QTimer timer;
    pipeline::Evaluator evaluator;
    QObject::connect(&timer, &QTimer::timeout, &bench, [&] {
        app::Document& d = bench.document();
        if (!d.scene().layer("tail")) return;
        const double gravity = 0.001 * ++edits;
        d.edit(QStringLiteral("edit"), [&](scene::Scene& s) { s.layer("tail")->values["gravity"] = gravity; });
        log << gravity << ' ' << now() << std::endl;
        const unsigned dice = random() % 24;
        if (dice == 0) d.save(QString::fromStdString((folder / "s.nutatio").string()));
        if (dice == 1) (void)pipeline::bake(d.scene(), {}, folder / "out.gltf", evaluator, {});
    });
    timer.start(40);
    return QApplication::exec();
}

struct Verdict {
    double lost = 0;  // [s] of work that neither the scene nor the kept file holds
    std::string broken;
};

Verdict judge(const fs::path& folder, double killed) {
    Verdict v;
    double best = gravityOf(folder / "s.nutatio");
    if (best < 0) v.broken = "s.nutatio does not open";
    for (const QString& f : app::Keeper::leftBehind(QString::fromStdString((folder / "keep").string()))) {
        const double kept = gravityOf(f.toStdString());
        if (kept < 0) v.broken = "the kept file does not open";
        best = std::max(best, kept);
    }
    if (fs::exists(folder / "out.gltf"))
        if (const auto out = files::readActor(folder / "out.gltf"); !out) v.broken = out.error().text();
    // The oldest edit that is in neither.
    std::ifstream log(folder / "log");
    for (double gravity = 0, at = 0; log >> gravity >> at;)
        if (gravity > best + 1e-9) {
            v.lost = killed - at;
            break;
        }
    return v;
}

}  // namespace

int main(int argc, char** argv) {
    if (argc == 4 && std::string(argv[1]) == "victim") return victim(argc, argv);
    if (argc < 2) {
        std::fprintf(stderr, "nutatio-kill-drill SCENE [RUNS] [SEED]\n");
        return 2;
    }
    const int runs = argc > 2 ? std::atoi(argv[2]) : 100;
    std::mt19937 random(argc > 3 ? static_cast<unsigned>(std::atoi(argv[3])) : 1u);
    QCoreApplication application(argc, argv);
    double most = 0;
    int broken = 0;
    for (int run = 0; run < runs; ++run) {
        std::string name = (fs::temp_directory_path() / "nutatio-drill-XXXXXX").string();
        const fs::path folder = mkdtemp(name.data());
        fs::create_directories(folder / "keep");
        auto demo = pipeline::open(argv[1]);
        (void)files::writeScene(demo.value().scene, folder / "s.nutatio");
        const std::string seed = std::to_string(random() % 100000), path = folder.string();
        std::string words[] = {argv[0], "victim", path, seed};
        char* arguments[] = {words[0].data(), words[1].data(), words[2].data(), words[3].data(), nullptr};
        pid_t pid = 0;
        if (posix_spawn(&pid, "/proc/self/exe", nullptr, nullptr, arguments, environ) != 0) return 2;
        // From when it has begun to edit.
        while (!fs::exists(folder / "log") || fs::file_size(folder / "log") == 0)
            std::this_thread::sleep_for(std::chrono::milliseconds(10));
        std::this_thread::sleep_for(std::chrono::milliseconds(200 + random() % 5000));
        kill(pid, SIGKILL);
        const double killed = now();
        waitpid(pid, nullptr, 0);
        const Verdict v = judge(folder, killed);
        most = std::max(most, v.lost);
        broken += !v.broken.empty() || v.lost > 5;
        if (!v.broken.empty()) std::printf("run %d: %s (%s)\n", run, v.broken.c_str(), folder.c_str());
        if (v.lost > 5) std::printf("run %d: %.2f s of work lost (%s)\n", run, v.lost, folder.c_str());
        if (v.broken.empty() && v.lost <= 5) fs::remove_all(folder);
    }
    std::printf("%d kills: %d bad, at most %.2f s of work lost\n", runs, broken, most);
    return broken ? 1 : 0;
}
