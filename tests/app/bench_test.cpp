// The real window, driven by clicks, drags and keys.
#include "app/bench/bench.h"

#include <QApplication>
#include <QDropEvent>
#include <QListWidget>
#include <QMimeData>
#include <QPushButton>
#include <QTest>
#include <catch2/catch.hpp>

#include "app/widgets/arithmetic.h"
#include "tests/app/window.h"

using namespace nutatio;
using namespace nutatio::app;
using test::kDemo;
using test::kOtter;
using test::TempFolder;
using test::waitFor;
using test::Window;

TEST_CASE("five actions: open, click the tail's root, C, add Strand, play, then the slider moves the playing tail") {
    Window w;
    CHECK(w.bench.session().step() == StepId::Attach);
    w.clickJoint("tail_01");
    REQUIRE(w.bench.session().selection().joints == std::vector<int>{w.joint("tail_01")});
    w.key(Qt::Key_C);
    CHECK(w.bench.session().selection().joints.size() == 10);
    w.clickButton("add-strand");
    REQUIRE(w.scene().layers.size() == 1);
    CHECK(w.scene().layers[0].kind == "strand");
    CHECK(w.scene().layers[0].list("root") == std::vector<std::string>{"tail_01"});
    CHECK(w.scene().layers[0].text("tip").empty());
    CHECK(w.bench.session().step() == StepId::Tune);
    w.settle();
    const Vec3 before = w.tailTip();
    w.key(Qt::Key_Space);
    CHECK(w.bench.session().isPlaying());
    REQUIRE(waitFor([&] { return w.bench.session().frame() > 3; }));
    w.drag("swing", 0.8);
    CHECK(w.bench.session().isPlaying());
    CHECK(w.scene().layers[0].number("swing") == Approx(0.8).margin(0.15));
    w.settle();
    CHECK((w.tailTip() - before).norm() > 0.01);
    CHECK_THAT(w.bench.statusText().toStdString(), Catch::Contains("ms"));
    // One drag is one step back.
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().layers[0].number("swing") == 2);
    w.settle();
    CHECK((w.tailTip() - before).norm() < 1e-12);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().layers.empty());
    w.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(w.scene().layers.size() == 1);
}

TEST_CASE("the stage shows something, and the view obeys the mouse") {
    Window w;
    const QImage picture = w.bench.stage()->grab().toImage();
    QSet<QRgb> colours;
    for (int y = 0; y < picture.height(); y += 7)
        for (int x = 0; x < picture.width(); x += 7) colours.insert(picture.pixel(x, y));
    CHECK(colours.size() > 100);
    const Camera before = w.bench.stage()->camera();
    const auto dragged = [&](Qt::MouseButton button) {
        QTest::mousePress(w.bench.stage(), button, Qt::NoModifier, QPoint(200, 200));
        QMouseEvent move(QEvent::MouseMove, QPointF(260, 230), w.bench.stage()->mapToGlobal(QPointF(260, 230)), Qt::NoButton,
                         button, Qt::NoModifier);
        QApplication::sendEvent(w.bench.stage(), &move);
        QTest::mouseRelease(w.bench.stage(), button, Qt::NoModifier, QPoint(260, 230));
    };
    dragged(Qt::RightButton);
    CHECK(w.bench.stage()->camera().heading != before.heading);
    CHECK((w.bench.stage()->camera().target - before.target).norm() == 0);
    dragged(Qt::MiddleButton);
    CHECK((w.bench.stage()->camera().target - before.target).norm() > 0.01);
    QWheelEvent wheel(QPointF(200, 200), w.bench.stage()->mapToGlobal(QPointF(200, 200)), {}, {0, 240}, Qt::NoButton,
                      Qt::NoModifier, Qt::NoScrollPhase, false);
    QApplication::sendEvent(w.bench.stage(), &wheel);
    CHECK(w.bench.stage()->camera().distance < before.distance);
    w.bench.session().selectJoint("otter", w.joint("lantern"));
    w.key(Qt::Key_F);
    w.settle();
    const auto at = w.bench.stage()->jointPixel("otter", w.joint("lantern"));
    REQUIRE(at);
    CHECK(std::abs(at->x() - w.bench.stage()->width() / 2.0) < 3);
    CHECK(std::abs(at->y() - w.bench.stage()->height() / 2.0) < 3);
}

