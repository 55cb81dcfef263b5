// What the graphics card poses is what the core poses.
#include "app/stage/renderer.h"

#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QOpenGLFramebufferObject>
#include <catch2/catch.hpp>
#include <filesystem>

#include "app/look/theme.h"
#include "rig/mesh.h"
#include "tests/app/window.h"
#include "tests/support/rigs.h"

using namespace nutatio;
using namespace nutatio::app;

namespace {

/// A graphics context without a window.
struct Screen {
    Screen() {
        surface.create();
        REQUIRE(context.create());
        REQUIRE(context.makeCurrent(&surface));
        renderer = std::make_unique<Renderer>();
        renderer->initialise();
        target = std::make_unique<QOpenGLFramebufferObject>(kSize, QOpenGLFramebufferObject::Depth);
    }
    ~Screen() {
        renderer.reset();
        target.reset();
        context.doneCurrent();
    }

    /// Without ground or shadow: whatever differs from the sky is the actor.
    QImage draw(const Camera& camera, const std::vector<const Posed*>& actors) {
        Renderer::Frame f;
        f.camera = &camera;
        f.size = kSize;
        f.actors = actors;
        f.floor = f.shadowFloor = 1e9;
        f.target = target->handle();
        renderer->draw(f);
        return target->toImage();
    }

    static constexpr QSize kSize{500, 400};
    QOffscreenSurface surface;
    QOpenGLContext context;
    std::unique_ptr<Renderer> renderer;
    std::unique_ptr<QOpenGLFramebufferObject> target;
};

Posed posed(std::shared_ptr<const rig::Actor> actor, std::shared_ptr<const rig::Track> track, int frame) {
    Posed p;
    p.id = "one";
    p.actor = actor.get();
    p.track = std::move(track);
    p.frame = frame;
    std::vector<Xform> locals;
    p.track->pose(frame, locals);
    rig::worldTransforms(actor->skeleton, locals, p.worlds);
    return p;
}

std::vector<Vec3> placesOf(const Posed& p) {
    std::vector<Vec3> places;
    for (std::size_t i = 0; i < p.actor->instances.size(); ++i) {
        const rig::MeshInstance& in = p.actor->instances[i];
        const auto& primitives = p.actor->meshes[static_cast<std::size_t>(in.mesh)].primitives;
        for (std::size_t n = 0; n < primitives.size(); ++n) {
            rig::PosedVertices out;
            rig::poseVertices(*p.actor, in, primitives[n], p.worlds, p.weights(i), out, p.moved(i, n));
            for (std::uint32_t v : primitives[n].triangles) places.push_back(out.positions[v].cast<double>());
        }
    }
    return places;
}

/// The picture reaches just as far as the vertices do on every side, and hardly a vertex lies where nothing is drawn.
void checkDrawnWhereItIs(Screen& screen, const Posed& p) {
    const std::vector<Vec3> places = placesOf(p);
    REQUIRE_FALSE(places.empty());
    Vec3 low = places.front(), high = low;
    for (const Vec3& v : places) {
        low = low.cwiseMin(v);
        high = high.cwiseMax(v);
    }
    Camera camera;
    camera.frame(low, high);
    const QImage picture = screen.draw(camera, {&p});
    const QRgb sky = screen.draw(camera, {}).pixel(1, 1);
    QRect seen;
    for (int y = 0; y < picture.height(); ++y)
        for (int x = 0; x < picture.width(); ++x)
            if (picture.pixel(x, y) != sky) seen |= QRect(x, y, 1, 1);
    double left = 1e9, right = -1e9, top = 1e9, bottom = -1e9, missed = 0;
    for (const Vec3& v : places) {
        const QPointF at = camera.pixel(v, Screen::kSize).value();
        left = std::min(left, at.x());
        right = std::max(right, at.x());
        top = std::min(top, at.y());
        bottom = std::max(bottom, at.y());
        bool covered = false;
        for (int dy = -1; dy <= 1; ++dy)
            for (int dx = -1; dx <= 1; ++dx) {
                const QPoint q(static_cast<int>(at.x()) + dx, static_cast<int>(at.y()) + dy);
                covered = covered || (picture.rect().contains(q) && picture.pixel(q) != sky);
            }
        missed += !covered;
    }
    CHECK(seen.left() == Approx(left).margin(2.5));
    CHECK(seen.right() == Approx(right).margin(2.5));
    CHECK(seen.top() == Approx(top).margin(2.5));
    CHECK(seen.bottom() == Approx(bottom).margin(2.5));
    CHECK(missed < 0.01 * static_cast<double>(places.size()));
}

std::shared_ptr<rig::Track> trackOf(const rig::Actor& a) {
    const int clip = a.clips.empty() ? -1 : 0;
    return std::make_shared<rig::Track>(
        rig::bodyTrack(a, clip, clip < 0 ? rig::FrameGrid{.frames = 24} : rig::FrameGrid::covering(a.clips[0], 24)));
}

}  // namespace

