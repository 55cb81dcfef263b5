// Posing by hand in the real window: rings, arrows and handles under the mouse, keys, both poses, what is set down.
#include "tests/app/window.h"

#include <cmath>

#include "app/stage/stage.h"
#include "app/tape/key_sheet.h"
#include "app/tuner/tuned_page.h"
#include "edit/channels.h"
#include "edit/edit.h"
#include "edit/gauges.h"
#include "layers/registry.h"

using namespace nutatio;
using app::Stage;
using test::Window;
using Grip = app::PoseHand::Grip;

namespace {

/// The otter with a layer by hand on its left upper arm, selected.
struct InHand : Window {
    explicit InHand(const QString& file = test::kOtter) : Window(file) {
        bench.session().selectJoint(scene().actors[0].id, joint("upper_arm_L"));
        bench.action(QStringLiteral("add-touchup"))->trigger();
        settle();
        layer = bench.session().selection().layer;
        REQUIRE(scene().layer(layer));
    }
    double value(const std::string& setting) {
        return scene().numberAt({scene::List::Layers, layer}, setting, bench.session().frame());
    }
    QPoint at(const Grip& grip) {
        bench.stage()->grab();
        const auto pixel = bench.stage()->poseHand().pixel(grip);
        REQUIRE(pixel);
        return pixel->toPoint();
    }
    Affine worldOf(const char* name) {
        const auto& r = *bench.document().results()->evaluation.actors[0].result;
        std::vector<Xform> pose;
        std::vector<Affine> worlds;
        r.pose(bench.session().frame(), pose);
        rig::worldTransforms(scene().actors[0].actor->skeleton, pose, worlds);
        return worlds[static_cast<std::size_t>(joint(name))];
    }
    std::string layer;
};

}  // namespace

TEST_CASE("a joint is turned by a ring about that axis of the world, and moved by an arrow along it, and undone in one step") {
    InHand w;
    const Affine before = w.worldOf("upper_arm_L");
    const QPoint ring = w.at({Grip::Turn, 0});
    test::dragMouse(w.bench.stage(), ring, ring + QPoint(0, 40));
    w.settle();
    const Affine turned = w.worldOf("upper_arm_L");
    const Vec3 by = rotationVector(rotationOf(turned.m) * rotationOf(before.m).conjugate());
    CHECK(by.norm() > radians(5));
    CHECK(std::abs(by.normalized().x()) > 0.999);
    CHECK((turned.t - before.t).norm() < 1e-9);
    const QPoint arrow = w.at({Grip::Along, 1});
    test::dragMouse(w.bench.stage(), arrow, arrow - QPoint(0, 40));
    w.settle();
    const Vec3 moved = w.worldOf("upper_arm_L").t - turned.t;
    CHECK(moved.y() > 0.02);
    CHECK(Vec3(moved.x(), 0, moved.z()).norm() < 1e-6);
    // As far as the mouse goes: the joint stays under it.
    const QPoint middle = w.at({Grip::Free, 0});
    test::dragMouse(w.bench.stage(), middle, middle + QPoint(25, 10));
    w.settle();
    CHECK((QPointF(w.at({Grip::Free, 0})) - QPointF(middle + QPoint(25, 10))).manhattanLength() <= 4);
    for (int k = 0; k < 3; ++k) w.bench.document().undo();
    w.settle();
    CHECK((w.worldOf("upper_arm_L").t - before.t).norm() < 1e-12);
    CHECK(w.scene().layer(w.layer)->values.count("turn_x@upper_arm_L") == 0);
    for (int k = 0; k < 3; ++k) w.bench.document().redo();
    CHECK(w.scene().layer(w.layer)->values.count("turn_x@upper_arm_L") == 1);
}

TEST_CASE("a click on another joint takes it into the hand, the layer stays, and a drag touches it") {
    InHand w;
    w.clickJoint("head");
    CHECK(w.bench.session().selection().layer == w.layer);
    REQUIRE(w.bench.session().handJoint());
    CHECK(w.bench.session().handJoint()->reference() == "head");
    CHECK(w.scene().layer(w.layer)->list("joint") == std::vector<std::string>{"upper_arm_L"});
    w.settle();
    const QPoint ring = w.at({Grip::Turn, 1});
    test::dragMouse(w.bench.stage(), ring, ring + QPoint(40, 0));
    w.settle();
    CHECK(w.scene().layer(w.layer)->list("joint").size() == 2);
    // The rows of the Tuner are those of the joint in the hand.
    QApplication::processEvents();
    REQUIRE(w.bench.tuner()->row("turn_y@head"));
    CHECK_FALSE(w.bench.tuner()->row("turn_y@upper_arm_L"));
    const double was = w.value("turn_y@head");
    w.drag("turn_y@head", 30);
    CHECK(w.value("turn_y@head") == Approx(30).margin(1.5));
    CHECK(was != Approx(30).margin(1.5));
    // Left as below, it is none of the layer's joints any more.
    w.settle();
    QApplication::processEvents();
    w.clickButton("do-untouch");
    CHECK(w.scene().layer(w.layer)->list("joint") == std::vector<std::string>{"upper_arm_L"});
    CHECK(w.scene().layer(w.layer)->values.count("turn_y@head") == 0);
    // Empty ground lets go of the layer.
    w.settle();
    QTest::mouseClick(w.bench.stage(), Qt::LeftButton, Qt::NoModifier, QPoint(5, 5));
    CHECK_FALSE(w.bench.session().handJoint());
}

