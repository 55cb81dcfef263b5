// Two hundred strand layers: what an edit costs the interface's thread, what runs again after it, and what a copy of the scene
// weighs. Run it under scripts/on-a-screen.
#include <time.h>
#include <QApplication>
#include <QPushButton>
#include <QTest>

#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <new>

#include "app/bench/bench.h"
#include "app/look/theme.h"
#include "demo/gltf_builder.h"
#include "demo/mop.h"
#include "demo/reeds.h"
#include "edit/edit.h"
#include "edit/takes.h"
#include "files/scene_file.h"
#include "pipeline/open.h"

using namespace nutatio;

namespace {

std::size_t g_bytes = 0;

double now() {
    return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

double ownTime() {
    timespec t{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
    return 1000 * static_cast<double>(t.tv_sec) + 1e-6 * static_cast<double>(t.tv_nsec);
}

template <class Work>
double median(int runs, const Work& work) {
    std::vector<double> times;
    for (int k = 0; k < runs; ++k) {
        const double from = now();
        work(k);
        times.push_back(now() - from);
    }
    std::sort(times.begin(), times.end());
    return times[times.size() / 2];
}

/// A reed bed with a layer on each reed.
scene::Scene bed(const std::filesystem::path& folder) {
    demo::writeReeds(folder, {.reeds = 200, .joints = 8, .frames = 120, .bodies = 20});
    scene::Scene s = pipeline::open(folder / "reeds.nutatio").value().scene;
    s.layers.clear();
    for (int r = 0; r < 200; ++r) {
        const std::string id = edit::addLayer(s, "strand", s.actors.front().id, {"reed_" + std::to_string(r) + "_0"});
        s.layer(id)->set("swing", 1.2);
        s.layer(id)->set("gravity", 0.2);
    }
    return s;
}

/// A sausage of 50,000 vertices, two metres long, bent by forty joints.
std::filesystem::path sausage(const std::filesystem::path& folder) {
    constexpr int kAround = 250, kAlong = 200, kJoints = 40;
    demo::GltfBuilder out;
    for (int j = 0; j < kJoints; ++j) {
        Xform rest;
        rest.t = Vec3(0, j == 0 ? 0 : 2.0 / kJoints, 0);
        out.node("bone_" + std::to_string(j), j - 1, rest);
    }
    demo::Surface skin;
    for (int y = 0; y < kAlong; ++y)
        for (int x = 0; x < kAround; ++x) {
            const double turn = 2 * kPi * x / kAround, up = 2.0 * y / (kAlong - 1), wide = 0.2 + 0.05 * std::sin(5 * up);
            const double at = std::min(up / 2 * kJoints, kJoints - 1.001);
            const int joint = static_cast<int>(at);
            skin.vertices.push_back({Vec3(wide * std::cos(turn), up, wide * std::sin(turn)),
                                     Vec3(std::cos(turn), 0, std::sin(turn)),
                                     Vec3::Ones(),
                                     {{joint, 1 - (at - joint)}, {joint + 1, at - joint}}});
            if (y == 0) continue;
            const auto v = [&](int row, int column) { return static_cast<std::uint32_t>(row * kAround + column % kAround); };
            for (const std::uint32_t corner : {v(y - 1, x), v(y, x), v(y, x + 1), v(y - 1, x), v(y, x + 1), v(y - 1, x + 1)})
                skin.triangles.push_back(corner);
        }
    out.mesh("skin", skin);
    const std::filesystem::path file = folder / "sausage.glb";
    out.writeGlb(file);
    return file;
}

/// A stroke of the brush by hand on 50,000 vertices, drawn at every move of the mouse.
bool paint(app::Bench& bench, const std::filesystem::path& folder) {
    bench.document().open(QString::fromStdString(sausage(folder).string()));
    if (!QTest::qWaitFor([&] { return bench.document().title() == QStringLiteral("sausage") && bench.document().upToDate(); },
                         60000))
        return false;
    QTest::qWait(300);
    app::Stage* stage = bench.stage();
    stage->setJointsShown(false);
    stage->picture();
    const std::string actor = bench.document().scene().actors[0].id;
    bench.session().selectJoint(actor, 20);
    bench.action(QStringLiteral("paint"))->trigger();
    QTest::qWait(300);  // what begins the painting draws all of the stage once
    const QPoint from = stage->jointPixel(actor, 16)->toPoint(), to = stage->jointPixel(actor, 26)->toPoint();
    QTest::mouseMove(stage, from);
    QTest::mousePress(stage, Qt::LeftButton, Qt::NoModifier, from);
    double worst = 0;
    bool drawn = false;
    const QObject here;  // the connection ends with it
    QObject::connect(stage, &app::Canvas::drawn, &here, [&] { drawn = true; });
    const double move = median(60, [&](int k) {
        const double before = now();
        drawn = false;
        QTest::mouseMove(stage, from + (to - from) * k / 60);
        // Qt puts a drawing off that is asked for within a frame of the last; what counts is when it is on the screen.
        while (!drawn && now() - before < 1000) QCoreApplication::processEvents(QEventLoop::AllEvents, 50);
        worst = std::max(worst, now() - before);
    });
    const double kept = now();
    QTest::mouseRelease(stage, Qt::LeftButton, Qt::NoModifier, to);
    std::printf(
        "painting on 50,000 vertices: %.1f ms a move of the mouse with its drawing (worst %.1f), %.1f ms to keep the stroke\n",
        move, worst, now() - kept);
    return true;
}

/// Forty strands set up by hand: every press of the mouse and of a key is counted.
bool fortyStrands(app::Bench& bench, const std::filesystem::path& folder) {
    demo::writeMop(folder / "mop.glb");
    const double from = now();
    int actions = 1;  // opening the file
    bench.document().open(QString::fromStdString((folder / "mop.glb").string()));
    if (!QTest::qWaitFor([&] { return bench.document().title() == QStringLiteral("mop") && bench.document().upToDate(); }, 60000))
        return false;
    const auto click = [&](const char* name) {
        auto* b = bench.findChild<QPushButton*>(QLatin1String(name));
        if (!b) return;
        ++actions;
        QTest::mouseClick(b, Qt::LeftButton);
    };
    ++actions;
    QTest::keyClick(&bench, Qt::Key_2, Qt::ControlModifier);
    click("do-fit");
    click("offer-strand");
    const scene::Scene& s = bench.document().scene();
    if (s.layers.size() != 1) return false;
    app::SettingRow* row = bench.tuner()->row("swing");
    app::Slider* slider = row ? row->slider() : nullptr;
    if (!slider) return false;
    ++actions;
    QTest::mousePress(slider, Qt::LeftButton, Qt::NoModifier, slider->knob(slider->value()));
    QTest::mouseMove(slider, slider->knob(2.5));
    QTest::mouseRelease(slider, Qt::LeftButton, Qt::NoModifier, slider->knob(2.5));
    if (!QTest::qWaitFor([&] { return bench.document().upToDate(); }, 60000)) return false;
    std::printf(
        "forty strands: %d actions, %.1f s of the machine's; %zu chains in one layer, %zu colliders, simulated in %.0f ms\n",
        actions, (now() - from) / 1000, s.layers[0].list("root").size(), s.colliders.size(),
        bench.document().results()->evaluation.milliseconds);
    return true;
}

/// A key of one of thirty layers dragged on its open lane, over a shot of a thousand frames: from a move of the mouse to the
/// stage with the motion that follows from it.
bool dragKey(app::Bench& bench, const std::filesystem::path& folder) {
    demo::writeReeds(folder, {.reeds = 30, .joints = 8, .frames = 1000, .bodies = 6});
    scene::Scene s = pipeline::open(folder / "reeds.nutatio").value().scene;
    s.layers.clear();
    for (int r = 0; r < 30; ++r) {
        const std::string id = edit::addLayer(s, "strand", s.actors.front().id, {"reed_" + std::to_string(r) + "_0"});
        s.layer(id)->set("swing", 1.2);
    }
    const std::string id = s.layers[10].id;
    const scene::Owner owner{scene::List::Layers, id};
    for (int frame : {100, 500, 900}) {
        edit::toggleKey(s, owner, "swing", frame);
        edit::set(s, owner, "swing", 1 + 0.002 * frame, frame);
    }
    if (!files::writeScene(s, folder / "keyed.nutatio")) return false;
    bench.document().open(QString::fromStdString((folder / "keyed.nutatio").string()));
    if (!QTest::qWaitFor([&] { return bench.document().title() == QStringLiteral("keyed") && bench.document().upToDate(); },
                         60000))
        return false;
    bench.session().selectLayer(id);
    bench.tape()->open(id, true);
    QTest::qWait(300);
    app::KeySheet* sheet = bench.tape()->sheet(id);
    if (!sheet) return false;
    const QPoint from = sheet->keyPoint({owner, "swing", s.shot().timeOf(500)}).toPoint();
    QTest::mousePress(sheet, Qt::LeftButton, Qt::NoModifier, from);
    QTest::mouseMove(sheet, from + QPoint(6, 0));
    bool drawn = false;
    double worst = 0;
    const QObject here;
    QObject::connect(bench.stage(), &app::Canvas::drawn, &here, [&] { drawn = bench.document().upToDate(); });
    const double move = median(40, [&](int k) {
        const double before = now();
        drawn = false;
        QTest::mouseMove(sheet, from + QPoint(8 + 4 * k, 0));
        while (!drawn && now() - before < 5000) QCoreApplication::processEvents(QEventLoop::AllEvents, 50);
        worst = std::max(worst, now() - before);
    });
    QTest::mouseRelease(sheet, Qt::LeftButton, Qt::NoModifier, from + QPoint(164, 0));
    std::printf(
        "dragging a key, 1,000 frames and 30 layers: %.1f ms from a move of the mouse to the new motion drawn (worst %.1f), %.1f "
        "of it the layer's\n",
        move, worst, bench.document().results()->evaluation.milliseconds);
    return true;
}

/// Takes of a scene with two hundred layers: kept, adopted and undone, in the interface's thread.
void takes(app::Bench& bench, const std::string& layer) {
    app::Document& document = bench.document();
    const auto each = [&](const char* what, const auto& work) {
        std::vector<double> times;
        for (int k = 0; k < 9; ++k) {
            document.edit(QStringLiteral("set"), [&](scene::Scene& s) {
                edit::set(s, {scene::List::Layers, layer}, "swing", 1.5 + 0.1 * k, 0);
            });
            if (!QTest::qWaitFor([&] { return document.upToDate(); }, 60000)) return;
            const double from = now();
            work();
            times.push_back(now() - from);
        }
        std::sort(times.begin(), times.end());
        std::printf("%s with two hundred layers: %.1f ms (worst %.1f)\n", what, times[4], times.back());
    };
    each("keeping a take", [&] { bench.action(QStringLiteral("take"))->trigger(); });
    const std::string take = document.scene().takes.front().id;
    each("adopting a take",
         [&] { document.edit(QStringLiteral("adopt"), [&](scene::Scene& s) { (void)edit::adoptTake(s, take).ok(); }); });
    each("undoing", [&] { document.undo(); });
}

/// The demo played, four takes of it side by side, and a spread of nine.
bool compared(app::Bench& bench, bool stageAlone) {
    app::Document& document = bench.document();
    document.open(QStringLiteral(NUTATIO_SOURCE_DIR "/demo/lake-landing.nutatio"));
    if (!QTest::qWaitFor([&] { return document.scene().layer("tail") && document.upToDate(); }, 60000)) return false;
    QTest::qWait(300);
    int swapped = 0;
    {
        const QObject here;
        QObject::connect(bench.stage(), &app::Canvas::drawn, &here, [&] { ++swapped; });
        bench.session().setPlaying(true);
        QTest::qWait(4000);
        bench.session().setPlaying(false);
    }
    std::printf("the stage alone plays at %.1f of %g frames a second\n", swapped / 4.0, document.scene().shot().fps);
    const double spent = static_cast<double>(clock());
    constexpr int kFrames = 40;
    const double drawn = median(kFrames, [&](int k) {
        bench.session().setFrame(k % 28);
        bench.stage()->picture();
    });
    std::printf("a frame of it drawn: %.1f ms by the clock, %.1f ms of all processors\n", drawn,
                1000 * (static_cast<double>(clock()) - spent) / CLOCKS_PER_SEC / kFrames);
    if (stageAlone) return true;
    const scene::Owner tail{scene::List::Layers, "tail"};
    app::Comparing c;
    c.on = true;
    for (const double swing : {0.6, 1.2, 2.4, 4.8}) {
        document.edit(QStringLiteral("set"), [&](scene::Scene& s) { edit::set(s, tail, "swing", swing, 0); });
        document.edit(QStringLiteral("take"), [&](scene::Scene& s) { c.with.push_back(edit::keepTake(s)); });
    }
    bench.session().setComparing(c);
    if (!QTest::qWaitFor([&] { return bench.compareView()->ready(); }, 60000)) return false;
    QTest::qWait(300);
    const auto rate = [&](app::Panes* panes) {
        const int before = panes->timesDrawn();
        const double from = now();
        bench.session().setPlaying(true);
        QTest::qWait(4000);
        bench.session().setPlaying(false);
        return 1000 * (panes->timesDrawn() - before) / (now() - from);
    };
    std::printf("four takes side by side play at %.1f of %g frames a second\n", rate(bench.compareView()->panes()),
                document.scene().shot().fps);
    app::Spreading spreading;
    spreading.on = true;
    edit::Spread spread;
    spread.across = {tail, "swing", 0.5, 4};
    spread.down = edit::SpreadAxis{tail, "bounces", 1, 9};
    spread.columns = spread.rows = 3;
    spreading.spread = spread;
    const std::size_t known = bench.spreadView()->bytes();
    const double from = now();
    bench.session().setSpreading(spreading);
    if (!QTest::qWaitFor([&] { return bench.spreadView()->moving(); }, 60000)) return false;
    const double moves = now() - from;
    const double share = static_cast<double>(bench.spreadView()->bytes() - known) / 1e6;
    if (!QTest::qWaitFor([&] { return bench.spreadView()->ready(); }, 60000)) return false;
    std::printf(
        "a spread of nine: all move after %.0f ms, measured after %.0f, %.1f MB of motion more; it plays at %.1f frames a "
        "second\n",
        moves, now() - from, share, rate(bench.spreadView()->panes()));
    return true;
}

}  // namespace

void* operator new(std::size_t size) {
    g_bytes += size;
    if (void* p = std::malloc(size)) return p;
    throw std::bad_alloc();
}
void operator delete(void* p) noexcept {
    std::free(p);
}
void operator delete(void* p, std::size_t) noexcept {
    std::free(p);
}

int main(int argc, char** argv) {
    look::setSurfaceFormat();
    QApplication application(argc, argv);
    look::dress(application);
    if (argc > 1 && std::string(argv[1]) == "stage") {
        app::Bench bench;
        bench.show();
        return compared(bench, true) ? 0 : 1;
    }
    const auto folder = std::filesystem::temp_directory_path() / "nutatio-house";
    scene::Scene s = bed(folder);

    const std::size_t before = g_bytes;
    const scene::Scene copy = s;
    std::printf("a copy of the scene takes %zu bytes\n", g_bytes - before);

    pipeline::Evaluator e;
    double from = now();
    auto r = e.evaluate(s, {});
    std::printf("all anew: %.0f ms, %d layers ran\n", now() - from, r.simulated);
    std::printf("nothing changed: %.2f ms\n", median(15, [&](int) { r = e.evaluate(s, {}); }));
    const std::string one = s.layers[100].id;
    double ran = 0;
    const double edited = median(9, [&](int k) {
        s.layer(one)->set("swing", 1.3 + 0.01 * k);
        ran = e.evaluate(s, {}).simulated;
    });
    std::printf("one layer edited: %.2f ms, %.0f ran\n", edited, ran);
    scene::Collider& body = *s.collider(s.colliders[3].id);
    body.set("radius", 0.1);
    from = now();
    r = e.evaluate(s, {});
    std::printf("one collider edited: %.0f ms, %d ran\n", now() - from, r.simulated);

    if (!files::writeScene(s, folder / "layers.nutatio")) return 1;
    app::Bench bench;
    bench.show();
    bench.open(QString::fromStdString((folder / "layers.nutatio").string()));
    if (!QTest::qWaitFor([&] { return bench.document().results() && bench.document().upToDate(); }, 60000)) return 1;
    bench.session().selectLayer(one);
    bench.session().setStep(app::StepId::Tune);
    QTest::qWait(300);
    const auto tick = [&](int k) {
        bench.document().edit(
            "Swing rate",
            [&](scene::Scene& each) {
                edit::set(each, {scene::List::Layers, one}, "swing", 1.5 + 0.01 * k, 0);
            },
            "drag");
        bench.tuner()->grab();  // painted, not composed: software OpenGL is not what is measured
    };
    // Of the thread itself: what runs beside it on the machine is not its work.
    const double spent = ownTime();
    constexpr int kTicks = 40;
    const double lasted = median(kTicks, tick);
    std::printf("a tick of a slider: %.2f ms of the interface's thread, %.2f ms by the clock with the simulation beside it\n",
                (ownTime() - spent) / kTicks, lasted);
    takes(bench, one);
    std::filesystem::remove_all(folder);

    // Drawing a skinned character, frame after frame.
    bench.document().open(QStringLiteral(NUTATIO_SOURCE_DIR "/demo/assets/otter.glb"));
    if (!QTest::qWaitFor([&] { return bench.document().scene().actors.size() == 1 && bench.document().upToDate(); }, 60000))
        return 1;
    QTest::qWait(300);
    bench.stage()->setJointsShown(false);
    const double drawing = ownTime();
    constexpr int kFrames = 40;
    const double frame = median(kFrames, [&](int k) {
        bench.session().setFrame(k % 28);
        bench.stage()->picture();
    });
    std::printf("a frame of the otter drawn: %.1f ms of the interface's thread, %.1f ms by the clock (software OpenGL)\n",
                (ownTime() - drawing) / kFrames, frame);
    std::filesystem::create_directories(folder);
    const bool painted = paint(bench, folder);
    const bool set = fortyStrands(bench, folder), dragged = dragKey(bench, folder);
    std::filesystem::remove_all(folder);
    const bool beside = compared(bench, false);
    return painted && set && dragged && beside ? 0 : 1;
}
