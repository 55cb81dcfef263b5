// Takes, comparisons, spreads and loops in the real window.
#include "tests/app/window.h"

#include <QCheckBox>
#include <QComboBox>
#include <QCursor>
#include <QLineEdit>
#include <QSpinBox>

#include "app/compare/compare_view.h"
#include "app/compare/spread_view.h"
#include "app/widgets/list_row.h"
#include "edit/edit.h"
#include "edit/line.h"
#include "edit/takes.h"

using namespace nutatio;
using test::waitFor;
using test::Window;

namespace {

/// The named part of a take's row.
template <class Part>
Part* of(Window& w, std::size_t take, const char* name) {
    for (QFrame* f : w.bench.findChildren<QFrame*>(QStringLiteral("take")))
        if (f->property("take").toString().toStdString() == w.scene().takes[take].id)
            return f->findChild<Part*>(QLatin1String(name));
    return nullptr;
}

void toTakes(Window& w) {
    w.key(Qt::Key_4, Qt::ControlModifier);
    QApplication::processEvents();
    REQUIRE(w.bench.session().step() == app::StepId::Check);
}

/// The demo with three takes of its tail, kept by the key.
struct WithTakes : Window {
    WithTakes() : Window(test::kDemo) {
        bench.session().selectLayer("tail");
        settle();
        key(Qt::Key_T);
        drag("swing", 0.8);
        settle();
        key(Qt::Key_T);
        drag("swing", 4);
        settle();
        key(Qt::Key_T);
        REQUIRE(scene().takes.size() == 3);
    }
    bool compared() {
        return waitFor([&] { return bench.compareView()->ready(); });
    }
};

double most(const std::vector<float>& values) {
    return values.empty() ? 0 : *std::max_element(values.begin(), values.end());
}

/// Puts a combo box on a text as a person would by the keys.
void choose(QComboBox* box, const QString& text) {
    REQUIRE(box);
    const int at = box->findText(text);
    INFO(text.toStdString());
    REQUIRE(at >= 0);
    box->setFocus();
    while (box->currentIndex() != at) QTest::keyClick(box, box->currentIndex() < at ? Qt::Key_Down : Qt::Key_Up);
}

}  // namespace

TEST_CASE("T keeps takes with a picture, which say how they differ, are renamed and noted in place, and let go") {
    WithTakes w;
    toTakes(w);
    for (const scene::Take& t : w.scene().takes) {
        REQUIRE(t.picture);
        CHECK(QImage::fromData(t.picture->data(), static_cast<int>(t.picture->size())).width() >= 96);
    }
    CHECK(edit::differences(w.scene(), *w.scene().takes[2].scene).empty());
    auto* name = of<QLineEdit>(w, 1, "take-name");
    REQUIRE(name);
    name->selectAll();
    QTest::keyClicks(name, "slow tail");
    QTest::keyClick(name, Qt::Key_Return);
    CHECK(w.scene().takes[1].name == "slow tail");
    auto* note = of<QLineEdit>(w, 1, "take-note");
    QTest::keyClicks(note, "too wet");
    QTest::keyClick(note, Qt::Key_Return);
    CHECK(w.scene().takes[1].note == "too wet");
    QApplication::processEvents();
    QTest::mouseClick(of<QPushButton>(w, 0, "take-remove"), Qt::LeftButton);
    CHECK(w.scene().takes.size() == 2);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().takes.size() == 3);
}

