// The window: the Scope dragged, feels, trials, tug, handles, winds, pins, keys and profiles.
#include <QApplication>
#include <QMenu>
#include <QPushButton>
#include <QStandardPaths>
#include <QTest>
#include <QTreeWidget>
#include <catch2/catch.hpp>

#include "app/tuner/meets_table.h"
#include "demo/reeds.h"
#include "edit/edit.h"
#include "scene/items.h"
#include "tests/app/window.h"

using namespace nutatio;
using namespace nutatio::app;
using test::dragMouse;
using test::kDemo;
using test::kOtter;
using test::TempFolder;
using test::waitFor;
using test::Window;

namespace {

const scene::Owner kTail{scene::List::Layers, "tail"};

scene::Keys keysOf(Window& w, const scene::Owner& owner, const char* setting) {
    const scene::Keys* keys = w.scene().shot().keysOf(owner, setting);
    return keys ? *keys : scene::Keys{};
}

}  // namespace

TEST_CASE("F frames what falls where it is, in the air and on the ground") {
    Window w(test::kOtter);
    w.bench.document().edit(QStringLiteral("fall"), [](scene::Scene& s) {
        s.layer(edit::addLayer(s, "fall", s.actors[0].id, {}))->set("lift", 6.0);
        s.editShot().loop = scene::Loop::Once;
    });
    w.settle();
    w.bench.session().select({});
    for (const int frame : {0, w.scene().frames(w.scene().shot()) - 1}) {
        INFO(frame);
        w.bench.session().setFrame(frame);
        w.settle();
        w.key(Qt::Key_F);
        w.settle();
        const auto at = w.bench.stage()->jointPixel(w.scene().actors[0].id, w.joint("hips"));
        REQUIRE(at);
        CHECK(QRectF(w.bench.stage()->rect()).adjusted(60, 60, -60, -60).contains(*at));
    }
}

TEST_CASE("the Scope's peak is pulled: settings follow, the shot is simulated again, one step undoes it") {
    Window w(kDemo);
    w.bench.session().selectLayer("tail");
    Scope* scope = w.bench.tuner()->scope();
    REQUIRE(waitFor([&] { return scope->response().has_value(); }));
    w.settle();
    const measure::Response before = *scope->response();
    const double swing = w.scene().layer("tail")->number("swing"), bounces = w.scene().layer("tail")->number("bounces");
    const Vec3 tip = w.tailTip();
    const QPoint from = scope->peakHandle()->toPoint();
    dragMouse(scope, from, from + QPoint(30, -14), [&] {
        const QString said = scope->changedWords();
        REQUIRE(waitFor([&] { return scope->changedWords() != said || !said.isEmpty(); }));
    });
    REQUIRE(waitFor([&] { return w.scene().layer("tail")->number("bounces") > bounces; }));
    w.settle();
    REQUIRE(waitFor([&] { return scope->response()->overshoot > before.overshoot + 0.05; }));
    CHECK(w.scene().layer("tail")->number("swing") < swing);  // later: slower
    CHECK(scope->response()->peakTime > before.peakTime);
    CHECK(scope->changedWords().contains(QStringLiteral("swing rate")));
    w.settle();
    CHECK((w.tailTip() - tip).norm() > 1e-4);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().layer("tail")->number("swing") == swing);
    CHECK(w.scene().layer("tail")->number("bounces") == bounces);

    SECTION("its resting level is pulled down: gravity follows") {
        REQUIRE(waitFor([&] { return scope->response() && std::abs(scope->response()->overshoot - before.overshoot) < 1e-6; }));
        const double gravity = w.scene().layer("tail")->number("gravity");
        const QPoint at = scope->restHandle()->toPoint();
        dragMouse(scope, at, at + QPoint(0, 24));
        REQUIRE(waitFor([&] { return w.scene().layer("tail")->number("gravity") > gravity; }));
        REQUIRE(waitFor([&] { return scope->response()->sag > before.sag * 1.2; }));
    }
    SECTION("moving a slider moves the curve, and a kept take stays to compare") {
        w.key(Qt::Key_T);
        REQUIRE(waitFor([&] { return scope->takeResponse().has_value(); }));
        w.bench.tuner()->setOpen(QStringLiteral("Swing"), true);
        w.drag("bounces", 5);
        REQUIRE(waitFor([&] { return scope->response()->bounces > before.bounces + 1; }));
        CHECK(scope->takeResponse()->bounces == Approx(before.bounces).margin(0.01));
    }
    SECTION("it watches the joint last selected, where the layer moves it") {
        w.bench.session().selectJoint("otter", w.joint("tail_02"));
        w.bench.session().selectLayer("tail");
        REQUIRE(waitFor([&] { return scope->response() && scope->response()->joint == w.joint("tail_02"); }));
        CHECK(scope->response()->overshoot < before.overshoot);
    }
    SECTION("its second face tells lag and size in the shot") {
        QTest::mouseClick(scope->findChildren<QToolButton*>().at(1), Qt::LeftButton);
        CHECK(scope->face() == Scope::Face::Shot);
        w.settle();
        REQUIRE(waitFor([&] { return scope->inShot().moves; }));
        CHECK(scope->words().contains(QStringLiteral("frames")));
        CHECK(scope->inShot().part.size() == static_cast<std::size_t>(w.bench.document().frames()));
    }
}