TEST_CASE("skins are posed on the graphics card where the core poses them, on the otter and on models nobody here made") {
    Screen screen;
    const auto actor = test::read(test::kOtter.toStdString());
    const auto track = trackOf(*actor);
    for (int frame : {0, 7, 20}) checkDrawnWhereItIs(screen, posed(actor, track, frame));
    const std::filesystem::path models = std::string(NUTATIO_THIRD_PARTY) + "/glTF2";
    int looked = 0;
    for (const char* name : {"glTF-Sample-Models/AnimatedMorphCube-glTF/AnimatedMorphCube.gltf", "simple_skin/simple_skin.gltf",
                             "BoxTextured-glTF/BoxTextured.gltf", "2CylinderEngine-glTF-Binary/2CylinderEngine.glb"}) {
        if (!std::filesystem::exists(models / name)) continue;
        const auto other = test::read(models / name);
        const auto moving = trackOf(*other);
        for (int frame : {0, moving->frames() / 2}) checkDrawnWhereItIs(screen, posed(other, moving, frame));
        ++looked;
    }
    if (std::filesystem::exists(models)) CHECK(looked == 4);
}

TEST_CASE("vertices that a layer moves are drawn moved, and back in place when it is gone") {
    Screen screen;
    const auto actor = test::read(test::kOtter.toStdString());
    const auto plain = trackOf(*actor);
    auto patch = std::make_shared<rig::Patch>();
    for (std::uint32_t v = 0;
         v < actor->meshes[static_cast<std::size_t>(actor->instances[0].mesh)].primitives[0].positions.size(); ++v)
        patch->vertices.push_back(v);
    for (int f = 0; f < plain->frames(); ++f)
        for (std::size_t v = 0; v < patch->vertices.size(); ++v)
            patch->offsets.push_back(Vec3f(0, 0.4f * static_cast<float>(f % 2), 0));
    auto moved = std::make_shared<rig::Track>(*plain);
    moved->replace(patch);
    checkDrawnWhereItIs(screen, posed(actor, moved, 1));
    Camera camera;
    const Posed at = posed(actor, moved, 1), away = posed(actor, plain, 1);
    const QImage with = screen.draw(camera, {&at}), without = screen.draw(camera, {&away});
    CHECK(with != without);
    CHECK(screen.draw(camera, {&at}) == with);
    CHECK(screen.draw(camera, {&away}) == without);
}

TEST_CASE("where a card draws, the stage is composed with its window: the same picture, and the mouse goes through it") {
    const auto pictureOf = [](Window& w) { return w.bench.stage()->picture().convertToFormat(QImage::Format_RGB32); };
    QImage readBack;
    {
        Window w(test::kOtter);
        readBack = pictureOf(w);
    }
    struct Smooth {
        Smooth() { look::smoothAlways(true); }
        ~Smooth() { look::smoothAlways(false); }
    } smooth;
    Window w(test::kOtter);
    Stage* stage = w.bench.stage();
    const QRect there(stage->mapTo(&w.bench, QPoint()), stage->size());
    for (const QImage& composed : {pictureOf(w), w.bench.grab(there).toImage().convertToFormat(QImage::Format_RGB32)}) {
        REQUIRE(composed.size() == readBack.size());
        // Edges are smoothed there.
        int differ = 0;
        for (int y = 0; y < composed.height(); ++y)
            for (int x = 0; x < composed.width(); ++x) {
                const QColor a(composed.pixel(x, y)), b(readBack.pixel(x, y));
                differ +=
                    std::max({std::abs(a.red() - b.red()), std::abs(a.green() - b.green()), std::abs(a.blue() - b.blue())}) > 40;
            }
        CHECK(differ < composed.width() * composed.height() / 25);
    }
    const auto at = stage->jointPixel(w.scene().actors[0].id, w.joint("tail_05"));
    REQUIRE(at);
    QTest::mouseClick(w.bench.windowHandle(), Qt::LeftButton, Qt::NoModifier, there.topLeft() + at->toPoint());
    QApplication::processEvents();
    CHECK(w.bench.session().selection().joints == std::vector<int>{w.joint("tail_05")});
}
