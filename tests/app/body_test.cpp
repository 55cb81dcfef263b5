// Whole bodies in the window: set up in one action, a part set apart, acts aimed on the stage.
#include "tests/app/window.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QPushButton>

#include "edit/edit.h"
#include "layers/balance/balance_shown.h"
#include "layers/fall/fall_shown.h"
#include "layers/registry.h"
#include "tests/support/held.h"

using namespace nutatio;
using test::Window;

namespace {

void lookAt(Window& w, const char* name) {
    const QString folder = qEnvironmentVariable("NUTATIO_LOOK");
    if (folder.isEmpty()) return;
    w.bench.stage()->grab();
    QApplication::processEvents();
    w.bench.grab().save(folder + QLatin1Char('/') + QLatin1String(name));
}

void play(Window& w, const char* clip) {
    w.bench.document().edit(QStringLiteral("play"), [&](scene::Scene& s) { edit::playClip(s, s.actors[0].id, clip); });
    w.settle();
}

const scene::Layer& bodyLayer(Window& w) {
    return w.scene().layers[0];
}

}  // namespace

TEST_CASE("an act that falls short says so in the tuner and on its lane") {
    Window w;
    play(w, "Idle");
    std::string act;
    w.bench.document().edit(QStringLiteral("reach"), [&](scene::Scene& s) {
        edit::addLayer(s, "ragdoll", s.actors[0].id, {"hips"});
        act = edit::addLayer(s, "act", s.actors[0].id, {"hand_R"});
        s.layer(act)->set("act", std::string("reach"));
        s.layer(act)->set("place_y", 5.0);
    });
    w.settle();
    const auto picture = [&] { return w.bench.findChild<app::Tape*>()->lane(act)->grab().toImage(); };
    w.bench.session().setStep(app::StepId::Tune);
    w.bench.session().select({w.scene().actors[0].id, {}, act, {}});
    QApplication::processEvents();
    lookAt(w, "short.png");
    INFO(w.bench.tuner()->remark().toStdString());
    CHECK(w.bench.tuner()->remark().contains(QStringLiteral("cm short: too far")));
    const QImage far = picture();
    w.bench.document().edit(QStringLiteral("limp"), [&](scene::Scene& s) { s.layer(act)->set("act", std::string("limp")); });
    w.settle();
    INFO(w.bench.tuner()->remark().toStdString());
    CHECK_FALSE(w.bench.tuner()->remark().contains(QStringLiteral("short")));
    // Where the words were, too.
    const QRect words(app::kStackWidth, 0, 300, far.height());
    CHECK(picture().copy(words) != far.copy(words));
}

TEST_CASE("a body is set up by one button, without a joint chosen, and let go by one slider") {
    Window w;
    play(w, "Idle");
    w.bench.session().select({});
    w.bench.session().setStep(app::StepId::Attach);
    QApplication::processEvents();
    w.clickButton("add-ragdoll");
    w.settle();
    REQUIRE(w.scene().layers.size() == 1);
    CHECK(w.bench.session().selection().layer == bodyLayer(w).id);
    const auto* result = w.bench.document().results()->evaluation.layer(bodyLayer(w).id);
    REQUIRE(result);
    CHECK(result->problem.empty());
    CHECK_FALSE(result->changed.empty());
    lookAt(w, "body.png");
    // Let go: its hips are on the floor at the end.
    app::SettingRow* row = w.bench.tuner()->row("follow");
    REQUIRE(row);
    row->field()->setFocus();
    QTest::keyClick(row->field(), Qt::Key_A, Qt::ControlModifier);
    QTest::keyClicks(row->field(), QStringLiteral("0"));
    QTest::keyClick(row->field(), Qt::Key_Return);
    row = w.bench.tuner()->row("strength");
    row->field()->setFocus();
    QTest::keyClick(row->field(), Qt::Key_A, Qt::ControlModifier);
    QTest::keyClicks(row->field(), QStringLiteral("0"));
    QTest::keyClick(row->field(), Qt::Key_Return);
    w.settle();
    CHECK(bodyLayer(w).number("follow") == 0);
    const auto& r = *w.bench.document().results()->evaluation.actor(w.scene().actors[0].id);
    const int last = r.result->frames() - 1;
    const auto hips = [&](const rig::Track& t) {
        return test::worldPlaces(*w.scene().actors[0].actor, t, w.joint("hips"))[static_cast<std::size_t>(last)].y();
    };
    CHECK(hips(*r.result) < 0.6 * hips(*r.body));
    w.bench.session().setFrame(last / 2);
    lookAt(w, "body-fallen.png");
    w.bench.document().undo();
    w.bench.document().undo();
    w.settle();
    CHECK(bodyLayer(w).number("follow") == 1);
}