TEST_CASE("a feel is looked at by hovering and taken by one click, one's own is kept and comes back") {
    QStandardPaths::setTestModeEnabled(true);
    QDir(FeelsShelf::folder()).removeRecursively();
    Window w(kDemo);
    w.bench.session().selectLayer("tail");
    w.bench.tuner()->setOpen(QStringLiteral("Feels"), true);
    QApplication::processEvents();
    FeelTile* whip = w.bench.tuner()->feels()->tile(QStringLiteral("Whip"));
    REQUIRE(whip);
    w.bench.tuner()->scrollTo(whip);
    QApplication::processEvents();
    const QImage still = whip->grab().toImage();
    QTest::mouseMove(whip, QPoint(40, 30));
    REQUIRE(waitFor([&] { return whip->isMoving(); }));
    REQUIRE(waitFor([&] { return whip->grab().toImage() != still; }));
    const Vec3 before = w.tailTip();
    QTest::mouseClick(whip, Qt::LeftButton);
    CHECK(w.scene().layer("tail")->number("swing") == 1.1);
    CHECK(w.scene().layer("tail")->profiles.count("swing") == 1);
    CHECK(w.scene().layer("tail")->list("root") == std::vector<std::string>{"tail_01"});
    w.settle();
    CHECK((w.tailTip() - before).norm() > 1e-4);
    w.bench.document().undo();
    CHECK(w.scene().layer("tail")->number("swing") == 1.6);

    FeelsShelf* shelf = w.bench.tuner()->feels();
    QTest::mouseClick(shelf->saveButton(), Qt::LeftButton);  // no name yet
    CHECK(shelf->tile(QStringLiteral("Ferry rope")) == nullptr);
    shelf->nameField()->setFocus();
    QTest::keyClicks(shelf->nameField(), "Ferry rope");
    QTest::mouseClick(shelf->saveButton(), Qt::LeftButton);
    REQUIRE(shelf->tile(QStringLiteral("Ferry rope")));
    CHECK(QFile::exists(FeelsShelf::folder() + QStringLiteral("/ferry-rope.json")));
    Window again(kDemo);
    again.bench.session().selectLayer("scarf");
    again.bench.tuner()->setOpen(QStringLiteral("Feels"), true);
    QApplication::processEvents();
    FeelTile* own = again.bench.tuner()->feels()->tile(QStringLiteral("Ferry rope"));
    REQUIRE(own);
    QTest::mouseClick(own, Qt::LeftButton);
    CHECK(again.scene().layer("scarf")->number("swing") == 1.6);
    QDir(FeelsShelf::folder()).removeRecursively();
}