TEST_CASE("takes stand side by side in step and over each other, with a line each in the plot") {
    WithTakes w;
    toTakes(w);
    w.bench.session().selectJoint("otter", w.joint("tail_08"));
    w.key(Qt::Key_T, Qt::ShiftModifier);
    REQUIRE(w.bench.session().comparing().on);
    CHECK(w.bench.compareView()->isVisible());
    CHECK_FALSE(w.bench.stage()->isVisible());
    for (const std::size_t take : {0, 1}) {
        QApplication::processEvents();
        QTest::mouseClick(of<QCheckBox>(w, take, "beside"), Qt::LeftButton, Qt::NoModifier, QPoint(6, 6));
    }
    REQUIRE(w.compared());
    app::CompareView* view = w.bench.compareView();
    REQUIRE(view->panes()->panes().size() == 4);
    // Now first, then the takes in the order in which they were kept.
    CHECK(view->panes()->panes()[0].title == QStringLiteral("Now"));
    CHECK(view->panes()->panes()[1].title == QStringLiteral("Take 1"));
    CHECK(view->panes()->panes()[2].detail.startsWith(QStringLiteral("tail: swing rate")));
    REQUIRE(waitFor([&] { return view->plot()->lines().size() == 4; }));
    CHECK(view->joint() == QStringLiteral("tail_08"));
    // The slow tail swings farthest; now is the third take.
    CHECK(most(view->plot()->lines()[2].values) > 2 * most(view->plot()->lines()[1].values));
    CHECK(view->plot()->lines()[0].values == view->plot()->lines()[3].values);
    // A fifth is refused in words.
    QTest::mouseClick(w.bench.findChild<QCheckBox*>(QStringLiteral("beside-body")), Qt::LeftButton, Qt::NoModifier, QPoint(6, 6));
    CHECK(w.bench.hint().contains(QStringLiteral("Four stand")));
    CHECK(w.bench.session().comparing().with.size() == 4);

    const QImage first = view->panes()->picture();
    w.key(Qt::Key_Right);
    CHECK(view->panes()->picture() != first);
    // Dragging in one pane turns the camera of all and of the stage.
    const double heading = w.bench.stage()->camera().heading;
    test::dragMouse(view->panes(), QPoint(60, 120), QPoint(120, 120));
    CHECK(std::abs(w.bench.stage()->camera().heading - heading) > 0.1);
    const QImage side = view->panes()->picture();
    QTest::mouseClick(view->overEachOther(), Qt::LeftButton);
    CHECK(w.bench.session().comparing().over);
    CHECK(view->panes()->picture() != side);
    // The plot moves the play-head.
    QTest::mouseClick(view->plot(), Qt::LeftButton, Qt::NoModifier, QPoint(view->plot()->width() - 12, 40));
    CHECK(w.bench.session().frame() == w.bench.document().frames() - 1);
    w.clickButton("compare-close");
    CHECK(w.bench.stage()->isVisible());
}

TEST_CASE("a take is adopted with a click, taken back by undo, and all of it is there after saving and opening") {
    test::TempFolder folder;
    WithTakes w;
    toTakes(w);
    const double first = w.scene().takes[0].scene->layer("tail")->number("swing");
    CHECK(w.scene().layer("tail")->number("swing") != first);
    QTest::mouseClick(of<QPushButton>(w, 0, "take-adopt"), Qt::LeftButton);
    CHECK(w.scene().layer("tail")->number("swing") == first);
    CHECK(w.scene().takes.size() == 3);
    w.settle();
    const Vec3 tip = w.tailTip();
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().layer("tail")->number("swing") != first);
    w.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    const QString file = QString::fromStdString((folder / "takes.nutatio").string());
    REQUIRE(w.bench.document().save(file));

    Window again(file);
    REQUIRE(again.scene().takes.size() == 3);
    CHECK(again.scene().layer("tail")->number("swing") == first);
    CHECK((again.tailTip() - tip).norm() < 1e-12);
    app::Comparing c;
    c.on = true;
    for (const scene::Take& t : again.scene().takes) c.with.push_back(t.id);
    again.bench.session().setComparing(c);
    REQUIRE(waitFor([&] { return again.bench.compareView()->ready(); }));
    CHECK(again.bench.compareView()->panes()->panes()[0].detail == QStringLiteral("as it is now"));
    REQUIRE(waitFor([&] { return again.bench.compareView()->plot()->lines().size() == 3; }));
    CHECK(again.bench.compareView()->plot()->lines()[1].values != again.bench.compareView()->plot()->lines()[0].values);
}

TEST_CASE("restoring brings back what adopting leaves: here the shot that was on show") {
    Window w(test::kDemo);
    w.bench.session().setFrame(9);
    w.key(Qt::Key_T);
    const std::string was = w.scene().shot().id;
    w.bench.document().edit(QStringLiteral("other shot"), [&](scene::Scene& s) { edit::playClip(s, s.actors[0].id, "Idle"); });
    REQUIRE(w.scene().shot().id != was);
    w.key(Qt::Key_4, Qt::ControlModifier);
    QApplication::processEvents();
    w.clickButton("take-adopt");
    CHECK(w.scene().shot().id != was);
    QApplication::processEvents();
    w.clickButton("take-restore");
    CHECK(w.scene().shot().id == was);
    CHECK(w.bench.session().frame() == 9);
}

