// The window: no work is lost, nothing said is untrue, keys go where they belong.
#include <QApplication>
#include <QComboBox>
#include <QImage>
#include <QPushButton>
#include <QTest>
#include <QSignalSpy>
#include <QTreeWidget>
#include <catch2/catch.hpp>
#include <filesystem>

#include "files/scene_file.h"
#include "pipeline/open.h"
#include "tests/app/window.h"

using namespace nutatio;
using namespace nutatio::app;
using test::kDemo;
using test::kOtter;
using test::TempFolder;
using test::waitFor;
using test::Window;
namespace fs = std::filesystem;

namespace {

const QString kDeckhand = QString::fromStdString(test::sourceFolder() + "/demo/assets/deckhand.bvh");
const QString kJetty = QString::fromStdString(test::sourceFolder() + "/demo/assets/jetty.glb");

void bringIn(Window& w, const QString& file) {
    const std::size_t n = w.scene().actors.size();
    w.bench.document().bringIn(file);
    REQUIRE(waitFor([&] { return w.scene().actors.size() > n; }));
    w.settle();
}

/// Pulls a joint about for a while, and until enough steps were lived through for a clip, however busy the machine.
void tug(Window& w, const std::string& actor, int joint, int milliseconds = 400) {
    Tug& t = w.bench.stage()->tug();
    t.grab(actor, joint, false);
    QSignalSpy lived(&t, &Tug::moved);
    QElapsedTimer since;
    since.start();
    for (int k = 0; since.elapsed() < milliseconds || (lived.count() < 15 && since.elapsed() < 30000); ++k) {
        t.pull(Vec3(0.3 + 0.02 * k, 1, 0.2));
        QTest::qWait(10);
    }
    t.letGo();
}

QString saved(const TempFolder& f, Window& w) {
    const QString path = QString::fromStdString((f / "s.nutatio").string());
    REQUIRE(files::writeScene(w.scene(), path.toStdString()).ok());
    return path;
}

void putMark(const QString& path, const char* text) {
    QFile file(path);
    REQUIRE(file.open(QIODevice::WriteOnly));
    file.write(text);
}

}  // namespace

TEST_CASE("two actors of one file are drawn each in its own pose") {
    Window w;
    bringIn(w, kOtter);
    REQUIRE(w.scene().actors.size() == 2);
    // The second one stands in its rest pose, far from the first one's: with one's vertices for both the two would look the same.
    const auto picture = [&](const std::string& first, const std::string& second) {
        w.bench.document().edit(QStringLiteral("clips"), [&](scene::Scene& s) {
            test::play(s, first);
            test::play(s, second, 1);
        });
        w.bench.session().setFrame(14);
        w.settle();
        return w.bench.stage()->grab().toImage();
    };
    const QImage walks = picture("Walk", "Walk"), stands = picture("Idle", "Idle"), both = picture("Walk", "Idle");
    CHECK(both != walks);
    CHECK(both != stands);
    // Whichever comes first, both poses are there.
    CHECK(picture("Idle", "Walk") != stands);
}