TEST_CASE("one click puts a trial on and plays it, another takes it off, size, speed and a lone joint") {
    Window w(kDemo);
    TrialStrip* trials = w.bench.tape()->trials();
    const int clip = w.bench.document().frames();
    QTest::mouseClick(trials->button(QStringLiteral("hop")), Qt::LeftButton);
    CHECK(w.scene().actors[0].trial.move == "hop");
    CHECK(w.bench.session().isPlaying());
    w.settle();
    CHECK(w.bench.document().frames() != clip);
    const auto height = [&] {
        const auto& body = *w.bench.document().results()->evaluation.actors[0].body;
        double most = -1e9;
        for (int f = 0; f < body.frames(); ++f)
            most = std::max(most, body.at(w.scene().actors[0].actor->skeleton.roots()[0], f).t.y());
        return most;
    };
    const double usual = height();
    Slider* size = trials->sizeSlider();
    dragMouse(size, size->knob(1), size->knob(2));
    w.settle();
    CHECK(height() > 1.5 * usual);
    // A joint alone.
    w.key(Qt::Key_Space);
    w.bench.session().selectJoint("otter", w.joint("head"));
    trials->roles()->setFocus();
    QTest::keyClick(trials->roles(), Qt::Key_Down);
    CHECK(w.scene().actors[0].trial.joint == "head");
    w.settle();
    CHECK(height() < usual);
    QTest::mouseClick(trials->button(QStringLiteral("hop")), Qt::LeftButton);
    w.settle();
    CHECK(w.bench.document().frames() == clip);
}

TEST_CASE("tug pulls a joint while everything reacts, springs back, and can be kept as a clip") {
    Window w(kDemo);
    w.key(Qt::Key_U);
    REQUIRE(w.bench.stage()->tugOn());
    Stage* stage = w.bench.stage();
    Tug& tug = stage->tug();
    stage->grab();
    const int hand = w.joint("hand_R");
    const QPoint from = stage->jointPixel("otter", hand)->toPoint();
    const std::size_t clips = w.scene().actors[0].actor->clips.size();
    w.key(Qt::Key_U, Qt::ShiftModifier);
    REQUIRE(tug.isRecording());
    QTest::mousePress(stage, Qt::LeftButton, Qt::NoModifier, from);
    REQUIRE(tug.isHolding());
    QTest::mouseMove(stage, from + QPoint(10, -20));
    QTest::mouseMove(stage, from + QPoint(40, -90));
    // The hand comes to where the mouse is, and layers react on top of the body.
    REQUIRE(waitFor([&] {
        stage->grab();
        const auto at = stage->jointPixel("otter", hand);
        return at && std::hypot(at->x() - from.x() - 40, at->y() - from.y() + 90) < 25;
    }));
    CHECK(tug.result().size() == tug.body().size());
    double reacts = 0;
    REQUIRE(waitFor([&] {
        for (int j : {w.joint("tail_05"), w.joint("scarf_L_03")})
            reacts = std::max(
                reacts, tug.result()[static_cast<std::size_t>(j)].r.angularDistance(tug.body()[static_cast<std::size_t>(j)].r));
        return reacts > 1e-3;
    }));
    QTest::mouseRelease(stage, Qt::LeftButton, Qt::NoModifier, from + QPoint(40, -90));
    CHECK_FALSE(tug.isHolding());
    REQUIRE(waitFor([&] {
        stage->grab();
        const auto at = stage->jointPixel("otter", hand);
        return at && std::hypot(at->x() - from.x(), at->y() - from.y()) < 4;
    }));
    w.key(Qt::Key_U, Qt::ShiftModifier);
    REQUIRE(waitFor([&] { return test::played(w.scene(), 0) == "Tug 1"; }));
    CHECK(w.scene().actors[0].actor->clips.size() == clips + 1);
    w.settle();
    // It plays, and the hand goes somewhere in it.
    const auto& body = *w.bench.document().results()->evaluation.actors[0].body;
    double most = 0;
    const int arm = w.joint("upper_arm_R");
    for (int f = 0; f < body.frames(); ++f) most = std::max(most, body.at(arm, f).r.angularDistance(body.at(arm, 0).r));
    CHECK(most > 0.1);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().actors[0].actor->clips.size() == clips);
    w.key(Qt::Key_U);
    CHECK_FALSE(tug.isLive());
}

