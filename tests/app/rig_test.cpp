// What a rig lacks and many things at once, by hand: chains, pivots, parts, maps, motions, kits, and settings one by one.
#include <QComboBox>
#include <QSpinBox>

#include "app/prepare/kits_face.h"
#include "app/prepare/motion_face.h"
#include "app/prepare/parts_face.h"
#include "app/tuner/apart_panel.h"
#include "demo/mop.h"
#include "edit/edit.h"
#include "tests/app/window.h"
#include "tests/support/validator.h"

using namespace nutatio;
using namespace nutatio::app;
using test::TempFolder;
using test::waitFor;
using test::Window;

namespace {

void wheel(QWidget* w, const QPoint& at, int notches, Qt::KeyboardModifiers m = Qt::NoModifier) {
    for (int k = 0; k < std::abs(notches); ++k) {
        QWheelEvent e(QPointF(at), w->mapToGlobal(QPointF(at)), {}, {0, notches > 0 ? 120 : -120}, Qt::NoButton, m,
                      Qt::NoScrollPhase, false);
        QApplication::sendEvent(w, &e);
    }
}

void face(Window& w, const char* name) {
    w.key(Qt::Key_1, Qt::ControlModifier);
    w.clickButton(name);
}

ListRow* rowSaying(Window& w, const char* name, const QString& text) {
    QApplication::processEvents();  // pages are laid anew when what changed has changed
    for (ListRow* r : w.bench.findChildren<ListRow*>(QLatin1String(name)))
        if (r->text() == text) return r;
    return nullptr;
}

void clickRow(ListRow* row, Qt::KeyboardModifiers m = Qt::NoModifier) {
    REQUIRE(row);
    QTest::mouseClick(row, Qt::LeftButton, m, QPoint(60, row->height() / 2));
    QApplication::processEvents();  // what was laid out anew is shown
}

}  // namespace

TEST_CASE(
    "a chain is fitted through a piece of mesh by a click and drawn along the mesh by a drag; the wheel says how many joints") {
    Window w(test::kDemo);
    face(w, "face-joints");
    w.clickButton("do-chain");
    Stage* stage = w.bench.stage();
    REQUIRE(stage->tool() == Stage::Tool::Chain);
    const std::string actor = w.scene().actors[0].id;
    const int before = w.scene().actors[0].actor->skeleton.size();
    const QPoint cap = stage->jointPixel(actor, w.joint("cap"))->toPoint() + QPoint(0, -6);
    QTest::mouseMove(stage, cap + QPoint(1, 1));
    QTest::mouseMove(stage, cap);
    REQUIRE(waitFor([&] { return stage->chain().has_value(); }));
    CHECK(stage->chain()->row.size() == 5);
    CHECK(stage->chain()->reach == 0);
    wheel(stage, cap, -2);
    REQUIRE(stage->chain());
    CHECK(stage->chain()->row.size() == 3);
    QTest::mouseClick(stage, Qt::LeftButton, Qt::NoModifier, cap);
    CHECK(w.scene().actors[0].actor->skeleton.size() == before + 3);
    CHECK(stage->tool() == Stage::Tool::None);
    CHECK(w.bench.session().selection().joints == std::vector<int>{before, before + 1});
    // It takes a strand, and one undo takes it away.
    w.bench.action("add-strand")->trigger();
    w.settle();
    CHECK(w.bench.document().results()->evaluation.layer(w.scene().layers.back().id)->problem.empty());
    w.key(Qt::Key_Z, Qt::ControlModifier);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().actors[0].actor->skeleton.size() == before);

    // Drawn down the body.
    face(w, "face-joints");
    w.key(Qt::Key_C, Qt::ShiftModifier);
    const QPoint from = stage->jointPixel(actor, w.joint("chest"))->toPoint(),
                 to = stage->jointPixel(actor, w.joint("hips"))->toPoint();
    std::size_t drawn = 0;
    test::dragMouse(stage, from, to, [&] { drawn = stage->chain() ? stage->chain()->row.size() : drawn; });
    CHECK(drawn == 3);
    REQUIRE(w.scene().actors[0].preparations.size() == 1);
    const rig::Preparation& made = w.scene().actors[0].preparations[0];
    CHECK(made.what == rig::Preparation::What::AddChain);
    CHECK(made.reach > 0);
    // Taken away from the list of what was done.
    QApplication::processEvents();
    auto* away = w.bench.findChild<QPushButton*>(QStringLiteral("undo-step"));
    REQUIRE(away);
    QTest::mouseClick(away, Qt::LeftButton);
    CHECK(w.scene().actors[0].preparations.empty());
    CHECK(w.scene().actors[0].actor->skeleton.size() == before);
}