TEST_CASE("with every pose keyed a drag here and a drag there make a motion between") {
    InHand w;
    auto* keys = w.toolNamed(QStringLiteral("Every pose set by hand is keyed at the play-head"));
    REQUIRE(keys);
    QTest::mouseClick(keys, Qt::LeftButton);
    CHECK(w.bench.session().posing().keys);
    w.bench.session().setFrame(0);
    w.settle();
    QPoint ring = w.at({Grip::Turn, 0});
    test::dragMouse(w.bench.stage(), ring, ring + QPoint(0, 30));
    w.bench.session().setFrame(10);
    w.settle();
    ring = w.at({Grip::Turn, 0});
    test::dragMouse(w.bench.stage(), ring, ring - QPoint(0, 60));
    w.settle();
    const scene::Keys* all = w.scene().shot().keysOf({scene::List::Layers, w.layer}, "turn_x@upper_arm_L");
    REQUIRE(all);
    REQUIRE(all->size() == 2);
    CHECK(all->front().at == 0);
    CHECK(all->back().at == Approx(10 / w.scene().shot().fps));
    CHECK(all->back().value != Approx(all->front().value).margin(0.5));
    // On the tape they are a row of the layer that says whose it is.
    w.bench.tape()->open(w.layer, true);
    QApplication::processEvents();
    CHECK(w.bench.tape()->sheet(w.layer)->rows() >= 3);
    // At rest they hold the value of this frame; awake they are as they were.
    const scene::Keys were = *all;
    w.bench.tuner()->row("turn_x@upper_arm_L")->field()->setFocus();
    w.bench.action(QStringLiteral("keys-rest"))->trigger();
    CHECK_FALSE(w.scene().shot().keysOf({scene::List::Layers, w.layer}, "turn_x@upper_arm_L"));
    CHECK(w.scene().layer(w.layer)->number("turn_x@upper_arm_L") == Approx(were.back().value));
    w.settle();
    w.bench.tuner()->row("turn_x@upper_arm_L")->field()->setFocus();
    w.bench.action(QStringLiteral("keys-rest"))->trigger();
    REQUIRE(w.scene().shot().keysOf({scene::List::Layers, w.layer}, "turn_x@upper_arm_L"));
    CHECK(*w.scene().shot().keysOf({scene::List::Layers, w.layer}, "turn_x@upper_arm_L") == were);
}

TEST_CASE("the low pose is set by the same handles, and the pose goes from one to the other") {
    InHand w;
    QPoint ring = w.at({Grip::Turn, 0});
    test::dragMouse(w.bench.stage(), ring, ring + QPoint(0, 40));
    w.settle();
    const double high = w.value("turn_x@upper_arm_L");
    w.bench.tuner()->setOpen(QStringLiteral("Pose"), true);
    QApplication::processEvents();
    w.drag("pose", -1);
    w.settle();
    QTest::mouseClick(w.toolNamed(QStringLiteral("The handles set the low pose, for the gauge's low end")), Qt::LeftButton);
    w.settle();
    ring = w.at({Grip::Turn, 1});
    test::dragMouse(w.bench.stage(), ring, ring + QPoint(40, 0));
    w.settle();
    CHECK(w.value("turn_x@upper_arm_L") == high);
    CHECK(w.scene().layer(w.layer)->values.count("low_turn_y@upper_arm_L") == 1);
}

TEST_CASE("a handle of a grid is dragged on the stage, and the belly swells where it is") {
    InHand w;
    w.bench.document().edit(QStringLiteral("a part"), [&](scene::Scene& s) {
        REQUIRE(edit::addPart(s, s.actors[0].id, "middle", {"belly"}));
        s.layer(w.layer)->set("region", std::string("middle"));
        s.layer(w.layer)->set("handles_z", 1.0);
    });
    w.settle();
    const auto pixel = w.bench.stage()->gridHand().pixel("1.1.0");
    REQUIRE(pixel);
    CHECK(w.bench.document().results()->evaluation.layer(w.layer)->changed.patches.empty());
    test::dragMouse(w.bench.stage(), pixel->toPoint(), pixel->toPoint() + QPoint(30, 0));
    w.settle();
    CHECK(w.bench.session().handPoint() == "1.1.0");
    CHECK_FALSE(w.bench.document().results()->evaluation.layer(w.layer)->changed.patches.empty());
    const auto after = w.bench.stage()->gridHand().pixel("1.1.0");
    REQUIRE(after);
    CHECK(std::abs(after->x() - pixel->x() - 30) < 3);
    // Its numbers are rows of the Tuner, to be keyed.
    QApplication::processEvents();
    CHECK(w.bench.tuner()->row("grid_x@1.1.0"));
    w.bench.document().undo();
    w.settle();
    CHECK(w.bench.document().results()->evaluation.layer(w.layer)->changed.patches.empty());
}