TEST_CASE("colliders are fitted by one command and shaped by their handles") {
    Window w(kDemo);
    const std::size_t before = w.scene().colliders.size();
    w.bench.session().selectJoint("otter", w.joint("hips"));
    w.bench.session().setStep(StepId::Attach);
    QApplication::processEvents();
    w.clickButton("do-fit");
    REQUIRE(w.scene().colliders.size() > before + 8);
    std::string id;
    for (const scene::Collider& c : w.scene().colliders)
        if (c.mount.joint == "forearm_L") id = c.id;
    REQUIRE_FALSE(id.empty());
    w.bench.session().selectCollider(id);
    w.settle();
    Stage* stage = w.bench.stage();
    const scene::Collider was = *w.scene().collider(id);
    const auto pull = [&](Stage::Handle::Part part, const QPoint& by) {
        stage->grab();
        const auto at = stage->handlePixel(part);
        REQUIRE(at);
        dragMouse(stage, at->toPoint(), at->toPoint() + by);
    };
    pull(Stage::Handle::EndB, QPoint(30, 20));
    const scene::Collider longer = *w.scene().collider(id);
    CHECK(longer.number("length") != was.number("length"));
    CHECK(longer.number("radius") == was.number("radius"));
    pull(Stage::Handle::Move, QPoint(25, -30));
    CHECK((w.scene().collider(id)->vector("offset") - longer.vector("offset")).norm() > 1e-3);
    CHECK(w.scene().collider(id)->number("length") == longer.number("length"));
    w.key(Qt::Key_Z, Qt::ControlModifier);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().collider(id)->number("length") == was.number("length"));
    CHECK(w.bench.session().selection().collider == id);
}

TEST_CASE("a wind is turned by its arrow, tuned, aimed at a layer, switched off and removed") {
    Window w(kDemo);
    const Vec3 calm = w.tailTip();
    w.bench.action(QStringLiteral("add-wind"))->trigger();
    REQUIRE(w.scene().winds.size() == 1);
    w.settle();
    CHECK((w.tailTip() - calm).norm() > 1e-4);
    Stage* stage = w.bench.stage();
    stage->grab();
    const auto blows = [&] {
        return scene::windDirection(w.scene().winds[0].number("heading"), w.scene().winds[0].number("rise"));
    };
    const Vec3 direction = blows();
    const QPoint tip = stage->handlePixel(Stage::Handle::Tip)->toPoint();
    dragMouse(stage, tip, tip + QPoint(0, 60));
    CHECK((blows() - direction).norm() > 0.1);
    CHECK(blows().norm() == Approx(1));
    w.drag("speed", 9);
    CHECK(w.scene().winds[0].number("speed") == Approx(9).margin(0.5));
    QTest::mouseClick(w.toolNamed(QStringLiteral("Blows on tail")), Qt::LeftButton);
    CHECK(w.scene().winds[0].layers == std::vector<std::string>{"scarf", "ears"});
    w.settle();
    CHECK((w.tailTip() - calm).norm() < 1e-12);
    w.bench.action(QStringLiteral("item-on"))->trigger();
    CHECK_FALSE(w.scene().winds[0].on);
    w.key(Qt::Key_Delete);
    CHECK(w.scene().winds.empty());
}

