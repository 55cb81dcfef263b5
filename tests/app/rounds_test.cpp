// Every face of Prepare, and what Attach offers, on characters from many hands: nothing breaks, and what was made is kept.
#include <QPushButton>
#include <QTest>
#include <catch2/catch.hpp>

#include "edit/edit.h"
#include "files/scene_file.h"
#include "pipeline/bake.h"
#include "pipeline/open.h"
#include "tests/app/window.h"
#include "tests/support/validator.h"

using namespace nutatio;
using namespace nutatio::app;
using test::TempFolder;
using test::Window;

namespace {

/// Presses a button where it is there and can be pressed; whether it was.
bool press(Window& w, const char* name) {
    for (QPushButton* b : w.bench.findChildren<QPushButton*>(QLatin1String(name)))
        if (b->isVisible() && b->isEnabled()) {
            QTest::mouseClick(b, Qt::LeftButton);
            QApplication::processEvents();
            return true;
        }
    return false;
}

/// A joint that carries skin, or any; the middle one of them.
int someJoint(const rig::Actor& a) {
    std::vector<int> skinned, all;
    for (int j = 0; j < a.skeleton.size(); ++j) {
        all.push_back(j);
        if (a.isSkinJoint[static_cast<std::size_t>(j)]) skinned.push_back(j);
    }
    const std::vector<int>& of = skinned.empty() ? all : skinned;
    return of[of.size() / 2];
}

void goRound(const std::string& file) {
    CAPTURE(file);
    TempFolder f;
    Window w(QString::fromStdString(file));
    const std::string id = w.scene().actors[0].id;
    const auto actor = [&]() -> const rig::Actor& { return *w.scene().actors[0].actor; };
    w.key(Qt::Key_1, Qt::ControlModifier);
    // Check: what is offered to be mended is mended without harm.
    REQUIRE(press(w, "face-check"));
    for (int k = 0; k < 4 && press(w, "repair"); ++k) w.settle();
    // Joints: a stroke of the brush, a helper and a chain where the mesh is under the mouse.
    w.bench.session().selectJoint(id, someJoint(actor()));
    REQUIRE(press(w, "face-joints"));
    Stage* stage = w.bench.stage();
    w.bench.action(QStringLiteral("frame"))->trigger();
    stage->grab();
    const QPoint middle = stage->rect().center();
    REQUIRE(press(w, "do-paint"));
    {
        test::dragMouse(stage, middle, middle + QPoint(18, 12));
        w.key(Qt::Key_Escape);
    }
    press(w, "do-bend-test");
    press(w, "do-bend-test");
    for (const char* tool : {"do-helper", "do-chain"}) {
        if (!press(w, tool)) continue;
        QTest::mouseMove(stage, middle + QPoint(1, 1));
        QTest::mouseMove(stage, middle);
        QTest::mouseClick(stage, Qt::LeftButton, Qt::NoModifier, middle);
        w.key(Qt::Key_Escape);
        w.settle();
    }
    // Parts, maps, motion, kits.
    REQUIRE(press(w, "face-parts"));
    press(w, "accept-all");
    w.bench.session().selectJoint(id, someJoint(actor()));
    QApplication::processEvents();
    CHECK(press(w, "part-new"));
    press(w, "part-fit");
    REQUIRE(press(w, "face-maps"));
    for (const char* b :
         {"map-weights", "map-height", "map-distance", "map-piece", "map-curvature", "map-invert", "map-blur", "map-rigid"})
        CHECK(press(w, b));
    REQUIRE(press(w, "face-motion"));
    press(w, "pose-first");
    REQUIRE(press(w, "face-kits"));
    w.settle();
    // Attach: what suits, and colliders.
    w.key(Qt::Key_2, Qt::ControlModifier);
    CHECK(press(w, "do-fit"));
    press(w, "offer-strand");
    w.key(Qt::Key_2, Qt::ControlModifier);
    press(w, "offer-jiggle");
    w.settle();
    for (const auto& layer : w.bench.document().results()->evaluation.actors[0].layers) CHECK(layer.problem.empty());
    const auto& tracks = w.bench.document().results()->evaluation.actors[0];
    for (int j = 0; j < actor().skeleton.size(); ++j) {
        const Xform last = tracks.result->at(j, tracks.result->frames() - 1);
        REQUIRE((last.t.allFinite() && last.r.coeffs().allFinite()));
    }
    // Saved, opened again, and handed off.
    const scene::Scene now = w.scene();
    REQUIRE(files::writeScene(now, f / "s.nutatio").ok());
    const auto again = pipeline::open(f / "s.nutatio");
    REQUIRE(again.ok());
    CHECK(again.value().scene.actors[0].actor->skeleton.size() == actor().skeleton.size());
    CHECK(again.value().scene.actors[0].actor->picture == actor().picture);
    CHECK(again.value().scene.layers.size() == now.layers.size());
    if (now.layers.empty()) return;
    pipeline::Evaluator e;
    pipeline::BakeOptions options;
    options.actor = id;
    REQUIRE(pipeline::bake(now, options, f / "out.glb", e, {}).ok());
    test::checkValid(f / "out.glb");
}

}  // namespace

TEST_CASE("all of Prepare goes through on a rig that lies on its back, with a scaled root and without names") {
    TempFolder f;
    test::writeBeast(f / "beast.glb", {.rootScale = 0.01, .zUp = true, .named = false, .twoSkins = false});
    goRound((f / "beast.glb").string());
}

TEST_CASE("all of Prepare goes through on a rig with two skins") {
    TempFolder f;
    test::writeBeast(f / "beast.glb", {.rootScale = 1, .zUp = false, .named = true, .twoSkins = true});
    goRound((f / "beast.glb").string());
}

TEST_CASE("all of Prepare goes through on mocap without a mesh, on a two-joint skin and on eighty nodes without a clip") {
    goRound(test::kMocapFolder + "Boxing_Toes.bvh");
    goRound(std::string(NUTATIO_THIRD_PARTY) + "/glTF2/simple_skin/simple_skin.gltf");
    goRound(std::string(NUTATIO_THIRD_PARTY) + "/glTF2/2CylinderEngine-glTF-Binary/2CylinderEngine.glb");
}