TEST_CASE("a simulated layer is set down as keys by one command, which leaves the motion, and undo brings the layer back") {
    Window w(test::kDemo);
    w.bench.session().selectLayer("ears");
    w.settle();
    const auto motion = w.bench.document().results()->evaluation.actors[0].result;
    w.bench.action(QStringLiteral("set-down"))->trigger();
    REQUIRE(test::waitFor([&] { return !w.scene().layer("ears"); }));
    w.settle();
    const std::string made = w.bench.session().selection().layer;
    REQUIRE(w.scene().layer(made));
    CHECK(edit::isPosed(*w.scene().layer(made)));
    const auto now = w.bench.document().results()->evaluation.actors[0].result;
    const int ear = w.joint("ear_L");
    for (int f = 0; f < motion->frames(); f += 4)
        CHECK(degrees(rotationVector(motion->at(ear, f).r.conjugate() * now->at(ear, f).r).norm()) < 0.3);
    w.bench.document().undo();
    w.settle();
    CHECK(w.scene().layer("ears"));
    CHECK_FALSE(w.scene().layer(made));
}

TEST_CASE("traces are split by axis, three to a lane, and joined again") {
    Window w(test::kDemo);
    const int tall = w.bench.tape()->lane("tail")->height();
    w.bench.action(QStringLiteral("split-traces"))->trigger();
    CHECK(w.bench.tape()->lane("tail")->height() > 2 * tall);
    const QImage split = w.bench.tape()->lane("tail")->grab().toImage();
    w.bench.action(QStringLiteral("split-traces"))->trigger();
    CHECK(w.bench.tape()->lane("tail")->height() == tall);
    CHECK(w.bench.tape()->lane("tail")->grab().toImage() != split);
}

TEST_CASE("a keyed wind has its curves below the layers, and its keys are dragged there as a layer's are") {
    Window w(QString::fromStdString(test::sourceFolder() + "/demo/lantern-walk.nutatio"));
    const scene::Owner wind{scene::List::Winds, "wind"};
    app::KeySheet* sheet = w.bench.tape()->itemSheet(wind);
    REQUIRE(sheet);
    CHECK(sheet->rows() == 1);
    const double at = 14 / w.scene().shot().fps;
    const QPoint key = sheet->keyPoint({wind, "speed", at}).toPoint();
    test::dragMouse(sheet, key, key + QPoint(0, 14));
    const scene::Keys& keys = *w.scene().shot().keysOf(wind, "speed");
    CHECK(scene::keyAt(keys, at)->value < 8.5);
    CHECK(scene::keyAt(keys, at)->value > 1);
    // Its head folds it away and brings it back, and selects it.
    QTest::mouseClick(w.bench.tape()->itemHead(wind), Qt::LeftButton);
    CHECK_FALSE(w.bench.tape()->itemSheet(wind));
    CHECK(w.bench.session().selection().wind == "wind");
    QTest::mouseClick(w.bench.tape()->itemHead(wind), Qt::LeftButton);
    CHECK(w.bench.tape()->itemSheet(wind));
    // Its last key taken away by the key that it has the focus for, it has none: it goes while it is being told.
    sheet = w.bench.tape()->itemSheet(wind);
    std::vector<edit::KeyOf> all;
    for (const scene::KeyAt& k : *w.scene().shot().keysOf(wind, "speed")) all.push_back({wind, "speed", k.at});
    w.bench.tape()->keys().set(all);
    sheet->setFocus();
    QTest::keyClick(sheet, Qt::Key_Delete);
    CHECK_FALSE(w.scene().shot().keysOf(wind, "speed"));
    CHECK_FALSE(w.bench.tape()->itemHead(wind));
}

TEST_CASE("a lane opens to the gauges that read what its layer makes") {
    Window w(QString::fromStdString(test::sourceFolder() + "/demo/lantern-walk.nutatio"));
    w.bench.tape()->open("tail", true);
    CHECK(w.bench.tape()->sheet("tail")->rows() == 0);
    w.bench.document().edit(QStringLiteral("a gauge"), [](scene::Scene& s) {
        const std::string id = edit::addGauge(s, "otter", "tail_10", "speed");
        REQUIRE(edit::readAfter(s, id, "tail"));
    });
    w.settle();
    CHECK(w.bench.tape()->sheet("tail")->rows() == 1);
    const QImage drawn = w.bench.tape()->sheet("tail")->grab().toImage();
    w.bench.document().undo();
    w.settle();
    CHECK(w.bench.tape()->sheet("tail")->rows() == 0);
    CHECK(w.bench.tape()->sheet("tail")->grab().toImage() != drawn);
}