TEST_CASE("a pin holds what is selected where it stands, and its strength is keyed") {
    Window w(kDemo);
    w.clickJoint("tail_08");
    w.bench.session().setFrame(6);
    w.bench.action(QStringLiteral("add-pin"))->trigger();
    REQUIRE(w.scene().pins.size() == 1);
    CHECK(w.scene().pins[0].joint == "tail_08");
    w.settle();
    const auto place = [&](int frame) {
        const auto& r = *w.bench.document().results()->evaluation.actors[0].result;
        std::vector<Xform> pose;
        std::vector<Affine> worlds;
        r.pose(frame, pose);
        rig::worldTransforms(w.scene().actors[0].actor->skeleton, pose, worlds);
        return worlds[static_cast<std::size_t>(w.joint("tail_08"))].t;
    };
    CHECK((place(6) - w.scene().pins[0].vector("offset")).norm() < 0.03);
    CHECK((place(20) - w.scene().pins[0].vector("offset")).norm() < 0.03);
    QTest::mouseClick(w.bench.tuner()->row("strength")->keyButton(), Qt::LeftButton);
    REQUIRE(keysOf(w, {scene::List::Pins, w.scene().pins[0].id}, "strength").size() == 1);
    w.bench.session().setFrame(12);
    w.drag("strength", 0);
    CHECK(keysOf(w, {scene::List::Pins, w.scene().pins[0].id}, "strength").size() == 2);
    w.settle();
    CHECK((place(24) - w.scene().pins[0].vector("offset")).norm() > 0.01);
}

TEST_CASE("settings are keyed by their diamond or by K, and shaped from root to tip") {
    Window w(kDemo);
    w.bench.session().selectLayer("tail");
    w.settle();
    SettingRow* row = w.bench.tuner()->row("swing");
    REQUIRE(row->keyButton());
    QTest::mouseClick(row->keyButton(), Qt::LeftButton);
    CHECK(keysOf(w, kTail, "swing") == scene::Keys{{0, 1.6}});
    w.bench.session().setFrame(14);
    w.drag("swing", 4);
    REQUIRE(keysOf(w, kTail, "swing").size() == 2);
    CHECK(keysOf(w, kTail, "swing")[1].at == Approx(14 / 24.0));
    CHECK(w.scene().layer("tail")->number("swing") == 1.6);
    w.bench.session().setFrame(7);
    const double between = row->slider()->value();
    CHECK(between > 1.6);
    CHECK(between < 4);
    row->slider()->setFocus();
    w.key(Qt::Key_K);
    CHECK(keysOf(w, kTail, "swing").size() == 3);
    w.key(Qt::Key_K);
    CHECK(keysOf(w, kTail, "swing").size() == 2);

    const Vec3 before = w.tailTip();
    QTest::mouseClick(row->profileButton(), Qt::LeftButton);
    ProfileEdit* edit = row->profileEdit();
    QApplication::processEvents();
    REQUIRE(edit->isVisible());
    w.bench.tuner()->scrollTo(edit);
    QApplication::processEvents();
    const QPoint from = edit->pointAt({0.5, 1}).toPoint(), to = edit->pointAt({0.5, 2}).toPoint();
    dragMouse(edit, from, to);
    const scene::Profile profile = w.scene().layer("tail")->profiles.at("swing");
    REQUIRE(profile.size() == 3);
    CHECK(profile[1].times == Approx(2).margin(0.1));
    w.settle();
    CHECK((w.tailTip() - before).norm() > 1e-5);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().layer("tail")->profiles.count("swing") == 0);
}

TEST_CASE("a cut is marked at the frame on show and taken away again") {
    Window w(kDemo);
    w.bench.session().setFrame(10);
    w.bench.action(QStringLiteral("cut"))->trigger();
    CHECK(w.scene().shot().cuts == std::vector<double>{10 / 24.0});
    w.bench.action(QStringLiteral("cut"))->trigger();
    CHECK(w.scene().shot().cuts.empty());
    w.bench.session().setFrame(0);
    w.bench.action(QStringLiteral("cut"))->trigger();
    CHECK(w.scene().shot().cuts.empty());
}

TEST_CASE("colliders that a layer passes through, and how one is left in the world") {
    Window w(kDemo);
    w.bench.session().selectCollider("belly");
    w.settle();
    w.clickButton("do-collider-world");
    CHECK(w.scene().collider("belly")->mount.world());
    CHECK(w.bench.session().selection().collider == "belly");
    CHECK(w.scene().collider("belly")->vector("offset").y() > 0.2);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().collider("belly")->mount.actor == "otter");
}