TEST_CASE("a click on the skin selects the joint that moves it, a click on empty ground selects nothing") {
    Window w;
    w.key(Qt::Key_J);  // joints out of the way
    CHECK_FALSE(w.bench.stage()->jointsShown());
    w.clickJoint("tail_05");
    REQUIRE(w.bench.session().selection().joints.size() == 1);
    const std::string& name = w.scene().actors[0].actor->skeleton.joint(w.bench.session().selection().joints[0]).name;
    CHECK(name.rfind("tail_", 0) == 0);
    QTest::mouseClick(w.bench.stage(), Qt::LeftButton, Qt::NoModifier, QPoint(5, 5));
    CHECK(w.bench.session().selection().joints.empty());
}

TEST_CASE("the roster finds joints, and selecting there is selecting on the stage") {
    Window w;
    auto* search = w.bench.roster()->findChild<QLineEdit*>();
    QTest::mouseClick(search, Qt::LeftButton);
    QTest::keyClicks(search, "ear_tip_L");
    QTreeWidget *tree = w.bench.roster()->tree(), *found = w.bench.roster()->found();
    const auto click = [](QTreeWidget* in, QTreeWidgetItem* item) {
        in->scrollToItem(item);
        QTest::mouseClick(in->viewport(), Qt::LeftButton, Qt::NoModifier, in->visualItemRect(item).center());
    };
    // What is found stands in one flat list.
    CHECK(found->isVisible());
    CHECK_FALSE(tree->isVisible());
    REQUIRE(found->topLevelItemCount() == 1);
    CHECK(found->topLevelItem(0)->text(0) == "ear_tip_L");
    click(found, found->topLevelItem(0));
    CHECK(w.bench.session().selection().joints == std::vector<int>{w.joint("ear_tip_L")});
    // The arrow goes on into it; what is not there is told.
    search->setFocus();
    QTest::keyClick(search, Qt::Key_Down);
    CHECK(QApplication::focusWidget() == found);
    search->clear();
    QTest::keyClicks(search, "zzz");
    REQUIRE(found->topLevelItemCount() == 1);
    CHECK_FALSE(found->topLevelItem(0)->flags().testFlag(Qt::ItemIsSelectable));
    search->clear();
    CHECK(tree->isVisible());
    // Parts stand before the raw joints; one click takes all of one.
    QTreeWidgetItem *parts = tree->findItems("Parts", Qt::MatchExactly | Qt::MatchRecursive)[0],
                    *joints = tree->findItems("Joints", Qt::MatchExactly | Qt::MatchRecursive)[0];
    CHECK(parts->parent()->indexOfChild(parts) < joints->parent()->indexOfChild(joints));
    for (int i = 0; i < parts->childCount(); ++i)
        if (parts->child(i)->text(0) == "tail") click(tree, parts->child(i));
    CHECK(w.bench.session().selection().joints.size() == 10);
    CHECK(w.bench.session().selection().joints.front() == w.joint("tail_01"));
    // A double click on a clip plays that one.
    search->clear();
    QTreeWidgetItem* clip = tree->findItems("Idle", Qt::MatchExactly | Qt::MatchRecursive)[0];
    tree->scrollToItem(clip);
    const QPoint at = tree->visualItemRect(clip).center();
    QTest::mouseClick(tree->viewport(), Qt::LeftButton, Qt::NoModifier, at);
    QTest::mouseDClick(tree->viewport(), Qt::LeftButton, Qt::NoModifier, at);
    CHECK(test::played(w.scene()) == "Idle");
    CHECK(w.bench.document().frames() == 97);
}

TEST_CASE("values can be typed as sums, are clamped, refused and reset") {
    Window w(kDemo);
    w.bench.session().selectLayer("tail");
    const auto swing = [&] { return w.scene().layer("tail")->number("swing"); };
    QLineEdit* field = w.bench.tuner()->row("swing")->field();
    const auto type = [&](const char* text) {
        QTest::mouseClick(field, Qt::LeftButton);
        field->selectAll();
        QTest::keyClicks(field, text);
        QTest::keyClick(field, Qt::Key_Return);
    };
    type("2*1.5");
    CHECK(swing() == 3.0);
    type("1e9");
    CHECK(swing() == 3.0);  // not a sum we read
    type("900");
    CHECK(swing() == 60.0);
    type("soon");
    CHECK(swing() == 60.0);
    // Letters typed into a field are text, not commands.
    CHECK_FALSE(w.scene().layer("tail")->solo);
    auto* label = w.bench.tuner()->row("swing")->findChild<QLabel*>();
    QTest::mouseDClick(label, Qt::LeftButton);
    CHECK(swing() == 2.0);
}

