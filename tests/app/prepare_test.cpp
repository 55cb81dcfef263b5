// Prepare, as a hand finds it: what the check found, shown on the stage, mended, left; and the bend test.
#include "app/prepare/prepare_page.h"

#include <QLineEdit>
#include <QPushButton>
#include <QScreen>
#include <QTest>
#include <catch2/catch.hpp>

#include "app/widgets/list_row.h"
#include "demo/gltf_builder.h"
#include "rig/roles.h"
#include "tests/app/window.h"

using namespace nutatio;
using namespace nutatio::app;
using test::kDemo;
using test::waitFor;
using test::Window;

namespace {

/// Waits for the check and gives the page's rows.
QList<FindingRow*> rowsOf(Window& w) {
    REQUIRE(waitFor([&] { return w.bench.checker().upToDate(); }));
    auto* page = w.bench.findChild<PreparePage*>();
    REQUIRE(page);
    return page->rows();
}

FindingRow* rowOf(Window& w, const std::string& kind) {
    for (FindingRow* r : rowsOf(w))
        if (r->finding().kind == kind) return r;
    return nullptr;
}

/// A walker who lies on its back, as files with z up do, with two joints of one name.
QString lying(const test::TempFolder& folder) {
    demo::GltfBuilder b;
    const auto node = [&](const std::string& name, int parent, const Vec3& t) {
        return b.node(name, parent, {t, Quat::Identity(), Vec3::Ones()});
    };
    const int hips = node("hips", -1, Vec3(0, 0, 1));
    for (const auto& [side, x] : {std::pair{"L", 0.1}, {"R", -0.1}}) {
        const int knee = node(std::string("knee_") + side, hips, Vec3(x, 0, -0.5));
        node(std::string("foot_") + side, knee, Vec3(0, 0, -0.45));
    }
    const int neck = node("bone", hips, Vec3(0, 0, 0.5));
    node("bone", neck, Vec3(0, 0, 0.2));
    b.writeGlb(folder / "lying.glb");
    return QString::fromStdString((folder / "lying.glb").string());
}

}  // namespace

TEST_CASE(
    "Ctrl+1 shows what was found; a click points it out on the stage: the camera goes there, the joint swings, what follows is "
    "tinted") {
    Window w(kDemo);
    w.key(Qt::Key_1, Qt::ControlModifier);
    CHECK(w.bench.session().step() == StepId::Prepare);
    FindingRow* row = rowOf(w, "pivot");
    REQUIRE(row);
    const QImage before = w.bench.stage()->grab().toImage();
    const Camera camera = w.bench.stage()->camera();
    QTest::mouseClick(row, Qt::LeftButton, Qt::NoModifier, QPoint(30, 8));
    const int joint = w.joint(row->finding().joint.c_str());
    CHECK(w.bench.session().selection().joints == std::vector<int>{joint});
    REQUIRE(w.bench.session().spot());
    CHECK(w.bench.session().spot()->joints == std::vector<int>{joint});
    CHECK((w.bench.stage()->camera().target - camera.target).norm() > 0.05);
    CHECK(w.bench.stage()->grab().toImage() != before);
    // It swings: its child goes to and fro without a frame having passed.
    const int child = w.scene().actors[0].actor->skeleton.joint(joint).children.front();
    const auto pixel = [&] { return w.bench.stage()->jointPixel(w.scene().actors[0].id, child).value(); };
    const QPointF from = pixel();
    CHECK(waitFor([&] { return QLineF(pixel(), from).length() > 3; }));
    // Escape ends it first, and only then deselects.
    w.key(Qt::Key_Escape);
    CHECK_FALSE(w.bench.session().spot());
    CHECK(w.bench.session().selection().joints == std::vector<int>{joint});
    w.key(Qt::Key_Escape);
    CHECK(w.bench.session().selection().joints.empty());
}