TEST_CASE("a bed of reeds: the bench answers while it simulates, shows how far it is, and can be told to stop") {
    TempFolder f;
    demo::writeReeds(f.path(), {.reeds = 200, .frames = 400});
    Window w(QString::fromStdString((f / "reeds.nutatio").string()));
    std::vector<double> heard;
    QObject::connect(&w.bench.document(), &Document::simulating, &w.bench, [&](double share) { heard.push_back(share); });
    const ResultsPtr before = w.bench.document().results();
    w.bench.session().selectLayer(w.scene().layers[0].id);
    w.drag("bounces", 4);
    REQUIRE(waitFor([&] { return !heard.empty() && heard.back() > 0; }));
    CHECK_FALSE(w.bench.document().upToDate());
    // Keys are heard while it works.
    const int frame = w.bench.session().frame();
    w.key(Qt::Key_Right);
    CHECK(w.bench.session().frame() == frame + 1);
    auto* stop = w.bench.findChild<QToolButton*>(QStringLiteral("stop"));
    REQUIRE(waitFor([&] { return stop->isVisible(); }));
    QTest::mouseClick(stop, Qt::LeftButton);
    REQUIRE(waitFor([&] { return heard.back() < 0; }));
    CHECK_FALSE(stop->isVisible());
    CHECK_FALSE(w.bench.document().upToDate());
    for (std::size_t k = 1; k + 1 < heard.size(); ++k)
        if (heard[k] >= 0 && heard[k - 1] >= 0) CHECK(heard[k] <= 1);
    // The next change simulates again, to the end.
    w.drag("bounces", 3);
    w.settle();
    CHECK(w.bench.document().results() != before);
}

TEST_CASE("winds, pins and colliders are found in the roster, and choosing them there shows their settings") {
    Window w(kDemo);
    w.bench.action(QStringLiteral("add-wind"))->trigger();
    w.bench.session().selectJoint("otter", w.joint("tail_06"));
    w.bench.action(QStringLiteral("add-pin"))->trigger();
    w.settle();
    auto* tree = w.bench.roster()->findChild<QTreeWidget*>();
    const auto choose = [&](const char* text, const char* group) {
        for (QTreeWidgetItemIterator it(tree); *it; ++it)
            if ((*it)->text(0) == QLatin1String(text) && (*it)->parent() && (*it)->parent()->text(0) == QLatin1String(group)) {
                tree->scrollToItem(*it);
                QTest::mouseClick(tree->viewport(), Qt::LeftButton, Qt::NoModifier, tree->visualItemRect(*it).center());
                return true;
            }
        return false;
    };
    REQUIRE(choose("wind", "Winds"));
    CHECK(w.bench.session().selection().wind == "wind");
    CHECK(w.bench.tuner()->row("speed") != nullptr);
    REQUIRE(choose("tail_06", "Pins"));
    CHECK(w.bench.session().selection().pin == "pin-tail_06");
    CHECK(w.bench.tuner()->row("strength") != nullptr);
    REQUIRE(choose("belly", "Colliders"));
    CHECK(w.bench.session().selection().collider == "belly");
    CHECK(w.bench.tuner()->row("friction") != nullptr);
    w.drag("friction", 0.8);
    CHECK(w.scene().collider("belly")->number("friction") == Approx(0.8).margin(0.05));
    // What is undone is forgotten by the selection.
    w.key(Qt::Key_Z, Qt::ControlModifier);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().winds.empty());
    CHECK(w.scene().pins.empty());
}