TEST_CASE("a texture that is exported again is the one that is drawn") {
    TempFolder f;
    const auto write = [&](QRgb colour) {
        QImage image(4, 4, QImage::Format_RGB32);
        image.fill(colour);
        image.save(QString::fromStdString((f / "skin.png").string()));
    };
    const float places[] = {-1, 0, 0, 1, 0, 0, 0, 2, 0}, uv[] = {0, 0, 1, 0, 0, 1};
    QByteArray data(reinterpret_cast<const char*>(places), sizeof places);
    data.append(reinterpret_cast<const char*>(uv), sizeof uv);
    test::put(
        f / "card.gltf",
        R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":
              {"POSITION":0,"TEXCOORD_0":1},"material":0}]}],"materials":[{"doubleSided":true,"pbrMetallicRoughness":{"baseColorTexture":{"index":0}}}],
              "textures":[{"source":0}],"images":[{"uri":"skin.png"}],"buffers":[{"byteLength":60,"uri":"data:;base64,)" +
            data.toBase64().toStdString() +
            R"("}],"bufferViews":[{"buffer":0,"byteLength":36},{"buffer":0,"byteOffset":36,"byteLength":24}],
              "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[-1,0,0],"max":[1,2,0]},
              {"bufferView":1,"componentType":5126,"count":3,"type":"VEC2"}]})");
    write(qRgb(200, 30, 30));
    const QString file = QString::fromStdString((f / "card.gltf").string());
    Window w(file);
    const QImage red = w.bench.stage()->grab().toImage();
    write(qRgb(30, 30, 200));
    bool opened = false;
    QObject::connect(&w.bench.document(), &Document::opened, &w.bench, [&] { opened = true; });
    w.bench.open(file);
    REQUIRE(waitFor([&] { return opened; }));
    w.settle();
    CHECK(w.bench.stage()->grab().toImage() != red);
}

TEST_CASE("edits that are made while a file loads are asked about, not lost") {
    Window w(kDemo);
    w.bench.open(kOtter);
    // The load is under way; its answer has not been delivered.
    w.bench.session().selectLayer("tail");
    w.drag("gravity", 1.4);
    const double gravity = w.scene().layer("tail")->number("gravity");
    REQUIRE(waitFor([&] { return w.bench.notice()->text().contains(QStringLiteral("otter.glb is ready")); }));
    CHECK(w.scene().layers.size() == 3);
    CHECK(w.scene().layer("tail")->number("gravity") == gravity);
    QTest::mouseClick(w.buttonSaying(QStringLiteral("Leave them unsaved")), Qt::LeftButton);
    CHECK(w.scene().layers.empty());
}

TEST_CASE("of two files asked for one after the other only the later one is shown") {
    Window w;
    std::vector<std::string> shown;
    QObject::connect(&w.bench.document(), &Document::replaced, &w.bench, [&] { shown.push_back("replaced"); });
    QObject::connect(&w.bench.document(), &Document::opened, &w.bench, [&] { shown.push_back(w.scene().actors.front().name); });
    w.bench.open(kDemo);
    w.bench.open(kDeckhand);
    REQUIRE(waitFor([&] { return !shown.empty() && shown.back() == "deckhand"; }));
    CHECK(shown == std::vector<std::string>{"replaced", "deckhand"});
    // Actors that are brought in one after the other all come.
    w.bench.document().bringIn(kOtter);
    w.bench.document().bringIn(kJetty);
    REQUIRE(waitFor([&] { return w.scene().actors.size() == 3; }));
}

TEST_CASE("an exception in a worker is said, and the bench goes on") {
    NewestWins runner;
    QStringList said;
    QObject::connect(&runner, &NewestWins::failed, &runner, [&](const QString& s) { said << s; });
    int delivered = 0;
    runner.ask([](const Cancel&) -> NewestWins::Deliver { throw std::length_error("too long"); });
    REQUIRE(waitFor([&] { return said.size() == 1; }));
    CHECK(said[0] == QStringLiteral("too long"));
    runner.ask([](const Cancel&) -> NewestWins::Deliver { throw 7; });
    REQUIRE(waitFor([&] { return said.size() == 2; }));
    runner.ask([&](const Cancel&) -> NewestWins::Deliver { return [&] { ++delivered; }; });
    REQUIRE(waitFor([&] { return delivered == 1; }));
    // What was stopped is not delivered, even when it had finished.
    runner.ask([&](const Cancel&) -> NewestWins::Deliver { return [&] { delivered = 100; }; });
    runner.stop();
    REQUIRE(waitFor([&] { return !runner.busy(); }));
    QApplication::processEvents();
    CHECK(delivered == 1);
    // The real bench, with a shot that no file of its size may ask for.
    TempFolder f;
    test::put(
        f / "long.bvh",
        "HIERARCHY\nROOT r\n{\nOFFSET 0 1 0\nCHANNELS 3 Xrotation Yrotation Zrotation\nJOINT k\n{\nOFFSET 0 1 0\nCHANNELS 3 "
        "Xrotation Yrotation Zrotation\nEnd Site\n{\nOFFSET 0 1 0\n}\n}\n}\nMOTION\nFrames: 2\nFrame Time: 80000\n0 0 0 0 0 0\n9 "
        "9 9 9 9 9\n");
    Window w;
    w.bench.open(QString::fromStdString((f / "long.bvh").string()));
    REQUIRE(waitFor([&] { return w.bench.notice()->text().contains(QStringLiteral("more than a file of its size")); }));
    w.bench.open(kOtter);
    REQUIRE(waitFor([&] { return w.scene().actors[0].name == "otter"; }));
    w.settle();
}