TEST_CASE("G shows the other take as a ghost, by its name, and the Scope its answer") {
    WithTakes w;
    toTakes(w);
    const QImage bare = w.bench.stage()->picture();
    QTest::mouseClick(of<QPushButton>(w, 1, "take-ghost"), Qt::LeftButton);
    REQUIRE(w.bench.session().other());
    CHECK(w.bench.session().other()->id == w.scene().takes[1].id);
    w.key(Qt::Key_G);
    const auto plum = [&] {
        const QImage image = w.bench.stage()->picture();
        int n = 0;
        for (int y = 60; y < image.height(); ++y)
            for (int x = 0; x < image.width(); ++x)
                if (image.pixel(x, y) != bare.pixel(x, y)) ++n;
        return n;
    };
    CHECK(waitFor([&] { return plum() > 200; }));
    // The take is let go: its ghost goes with it.
    QApplication::processEvents();
    QTest::mouseClick(of<QPushButton>(w, 1, "take-remove"), Qt::LeftButton);
    CHECK(w.bench.session().other() == nullptr);
}

TEST_CASE("a spread of two settings is laid out, plays, tells how each cell answers, and a click adopts one") {
    Window w(test::kDemo);
    w.bench.session().selectLayer("tail");
    w.key(Qt::Key_4, Qt::ControlModifier);
    QApplication::processEvents();
    w.clickButton("face-spread");
    QApplication::processEvents();
    w.clickButton("spread-show");
    REQUIRE(w.bench.session().spreading().on);
    app::SpreadView* view = w.bench.spreadView();
    REQUIRE(waitFor([&] { return view->ready(); }));
    const auto& panes = view->panes()->panes();
    REQUIRE(panes.size() == 9);
    const edit::Spread spread = *w.bench.session().spreading().spread;
    CHECK(spread.across.setting == "swing");
    REQUIRE(spread.down);
    CHECK(spread.down->setting == "bounces");
    for (const auto& p : panes) {
        CHECK(p.evaluation);
        CHECK(p.figures.contains(QStringLiteral("bounces")));
    }
    CHECK(panes[0].figures != panes[2].figures);
    const QImage still = view->panes()->picture();
    w.key(Qt::Key_Right);
    CHECK(view->panes()->picture() != still);
    // The lower right cell.
    QTest::mouseClick(view->panes(), Qt::LeftButton, Qt::NoModifier, view->panes()->cell(8).center().toPoint());
    CHECK(w.scene().layer("tail")->number("swing") == Approx(spread.across.to));
    CHECK(w.scene().layer("tail")->number("bounces") == Approx(spread.down->to));
    // It is laid out about the same values as before, and the adopted cell is the chosen one.
    REQUIRE(waitFor([&] { return view->ready(); }));
    CHECK(view->panes()->panes()[8].chosen);
    CHECK_FALSE(view->panes()->panes()[0].chosen);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().layer("tail")->number("swing") != Approx(spread.across.to));
    w.clickButton("spread-close");
    CHECK(w.bench.stage()->isVisible());
}

