// Body motion that is made in the window: borrowed, performed, over the ground, walked about; locks and things out of sight.
#include "tests/app/window.h"

#include <QComboBox>
#include <QDoubleSpinBox>

#include "app/compare/compare_view.h"
#include "app/prepare/perform_face.h"
#include "app/widgets/list_row.h"
#include "edit/edit.h"
#include "edit/ground.h"
#include "edit/pass.h"

using namespace nutatio;
using test::waitFor;
using test::Window;

namespace {

void look(Window& w, const char* name) {
    const QString folder = qEnvironmentVariable("NUTATIO_LOOK");
    if (folder.isEmpty()) return;
    w.bench.stage()->grab();
    QApplication::processEvents();
    w.bench.grab().save(folder + QLatin1Char('/') + QLatin1String(name));
}

void toPerform(Window& w) {
    w.bench.session().setStep(app::StepId::Prepare);
    w.bench.session().setFace(app::FaceId::Perform);
    QApplication::processEvents();
    REQUIRE(w.bench.findChild<app::PerformFace*>());
}

void playClip(Window& w, const char* clip) {
    w.bench.document().edit(QStringLiteral("play"), [&](scene::Scene& s) { edit::playClip(s, s.actors[0].id, clip); });
    w.settle();
}

}  // namespace

TEST_CASE("a layer that borrows is put on from the menu, its clip chosen in its row, and it acts in one shot alone") {
    Window w;
    playClip(w, "Walk");
    w.clickJoint("upper_arm_L");
    w.bench.action(QStringLiteral("add-borrow"))->trigger();
    w.settle();
    REQUIRE(w.scene().layers.size() == 1);
    const std::string id = w.scene().layers[0].id;
    // It borrows from the first clip that does not play.
    CHECK(w.scene().layer(id)->text("clip") == "Idle");
    app::SettingRow* row = w.bench.tuner()->row("clip");
    REQUIRE(row);
    auto* box = row->findChild<QComboBox*>();
    REQUIRE(box);
    CHECK(box->findText(QStringLiteral("Turn and stop")) > 0);
    box->setFocus();
    QTest::keyClick(box, Qt::Key_Down);
    w.settle();
    CHECK(w.scene().layer(id)->text("clip") == "Turn and stop");
    CHECK_FALSE(w.bench.document().results()->evaluation.layer(id)->changed.empty());
    w.bench.action(QStringLiteral("act-here"))->trigger();
    CHECK(w.scene().layer(id)->shot == w.scene().shot().id);
    playClip(w, "Idle");
    CHECK(w.bench.document().results()->evaluation.layer(id)->changed.empty());
    look(w, "borrow.png");
    // The page says where it acts, and lets it act everywhere again.
    REQUIRE(w.bench.findChild<QPushButton*>(QStringLiteral("do-act-here")));
    w.clickButton("do-act-here");
    w.settle();
    CHECK_FALSE(w.bench.document().results()->evaluation.layer(id)->changed.empty());
}

TEST_CASE("a nod performed while the shot plays becomes a layer each round, and is undone as one") {
    Window w;
    playClip(w, "Walk");
    const std::string actor = w.scene().actors[0].id;
    toPerform(w);
    w.clickButton("do-perform");
    REQUIRE(w.bench.session().performing().on);
    REQUIRE(w.bench.stage()->tugOn());
    CHECK(w.bench.session().isPlaying());
    w.bench.session().setSpeed(0.5);
    app::Stage* stage = w.bench.stage();
    const auto at = stage->jointPixel(actor, w.joint("head"));
    REQUIRE(at);
    REQUIRE(waitFor([&] { return w.bench.session().frame() >= 3 && w.bench.session().frame() < 8; }));
    QTest::mousePress(stage, Qt::LeftButton, Qt::NoModifier, at->toPoint());
    REQUIRE(stage->tug().isHolding());
    // Down and up again, as the shot goes on.
    int y = 0;
    REQUIRE(waitFor([&] {
        y = std::min(y + 4, 60);
        QTest::mouseMove(stage, at->toPoint() + QPoint(0, y));
        return w.bench.session().frame() >= 16;
    }));
    look(w, "performing.png");
    QTest::mouseRelease(stage, Qt::LeftButton, Qt::NoModifier, at->toPoint() + QPoint(0, y));
    w.settle();
    REQUIRE(edit::passesOf(w.scene(), actor) == 1);
    const scene::Layer& pass = w.scene().layers[0];
    CHECK(pass.shot == w.scene().shot().id);
    CHECK(w.scene().shot().keysOf({scene::List::Layers, pass.id})->size() >= 1);
    const auto& r = *w.bench.document().results()->evaluation.actor(actor);
    double most = 0;
    for (int f = 0; f < r.result->frames(); ++f)
        most = std::max(most, r.result->at(w.joint("head"), f).r.angularDistance(r.body->at(w.joint("head"), f).r));
    CHECK(degrees(most) > 5);
    // It is named on the page; undone it is gone as a whole.
    QApplication::processEvents();
    CHECK(w.bench.findChildren<app::ListRow*>(QStringLiteral("pass")).size() == 1);
    w.bench.document().undo();
    CHECK(edit::passesOf(w.scene(), actor) == 0);
    w.clickButton("do-perform");
    CHECK_FALSE(w.bench.stage()->tugOn());
}