TEST_CASE("undoing a bring-in while it is tugged and recorded ends the tug") {
    Window w(kDeckhand);
    bringIn(w, kOtter);
    Tug& t = w.bench.stage()->tug();
    t.setRecording(true);
    tug(w, "otter", 20);
    REQUIRE(t.isLive());
    w.bench.document().undo();
    CHECK_FALSE(t.isLive());
    CHECK(w.scene().actors.size() == 1);
    QApplication::processEvents();
    CHECK_FALSE(t.isRecording());
}

TEST_CASE("pulling a second actor while recording keeps a clip of each, and the scene opens again") {
    TempFolder f;
    Window w(kDeckhand);
    bringIn(w, kOtter);
    Tug& t = w.bench.stage()->tug();
    const int stick = w.scene().actors[0].actor->skeleton.size(), otter = w.scene().actors[1].actor->skeleton.size();
    REQUIRE(stick != otter);
    t.setRecording(true);
    tug(w, w.scene().actors[0].id, 6);
    tug(w, w.scene().actors[1].id, 20);
    t.setRecording(false);
    CHECK(test::played(w.scene(), 0) == "Tug 1");
    CHECK(test::played(w.scene(), 1) == "Tug 1");
    w.settle();
    const auto again = pipeline::open(saved(f, w).toStdString());
    REQUIRE(again.ok());
    CHECK(again.value().warnings.empty());
}

TEST_CASE("opening another file while a tug is recorded keeps the recording and asks") {
    Window w;
    Tug& t = w.bench.stage()->tug();
    t.setRecording(true);
    tug(w, "otter", 20);
    w.bench.open(kDeckhand);
    CHECK(test::played(w.scene(), 0) == "Tug 1");
    REQUIRE(w.bench.notice()->text().contains(QStringLiteral("not saved")));
    // Another skeleton under the same name: the hand lets go.
    QTest::mouseClick(w.buttonSaying(QStringLiteral("Leave them unsaved")), Qt::LeftButton);
    REQUIRE(waitFor([&] { return w.scene().actors[0].name == "deckhand"; }));
    CHECK_FALSE(t.isLive());
    CHECK(w.bench.session().lastJoint() == -1);
    CHECK(w.bench.session().lastActor().empty());
}

TEST_CASE("a tug is recorded by the clock, however slowly the stage draws") {
    Window w;
    Tug& t = w.bench.stage()->tug();
    // Each drawing takes a fifth of a second.
    QObject::connect(&t, &Tug::moved, &w.bench, [] { QThread::msleep(200); });
    t.setRecording(true);
    QElapsedTimer since;
    since.start();
    tug(w, "otter", 20, 1500);
    t.setRecording(false);
    const double lasted = static_cast<double>(since.elapsed()) / 1000;
    const rig::Actor& a = *w.scene().actors[0].actor;
    REQUIRE(test::played(w.scene(), 0) == "Tug 1");
    // The last drawing is over after the record is, and later still where the machine is busy; by its drawings the record would
    // be a sixth of a second.
    CHECK(a.clips.back().seconds() == Approx(lasted).margin(0.6));
    CHECK(w.bench.hint().contains(QStringLiteral("Space plays it")));
    CHECK_FALSE(w.bench.session().isPlaying());
}