TEST_CASE("a pivot is dragged out of its mesh: one step of Prepare a drag, and the picture stays") {
    Window w(test::kDemo);
    face(w, "face-joints");
    const std::string actor = w.scene().actors[0].id;
    w.bench.session().selectJoint(actor, w.joint("ear_L"));
    w.clickButton("do-pivot");
    Stage* stage = w.bench.stage();
    REQUIRE(stage->tool() == Stage::Tool::Pivot);
    stage->grab();
    const auto at = stage->handlePixel(Stage::Handle::Pivot);
    REQUIRE(at);
    const Vec3 was = w.scene().actors[0].actor->skeleton.joint(w.joint("ear_L")).rest.t;
    test::dragMouse(stage, at->toPoint(), at->toPoint() + QPoint(30, 20));
    REQUIRE(w.scene().actors[0].preparations.size() == 1);
    CHECK(w.scene().actors[0].preparations[0].keeps);
    CHECK((w.scene().actors[0].actor->skeleton.joint(w.joint("ear_L")).rest.t - was).norm() > 0.01);
    w.key(Qt::Key_Escape);
    CHECK(stage->tool() == Stage::Tool::None);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().actors[0].preparations.empty());
}

TEST_CASE("joints made here hang elsewhere, get a fellow, are locked and removed by the buttons of their face") {
    Window w(test::kDemo);
    face(w, "face-joints");
    const std::string actor = w.scene().actors[0].id;
    w.bench.document().edit(QStringLiteral("cheek"), [&](scene::Scene& s) {
        REQUIRE(edit::addHelper(s, actor, "head", "cheek_L", Vec3(0.1, 1.0, 0.12), 0.06, false));
    });
    w.bench.session().selectJoint(actor, w.joint("cheek_L"));
    w.clickButton("do-mirror-joint");
    CHECK(w.joint("cheek_R") != rig::kNoJoint);
    w.bench.session().selectJoint(actor, w.joint("cheek_L"));
    w.bench.session().selectJoint(actor, w.joint("neck"), true);
    w.clickButton("do-hang-on");
    CHECK(w.scene().actors[0].actor->skeleton.joint(w.joint("cheek_L")).parent == w.joint("neck"));
    w.bench.session().selectJoint(actor, w.joint("head"));
    w.clickButton("do-lock-weights");
    CHECK(w.scene().actors[0].locked == std::vector<std::string>{"head"});
    // The roster lists what is locked alone.
    auto* filter = w.bench.findChild<QComboBox*>(QStringLiteral("joint-filter"));
    filter->setFocus();
    for (int k = 0; k < 5; ++k) QTest::keyClick(filter, Qt::Key_Down);
    CHECK(filter->currentIndex() == 5);
    QTreeWidget* found = w.bench.findChild<Roster*>()->found();
    REQUIRE(found->topLevelItemCount() == 1);
    CHECK(found->topLevelItem(0)->text(0) == QStringLiteral("head"));
    for (int k = 0; k < 5; ++k) QTest::keyClick(filter, Qt::Key_Up);
    CHECK_FALSE(found->isVisible());
    QApplication::processEvents();
    auto* free = w.bench.findChild<QPushButton*>(QStringLiteral("unlock"));
    REQUIRE(free);
    QTest::mouseClick(free, Qt::LeftButton);
    CHECK(w.scene().actors[0].locked.empty());
    w.bench.session().selectJoint(actor, w.joint("cheek_R"));
    w.clickButton("do-remove-joint");
    CHECK(w.joint("cheek_R") == rig::kNoJoint);
    CHECK(w.joint("cheek_L") != rig::kNoJoint);
}