TEST_CASE("what can be mended is mended in one action, and undone, what is left stays left") {
    test::TempFolder folder;
    Window w(lying(folder));
    w.key(Qt::Key_1, Qt::ControlModifier);
    FindingRow* row = rowOf(w, "up-axis");
    REQUIRE(row);
    CHECK(row == rowsOf(w).front());  // the worst first
    QTest::mouseClick(row->findChild<QPushButton*>(QStringLiteral("repair")), Qt::LeftButton);
    CHECK(scene::placementOf(w.scene().actors[0]).toWorld(Vec3(0, 0, 1)).y() == Approx(1).margin(1e-6));
    CHECK(rowOf(w, "up-axis") == nullptr);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(rowOf(w, "up-axis") != nullptr);
    row = rowOf(w, "names");
    REQUIRE(row);
    QTest::mouseClick(row->findChild<QPushButton*>(QStringLiteral("repair")), Qt::LeftButton);
    CHECK(w.scene().actors[0].actor->skeleton.find("bone_2") != rig::kNoJoint);
    CHECK(rowOf(w, "names") == nullptr);
    row = rowOf(w, "up-axis");
    REQUIRE(row);
    const int shown = static_cast<int>(rowsOf(w).size());
    QTest::mouseClick(row->findChild<QPushButton*>(QStringLiteral("leave")), Qt::LeftButton);
    CHECK(rowsOf(w).size() == shown - 1);
    CHECK(w.scene().actors[0].seen.size() == 1);
    // It can be looked at again.
    QTest::mouseClick(w.bench.findChild<QPushButton*>(QStringLiteral("seen")), Qt::LeftButton);
    row = rowOf(w, "up-axis");
    REQUIRE(row);
    QTest::mouseClick(row->findChild<QPushButton*>(QStringLiteral("leave")), Qt::LeftButton);
    CHECK(w.scene().actors[0].seen.empty());
    // What is found after one has gone on stands over no other page.
    for (int k = 0; k < 3; ++k) w.key(Qt::Key_Z, Qt::ControlModifier);
    w.key(Qt::Key_2, Qt::ControlModifier);
    REQUIRE(waitFor([&] { return w.bench.checker().upToDate(); }));
    for (const QLabel* l : w.bench.findChildren<QLabel*>())
        if (l->isVisible()) CHECK_FALSE(l->text().contains(QStringLiteral("broken,")));
}

TEST_CASE("how tall it is, is typed on the first page of Prepare: what falls follows, and nothing typed takes it back") {
    Window w(test::kOtter);
    w.key(Qt::Key_1, Qt::ControlModifier);
    auto* field = w.bench.findChild<QLineEdit*>(QStringLiteral("tall"));
    REQUIRE(field);
    REQUIRE(field->isVisible());
    const auto tall = [&] { return w.scene().actors[0].actor->height * scene::placementOf(w.scene().actors[0]).metres; };
    const double own = tall();
    CHECK(field->text().toDouble() == Approx(own).epsilon(0.01));
    const auto type = [&](const char* text) {
        QTest::mouseDClick(field, Qt::LeftButton);
        field->selectAll();
        QTest::keyClicks(field, QLatin1String(text));
        QTest::keyClick(field, Qt::Key_Return);
        w.settle();
    };
    type("1.2*2");
    CHECK(tall() == Approx(2.4));
    CHECK(field->text() == QStringLiteral("2.4"));
    type("nothing");
    CHECK(tall() == Approx(2.4));
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(tall() == Approx(own));
    type("3");
    field->selectAll();
    QTest::keyClick(field, Qt::Key_Delete);
    QTest::keyClick(field, Qt::Key_Return);
    CHECK(tall() == Approx(own));
}