TEST_CASE("a part of a body is pointed at on the stage, set apart by its rows and made thicker by its handle") {
    Window w;
    play(w, "Idle");
    w.bench.action(QStringLiteral("add-ragdoll"))->trigger();
    w.settle();
    const std::string id = bodyLayer(w).id;
    w.clickJoint("forearm_L");
    // The layer stays selected; the part is named.
    CHECK(w.bench.session().selection().layer == id);
    REQUIRE(w.bench.session().partJoint());
    CHECK(w.bench.session().partJoint()->reference() == "forearm_L");
    QApplication::processEvents();
    auto* box = w.bench.findChild<QComboBox*>(QStringLiteral("part-joint"));
    REQUIRE(box);
    CHECK(box->currentText() == QStringLiteral("forearm_L"));
    app::SettingRow* looser = w.bench.tuner()->row("looser@forearm_L");
    REQUIRE(looser);
    w.bench.tuner()->reveal("looser@forearm_L");
    looser->field()->setFocus();
    QTest::keyClick(looser->field(), Qt::Key_A, Qt::ControlModifier);
    QTest::keyClicks(looser->field(), QStringLiteral("100"));
    QTest::keyClick(looser->field(), Qt::Key_Return);
    w.settle();
    CHECK(w.scene().layer(id)->number("looser@forearm_L") == Approx(1));
    const auto& r = *w.bench.document().results()->evaluation.actor(w.scene().actors[0].id);
    CHECK(degrees(r.result->at(w.joint("forearm_L"), 30).r.angularDistance(r.body->at(w.joint("forearm_L"), 30).r)) > 1);
    // And on the other side, by a button; its page is laid out anew with it.
    QApplication::processEvents();
    w.clickButton("do-same-side");
    w.settle();
    CHECK(w.scene().layer(id)->number("looser@forearm_R") == Approx(1));
    w.bench.document().undo();
    w.settle();
    CHECK(w.scene().layer(id)->number("looser@forearm_R") == 0);
    // By its handle on the stage.
    const auto handle = w.bench.stage()->handlePixel(app::Stage::Handle::OfLayer, "thickness");
    REQUIRE(handle);
    const auto elbow = w.bench.stage()->jointPixel(w.scene().actors[0].id, w.joint("forearm_L"));
    REQUIRE(elbow);
    const auto wrist = w.bench.stage()->jointPixel(w.scene().actors[0].id, w.joint("hand_L"));
    REQUIRE(wrist);
    const QPointF middle = 0.5 * (*elbow + *wrist), out = *handle - middle;
    test::dragMouse(w.bench.stage(), handle->toPoint(), (*handle + 0.8 * out).toPoint());
    w.settle();
    CHECK(w.scene().layer(id)->number("thicker@forearm_L") > 0.2);
    lookAt(w, "body-part.png");
    w.bench.document().undo();
    CHECK(w.scene().layer(id)->number("thicker@forearm_L") == 0);
}