TEST_CASE("a pin can hold to a joint, and the end beyond its own") {
    Window w(kDemo);
    w.bench.session().selectJoint("otter", w.joint("tail_10"));
    w.bench.action(QStringLiteral("add-pin"))->trigger();
    const std::string id = w.bench.session().selection().pin;
    w.bench.session().selectJoint("otter", w.joint("hand_L"));
    w.bench.session().selectPin(id);
    QApplication::processEvents();
    w.clickButton("do-pin-end");
    CHECK(w.scene().pin(id)->end);
    w.clickButton("do-pin-to-selection");
    CHECK(w.scene().pin(id)->to.joint == "hand_L");
    CHECK(w.scene().pin(id)->vector("offset").norm() == 0);
    w.settle();
    const auto& r = *w.bench.document().results()->evaluation.actors[0].result;
    std::vector<Xform> pose;
    std::vector<Affine> worlds;
    r.pose(12, pose);
    rig::worldTransforms(w.scene().actors[0].actor->skeleton, pose, worlds);
    // The tail is drawn towards the hand as far as it reaches.
    const Vec3 hand = worlds[static_cast<std::size_t>(w.joint("hand_L"))].t,
               tip = worlds[static_cast<std::size_t>(w.joint("tail_10"))].t;
    w.bench.action(QStringLiteral("item-on"))->trigger();
    w.settle();
    w.bench.document().results()->evaluation.actors[0].result->pose(12, pose);
    rig::worldTransforms(w.scene().actors[0].actor->skeleton, pose, worlds);
    const double free = (worlds[static_cast<std::size_t>(w.joint("tail_10"))].t - hand).norm();
    CHECK((tip - hand).norm() < 0.8 * free);
}

TEST_CASE("profile points are taken away by double clicks, the last of them with the whole profile") {
    Window w(kDemo);
    w.bench.session().selectLayer("tail");
    w.settle();
    SettingRow* row = w.bench.tuner()->row("bounces");
    QTest::mouseClick(row->profileButton(), Qt::LeftButton);
    ProfileEdit* edit = row->profileEdit();
    QApplication::processEvents();
    w.bench.tuner()->scrollTo(edit);
    QApplication::processEvents();
    QTest::mouseClick(edit, Qt::LeftButton, Qt::NoModifier, edit->pointAt({0.4, 0.5}).toPoint());
    REQUIRE(w.scene().layer("tail")->profiles.at("bounces").size() == 3);
    // The ends stay at the ends however far they are dragged.
    dragMouse(edit, edit->pointAt({1, 1}).toPoint(), edit->pointAt({0.2, 0.3}).toPoint());
    CHECK(w.scene().layer("tail")->profiles.at("bounces").back().at == 1);
    CHECK(w.scene().layer("tail")->profiles.at("bounces").back().times == Approx(0.3).margin(0.08));
    QTest::mouseDClick(edit, Qt::LeftButton, Qt::NoModifier, edit->pointAt(edit->profile()[1]).toPoint());
    REQUIRE(w.scene().layer("tail")->profiles.at("bounces").size() == 2);
    QTest::mouseDClick(edit, Qt::LeftButton, Qt::NoModifier, edit->pointAt(edit->profile()[0]).toPoint());
    CHECK(w.scene().layer("tail")->profiles.count("bounces") == 0);
}