TEST_CASE("parts are accepted, coloured, merged, split, marked rigid and named on their face, and selected by a click") {
    Window w(test::kDemo);
    face(w, "face-parts");
    w.clickButton("accept-all");
    const auto parts = [&] { return w.scene().actors[0].parts; };
    const auto part = [&](const std::string& name) {
        for (const scene::Part& p : w.scene().actors[0].parts)
            if (p.name == name) return p;
        return scene::Part{};
    };
    const std::size_t all = parts().size();
    CHECK(all > 20);
    clickRow(rowSaying(w, "part", QStringLiteral("tail")));
    CHECK(w.bench.session().selection().joints.size() == 10);
    ListRow* tail = rowSaying(w, "part", QStringLiteral("tail"));
    const int colour = part("tail").colour;
    QTest::mouseClick(tail, Qt::LeftButton, Qt::NoModifier, QPoint(10, tail->height() / 2));
    CHECK(part("tail").colour == (colour + 1) % 8);
    clickRow(rowSaying(w, "part", QStringLiteral("skirt1")));
    clickRow(rowSaying(w, "part", QStringLiteral("skirt2")), Qt::ControlModifier);
    w.clickButton("part-merge");
    CHECK(parts().size() == all - 1);
    clickRow(rowSaying(w, "part", QStringLiteral("tail")));
    w.bench.session().selectJoint(w.scene().actors[0].id, w.joint("tail_05"));
    w.clickButton("part-split");
    CHECK(parts().size() == all);
    clickRow(rowSaying(w, "part", QStringLiteral("head")));
    w.clickButton("part-rigid");
    CHECK(part("head").rigid);
    clickRow(rowSaying(w, "part", QStringLiteral("head")));
    w.clickButton("part-rename");
    auto* field = w.bench.findChild<QLineEdit*>(QStringLiteral("name-field"));
    REQUIRE(field);
    QTest::keyClicks(field, QStringLiteral("face"));
    CHECK(field->text() == QStringLiteral("face"));
    QTest::keyClick(field, Qt::Key_Return);
    CHECK(rowSaying(w, "part", QStringLiteral("face")));
    clickRow(rowSaying(w, "part", QStringLiteral("face")));
    w.clickButton("part-remove");
    CHECK(parts().size() == all - 1);
}

TEST_CASE("a map is made by rule, shown, painted by hand and changed step by step") {
    Window w(test::kDemo);
    face(w, "face-maps");
    const std::string actor = w.scene().actors[0].id;
    Stage* stage = w.bench.stage();
    w.bench.session().selectJoint(actor, w.joint("chest"));
    const QImage plain = stage->grab().toImage();
    w.clickButton("map-weights");
    REQUIRE(w.scene().actors[0].maps.size() == 1);
    CHECK(stage->grab().toImage() != plain);
    w.clickButton("map-invert");
    CHECK(w.scene().actors[0].maps[0].steps.size() == 2);
    w.clickButton("map-height");  // joined to what is there
    CHECK(w.scene().actors[0].maps[0].steps.size() == 3);
    w.clickButton("map-paint");
    REQUIRE(w.bench.session().painting().on);
    const QPoint at = stage->jointPixel(actor, w.joint("spine_01"))->toPoint();
    QTest::mouseMove(stage, at + QPoint(1, 1));
    test::dragMouse(stage, at, at + QPoint(0, 30));
    REQUIRE(w.scene().actors[0].maps[0].steps.size() == 4);
    CHECK(w.scene().actors[0].maps[0].steps[3].stroke.dabs.size() >= 2);
    CHECK(w.scene().actors[0].preparations.empty());
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().actors[0].maps[0].steps.size() == 3);
    w.clickButton("map-paint");
    CHECK_FALSE(w.bench.session().painting().on);
    auto* drop = w.bench.findChild<QPushButton*>(QStringLiteral("drop-step"));
    QTest::mouseClick(drop, Qt::LeftButton);
    CHECK(w.scene().actors[0].maps[0].steps.size() == 2);
    w.clickButton("map-remove");
    CHECK(w.scene().actors[0].maps.empty());
}

TEST_CASE("a motion of another file goes on by its mapping sheet, changed by hand, and the feet that stand are listed") {
    Window w(test::kDemo);
    face(w, "face-motion");
    CHECK(w.bench.findChildren<ListRow*>(QStringLiteral("contact")).size() > 0);
    w.bench.findChild<MotionFace*>()->bring(QString::fromStdString(test::sourceFolder() + "/demo/assets/deckhand.bvh"));
    REQUIRE(waitFor([&] { return w.bench.findChildren<ListRow*>(QStringLiteral("mapped")).size() > 10; }));
    // It waits while one looks elsewhere.
    w.clickButton("face-check");
    w.clickButton("face-motion");
    ListRow* head = rowSaying(w, "mapped", QStringLiteral("head"));
    REQUIRE(head);
    auto* box = head->findChild<QComboBox*>();
    box->setFocus();
    while (box->currentIndex() > 0) QTest::keyClick(box, Qt::Key_Up);
    w.clickButton("motion-put");
    const rig::Actor& a = *w.scene().actors[0].actor;
    REQUIRE(a.findClip("deckhand") >= 0);
    const rig::Clip& clip = a.clips[static_cast<std::size_t>(a.findClip("deckhand"))];
    const auto keyed = [&](const char* j) {
        return std::any_of(clip.channels.begin(), clip.channels.end(),
                           [&](const rig::Channel& c) { return c.joint == a.skeleton.find(j); });
    };
    CHECK(keyed("thigh_L"));
    CHECK_FALSE(keyed("head"));
    w.settle();
    CHECK(w.bench.document().frames() == 97);
    // A file that is none says so and nothing is lost.
    TempFolder f;
    test::put(f / "bad.bvh", "tea");
    w.bench.findChild<MotionFace*>()->bring(QString::fromStdString((f / "bad.bvh").string()));
    REQUIRE(waitFor([&] { return w.bench.findChild<QPushButton*>(QStringLiteral("motion-bring"))->isEnabled(); }));
    CHECK(w.bench.findChildren<ListRow*>(QStringLiteral("mapped")).isEmpty());
    // The rest pose before it.
    w.clickButton("pose-first");
    CHECK(w.scene().actors[0].actor->findClip("deckhand, from rest") >= 0);
}