TEST_CASE("an act gets an interval at the play-head, and what it aims at is dragged on the stage") {
    Window w;
    play(w, "Idle");
    w.bench.action(QStringLiteral("add-ragdoll"))->trigger();
    w.settle();
    w.bench.session().setFrame(12);
    w.bench.session().select({});
    w.clickJoint("hand_R");
    w.bench.session().setStep(app::StepId::Attach);
    QApplication::processEvents();
    w.clickButton("add-act");
    w.settle();
    REQUIRE(w.scene().layers.size() == 2);
    const std::string act = w.scene().layers[1].id;
    CHECK(w.scene().layer(act)->list("joint") == std::vector<std::string>{"hand_R"});
    REQUIRE(w.scene().shot().intervals.count(act) == 1);
    CHECK(w.scene().shot().intervals.at(act)[0].from == Approx(0.5));
    // Its aim begins in the middle of the world; a drag takes it to beside the body.
    const auto aim = w.bench.stage()->handlePixel(app::Stage::Handle::OfLayer, "aim");
    REQUIRE(aim);
    const auto hand = w.bench.stage()->jointPixel(w.scene().actors[0].id, w.joint("hand_R"));
    REQUIRE(hand);
    test::dragMouse(w.bench.stage(), aim->toPoint(), hand->toPoint() + QPoint(-30, -40));
    w.settle();
    const Vec3 place = w.scene().layer(act)->vector("place");
    CHECK(place.norm() > 0.2);
    w.bench.session().setFrame(30);
    w.settle();
    lookAt(w, "act.png");
    // The arm goes there while the act lasts, and not before it.
    const auto& r = *w.bench.document().results()->evaluation.actor(w.scene().actors[0].id);
    const auto off = [&](int f) {
        return (test::worldPlaces(*w.scene().actors[0].actor, *r.result, w.joint("hand_R"))[static_cast<std::size_t>(f)] -
                test::worldPlaces(*w.scene().actors[0].actor, *r.body, w.joint("hand_R"))[static_cast<std::size_t>(f)])
            .norm();
    };
    CHECK(off(8) < 0.03);
    CHECK(off(30) > 0.05);
    // Or the nearest point of a body, chosen in its row.
    std::string piece;
    w.bench.document().edit(QStringLiteral("ball"), [&](scene::Scene& s) { piece = edit::addPiece(s, "ball"); });
    w.bench.session().select({});
    w.bench.session().selectLayer(act);
    QApplication::processEvents();
    app::SettingRow* onto = w.bench.tuner()->row("onto");
    REQUIRE(onto);
    auto* bodies = onto->findChild<QComboBox*>();
    REQUIRE(bodies);
    REQUIRE(bodies->findText(QString::fromStdString(piece)) > 0);
    while (bodies->currentText() != QString::fromStdString(piece)) QTest::keyClick(bodies, Qt::Key_Down);
    CHECK(w.scene().layer(act)->list("onto") == std::vector<std::string>{piece});
    w.settle();
    // Without a body nobody carries it out, and its page says so.
    w.bench.document().edit(QStringLiteral("mute"), [&](scene::Scene& s) { s.layers.edit(0).muted = true; });
    w.settle();
    CHECK(w.bench.document().results()->evaluation.layer(act)->idle.find("carry it out") != std::string::npos);
}

TEST_CASE("Loosen gives the whole body follow-through in one action and keeps the feet") {
    Window w;
    play(w, "Walk");
    w.bench.action(QStringLiteral("loosen"))->trigger();
    w.settle();
    REQUIRE(w.scene().layers.size() == 1);
    const auto& r = *w.bench.document().results()->evaluation.actor(w.scene().actors[0].id);
    const auto most = [&](const char* joint) {
        const auto is = test::worldPlaces(*w.scene().actors[0].actor, *r.result, w.joint(joint)),
                   was = test::worldPlaces(*w.scene().actors[0].actor, *r.body, w.joint(joint));
        double out = 0;
        for (std::size_t f = 0; f < is.size(); ++f) out = std::max(out, (is[f] - was[f]).norm());
        return out / w.scene().actors[0].actor->height;
    };
    CHECK(most("hips") < 1e-6);
    CHECK(most("foot_L") < 0.01);
    CHECK(most("hand_L") > 0.01);
    CHECK(most("hand_L") < 0.2);
    w.bench.session().setFrame(14);
    lookAt(w, "loose.png");
    w.bench.document().undo();
    CHECK(w.scene().layers.empty());
}

TEST_CASE("frames are sealed by a button up to the play-head, stay as they are, and are let go when it was told what changes") {
    Window w;
    play(w, "Turn and stop");
    w.bench.document().edit(QStringLiteral("once"), [](scene::Scene& s) { s.editShot().loop = scene::Loop::Once; });
    w.bench.action(QStringLiteral("add-ragdoll"))->trigger();
    w.settle();
    const std::string id = bodyLayer(w).id;
    const auto motion = [&] { return *w.bench.document().results()->evaluation.actor(w.scene().actors[0].id)->result; };
    const auto same = [](const rig::Track& a, const rig::Track& b, int frame) {
        for (int j = 0; j < a.joints(); ++j)
            if (!(a.at(j, frame) == b.at(j, frame))) return false;
        return true;
    };
    w.bench.session().setStep(app::StepId::Tune);
    w.bench.session().setFrame(30);
    QApplication::processEvents();
    w.clickButton("do-seal");
    w.settle();
    REQUIRE(w.scene().shot().seals.count(id) == 1);
    lookAt(w, "sealed.png");
    const rig::Track before = motion();
    app::SettingRow* row = w.bench.tuner()->row("swing");
    REQUIRE(row);
    row->field()->setFocus();
    QTest::keyClick(row->field(), Qt::Key_A, Qt::ControlModifier);
    QTest::keyClicks(row->field(), QStringLiteral("1"));
    QTest::keyClick(row->field(), Qt::Key_Return);
    w.settle();
    CHECK(same(before, motion(), 12));
    CHECK(same(before, motion(), 30));
    CHECK_FALSE(same(before, motion(), 60));
    // Once tells what will change, twice does it.
    w.clickButton("do-break-seal");
    CHECK(w.scene().shot().seals.count(id) == 1);
    w.clickButton("do-break-seal");
    w.settle();
    CHECK(w.scene().shot().seals.empty());
    CHECK_FALSE(same(before, motion(), 12));
    w.bench.document().undo();
    w.settle();
    CHECK(same(before, motion(), 12));
}