TEST_CASE("a stream of edits does not put off the keeping of them, and each is kept within five seconds") {
    TempFolder f;
    const QString folder = QString::fromStdString(f.path().string());
    Window w(kDemo, folder);
    const auto kept = [&]() -> double {
        const QStringList files = QDir(folder).entryList({QStringLiteral("unsaved-*.nutatio")});
        if (files.isEmpty()) return -1;
        const auto opened = pipeline::open((folder + u'/' + files[0]).toStdString());
        return opened.ok() ? opened.value().scene.layer("tail")->number("gravity") : -1;
    };
    // Edits closer together than the keeper's wait.
    std::map<double, qint64> made;
    QElapsedTimer since;
    since.start();
    for (int k = 1; since.elapsed() < 5500; ++k) {
        const double gravity = 0.001 * k;
        w.bench.document().edit(QStringLiteral("edit"), [&](scene::Scene& s) { s.layer("tail")->values["gravity"] = gravity; });
        made[gravity] = since.elapsed();
        QTest::qWait(60);
        const double now = kept();
        const qint64 old = since.elapsed() - (made.count(now) ? made[now] : 0);
        REQUIRE(old < 5000);
    }
    CHECK(kept() > 0);
    // Saved work needs no keeping, and undoing back to it neither.
    REQUIRE(w.bench.document().save(QString::fromStdString((f / "s.nutatio").string())));
    CHECK(kept() == -1);
}

TEST_CASE("work of several crashes is offered one after the other, and opening a file leaves the offer alone") {
    TempFolder f;
    const QString folder = QString::fromStdString(f.path().string());
    Window w(kDemo);
    for (int k = 0; k < 2; ++k)
        REQUIRE(files::writeScene(w.scene(), (f / ("unsaved-" + std::to_string(k) + ".nutatio")).string()).ok());
    // One whose process lives is not offered.
    Keeper alive;
    alive.start(folder);
    alive.keep(w.scene());
    REQUIRE(alive.keepNow());
    Window next(kOtter, folder);
    CHECK(Keeper::leftBehind(folder).size() == 2);
    REQUIRE(next.bench.recovery()->isVisible());
    QTest::mouseClick(next.buttonSaying(QStringLiteral("Throw it away")), Qt::LeftButton);
    REQUIRE(next.bench.recovery()->isVisible());
    bool opened = false;
    QObject::connect(&next.bench.document(), &Document::opened, &next.bench, [&] { opened = true; });
    next.bench.open(kDeckhand);
    REQUIRE(waitFor([&] { return opened; }));
    CHECK(next.bench.recovery()->isVisible());
    QTest::mouseClick(next.buttonSaying(QStringLiteral("Bring it back")), Qt::LeftButton);
    CHECK(next.scene().layers.size() == 3);
    CHECK_FALSE(next.bench.recovery()->isVisible());
    CHECK(fs::exists(alive.file().toStdString()));
}