TEST_CASE("the body as it is taken is read in Parts, put right with a joint that is selected, and taken back") {
    Window w(test::kOtter);
    w.key(Qt::Key_1, Qt::ControlModifier);
    w.clickButton("face-parts");
    const std::string id = w.scene().actors[0].id;
    const auto head = [&] { return rig::rolesOf(*w.scene().actors[0].actor).head; };
    const auto row = [&] {
        QApplication::processEvents();
        auto* r = w.bench.findChild<ListRow*>(QStringLiteral("role-head"));
        REQUIRE(r);
        return r;
    };
    const int found = head();
    QTest::mouseClick(row(), Qt::LeftButton, Qt::NoModifier, QPoint(20, 8));
    CHECK(w.bench.session().selection().joints == std::vector<int>{found});
    w.bench.session().selectJoint(id, w.joint("neck"));
    auto* tell = row()->findChild<QPushButton*>(QStringLiteral("tell"));
    REQUIRE(tell);
    QTest::mouseClick(tell, Qt::LeftButton);
    CHECK(head() == w.joint("neck"));
    auto* untell = row()->findChild<QPushButton*>(QStringLiteral("untell"));
    REQUIRE(untell);
    QTest::mouseClick(untell, Qt::LeftButton);
    CHECK(head() == found);
}

TEST_CASE("of several things that are not of the body each is taken back by itself") {
    Window w(test::kOtter);
    w.key(Qt::Key_1, Qt::ControlModifier);
    w.clickButton("face-parts");
    const std::string id = w.scene().actors[0].id;
    const auto rows = [&] {
        QApplication::processEvents();
        return w.bench.findChildren<ListRow*>(QStringLiteral("role-not of the body"));
    };
    const auto press = [&](ListRow* row, const char* button) {
        auto* b = row->findChild<QPushButton*>(QLatin1String(button));
        REQUIRE(b);
        QTest::mouseClick(b, Qt::LeftButton);
    };
    for (const char* joint : {"satchel", "belly"}) {
        w.bench.session().selectJoint(id, w.joint(joint));
        press(rows().back(), "tell");
    }
    REQUIRE(w.scene().actors[0].actor->told.size() == 2);
    REQUIRE(rows().size() == 3);
    press(rows()[1], "untell");
    REQUIRE(w.scene().actors[0].actor->told.size() == 1);
    CHECK(w.scene().actors[0].actor->told.front().joint == w.joint("satchel"));
}

TEST_CASE("the bend test swings what is selected, goes along with the selection, and tints what follows") {
    Window w(kDemo);
    w.bench.action("joints")->trigger();
    w.key(Qt::Key_B, Qt::ShiftModifier);
    CHECK_FALSE(w.bench.session().spot());  // nothing is selected, and it says so
    CHECK_FALSE(w.bench.action("bend-test")->isChecked());
    w.bench.session().selectJoint(w.scene().actors[0].id, w.joint("thigh_L"));
    const auto red = [&] {
        const QImage picture = w.bench.stage()->grab().toImage();
        int count = 0;
        for (int y = 0; y < picture.height(); ++y)
            for (int x = 0; x < picture.width(); ++x) {
                const QColor c = picture.pixelColor(x, y);
                count += c.red() > 110 && c.green() < 70 && c.blue() < 80;
            }
        return count;
    };
    const int scarf = red();  // which is red of itself
    w.key(Qt::Key_B, Qt::ShiftModifier);
    REQUIRE(w.bench.session().spot());
    const int leg = red();
    CHECK(leg > 40);
    const auto shin = [&] { return w.bench.stage()->jointPixel(w.scene().actors[0].id, w.joint("shin_L")).value(); };
    const QPointF from = shin();
    CHECK(waitFor([&] { return QLineF(shin(), from).length() > 3; }));
    w.bench.session().selectJoint(w.scene().actors[0].id, w.joint("hips"));
    REQUIRE(w.bench.session().spot());
    CHECK(w.bench.session().spot()->joints == std::vector<int>{w.joint("hips")});
    CHECK(red() > 2 * leg);
    w.key(Qt::Key_B, Qt::ShiftModifier);
    CHECK_FALSE(w.bench.session().spot());
    CHECK(red() == Approx(scarf).epsilon(0.05));
}