TEST_CASE("on mocap that nobody here made takes stand side by side, one is adopted, and all is there after saving, cells too") {
    test::TempFolder folder;
    std::filesystem::copy_file(test::kMocapFolder + "01_01.bvh", folder / "01_01.bvh");
    Window w(QString::fromStdString((folder / "01_01.bvh").string()));
    const std::string actor = w.scene().actors[0].id;
    std::string layer;
    w.bench.document().edit(QStringLiteral("strand"),
                            [&](scene::Scene& s) { layer = edit::addLayer(s, "strand", actor, {"LeftArm"}); });
    w.bench.session().selectLayer(layer);
    w.bench.session().setStep(app::StepId::Tune);
    w.settle();
    w.key(Qt::Key_T);
    for (const double swing : {0.8, 5.0}) {
        w.drag("swing", swing);
        w.settle();
        w.key(Qt::Key_T);
    }
    REQUIRE(w.scene().takes.size() == 3);
    app::Comparing c;
    c.on = true;
    for (const scene::Take& t : w.scene().takes) c.with.push_back(t.id);
    c.with.push_back(app::kBareBody);
    w.bench.session().setComparing(c);
    REQUIRE(waitFor([&] { return w.bench.compareView()->ready() && w.bench.compareView()->plot()->lines().size() == 4; }));
    const QString looked = qEnvironmentVariable("NUTATIO_LOOK");
    const auto look = [&](const char* name) {
        w.bench.session().setFrame(300);
        QApplication::processEvents();
        if (!looked.isEmpty()) w.bench.grab().save(looked + QLatin1Char('/') + QLatin1String(name));
    };
    // Without meshes they are seen by their bones; the camera goes along if it is asked to.
    w.bench.session().setFollows(true);
    w.bench.session().setFrame(10);
    const QImage early = w.bench.compareView()->panes()->picture();
    w.bench.session().setFrame(40);
    CHECK(w.bench.compareView()->panes()->picture() != early);
    const Vec3 target = w.bench.stage()->camera().target;
    look("mocap-side.png");
    CHECK((w.bench.stage()->camera().target - target).norm() > 0.5);
    const auto lines = w.bench.compareView()->plot()->lines();
    CHECK(lines[1].values != lines[2].values);
    CHECK(most(lines[3].values) == 0);
    c.over = true;
    w.bench.session().setComparing(c);
    REQUIRE(waitFor([&] { return w.bench.compareView()->ready(); }));
    look("mocap-over.png");
    c.on = false;
    w.bench.session().setComparing(c);
    toTakes(w);
    QTest::mouseClick(of<QPushButton>(w, 1, "take-adopt"), Qt::LeftButton);
    const double adopted = w.scene().layer(layer)->number("swing");
    CHECK(adopted == w.scene().takes[1].scene->layer(layer)->number("swing"));
    CHECK(adopted == Approx(0.8).margin(0.1));
    const QString file = QString::fromStdString((folder / "mocap.nutatio").string());
    REQUIRE(w.bench.document().save(file));
    Window again(file);
    REQUIRE(again.scene().takes.size() == 3);
    CHECK(again.scene().layer(layer)->number("swing") == adopted);
    // A spread of two, then one of a wind: cells are adopted.
    app::Spreading spreading{true, edit::Spread{}};
    const scene::Owner owner{scene::List::Layers, layer};
    spreading.spread->across = {owner, "swing", 0.6, 3.0};
    spreading.spread->down = edit::SpreadAxis{owner, "bounces", 1, 8};
    spreading.spread->columns = spreading.spread->rows = 3;
    again.bench.session().setSpreading(spreading);
    app::SpreadView* view = again.bench.spreadView();
    REQUIRE(waitFor([&] { return view->moving(); }));
    QTest::mouseClick(view->panes(), Qt::LeftButton, Qt::NoModifier, view->panes()->cell(8).center().toPoint());
    CHECK(again.scene().layer(layer)->number("swing") == Approx(3.0));
    CHECK(again.scene().layer(layer)->number("bounces") == Approx(8));
    again.bench.action(QStringLiteral("add-wind"))->trigger();
    const std::string wind = again.scene().winds[0].id;
    app::Spreading windy{true, edit::Spread{}};
    windy.spread->across = {{scene::List::Winds, wind}, "speed", 0, 12};
    windy.spread->columns = 5;
    again.bench.session().setSpreading(windy);
    REQUIRE(waitFor([&] { return view->moving() && view->panes()->panes().size() == 5; }));
    QTest::mouseClick(view->panes(), Qt::LeftButton, Qt::NoModifier, view->panes()->cell(4).center().toPoint());
    CHECK(again.scene().wind(wind)->number("speed") == Approx(12));
}

TEST_CASE("a spread of a wind's speed is a row of five, its ends typed") {
    Window w(test::kDemo);
    w.bench.action(QStringLiteral("add-wind"))->trigger();
    const std::string wind = w.bench.session().selection().wind;
    REQUIRE_FALSE(wind.empty());
    w.key(Qt::Key_4, Qt::ControlModifier);
    QApplication::processEvents();
    w.clickButton("face-spread");
    QApplication::processEvents();
    choose(w.bench.findChild<QComboBox*>(QStringLiteral("across-thing")), QString::fromStdString(w.scene().wind(wind)->name));
    QApplication::processEvents();
    choose(w.bench.findChild<QComboBox*>(QStringLiteral("across-setting")), QStringLiteral("Speed"));
    QApplication::processEvents();
    auto* to = w.bench.findChild<QLineEdit*>(QStringLiteral("across-to"));
    REQUIRE(to);
    to->selectAll();
    QTest::keyClicks(to, "4*4");
    QTest::keyClick(to, Qt::Key_Return);
    QApplication::processEvents();
    w.clickButton("spread-show");
    REQUIRE(waitFor([&] { return w.bench.spreadView()->moving(); }));
    const auto& panes = w.bench.spreadView()->panes()->panes();
    REQUIRE(panes.size() == 5);
    CHECK(panes[4].title.contains(QStringLiteral("16")));
    CHECK(panes[4].scene->wind(wind)->number("speed") == 16);
    const int tip = w.joint("tail_10");
    CHECK(panes[0].evaluation->actors[0].result->at(tip, 12).r.angularDistance(
              panes[4].evaluation->actors[0].result->at(tip, 12).r) > 0);
}