TEST_CASE("saving asks before it replaces a file, whoever wrote it") {
    TempFolder f;
    Window w(kDemo);
    const QString exist = QString::fromStdString((f / "exist.nutatio").string());
    putMark(exist, "somebody's");
    w.bench.askForFile = [&](const QString&, const QString&) { return QString::fromStdString((f / "exist").string()); };
    w.bench.action(QStringLiteral("save-as"))->trigger();
    CHECK(w.bench.notice()->text() == QStringLiteral("exist.nutatio is there already."));
    CHECK(test::textOf(f / "exist.nutatio") == "somebody's");
    w.bench.askForFile = [&](const QString&, const QString&) { return QString::fromStdString((f / "mine").string()); };
    QTest::mouseClick(w.buttonSaying(QStringLiteral("Save under another name")), Qt::LeftButton);
    CHECK(fs::exists(f / "mine.nutatio"));
    CHECK(test::textOf(f / "exist.nutatio") == "somebody's");
    // The same scene in two windows.
    const QString mine = QString::fromStdString((f / "mine.nutatio").string());
    Window other(mine);
    other.bench.session().selectLayer("tail");
    other.drag("gravity", 1.1);
    other.bench.action(QStringLiteral("save"))->trigger();
    const std::string theirs = test::textOf(f / "mine.nutatio");
    w.bench.session().selectLayer("tail");
    w.drag("bounces", 5);
    w.bench.action(QStringLiteral("save"))->trigger();
    CHECK(w.bench.notice()->text().contains(QStringLiteral("changed on disk")));
    CHECK(test::textOf(f / "mine.nutatio") == theirs);
    QTest::mouseClick(w.buttonSaying(QStringLiteral("Replace it")), Qt::LeftButton);
    CHECK(test::textOf(f / "mine.nutatio") != theirs);
    CHECK_FALSE(w.bench.document().isModified());
    // Its own file, untouched by others, is saved without a word.
    w.drag("bounces", 3);
    w.bench.action(QStringLiteral("save"))->trigger();
    CHECK_FALSE(w.bench.document().isModified());
}

TEST_CASE("the demo scene that ships is never written over: work on it goes elsewhere") {
    TempFolder f;
    Window w(kDemo);
    const std::string shipped = test::textOf(kDemo.toStdString());
    w.bench.session().selectLayer("tail");
    w.drag("gravity", 1.2);
    int asked = 0;
    w.bench.askForFile = [&](const QString&, const QString& suggested) {
        ++asked;
        CHECK_FALSE(suggested.startsWith(QFileInfo(kDemo).path()));
        return asked == 1 ? kDemo : QString::fromStdString((f / "mine.nutatio").string());
    };
    w.key(Qt::Key_S, Qt::ControlModifier);
    CHECK(asked == 1);
    CHECK(test::textOf(kDemo.toStdString()) == shipped);
    // Who names it all the same is asked.
    CHECK(w.bench.notice()->text().contains(QStringLiteral("is there already")));
    QTest::mouseClick(w.buttonSaying(QStringLiteral("Save under another name")), Qt::LeftButton);
    CHECK(fs::exists(f / "mine.nutatio"));
    CHECK(test::textOf(kDemo.toStdString()) == shipped);
    CHECK_FALSE(w.bench.document().isModified());
}

TEST_CASE("the star in the title goes when everything is undone, and comes back with redoing") {
    Window w(kDemo);
    CHECK_FALSE(w.bench.windowTitle().contains(u'*'));
    w.bench.session().selectLayer("tail");
    w.drag("gravity", 1.2);
    w.drag("bounces", 4);
    CHECK(w.bench.windowTitle().contains(u'*'));
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.bench.windowTitle().contains(u'*'));
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK_FALSE(w.bench.windowTitle().contains(u'*'));
    w.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(w.bench.windowTitle().contains(u'*'));
    // Saved in the middle: undoing leaves the saved state, redoing comes back to it.
    TempFolder f;
    REQUIRE(w.bench.document().save(QString::fromStdString((f / "s.nutatio").string())));
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.bench.document().isModified());
    w.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK_FALSE(w.bench.document().isModified());
    // A new edit after an undo: what was saved cannot be come back to.
    w.key(Qt::Key_Z, Qt::ControlModifier);
    w.drag("bounces", 7);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.bench.document().isModified());
}

TEST_CASE("trials are no work: they mark nothing modified, enter no history and stay through an undo") {
    Window w(kDemo);
    w.bench.session().selectLayer("tail");
    w.drag("gravity", 1.2);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    const QString undo = w.bench.document().undoName(), redo = w.bench.document().redoName();
    QTest::mouseClick(w.bench.tape()->trials()->button(QStringLiteral("nod")), Qt::LeftButton);
    CHECK(w.scene().actors[0].trial.move == "nod");
    CHECK_FALSE(w.bench.document().isModified());
    CHECK(w.bench.document().undoName() == undo);
    CHECK(w.bench.document().redoName() == redo);
    w.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(w.scene().layer("tail")->number("gravity") == Approx(1.2).margin(0.1));
    CHECK(w.scene().actors[0].trial.move == "nod");
}