TEST_CASE(
    "a helper joint is placed by hand: the wheel sets its reach, a click makes it, Shift on both sides, and it can jiggle") {
    Window w(kDemo);
    w.key(Qt::Key_1, Qt::ControlModifier);
    rowsOf(w);
    w.clickButton("face-joints");
    auto* button = w.bench.findChild<QPushButton*>(QStringLiteral("do-helper"));
    REQUIRE(button);
    QTest::mouseClick(button, Qt::LeftButton);
    Stage* stage = w.bench.stage();
    CHECK((stage->tool() == Stage::Tool::Helper));
    const std::string actor = w.scene().actors[0].id;
    const QPoint at = stage->jointPixel(actor, w.joint("spine_01"))->toPoint();
    QTest::mouseMove(stage, at + QPoint(1, 0));
    QTest::mouseMove(stage, at);
    REQUIRE(waitFor([&] { return stage->helper().has_value(); }));
    const double reach = stage->helper()->reach;
    const QImage near = stage->grab().toImage();
    for (int k = 0; k < 4; ++k) {
        QWheelEvent wheel(QPointF(at), stage->mapToGlobal(QPointF(at)), {}, {0, 120}, Qt::NoButton, Qt::NoModifier,
                          Qt::NoScrollPhase, false);
        QApplication::sendEvent(stage, &wheel);
    }
    CHECK(stage->helper()->reach > 1.4 * reach);
    CHECK(stage->grab().toImage() != near);
    const int joints = w.scene().actors[0].actor->skeleton.size();
    QTest::mouseClick(stage, Qt::LeftButton, Qt::NoModifier, at);
    REQUIRE(w.scene().actors[0].preparations.size() == 1);
    CHECK(w.scene().actors[0].preparations[0].reach == Approx(1.12 * 1.12 * 1.12 * 1.12 * 0.12).epsilon(1e-6));
    CHECK_FALSE((stage->tool() == Stage::Tool::Helper));
    CHECK(w.bench.session().selection().joints == std::vector<int>{joints});
    w.bench.action("add-jiggle")->trigger();
    w.settle();
    CHECK(w.bench.document().results()->evaluation.layer(w.scene().layers.back().id)->problem.empty());
    w.key(Qt::Key_Z, Qt::ControlModifier);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().actors[0].actor->skeleton.size() == joints);
    // Both sides of the head at once.
    w.key(Qt::Key_J, Qt::ShiftModifier);
    const QPoint head = stage->jointPixel(actor, w.joint("upper_arm_L"))->toPoint();
    QTest::mouseClick(stage, Qt::LeftButton, Qt::ShiftModifier, head);
    CHECK(w.scene().actors[0].preparations.size() == 2);
    CHECK(w.bench.session().selection().joints.size() == 2);
    // Escape ends the mode before it deselects.
    w.key(Qt::Key_J, Qt::ShiftModifier);
    w.key(Qt::Key_Escape);
    CHECK_FALSE((stage->tool() == Stage::Tool::Helper));
    CHECK(w.bench.session().selection().joints.size() == 2);
}