TEST_CASE("which layers meet which bodies is a table: a click on a cell, on all bodies of an actor, a drag down a column") {
    Window w(kDemo);
    w.bench.action(QStringLiteral("fit"))->trigger();
    w.bench.session().selectLayer("tail");
    w.settle();
    w.bench.tuner()->setOpen(QStringLiteral("Who meets what"), true);
    QApplication::processEvents();
    auto* table = w.bench.findChild<MeetsTable*>(QStringLiteral("meets"));
    REQUIRE(table);
    const auto passed = [&](const char* layer) { return w.scene().layer(layer)->list("passes").size(); };
    const auto click = [&](const QRect& cell) {
        REQUIRE_FALSE(cell.isEmpty());
        QTest::mouseClick(table, Qt::LeftButton, Qt::NoModifier, cell.center());
    };
    const auto all = static_cast<std::size_t>(std::count_if(w.scene().colliders.begin(), w.scene().colliders.end(),
                                                            [](const scene::Collider& c) { return c.mount.actor == "otter"; }));
    // Jiggle meets no bodies: it has no column.
    CHECK(table->cell("ears", "otter").isEmpty());
    click(table->cell("tail", "otter"));
    CHECK(passed("tail") == all);
    CHECK(passed("scarf") == 0);
    click(table->cell("tail", "otter"));
    CHECK(passed("tail") == 0);
    // A click on the name lists them.
    const QRect head = table->cell("tail", "otter");
    QTest::mouseClick(table, Qt::LeftButton, Qt::NoModifier, QPoint(30, head.center().y()));
    const std::string first = w.scene().colliders[0].id, second = w.scene().colliders[1].id;
    click(table->cell("scarf", first));
    CHECK(w.scene().layer("scarf")->list("passes") == std::vector<std::string>{first});
    w.settle();
    const auto& met = w.bench.document().results()->evaluation.layer("scarf")->met;
    CHECK(std::find(met.begin(), met.end(), first) != met.end());
    // A drag gives all that it crosses what the first one got, in one step.
    test::dragMouse(table, table->cell("tail", first).center(), table->cell("tail", second).center());
    CHECK(w.scene().layer("tail")->list("passes") == std::vector<std::string>{first, second});
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(passed("tail") == 0);
    // By keys: down to the first body, and Space. The play-head stays.
    table->setFocus();
    const int frame = w.bench.session().frame();
    for (int k : {Qt::Key_Up, Qt::Key_Up, Qt::Key_Up, Qt::Key_Left, Qt::Key_Down, Qt::Key_Space})
        QTest::keyClick(table, static_cast<Qt::Key>(k));
    CHECK(w.scene().layer("tail")->list("passes") == std::vector<std::string>{first});
    QTest::keyClick(table, Qt::Key_Space);
    CHECK(passed("tail") == 0);
    CHECK(w.bench.session().frame() == frame);
    CHECK_FALSE(w.bench.session().isPlaying());
    // On the page of a body its own row is there at once.
    w.bench.session().selectCollider(first);
    QApplication::processEvents();
    table = w.bench.findChild<MeetsTable*>(QStringLiteral("meets"));
    REQUIRE(table);
    click(table->cell("scarf", first));
    CHECK(passed("scarf") == 0);
}

TEST_CASE("a clip is kept as a trial for all scenes, put on another character from the menu, and follows its actor") {
    TempFolder f;
    {
        Window w(QStringLiteral(NUTATIO_THIRD_PARTY) + QStringLiteral("/BVH/01_01.bvh"),
                 QString::fromStdString(f.path().string()));
        w.bench.action(QStringLiteral("trial-keep"))->trigger();
        REQUIRE(w.bench.tape()->trials()->keptNames().size() == 1);
    }
    Window w(kDemo, QString::fromStdString(f.path().string()));
    TrialStrip* trials = w.bench.tape()->trials();
    REQUIRE(trials->keptNames().size() == 1);
    const int clip = w.bench.document().frames();
    const auto choose = [&](const QString& name) {
        QTimer::singleShot(0, [&] {
            QMenu* menu = trials->kept()->menu();
            for (QAction* a : menu->actions())
                if (a->text() == name && a->isEnabled()) {
                    QTest::mouseClick(menu, Qt::LeftButton, Qt::NoModifier, menu->actionGeometry(a).center());
                    return;
                }
            menu->close();
        });
        QTest::mouseClick(trials->kept(), Qt::LeftButton);
    };
    choose(trials->keptNames().front());
    REQUIRE(w.scene().actors[0].trial.kept);
    CHECK(trials->kept()->isChecked());
    w.settle();
    CHECK(w.bench.document().frames() != clip);
    // A joint that is renamed meanwhile: the motion is mapped anew, and goes on.
    const auto before = w.scene().actors[0].trial.kept;
    w.bench.document().edit(QStringLiteral("rename"), [](scene::Scene& s) {
        REQUIRE(edit::prepare(s, "otter", {rig::Preparation::What::Rename, "tail_03", "brush", Vec3::Zero()}).ok());
    });
    REQUIRE(w.scene().actors[0].trial.kept);
    CHECK(w.scene().actors[0].trial.kept != before);
    w.settle();
    choose(trials->keptNames().front());
    w.settle();
    CHECK_FALSE(w.scene().actors[0].onTrial());
    CHECK(w.bench.document().frames() == clip);
}