TEST_CASE("sums") {
    CHECK(arithmetic("2*1.5") == 3.0);
    CHECK(arithmetic(" 1 + 2*3 - 4/8 ") == 6.5);
    CHECK(arithmetic("-(2+3)*2") == -10.0);
    CHECK(arithmetic("1,5") == 1.5);
    for (const char* bad : {"", "x", "1+", "(1", "1)", "1..2", "1/0", "--", "2**3"})
        CHECK_FALSE(arithmetic(QString::fromLatin1(bad)));
    CHECK_FALSE(arithmetic(QString(5000, u'(')));
}

TEST_CASE("lanes mute, solo and mix, the ruler and the keys move the play-head") {
    Window w(kDemo);
    const Vec3 swung = w.tailTip();
    QTest::mouseClick(w.toolNamed("Mute tail"), Qt::LeftButton);
    CHECK(w.scene().layer("tail")->muted);
    w.settle();
    const Vec3 stiff = w.tailTip();
    CHECK((stiff - swung).norm() > 1e-3);
    w.bench.session().selectLayer("tail");
    w.key(Qt::Key_M);
    CHECK_FALSE(w.scene().layer("tail")->muted);
    w.key(Qt::Key_S);
    CHECK(w.scene().layer("tail")->solo);
    w.key(Qt::Key_S);
    Lane* lane = w.bench.tape()->lane("tail");
    auto* mix = lane->findChild<Slider*>();
    QTest::mousePress(mix, Qt::LeftButton, Qt::NoModifier, mix->knob(100));
    QTest::mouseMove(mix, mix->knob(50));
    QTest::mouseRelease(mix, Qt::LeftButton, Qt::NoModifier, mix->knob(50));
    CHECK(w.scene().layer("tail")->number("mix") == Approx(0.5).margin(0.05));
    w.settle();
    CHECK((w.tailTip() - stiff).norm() < (swung - stiff).norm());

    Ruler* ruler = w.bench.tape()->ruler();
    const FrameScale scale = ruler->scale();
    QTest::mouseClick(ruler, Qt::LeftButton, Qt::NoModifier, QPoint(static_cast<int>(scale.x(20)), 10));
    CHECK(w.bench.session().frame() == 20);
    w.key(Qt::Key_Right);
    CHECK(w.bench.session().frame() == 21);
    w.key(Qt::Key_Left, Qt::ShiftModifier);
    CHECK(w.bench.session().frame() == 11);
    w.key(Qt::Key_Home);
    CHECK(w.bench.session().frame() == 0);
    w.key(Qt::Key_Left);
    CHECK(w.bench.session().frame() == 0);
    w.key(Qt::Key_End);
    CHECK(w.bench.session().frame() == 28);
    QTest::mouseClick(lane, Qt::LeftButton, Qt::NoModifier, QPoint(kStackWidth + 200, 18));
    CHECK(w.bench.session().frame() != 28);
}

TEST_CASE("play stops at the end when it does not loop, and runs on when it does") {
    Window w(kDemo);
    w.bench.session().setLoops(false);
    w.bench.session().setFrame(20);
    w.key(Qt::Key_Space);
    REQUIRE(waitFor([&] { return !w.bench.session().isPlaying(); }));
    CHECK(w.bench.session().frame() == 28);
    w.bench.session().setLoops(true);
    w.bench.session().setFrame(25);
    w.key(Qt::Key_Space);
    REQUIRE(waitFor([&] { return w.bench.session().frame() < 20; }));
    CHECK(w.bench.session().isPlaying());
    w.key(Qt::Key_Space);
    CHECK_FALSE(w.bench.session().isPlaying());
}