TEST_CASE("weights are painted by hand: the brush is seen, a stroke changes what follows, each stroke is one undo") {
    Window w(kDemo);
    w.key(Qt::Key_1, Qt::ControlModifier);
    rowsOf(w);
    const std::string actor = w.scene().actors[0].id;
    w.key(Qt::Key_P, Qt::ShiftModifier);
    CHECK_FALSE(w.bench.session().painting().on);  // no joint is selected, and it says so
    w.bench.session().selectJoint(actor, w.joint("chest"));
    w.clickButton("face-joints");
    QTest::mouseClick(w.bench.findChild<QPushButton*>(QStringLiteral("do-paint")), Qt::LeftButton);
    REQUIRE(w.bench.session().painting().on);
    Stage* stage = w.bench.stage();
    const QPoint from = stage->jointPixel(actor, w.joint("spine_01"))->toPoint(), to = from + QPoint(0, 40);
    QTest::mouseMove(stage, from + QPoint(1, 1));
    QTest::mouseMove(stage, from);
    const QImage before = stage->grab().toImage();
    const auto picture = [&] { return w.scene().actors[0].actor->picture; };
    const Key was = picture();
    // The wheel changes the brush's size.
    const double radius = w.bench.session().painting().radius;
    QWheelEvent wheel(QPointF(from), stage->mapToGlobal(QPointF(from)), {}, {0, 120}, Qt::NoButton, Qt::NoModifier,
                      Qt::NoScrollPhase, false);
    QApplication::sendEvent(stage, &wheel);
    CHECK(w.bench.session().painting().radius == Approx(1.12 * radius));
    test::dragMouse(stage, from, to);
    REQUIRE(w.scene().actors[0].preparations.size() == 1);
    const rig::Stroke stroke = w.scene().actors[0].preparations[0].stroke;
    CHECK(stroke.brush == rig::Brush::Add);
    CHECK(stroke.dabs.size() >= 2);
    CHECK(picture() != was);
    CHECK(stage->grab().toImage() != before);
    // Ctrl takes away; the button and the sliders choose too.
    QTest::mousePress(stage, Qt::LeftButton, Qt::ControlModifier, from);
    QTest::mouseRelease(stage, Qt::LeftButton, Qt::ControlModifier, from);
    REQUIRE(w.scene().actors[0].preparations.size() == 2);
    CHECK(w.scene().actors[0].preparations[1].stroke.brush == rig::Brush::Take);
    QTest::mouseClick(w.bench.findChild<QPushButton*>(QStringLiteral("brush-smooth")), Qt::LeftButton);
    CHECK(w.bench.session().painting().brush == rig::Brush::Smooth);
    auto* strength = w.bench.findChild<Slider*>(QStringLiteral("brush-strength"));
    QTest::mousePress(strength, Qt::LeftButton, Qt::NoModifier, strength->knob(strength->value()));
    QTest::mouseMove(strength, strength->knob(90));
    QTest::mouseRelease(strength, Qt::LeftButton, Qt::NoModifier, strength->knob(90));
    CHECK(w.bench.session().painting().strength == Approx(0.9).margin(0.05));
    // One step back a stroke.
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().actors[0].preparations.size() == 1);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().actors[0].preparations.empty());
    CHECK(picture() == was);
    // Escape ends it before it deselects.
    w.key(Qt::Key_Escape);
    CHECK_FALSE(w.bench.session().painting().on);
    CHECK_FALSE(w.bench.session().selection().joints.empty());
}

TEST_CASE("what a stroke draws of the stage is what drawing all of it would show") {
    Window w(kDemo);
    w.bench.session().selectJoint(w.scene().actors[0].id, w.joint("chest"));
    w.bench.action(QStringLiteral("paint"))->trigger();
    Stage* stage = w.bench.stage();
    stage->grab();
    const QPoint from = stage->jointPixel(w.scene().actors[0].id, w.joint("spine_01"))->toPoint();
    bool drawn = false;
    const QObject here;  // the connection ends with it
    QObject::connect(stage, &Canvas::drawn, &here, [&] { drawn = true; });
    const auto onScreen = [&] {
        REQUIRE(waitFor([&] { return drawn; }));
        QApplication::processEvents();
        return stage->screen()
            ->grabWindow(w.bench.winId(), stage->mapTo(&w.bench, QPoint()).x(), stage->mapTo(&w.bench, QPoint()).y(),
                         stage->width(), stage->height())
            .toImage();
    };
    QTest::mouseMove(stage, from + QPoint(1, 1));
    QTest::mousePress(stage, Qt::LeftButton, Qt::NoModifier, from);
    const QImage begun = onScreen();
    for (int k = 1; k <= 8; ++k) {
        drawn = false;
        QTest::mouseMove(stage, from + QPoint(3 * k, 5 * k));
        const QImage part = onScreen();
        drawn = false;
        stage->update();
        const QImage whole = onScreen();
        int differ = 0, most = 0;
        for (int y = 0; y < whole.height(); ++y)
            for (int x = 0; x < whole.width(); ++x)
                if (part.pixel(x, y) != whole.pixel(x, y)) {
                    ++differ;
                    most = std::max(most, std::abs(qGray(part.pixel(x, y)) - qGray(whole.pixel(x, y))));
                }
        CAPTURE(k, differ, most);
        CHECK(most <= 2);
    }
    CHECK(onScreen() != begun);
    QTest::mouseRelease(stage, Qt::LeftButton, Qt::NoModifier, from + QPoint(24, 40));
}