TEST_CASE("a kit goes from one character to another: layers are chosen, what does not fit is listed and mapped by hand") {
    TempFolder f;
    const QString file = QString::fromStdString((f / "otter.nutatio-kit").string());
    {
        Window w(test::kDemo);
        face(w, "face-kits");
        w.bench.findChild<KitsFace*>()->save(file, false);
        REQUIRE(std::filesystem::exists(f / "otter.nutatio-kit"));
    }
    Window w(QString::fromStdString(test::sourceFolder() + "/demo/assets/deckhand.bvh"));
    face(w, "face-kits");
    w.bench.findChild<KitsFace*>()->bring(file);
    ListRow* tail = rowSaying(w, "fitted", QStringLiteral("tail_01"));
    REQUIRE(tail);
    auto* box = tail->findChild<QComboBox*>();
    REQUIRE(box->currentIndex() == 0);
    box->setFocus();
    for (int k = 0; k < box->count() && box->currentText() != QStringLiteral("Braid1"); ++k) QTest::keyClick(box, Qt::Key_Down);
    CHECK(box->currentText() == QStringLiteral("Braid1"));
    w.clickButton("kit-put");
    REQUIRE(w.scene().layers.size() == 1);
    CHECK(w.scene().layers[0].list("root") == std::vector<std::string>{"Braid1"});
    w.settle();
    CHECK(w.bench.document().results()->evaluation.layer(w.scene().layers[0].id)->problem.empty());
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().layers.empty());
    // Another file is told of and changes nothing.
    test::put(f / "no.nutatio-kit", "{}");
    w.bench.findChild<KitsFace*>()->bring(QString::fromStdString((f / "no.nutatio-kit").string()));
    CHECK(rowSaying(w, "fitted", QStringLiteral("tail_01")));
}

TEST_CASE("everything that suits a strand gets one in two clicks, one of them is set apart, and all are switched off by one") {
    Window w(test::kOtter);
    w.key(Qt::Key_2, Qt::ControlModifier);
    auto* offer = w.bench.findChild<QPushButton*>(QStringLiteral("offer-strand"));
    REQUIRE(offer);
    QTest::mouseClick(offer, Qt::LeftButton);
    REQUIRE(w.scene().layers.size() == 1);
    const std::size_t chains = w.scene().layers[0].list("root").size();
    CHECK(chains >= 18);
    w.settle();
    CHECK(w.bench.document().results()->evaluation.layer(w.scene().layers[0].id)->problem.empty());
    // Set one apart, by its slider.
    w.bench.tuner()->setOpen(QStringLiteral("One by one"), true);
    auto* chain = w.bench.findChild<QComboBox*>(QStringLiteral("apart-chain"));
    REQUIRE(chain);
    CHECK(chain->count() == static_cast<int>(chains));
    w.bench.tuner()->scrollTo(chain);
    chain->setFocus();
    QTest::keyClick(chain, Qt::Key_Down);
    auto* row = w.bench.findChild<SettingRow*>(QStringLiteral("apart-row"));
    REQUIRE(row);
    w.bench.tuner()->scrollTo(row);
    Slider* s = row->slider();
    test::dragMouse(s, s->knob(s->value()), s->knob(6));
    REQUIRE(w.scene().layers[0].apart.size() == 1);
    CHECK(w.scene().layers[0].apart.begin()->second.at("swing") == Approx(6).margin(0.3));
    w.key(Qt::Key_M);
    CHECK(w.scene().layers[0].muted);
    w.settle();
    for (int j = 0; j < w.scene().actors[0].actor->skeleton.size(); ++j) {
        const auto& a = w.bench.document().results()->evaluation.actors[0];
        REQUIRE(a.result->column(j) == a.body->column(j));
    }
    w.key(Qt::Key_M);
    // Split, and merged again with what was apart.
    w.bench.action("split-layer")->trigger();
    CHECK(w.scene().layers.size() == chains);
    w.bench.session().selectLayer(w.scene().layers[0].id);
    w.bench.action("merge-layer")->trigger();
    REQUIRE(w.scene().layers.size() == 1);
    CHECK(w.scene().layers[0].apart.size() == 1);
    // Copied settings land on another layer.
    w.bench.session().selectJoint(w.scene().actors[0].id, w.joint("belly"));
    w.bench.action("add-jiggle")->trigger();
    const std::string jiggle = w.scene().layers.back().id;
    w.bench.session().selectLayer(w.scene().layers[0].id);
    w.drag("swing", 3);
    w.bench.action("copy-settings")->trigger();
    w.bench.session().selectLayer(jiggle);
    w.bench.action("paste-settings")->trigger();
    CHECK(w.scene().layer(jiggle)->number("swing") == Approx(3).margin(0.2));
}