TEST_CASE("performing mirrors what it pulls on the other side, and holds still what is told to stay") {
    Window w;
    playClip(w, "Idle");
    const std::string actor = w.scene().actors[0].id;
    toPerform(w);
    w.clickJoint("head");
    QApplication::processEvents();
    w.clickButton("perform-still");
    CHECK(w.bench.session().performing().still == std::vector<std::string>{"head"});
    w.clickButton("perform-mirror-1");
    REQUIRE(w.bench.session().performing().mirrored == app::Performing::Mirrored::AtOnce);
    QApplication::processEvents();
    w.clickButton("do-perform");
    app::Stage* stage = w.bench.stage();
    const auto perform = [&](const char* joint, const QPoint& by) {
        const auto at = stage->jointPixel(actor, w.joint(joint));
        REQUIRE(at);
        QTest::mousePress(stage, Qt::LeftButton, Qt::NoModifier, at->toPoint());
        REQUIRE(stage->tug().isHolding());
        const int from = w.bench.session().frame();
        REQUIRE(waitFor([&] {
            QTest::mouseMove(stage, at->toPoint() + by);
            // On a busy machine some frames go by before the body follows the hand.
            return std::abs(w.bench.session().frame() - from) > 12;
        }));
        QTest::mouseRelease(stage, Qt::LeftButton, Qt::NoModifier, at->toPoint() + by);
        w.settle();
    };
    perform("upper_arm_L", {40, -30});
    REQUIRE(edit::passesOf(w.scene(), actor) == 1);
    const std::vector<std::string>& joints = w.scene().layers[0].list("joint");
    CHECK(std::find(joints.begin(), joints.end(), "upper_arm_L") != joints.end());
    CHECK(std::find(joints.begin(), joints.end(), "upper_arm_R") != joints.end());
    // The chest is bent, and the head stays as it is turned in the world.
    perform("chest", {50, 0});
    REQUIRE(edit::passesOf(w.scene(), actor) == 2);
    const auto& r = *w.bench.document().results()->evaluation.actor(actor);
    const auto turnOf = [&](const rig::Track& t, const char* joint, int f) {
        std::vector<Xform> locals;
        std::vector<Affine> worlds;
        t.pose(f, locals);
        rig::worldTransforms(w.scene().actors[0].actor->skeleton, locals, worlds);
        return rotationOf(worlds[static_cast<std::size_t>(w.joint(joint))].m);
    };
    int bent = 0;
    double most = 0;
    for (int f = 0; f < r.result->frames(); ++f)
        if (const double by = turnOf(*r.result, "chest", f).angularDistance(turnOf(*r.body, "chest", f)); by > most) {
            most = by;
            bent = f;
        }
    REQUIRE(degrees(most) > 3);
    CHECK(degrees(turnOf(*r.result, "head", bent).angularDistance(turnOf(*r.body, "head", bent))) < 0.25 * degrees(most));
}

TEST_CASE("an actor goes over the ground as its feet tell, at a typed speed, and along a way that is drawn") {
    Window w;
    playClip(w, "Walk");
    toPerform(w);
    w.clickButton("do-ground");
    w.settle();
    const std::string id = edit::groundLayerOf(w.scene(), w.scene().actors[0].id);
    REQUIRE_FALSE(id.empty());
    CHECK(w.bench.session().selection().layer == id);
    const double found = w.scene().layer(id)->number("speed");
    CHECK(found > 0.3);
    toPerform(w);
    auto* box = w.bench.findChild<QDoubleSpinBox*>(QStringLiteral("ground-speed"));
    REQUIRE(box);
    box->setFocus();
    box->selectAll();
    QTest::keyClicks(box, QStringLiteral("1.5"));
    QTest::keyClick(box, Qt::Key_Return);
    CHECK(w.scene().layer(id)->number("speed") == Approx(1.5));
    w.settle();
    toPerform(w);
    w.clickButton("do-path");
    app::Stage* stage = w.bench.stage();
    REQUIRE(stage->tool() == app::Stage::Tool::Path);
    // On the ground below the otter, in a bow.
    const QPoint from(stage->width() / 2 - 120, stage->height() - 60);
    QTest::mousePress(stage, Qt::LeftButton, Qt::NoModifier, from);
    for (int k = 1; k <= 12; ++k) QTest::mouseMove(stage, from + QPoint(18 * k, -static_cast<int>(30 * std::sin(0.26 * k))));
    QTest::mouseRelease(stage, Qt::LeftButton, Qt::NoModifier, from + QPoint(216, 0));
    w.settle();
    CHECK(stage->tool() == app::Stage::Tool::None);
    REQUIRE(w.scene().shot().keysOf({scene::List::Layers, id}, "heading"));
    CHECK(w.scene().shot().keysOf({scene::List::Layers, id}, "heading")->size() > 2);
    CHECK(w.bench.hint().contains(QStringLiteral("way")));
    look(w, "path.png");
}