TEST_CASE("an arrow key that is held on a slider is one step to undo") {
    Window w(kDemo);
    w.bench.session().selectLayer("tail");
    Slider* s = w.bench.tuner()->row("swing")->slider();
    s->setFocus();
    const double before = w.scene().layer("tail")->number("swing");
    for (int k = 0; k < 12; ++k) {
        QKeyEvent press(QEvent::KeyPress, Qt::Key_Right, Qt::NoModifier, QString(), k > 0);
        QApplication::sendEvent(s, &press);
    }
    CHECK(w.scene().layer("tail")->number("swing") > before + 0.5);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().layer("tail")->number("swing") == before);
    // Two presses are two steps.
    QTest::keyClick(s, Qt::Key_Right);
    QTest::keyClick(s, Qt::Key_Right);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().layer("tail")->number("swing") > before);
}

TEST_CASE("every page of the tuner is true again after an undo") {
    Window w(kDemo);
    SECTION("whom a wind blows on") {
        w.bench.action(QStringLiteral("add-wind"))->trigger();
        QToolButton* chip = w.toolNamed(QStringLiteral("Blows on tail"));
        REQUIRE(chip);
        CHECK(chip->isChecked());
        QTest::mouseClick(chip, Qt::LeftButton);
        CHECK_FALSE(chip->isChecked());
        w.bench.document().undo();
        CHECK(w.toolNamed(QStringLiteral("Blows on tail"))->isChecked());
        w.bench.document().redo();
        CHECK_FALSE(w.toolNamed(QStringLiteral("Blows on tail"))->isChecked());
        // A layer that goes takes its chip along.
        w.bench.document().edit(QStringLiteral("x"),
                                [](scene::Scene& s) { s.layers.eraseIf([](const auto& l) { return l.id == "ears"; }); });
        CHECK(w.toolNamed(QStringLiteral("Blows on ears")) == nullptr);
    }
    const auto says = [&](const QString& text) {
        for (QLabel* l : w.bench.tuner()->findChildren<QLabel*>())
            if (l->text().contains(text) && l->isVisibleTo(w.bench.tuner())) return true;
        return false;
    };
    SECTION("what a pin holds, and to what") {
        w.bench.session().selectJoint("otter", w.joint("tail_10"));
        w.bench.action(QStringLiteral("add-pin"))->trigger();
        QApplication::processEvents();
        w.clickButton("do-pin-end");
        CHECK(says(QStringLiteral("the end beyond")));
        w.bench.document().undo();
        CHECK_FALSE(says(QStringLiteral("the end beyond")));
        CHECK(says(QStringLiteral("a place in the world")));
    }
    SECTION("what a collider rides on") {
        w.bench.session().selectCollider("belly");
        w.settle();
        w.clickButton("do-collider-world");
        CHECK(says(QStringLiteral("stands in the world")));
        w.bench.document().undo();
        CHECK(says(QStringLiteral("rides on")));
    }
    SECTION("a layer's rows, choices and profile") {
        w.bench.session().selectLayer("tail");
        w.bench.tuner()->setOpen(QStringLiteral("Contact"), true);
        SettingRow* row = w.bench.tuner()->row("meets");
        const QString before = row->choice()->currentText();
        w.bench.document().edit(QStringLiteral("meets"), [](scene::Scene& s) {
            s.layer("tail")->values["meets"] = std::string("others");
            s.layer("tail")->profiles["swing"] = {{0, 1}, {1, 2}};
        });
        CHECK(row->choice()->currentText() != before);
        CHECK(w.bench.tuner()->row("swing")->profileEdit()->profile().size() == 2);
        w.bench.document().undo();
        CHECK(row->choice()->currentText() == before);
        CHECK(w.bench.tuner()->row("swing")->profileEdit()->profile().empty());
    }
    SECTION("the Scope's words after a drag, an undo and another feel") {
        w.bench.session().selectLayer("tail");
        Scope* scope = w.bench.tuner()->scope();
        REQUIRE(waitFor([&] { return scope->response().has_value(); }));
        const QPoint from = scope->peakHandle()->toPoint();
        QTest::mousePress(scope, Qt::LeftButton, Qt::NoModifier, from);
        for (int k = 1; k <= 4; ++k) QTest::mouseMove(scope, from + QPoint(8 * k, -3 * k));
        REQUIRE(waitFor([&] { return !scope->changedWords().isEmpty(); }));
        QTest::mouseRelease(scope, Qt::LeftButton, Qt::NoModifier, from + QPoint(32, -12));
        REQUIRE(waitFor([&] { return w.bench.document().canUndo(); }));
        w.settle();
        w.key(Qt::Key_Z, Qt::ControlModifier);
        CHECK(scope->changedWords().isEmpty());
    }
}