TEST_CASE("a body is weighed by one button, what moves its legs offers to hold its feet, once") {
    Window w;
    play(w, "Turn and stop");
    w.bench.session().select({});
    w.bench.session().setStep(app::StepId::Attach);
    QApplication::processEvents();
    w.clickButton("add-balance");
    w.settle();
    REQUIRE(w.scene().layers.size() == 1);
    const auto* result = w.bench.document().results()->evaluation.layer(bodyLayer(w).id);
    REQUIRE(result);
    const auto* weighed = result->noted<layers::balance::Weighed>();
    REQUIRE(weighed);
    CHECK(weighed->above.size() == static_cast<std::size_t>(w.bench.document().frames()));
    CHECK(weighed->turned.size() >= 8);
    w.bench.session().setStep(app::StepId::Tune);
    w.bench.session().setFrame(20);
    lookAt(w, "weighed.png");
    w.clickButton("do-hold-feet");
    w.settle();
    REQUIRE(w.scene().layers.size() == 2);
    const auto* held = w.bench.document().results()->evaluation.layer(w.scene().layers[1].id);
    REQUIRE(held);
    CHECK_FALSE(test::heldIn(w.bench.document().results()->evaluation, held->id).empty());
    w.bench.session().selectLayer(bodyLayer(w).id);
    w.settle();
    CHECK(w.bench.tuner()->findChild<QPushButton*>(QStringLiteral("do-hold-feet")) == nullptr);
}

TEST_CASE("what falls is lifted and aimed by its handles on the stage") {
    Window w;
    play(w, "Idle");
    w.bench.session().select({});
    w.bench.session().setStep(app::StepId::Attach);
    QApplication::processEvents();
    w.clickButton("add-fall");
    w.settle();
    const std::string id = bodyLayer(w).id;
    app::Stage* stage = w.bench.stage();
    const auto start = stage->handlePixel(app::Stage::Handle::OfLayer, "lift");
    REQUIRE(start);
    // Its arrow begins in the same place: the start is what lies over it.
    test::dragMouse(stage, start->toPoint(), start->toPoint() + QPoint(0, -110));
    w.settle();
    const double lift = w.scene().layer(id)->number("lift");
    CHECK(lift > 0.1);
    const auto tip = stage->handlePixel(app::Stage::Handle::OfLayer, "throw");
    REQUIRE(tip);
    test::dragMouse(stage, tip->toPoint(), tip->toPoint() + QPoint(120, -60));
    w.settle();
    CHECK(w.scene().layer(id)->number("lift") == lift);
    CHECK(w.scene().layer(id)->number("speed") > 0.5);
    const auto* thrown = w.bench.document().results()->evaluation.layer(id)->noted<layers::fall::Thrown>();
    REQUIRE(thrown);
    CHECK((thrown->places.back() - thrown->places.front()).norm() > 0.2);
    // The arrow's tip stays where it was let go.
    const auto now = stage->handlePixel(app::Stage::Handle::OfLayer, "throw");
    REQUIRE(now);
    CHECK(std::hypot(now->x() - tip->x() - 120, now->y() - tip->y() + 60) < 12);
    w.bench.session().setFrame(10);
    lookAt(w, "thrown.png");
}

TEST_CASE("a held point is dragged over the body on the stage") {
    Window w;
    play(w, "Idle");
    w.bench.session().select({});
    w.clickJoint("hand_R");
    w.bench.session().setStep(app::StepId::Attach);
    QApplication::processEvents();
    w.clickButton("add-hold");
    w.settle();
    const std::string id = bodyLayer(w).id;
    app::Stage* stage = w.bench.stage();
    const auto from = stage->handlePixel(app::Stage::Handle::OfLayer);
    REQUIRE(from);
    const auto spot = [&] {
        return Vec3(w.scene().layer(id)->number("spot_x@hand_R"), w.scene().layer(id)->number("spot_y@hand_R"),
                    w.scene().layer(id)->number("spot_z@hand_R"));
    };
    CHECK(spot().isZero());
    test::dragMouse(stage, stage->handlePixel(app::Stage::Handle::OfLayer)->toPoint(), from->toPoint() + QPoint(3, 6));
    w.settle();
    CHECK(spot().norm() > 0.003);
    CHECK(spot().norm() < 0.3);
    lookAt(w, "held-point.png");
}