TEST_CASE("walking about with the keys starts, turns and stops, and is kept as a shot by Enter, not by Esc") {
    Window w;
    playClip(w, "Walk");
    const std::size_t shots = w.scene().shots.size();
    toPerform(w);
    CHECK(w.bench.findChildren<app::ListRow*>(QStringLiteral("gait")).size() == 2);
    w.clickButton("do-walk-about");
    app::Tug& tug = w.bench.stage()->tug();
    REQUIRE(tug.isWalking());
    const auto until = [&](double seconds) { REQUIRE(waitFor([&] { return tug.walking()->time() > seconds; })); };
    const int frame = w.bench.session().frame();
    until(0.3);
    w.key(Qt::Key_Up);
    until(1.6);
    CHECK(tug.walking()->gait().clip == "Walk");
    QTest::keyPress(&w.bench, Qt::Key_Left);
    until(2.4);
    look(w, "walking.png");
    QTest::keyRelease(&w.bench, Qt::Key_Left);
    CHECK(degrees(tug.walking()->heading()) > 20);
    // The keys that step through frames steer meanwhile.
    CHECK(w.bench.session().frame() == frame);
    w.key(Qt::Key_Down);
    until(4);
    CHECK(tug.walking()->speed() == Approx(0).margin(1e-6));
    w.key(Qt::Key_Return);
    CHECK_FALSE(tug.isWalking());
    w.settle();
    REQUIRE(w.scene().shots.size() == shots + 1);
    CHECK(w.scene().shot().name == "Walk-about 1");
    CHECK(w.bench.document().frames() > 90);
    w.bench.session().setFrame(50);
    w.bench.session().selectLayer(w.scene().layers[0].id);
    w.settle();
    look(w, "walked.png");
    // Once more, and given up.
    toPerform(w);
    w.clickButton("do-walk-about");
    REQUIRE(tug.isWalking());
    until(0.4);
    w.key(Qt::Key_Escape);
    CHECK_FALSE(tug.isWalking());
    CHECK(w.scene().shots.size() == shots + 1);
    w.bench.document().undo();
    CHECK(w.scene().shots.size() == shots);
}

TEST_CASE("what is locked says so and stays as it is, what is out of sight is not drawn and comes back") {
    Window w;
    w.clickJoint("tail_01");
    w.bench.action(QStringLiteral("add-strand"))->trigger();
    w.settle();
    const std::string id = w.scene().layers[0].id;
    const double before = w.scene().layer(id)->number("swing");
    w.bench.action(QStringLiteral("lock"))->trigger();
    QApplication::processEvents();
    w.drag("swing", 5);
    CHECK(w.scene().layer(id)->number("swing") == before);
    CHECK(w.bench.hint().contains(QStringLiteral("locked")));
    CHECK(w.bench.tuner()->row("swing")->slider()->value() == Approx(before).margin(1e-6));
    w.key(Qt::Key_Delete);
    CHECK(w.scene().layer(id));
    look(w, "locked.png");
    w.clickButton("do-lock");
    w.settle();
    w.drag("swing", 5);
    CHECK(w.scene().layer(id)->number("swing") == Approx(5).margin(0.3));
    // A wind's arrow, which is gone while it is hidden and not selected.
    w.bench.action(QStringLiteral("add-wind"))->trigger();
    w.settle();
    const scene::Owner wind{scene::List::Winds, w.scene().winds[0].id};
    w.bench.session().select({});
    w.settle();
    const QImage shown = w.bench.stage()->picture();
    w.bench.session().selectWind(wind.id);
    w.bench.action(QStringLiteral("hide"))->trigger();
    CHECK(w.scene().wind(wind.id)->hidden);
    w.bench.session().select({});
    w.settle();
    const QImage hidden = w.bench.stage()->picture();
    CHECK(shown != hidden);
    w.bench.session().selectWind(wind.id);
    w.bench.action(QStringLiteral("hide"))->trigger();
    w.bench.session().select({});
    w.settle();
    CHECK(w.bench.stage()->picture() == shown);
}

TEST_CASE("a click on a pane of the comparison makes its take the other one") {
    Window w;
    w.clickJoint("tail_01");
    w.bench.action(QStringLiteral("add-strand"))->trigger();
    w.settle();
    w.key(Qt::Key_T);
    w.drag("swing", 5);
    w.settle();
    w.key(Qt::Key_T);
    app::Comparing c;
    c.on = true;
    c.with = {w.scene().takes[0].id, w.scene().takes[1].id};
    w.bench.session().setComparing(c);
    REQUIRE(waitFor([&] { return w.bench.compareView()->ready(); }));
    auto* panes = w.bench.compareView()->findChild<app::Panes*>();
    REQUIRE(panes);
    for (std::size_t k : {std::size_t{1}, std::size_t{0}}) {
        QTest::mouseClick(panes, Qt::LeftButton, Qt::NoModifier, panes->cell(k).center().toPoint());
        REQUIRE(w.bench.session().other());
        CHECK(w.bench.session().other()->id == w.scene().takes[k].id);
        CHECK(panes->panes()[k].chosen);
    }
}