TEST_CASE("pulling the Scope's peak purely sideways leaves the bounces alone, and purely upwards the rate") {
    Window w(kDemo);
    w.bench.session().selectLayer("tail");
    Scope* scope = w.bench.tuner()->scope();
    const auto pull = [&](const QPoint& by) {
        REQUIRE(waitFor([&] { return scope->response().has_value(); }));
        const QPoint from = scope->peakHandle()->toPoint();
        QTest::mousePress(scope, Qt::LeftButton, Qt::NoModifier, from);
        for (int k = 1; k <= 5; ++k) QTest::mouseMove(scope, from + by * k / 5);
        REQUIRE(waitFor([&] { return !scope->changedWords().isEmpty(); }));
        QTest::mouseRelease(scope, Qt::LeftButton, Qt::NoModifier, from + by);
        w.settle();
    };
    const double swing = w.scene().layer("tail")->number("swing"), bounces = w.scene().layer("tail")->number("bounces");
    pull(QPoint(40, 2));
    CHECK(w.scene().layer("tail")->number("bounces") == bounces);
    CHECK(w.scene().layer("tail")->number("swing") < swing);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    REQUIRE(waitFor([&] { return scope->response() && std::abs(scope->response()->swing / swing - 1) < 0.02; }));
    pull(QPoint(1, -20));
    CHECK(w.scene().layer("tail")->number("swing") == swing);
    CHECK(w.scene().layer("tail")->number("bounces") > bounces);
}

TEST_CASE("Space plays wherever the focus is but in text, Enter presses the button that has it") {
    Window w(kDemo);
    QToolButton* mute = w.toolNamed(QStringLiteral("Mute tail"));
    QTest::mouseClick(mute, Qt::LeftButton);
    mute->setFocus();
    REQUIRE(w.scene().layer("tail")->muted);
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Space);
    CHECK(w.bench.session().isPlaying());
    CHECK(w.scene().layer("tail")->muted);
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Space);
    CHECK_FALSE(w.bench.session().isPlaying());
    QTest::keyClick(mute, Qt::Key_Return);
    CHECK_FALSE(w.scene().layer("tail")->muted);
    // A command found by its words gives the focus back; so does going back from there.
    w.bench.stage()->setFocus();
    for (const Qt::Key leave : {Qt::Key_Return, Qt::Key_Escape}) {
        w.key(Qt::Key_K, Qt::ControlModifier);
        auto* field = w.bench.findChild<Palette*>()->findChild<QLineEdit*>();
        REQUIRE(QApplication::focusWidget() == field);
        QTest::keyClicks(field, "ghost");
        QTest::keyClick(field, leave);
        CHECK(QApplication::focusWidget() == w.bench.stage());
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Space);
        CHECK(w.bench.session().isPlaying());
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Space);
    }
    // In text a space is a space.
    w.bench.tuner()->setOpen(QStringLiteral("Feels"), true);
    w.bench.session().selectLayer("tail");
    QLineEdit* name = w.bench.tuner()->feels()->nameField();
    name->setFocus();
    QTest::keyClicks(name, "a b");
    CHECK(name->text() == QStringLiteral("a b"));
    CHECK_FALSE(w.bench.session().isPlaying());
}