TEST_CASE("any command is found by its words") {
    Window w;
    w.clickJoint("tail_01");
    w.key(Qt::Key_K, Qt::ControlModifier);
    auto* palette = w.bench.findChild<Palette*>();
    REQUIRE(palette->isVisible());
    auto* field = palette->findChild<QLineEdit*>();
    QTest::keyClicks(field, "jig sel");
    CHECK(palette->findChild<QListWidget*>()->count() == 1);
    QTest::keyClick(field, Qt::Key_Return);
    REQUIRE(w.scene().layers.size() == 1);
    CHECK(w.scene().layers[0].kind == "jiggle");
    CHECK_FALSE(palette->isVisible());
    // What cannot be done now is greyed, says why, and Enter does not do it.
    w.bench.session().select({});
    w.key(Qt::Key_K, Qt::ControlModifier);
    QTest::keyClicks(field, "add strand");
    REQUIRE(palette->list()->count() == 1);
    CHECK(palette->list()->item(0)->toolTip().contains(QStringLiteral("no joint")));
    QTest::keyClick(field, Qt::Key_Return);
    CHECK(w.scene().layers.size() == 1);
    field->clear();
    QTest::keyClicks(field, "zzz");
    CHECK(palette->list()->item(0)->text().contains(QStringLiteral("Nothing")));
    QTest::keyClick(field, Qt::Key_Escape);
    CHECK_FALSE(palette->isVisible());
}

TEST_CASE("B shows the body while it is held, G its ghost") {
    Window w(kDemo);
    const QImage with = w.bench.stage()->grab().toImage();
    QTest::keyPress(&w.bench, Qt::Key_B);
    CHECK(w.bench.session().bodyHeld());
    const QImage held = w.bench.stage()->grab().toImage();
    CHECK(held != with);
    QTest::keyRelease(&w.bench, Qt::Key_B);
    CHECK_FALSE(w.bench.session().bodyHeld());
    CHECK(w.bench.stage()->grab().toImage() == with);
    w.key(Qt::Key_G);
    CHECK(w.bench.session().ghost());
    CHECK(w.bench.stage()->grab().toImage() != with);
}

TEST_CASE("the Scope tells the selected layer's figures and follows its settings") {
    Window w(kDemo);
    w.bench.session().selectLayer("ears");
    Scope* scope = w.bench.tuner()->scope();
    REQUIRE(waitFor([&] { return scope->response().has_value(); }));
    CHECK(scope->response()->swing == Approx(4.5).epsilon(0.01));
    CHECK_THAT(scope->words().toStdString(),
               Catch::Contains("swings/s") && Catch::Contains("bounces") && Catch::Contains("rests in"));
    w.drag("swing", 8);
    const double asked = w.scene().layer("ears")->number("swing");
    CHECK(asked > 7);
    CHECK(waitFor([&] { return scope->response() && std::abs(scope->response()->swing / asked - 1) < 0.01; }));
}

TEST_CASE("strands take a root and a tip, several roots, or all below one root") {
    Window w;
    w.clickJoint("tail_02");
    w.clickJoint("tail_06", Qt::ControlModifier);
    CHECK(w.bench.session().selection().joints.size() == 2);
    w.bench.action("add-strand")->trigger();
    CHECK(w.scene().layers[0].list("root") == std::vector<std::string>{"tail_02"});
    CHECK(w.scene().layers[0].text("tip") == "tail_06");
    w.bench.session().select({"otter", {w.joint("scarf_L_01"), w.joint("scarf_R_01")}, {}, {}});
    w.bench.action("add-strand")->trigger();
    CHECK(w.scene().layers[1].list("root").size() == 2);
    // The layer's own row can take the selection afresh.
    w.bench.session().selectJoint("otter", w.joint("tail_03"));
    w.bench.session().selectLayer(w.scene().layers[0].id);
    QTest::mouseClick(w.toolNamed("Group: Joints"), Qt::LeftButton);
    QApplication::processEvents();
    QTest::mouseClick(w.toolNamed("Root from the selection"), Qt::LeftButton);
    CHECK(w.scene().layers[0].list("root") == std::vector<std::string>{"tail_03"});
}