TEST_CASE("forty strands take three actions to set up, and switching them off takes one") {
    TempFolder f;
    demo::writeMop(f / "mop.glb", 40);
    Window w(QString::fromStdString((f / "mop.glb").string()));
    w.key(Qt::Key_2, Qt::ControlModifier);
    w.clickButton("do-fit");
    w.clickButton("offer-strand");
    REQUIRE(w.scene().layers.size() == 1);
    const std::vector<std::string> roots = w.scene().layers[0].list("root");
    CHECK(roots.size() == 40);
    for (const char* body : {"head", "chest"})
        CHECK(std::any_of(w.scene().colliders.begin(), w.scene().colliders.end(),
                          [&](const scene::Collider& c) { return c.mount.joint == body; }));
    w.settle();
    const auto swings = [&] {
        const auto& a = w.bench.document().results()->evaluation.actors[0];
        int n = 0;
        for (const std::string& r : roots) {
            const int j = w.scene().actors[0].actor->skeleton.find(r);
            n += a.result->column(j) != a.body->column(j);
        }
        return n;
    };
    CHECK(swings() == 40);
    w.key(Qt::Key_M);
    w.settle();
    CHECK(swings() == 0);
}

TEST_CASE("a trial goes on top of the clip by a button beside it") {
    Window w(test::kDemo);
    const int frames = w.bench.document().frames();
    app::TrialStrip* trials = w.bench.tape()->trials();
    QTest::mouseClick(trials->button(QStringLiteral("nod")), Qt::LeftButton);
    w.settle();
    CHECK(w.bench.document().frames() != frames);
    REQUIRE(trials->onTop()->isVisible());
    QTest::mouseClick(trials->onTop(), Qt::LeftButton);
    w.settle();
    CHECK(w.bench.document().frames() == frames);
    CHECK(w.scene().actors[0].onTrial());
    CHECK_FALSE(w.bench.document().results()->evaluation.actors[0].body->holdsStill(w.joint("thigh_L")));
}

TEST_CASE("a trial of a part of the body is chosen beside its move, and all of it fits into 1280 pixels") {
    Window w(test::kDemo);
    auto* strip = w.bench.tape()->trials();
    QTest::mouseClick(strip->button(QStringLiteral("round")), Qt::LeftButton);
    REQUIRE(w.scene().actors[0].onTrial());
    QApplication::processEvents();
    CHECK(w.bench.minimumSizeHint().width() <= 1280);
    CHECK(w.bench.width() == 1280);
    QComboBox* roles = strip->roles();
    REQUIRE(roles->count() == 7);  // the whole, a joint, and five roles: it has no wings
    roles->setFocus();
    while (roles->currentText() != QStringLiteral("Arms")) QTest::keyClick(roles, Qt::Key_Down);
    CHECK(w.scene().actors[0].trial.role == "arms");
    w.bench.session().setPlaying(false);
    w.settle();
    const auto& a = w.bench.document().results()->evaluation.actors[0];
    CHECK_FALSE(a.body->holdsStill(w.joint("upper_arm_L")));
    CHECK(a.body->holdsStill(w.joint("thigh_L")));
    // A slider moves its size.
    Slider* size = strip->sizeSlider();
    test::dragMouse(size, size->knob(size->value()), size->knob(2.5));
    CHECK(w.scene().actors[0].trial.size == Approx(2.5).margin(0.2));
}