TEST_CASE("what is said is so: fitting twice, what is offered with nothing open, and words that go with the next action") {
    Window w;
    w.bench.action(QStringLiteral("fit"))->trigger();
    CHECK(w.bench.hint().startsWith(QStringLiteral("Fitted")));
    w.bench.action(QStringLiteral("fit"))->trigger();
    CHECK(w.bench.hint().contains(QStringLiteral("has a collider already")));
    w.bench.session().selectJoint("otter", w.joint("head"));
    CHECK(w.bench.hint().isEmpty());
    w.bench.action(QStringLiteral("add-jiggle"))->trigger();
    w.bench.action(QStringLiteral("take"))->trigger();
    CHECK(w.bench.hint().startsWith(QStringLiteral("Kept")));
    w.bench.document().undo();
    CHECK(w.bench.hint().isEmpty());
    w.bench.document().undo();  // of the layer; the first was of the take
    // Without a layer there is nothing to keep a take of.
    CHECK_FALSE(w.bench.action(QStringLiteral("take"))->isEnabled());
    Window empty{QString()};
    // With nothing open the page offers what can be done first, and nothing that cannot.
    for (const char* id : {"do-open", "do-open-demo"}) {
        auto* b = empty.bench.findChild<QPushButton*>(QLatin1String(id));
        REQUIRE(b);
        CHECK(b->isVisible());
        CHECK(b->isEnabled());
    }
    for (const char* id : {"do-fit", "do-add-pin", "do-add-wind"})
        CHECK(empty.bench.findChild<QPushButton*>(QLatin1String(id)) == nullptr);
    empty.bench.open(kOtter);
    REQUIRE(waitFor([&] { return !empty.scene().actors.empty(); }));
    QApplication::processEvents();
    CHECK(empty.bench.findChild<QPushButton*>(QStringLiteral("do-fit"))->isEnabled());
    CHECK_FALSE(empty.bench.findChild<QPushButton*>(QStringLiteral("do-add-pin"))->isEnabled());
}

TEST_CASE("cloth whose pose stands in a body is told in the tuner") {
    Window w;
    w.bench.action(QStringLiteral("fit"))->trigger();
    w.bench.session().select({"otter", {w.joint("scarf_L_01")}, {}, {}});
    w.bench.action(QStringLiteral("add-strand"))->trigger();
    w.settle();
    REQUIRE(waitFor([&] { return !w.bench.tuner()->remark().isEmpty(); }));
    CHECK(w.bench.tuner()->remark().contains(QStringLiteral("inside")));
    w.bench.document().undo();
    CHECK(w.bench.tuner()->remark().isEmpty());
}

TEST_CASE("a feel whose name makes the file name of another does not take its place") {
    QDir(FeelsShelf::folder()).removeRecursively();
    Window w(kDemo);
    w.bench.session().selectLayer("tail");
    w.bench.tuner()->setOpen(QStringLiteral("Feels"), true);
    FeelsShelf* shelf = w.bench.tuner()->feels();
    for (const char* name : {"Wet/rope", "Wet rope", "Wet/rope"}) {
        shelf->nameField()->setText(QString::fromLatin1(name));
        QTest::mouseClick(shelf->saveButton(), Qt::LeftButton);
    }
    CHECK(shelf->tile(QStringLiteral("Wet/rope")));
    CHECK(shelf->tile(QStringLiteral("Wet rope")));
    CHECK(QDir(FeelsShelf::folder()).entryList({QStringLiteral("*.json")}).size() == 2);
    QDir(FeelsShelf::folder()).removeRecursively();
}