TEST_CASE("a spread follows the scene while a slider moves, and goes with what it spreads") {
    Window w(test::kDemo);
    w.bench.session().selectLayer("tail");
    w.key(Qt::Key_4, Qt::ControlModifier);
    QApplication::processEvents();
    w.clickButton("face-spread");
    QApplication::processEvents();
    w.clickButton("spread-show");
    REQUIRE(waitFor([&] { return w.bench.spreadView()->moving(); }));
    const auto before = w.bench.spreadView()->panes()->panes()[4].evaluation;
    w.key(Qt::Key_3, Qt::ControlModifier);
    QApplication::processEvents();
    w.drag("gravity", 1.5);
    REQUIRE(waitFor([&] { return w.bench.spreadView()->moving(); }));
    CHECK(w.bench.spreadView()->panes()->panes()[4].evaluation != before);
    w.bench.document().edit(QStringLiteral("remove"), [](scene::Scene& s) { edit::remove(s, {scene::List::Layers, "tail"}); });
    CHECK_FALSE(w.bench.session().spreading().on);
    CHECK(w.bench.stage()->isVisible());
}

TEST_CASE("a shot is marked as a loop on the Loop page, and its seam is told there and on the ruler") {
    Window w(test::kDemo);
    w.bench.session().selectLayer("tail");
    w.bench.document().edit(QStringLiteral("set"), [](scene::Scene& s) {
        edit::set(s, {scene::List::Layers, "tail"}, "swing", 0.7, 0);
        edit::set(s, {scene::List::Layers, "tail"}, "bounces", 12.0, 0);
    });
    w.settle();
    REQUIRE(w.bench.document().results()->seams.count("otter") == 1);
    CHECK_FALSE(w.bench.document().results()->seams.at("otter").closes());
    const QImage open = w.bench.tape()->ruler()->grab().toImage();
    w.key(Qt::Key_4, Qt::ControlModifier);
    QApplication::processEvents();
    w.clickButton("face-loop");
    QApplication::processEvents();
    w.clickButton("loop-closed");
    CHECK(w.scene().shot().loop == scene::Loop::Closed);
    w.settle();
    CHECK(w.bench.document().results()->seams.at("otter").closes());
    CHECK(degrees(w.bench.document().results()->seams.at("otter").turn) < 0.01);
    CHECK(w.bench.tape()->ruler()->grab().toImage() != open);
    QApplication::processEvents();
    const auto rows = w.bench.findChildren<app::ListRow*>(QStringLiteral("loop-layer"));
    REQUIRE(rows.size() == 3);
    CHECK(rows[0]->text() == QStringLiteral("tail"));
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().shot().loop == scene::Loop::Found);
}