TEST_CASE("colliders are laid on a joint, tuned, switched off and removed") {
    Window w(kDemo);
    w.bench.session().setStep(StepId::Attach);
    w.bench.session().selectJoint("otter", w.joint("thigh_L"));
    QTest::mouseClick(w.buttonSaying("Capsule"), Qt::LeftButton);
    REQUIRE(w.scene().colliders.size() == 4);
    const std::string id = w.scene().colliders.back().id;
    CHECK(w.bench.session().selection().collider == id);
    CHECK(w.scene().collider(id)->mount.joint == "thigh_L");
    CHECK(w.bench.roster()->tree()->findItems("thigh_L", Qt::MatchExactly | Qt::MatchRecursive).size() == 2);
    const double before = w.scene().collider(id)->number("radius");
    w.drag("radius", before * 2);
    CHECK(w.scene().collider(id)->number("radius") > before * 1.5);
    w.bench.action("item-on")->trigger();
    CHECK_FALSE(w.scene().collider(id)->on);
    w.key(Qt::Key_Delete);
    CHECK(w.scene().colliders.size() == 3);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().colliders.size() == 4);
}

TEST_CASE("a dropped file opens, a broken one says why and loses nothing") {
    Window w(kDemo);
    TempFolder f;
    test::put(f / "broken.gltf", "{\"asset\":{\"version\":\"2.0\"},\"nodes\":[{\"children\":[4]}]}");
    const auto drop = [&](const QString& path) {
        QMimeData data;
        data.setUrls({QUrl::fromLocalFile(path)});
        QDragEnterEvent enter(QPoint(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&w.bench, &enter);
        REQUIRE(enter.isAccepted());
        QDropEvent e(QPointF(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&w.bench, &e);
    };
    drop(QString::fromStdString((f / "broken.gltf").string()));
    REQUIRE(waitFor([&] { return !w.bench.notice()->text().isEmpty(); }));
    CHECK_THAT(w.bench.notice()->text().toStdString(), Catch::Contains("broken.gltf") && Catch::Contains("no node 4"));
    CHECK(w.scene().layers.size() == 3);
    drop(kOtter);
    REQUIRE(waitFor([&] { return w.scene().layers.empty(); }));
    CHECK(w.bench.notice()->text().isEmpty());
    // Unsaved work is asked about first.
    w.settle();
    w.clickJoint("tail_01");
    w.bench.action("add-strand")->trigger();
    drop(kDemo);
    CHECK_THAT(w.bench.notice()->text().toStdString(), Catch::Contains("not saved"));
    CHECK(w.scene().layers.size() == 1);
    QTest::mouseClick(w.buttonSaying("Leave them unsaved"), Qt::LeftButton);
    REQUIRE(waitFor([&] { return w.scene().layers.size() == 3; }));
}

TEST_CASE("a scene saved by key opens again as it was, and closing asks about what is not saved") {
    TempFolder f;
    const QString path = QString::fromStdString((f / "mine.nutatio").string());
    Window w(kDemo);
    REQUIRE(w.bench.document().save(path));
    w.bench.session().selectLayer("tail");
    w.drag("gravity", 1.2);
    CHECK(w.bench.document().isModified());
    CHECK(w.bench.windowTitle().contains("*"));
    CHECK_FALSE(w.bench.close());
    CHECK_THAT(w.bench.notice()->text().toStdString(), Catch::Contains("not saved"));
    w.key(Qt::Key_S, Qt::ControlModifier);
    CHECK_FALSE(w.bench.document().isModified());
    const scene::Values kept = w.scene().layer("tail")->values;
    Window again(path);
    CHECK(again.scene().layer("tail")->values == kept);
    CHECK(again.tailTip() == w.tailTip());
    CHECK(w.bench.close());
}

TEST_CASE("work left behind by a crash is offered and comes back") {
    TempFolder f;
    const QString folder = QString::fromStdString(f.path().string());
    {
        Window w(kDemo, folder);
        w.bench.session().selectLayer("tail");
        w.drag("gravity", 1.5);
        REQUIRE(waitFor([&] { return !QDir(folder).entryList({"unsaved-*.nutatio"}).isEmpty(); }));
        // As if the process had died: its file stays, and nobody holds its lock.
        const QString mine = QDir(folder).filePath(QDir(folder).entryList({"unsaved-*.nutatio"})[0]);
        REQUIRE(QFile::copy(mine, QDir(folder).filePath("unsaved-gone.nutatio")));
    }
    // A start with a file does not hide the offer.
    Window next(kOtter, folder);
    CHECK_THAT(next.bench.recovery()->text().toStdString(), Catch::Contains("ended unexpectedly"));
    QTest::mouseClick(next.buttonSaying("Bring it back"), Qt::LeftButton);
    REQUIRE(next.scene().layers.size() == 3);
    CHECK(next.scene().layer("tail")->number("gravity") == Approx(1.5).margin(0.1));
    CHECK(next.bench.document().isModified());
    CHECK_FALSE(QFile::exists(QDir(folder).filePath("unsaved-gone.nutatio")));
}

TEST_CASE("hand-off writes a file that opens with the motion in it, and can be stopped") {
    TempFolder f;
    Window w(kDemo);
    QTest::mouseClick(w.toolNamed("Step: Hand off"), Qt::LeftButton);
    HandOff* h = w.bench.handoff();
    REQUIRE(h->isVisible());
    bool finished = false, written = false;
    QObject::connect(h, &HandOff::finished, h, [&](bool ok) {
        finished = true;
        written = ok;
    });
    const auto bakeTo = [&](const std::filesystem::path& path) {
        finished = false;
        h->file()->setText(QString::fromStdString(path.string()));
        QTest::mouseClick(h->bakeButton(), Qt::LeftButton);
    };
    bakeTo(f / "out.glb");
    REQUIRE(waitFor([&] { return finished; }));
    INFO(h->outcome()->text().toStdString());
    REQUIRE(written);
    // What was written is told once; a field that changes tells what would be written again.
    CHECK(h->planned().isEmpty());
    const auto out = test::read(f / "out.glb");
    CHECK(out->clips.size() == 3);
    CHECK(out->clips[0].channels.size() > w.scene().actors[0].actor->clips[0].channels.size());
    bakeTo(f / "no/such/out.glb");
    REQUIRE(waitFor([&] { return finished; }));
    CHECK_FALSE(written);
    CHECK_THAT(h->outcome()->text().toStdString(), Catch::Contains("cannot be written"));
    bakeTo(f / "stopped.glb");
    QTest::mouseClick(h->cancelButton(), Qt::LeftButton);
    REQUIRE(waitFor([&] { return finished; }));
    // It says what became of it, and that is so.
    CHECK(written == std::filesystem::exists(f / "stopped.glb"));
    CHECK(h->outcome()->text().contains(QStringLiteral("Nothing was written")) != written);
    CHECK_FALSE(h->busy());
    CHECK(h->bakeButton()->isEnabled());
}

TEST_CASE("another actor is brought in beside the first, and undone") {
    Window w;
    w.bench.document().bringIn(QString::fromStdString(test::sourceFolder() + "/demo/assets/jetty.glb"));
    REQUIRE(waitFor([&] { return w.scene().actors.size() == 2; }));
    w.settle();
    CHECK(w.bench.roster()->tree()->topLevelItemCount() == 2);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().actors.size() == 1);
}

TEST_CASE("every control has an accessible name, and the keyboard reaches every step") {
    Window w(kDemo);
    w.bench.session().selectLayer("tail");
    for (QWidget* c : w.bench.findChildren<QWidget*>()) {
        if (!c->isVisible() || c->focusPolicy() == Qt::NoFocus ||
            !(qobject_cast<QToolButton*>(c) || qobject_cast<QLineEdit*>(c) || qobject_cast<Slider*>(c) ||
              qobject_cast<QComboBox*>(c)))
            continue;
        if (c->parentWidget() && qobject_cast<QLineEdit*>(c->parentWidget())) continue;  // a field's own clear button
        INFO(c->metaObject()->className() << " in " << c->parentWidget()->metaObject()->className());
        auto* tool = qobject_cast<QToolButton*>(c);
        CHECK_FALSE((c->accessibleName().isEmpty() && (!tool || tool->text().isEmpty())));
    }
    w.key(Qt::Key_1, Qt::ControlModifier);
    CHECK(w.bench.session().step() == StepId::Prepare);
    w.key(Qt::Key_2, Qt::ControlModifier);
    CHECK(w.bench.session().step() == StepId::Attach);
    w.key(Qt::Key_3, Qt::ControlModifier);
    CHECK(w.bench.session().step() == StepId::Tune);
    w.key(Qt::Key_E, Qt::ControlModifier);
    CHECK(w.bench.session().step() == StepId::HandOff);
}

TEST_CASE("a slow scene still lets results through while edits stream in, and the newest wins") {
    NewestWins runner;
    std::vector<int> delivered;
    std::atomic<int> running{-1}, cancelled{0};
    std::atomic<bool> go{false};
    const auto ask = [&](int k) {
        runner.ask([&, k](const Cancel& cancel) -> NewestWins::Deliver {
            running = k;
            while (!go) {
                if (cancel.asked()) {
                    ++cancelled;
                    throw Cancelled{};
                }
                std::this_thread::yield();
            }
            return [&delivered, k] { delivered.push_back(k); };
        });
    };
    // Nothing has been shown for longer than its patience: what runs may end, although newer ones wait.
    ask(0);
    REQUIRE(waitFor([&] { return running == 0; }));
    QTest::qWait(200);
    ask(1);
    ask(2);
    CHECK(cancelled == 0);
    go = true;
    REQUIRE(waitFor([&] { return delivered.size() == 2; }));
    CHECK(delivered == std::vector<int>{0, 2});  // the older answer, then the newest; what lay between is never run
    // Just after one was shown a newer one takes the place of what runs.
    go = false;
    ask(3);
    REQUIRE(waitFor([&] { return running == 3; }));
    ask(4);
    REQUIRE(waitFor([&] { return running == 4; }));
    CHECK(cancelled == 1);
    go = true;
    REQUIRE(waitFor([&] { return delivered.size() == 3; }));
    CHECK(delivered.back() == 4);
}

TEST_CASE("a set piece is made, picked and dragged on the stage, hidden, copied, removed and undone") {
    Window w(kDemo);
    w.bench.session().setStep(StepId::Attach);
    w.clickButton("do-piece-block");
    REQUIRE(w.scene().actors.size() == 3);
    const std::string id = w.scene().actors.back().id;
    CHECK(w.bench.session().selection().owner() == scene::Owner{scene::List::Actors, id});
    REQUIRE(w.bench.tuner()->row("size_x"));
    CHECK(w.bench.tuner()->row("across") == nullptr);
    w.settle();
    const auto at = [&](const char* setting) { return w.scene().actor(id)->number(setting); };
    const double x = at("place_x"), height = at("size_y");
    // By its handles: where it stands, and how high.
    Stage* stage = w.bench.stage();
    const QPoint middle = stage->handlePixel(Stage::Handle::Move)->toPoint(),
                 top = stage->handlePixel(Stage::Handle::SizeY)->toPoint();
    test::dragMouse(stage, middle, middle + QPoint(60, 0));
    CHECK(at("place_x") > x + 0.05);
    w.settle();
    const QPoint now = stage->handlePixel(Stage::Handle::SizeY)->toPoint();
    test::dragMouse(stage, now, now - QPoint(0, 50));
    CHECK(at("size_y") > height + 0.05);
    CHECK(w.scene().actor(id)->actor->high.y() == Approx(at("size_y")).margin(1e-5));
    CHECK(top != now);
    // Another form of it is another body.
    w.settle();
    auto* form = w.bench.tuner()->row("form")->choice();
    form->setCurrentText(QStringLiteral("ramp"));
    Q_EMIT form->activated(form->currentIndex());
    CHECK(w.scene().actor(id)->text("form") == "ramp");
    // A click beside it deselects, one on it picks the piece and no joint.
    w.settle();
    const QPoint body =
        ((stage->handlePixel(Stage::Handle::SizeY).value() + stage->handlePixel(Stage::Handle::Move).value()) / 2).toPoint();
    QTest::mouseClick(stage, Qt::LeftButton, Qt::NoModifier, QPoint(5, 5));
    CHECK(w.bench.session().selection() == Selection{});
    QTest::mouseClick(stage, Qt::LeftButton, Qt::NoModifier, body);
    CHECK(w.bench.session().selection().actor == id);
    CHECK(w.bench.session().selection().joints.empty());
    // Hidden it is neither seen nor picked.
    w.bench.action("item-on")->trigger();
    CHECK(w.scene().actor(id)->hidden);
    w.settle();
    QTest::mouseClick(stage, Qt::LeftButton, Qt::NoModifier, body);
    CHECK(w.bench.session().selection().actor != id);
    w.bench.session().selectActor(id);
    w.bench.action("duplicate")->trigger();
    CHECK(w.scene().actors.size() == 4);
    w.bench.action("remove")->trigger();
    CHECK(w.scene().actors.size() == 3);
    while (w.bench.document().canUndo()) w.bench.document().undo();
    CHECK(w.scene().actors.size() == 2);
}