TEST_CASE("R draws the way of a joint, Shift+R that of a spot under the mouse, seen from the world or a joint, with ghosts") {
    Window w(test::kDemo);
    w.bench.session().selectJoint("otter", w.joint("tail_10"));
    w.settle();
    const QImage bare = w.bench.stage()->picture();
    w.key(Qt::Key_R);
    REQUIRE(waitFor([&] { return w.bench.stage()->ways().all().size() == 1; }));
    const auto& way = w.bench.stage()->ways().all()[0];
    CHECK(static_cast<int>(way.seen.size()) == w.bench.document().frames());
    CHECK((way.seen[12] - w.tailTip()).norm() < 1e-9);
    CHECK(w.bench.stage()->picture() != bare);
    w.key(Qt::Key_4, Qt::ControlModifier);
    QApplication::processEvents();
    w.clickButton("face-trails");
    QApplication::processEvents();
    REQUIRE(w.bench.findChildren<app::ListRow*>(QStringLiteral("trail-row")).size() == 1);
    // Seen from the joint itself it does not move.
    choose(w.bench.findChild<QComboBox*>(QStringLiteral("trail-from")), QStringLiteral("the joint tail_10"));
    REQUIRE(waitFor([&] {
        const auto& all = w.bench.stage()->ways().all();
        return all.size() == 1 && all[0].seen[0].norm() < 1e-9 && all[0].seen[20].norm() < 1e-9;
    }));
    QApplication::processEvents();
    auto* every = w.bench.findChild<QSpinBox*>(QStringLiteral("ghost-every"));
    REQUIRE(every);
    w.bench.session().setFrame(12);
    const QImage without = w.bench.stage()->picture();
    for (int k = 0; k < 4; ++k) QTest::keyClick(every, Qt::Key_Up);
    CHECK(w.bench.session().trails().ghostEvery == 4);
    CHECK(w.bench.stage()->picture() != without);
    // A spot: the belly, which fills the middle of the stage.
    const auto belly = w.bench.stage()->jointPixel("otter", w.joint("belly"));
    REQUIRE(belly);
    QCursor::setPos(w.bench.stage()->mapToGlobal(belly->toPoint()));
    QApplication::processEvents();
    w.key(Qt::Key_R, Qt::ShiftModifier);
    REQUIRE(w.bench.session().trails().of.size() == 2);
    CHECK(w.bench.session().trails().of[1].spot.has_value());
    QApplication::processEvents();
    w.clickButton("trail-remove");
    CHECK(w.bench.session().trails().of.size() == 1);
    w.clickButton("do-trails-none");
    CHECK(waitFor([&] { return w.bench.stage()->ways().all().empty(); }));
}

TEST_CASE("what plays in a shot is cut, held, played again and followed by another clip, on the Motion page, and undone") {
    Window w(test::kDemo);
    const int frames = w.bench.document().frames();
    w.key(Qt::Key_1, Qt::ControlModifier);
    w.bench.session().setFace(app::FaceId::Motion);
    QApplication::processEvents();
    w.bench.session().setFrame(10);
    w.clickButton("line-split");
    QApplication::processEvents();
    REQUIRE(w.bench.findChildren<app::ListRow*>(QStringLiteral("stretch")).size() == 2);
    CHECK(w.bench.document().frames() == frames);
    auto* n = w.bench.findChild<QSpinBox*>(QStringLiteral("line-frames"));
    REQUIRE(n);
    n->setFocus();
    n->selectAll();
    QTest::keyClicks(n, "7");
    QTest::keyClick(n, Qt::Key_Return);
    w.clickButton("line-hold");
    CHECK(w.bench.document().frames() == frames + 7);
    w.settle();
    const rig::Track& body = *w.bench.document().results()->evaluation.actor("otter")->body;
    CHECK(body.at(w.joint("thigh_L"), 12).r.angularDistance(body.at(w.joint("thigh_L"), 16).r) < 1e-9);
    QApplication::processEvents();
    choose(w.bench.findChild<QComboBox*>(QStringLiteral("line-clip")), QStringLiteral("Idle"));
    w.clickButton("line-after");
    CHECK(w.bench.document().frames() > frames + 7 + 80);
    QApplication::processEvents();
    w.clickButton("line-clear");
    CHECK(w.bench.document().frames() == frames);
    for (int k = 0; k < 4; ++k) w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().shot().lines.empty());
}

TEST_CASE("a clip whose ends do not meet is closed from the Loop page, and left open again") {
    Window w(test::kDemo);
    w.bench.document().edit(QStringLiteral("turn"), [](scene::Scene& s) { edit::playClip(s, "otter", "Turn and stop"); });
    w.settle();
    w.key(Qt::Key_4, Qt::ControlModifier);
    QApplication::processEvents();
    w.clickButton("face-loop");
    REQUIRE(waitFor([&] { return w.bench.findChild<QPushButton*>(QStringLiteral("close-fade")) != nullptr; }));
    w.clickButton("loop-closed");
    w.settle();
    CHECK_FALSE(w.bench.document().results()->seams.at("otter").turn < radians(5));
    REQUIRE(waitFor([&] { return w.bench.findChild<QPushButton*>(QStringLiteral("close-fade")) != nullptr; }));
    w.clickButton("close-fade");
    w.settle();
    CHECK(w.bench.document().results()->seams.at("otter").turn < radians(1));
    REQUIRE(waitFor([&] { return w.bench.findChild<QPushButton*>(QStringLiteral("close-not")) != nullptr; }));
    w.clickButton("close-not");
    CHECK(edit::lineOf(w.scene(), "otter").fade == 0);
}
