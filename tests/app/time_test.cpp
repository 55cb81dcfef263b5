// What changes within a shot, by hand: keys, intervals, marks, ranges, gauges and feeds in the real window.
#include "tests/app/window.h"

#include <QComboBox>
#include <QWheelEvent>
#include <cmath>

#include "app/tuner/feed_panel.h"
#include "app/tuner/gauge_panel.h"
#include "app/tuner/tuned_page.h"
#include "edit/edit.h"
#include "edit/gauges.h"
#include "edit/keys.h"

using namespace nutatio;
using namespace nutatio::app;
using test::waitFor;
using test::Window;

namespace {

const scene::Owner kScarf{scene::List::Layers, "scarf"};

/// The demo, with three keys of the scarf's gravity and two of its swing rate, and its lane open.
struct Timed : Window {
    Timed() : Window(test::kDemo) {
        bench.document().edit(QStringLiteral("keys"), [](scene::Scene& s) {
            test::keyed(s, kScarf, "gravity", {{2, 0.4}, {10, 1.2}, {18, 0.7}});
            test::keyed(s, kScarf, "swing", {{2, 1.5}, {14, 3.0}});
        });
        bench.setTapeHeight(420);
        bench.session().selectLayer("scarf");
        key(Qt::Key_E);
        settle();
        REQUIRE(sheet());
    }
    KeySheet* sheet() { return bench.tape()->sheet("scarf"); }
    edit::KeyOf at(const char* setting, int frame) { return {kScarf, setting, scene().shot().timeOf(frame)}; }
    QPoint pixel(const char* setting, int frame) { return sheet()->keyPoint(at(setting, frame)).toPoint(); }
    std::vector<std::pair<int, double>> keys(const char* setting) {
        std::vector<std::pair<int, double>> out;
        if (const scene::Keys* all = scene().shot().keysOf(kScarf, setting))
            for (const scene::KeyAt& k : *all) out.emplace_back(scene().shot().frameOf(k.at), k.value);
        return out;
    }
    std::size_t selected() { return bench.tape()->keys().keys().size(); }
    void type(QLineEdit* field, const QString& text) {
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, text);
        QTest::keyClick(field, Qt::Key_Return);
    }
};

void wheel(QWidget* w, const QPointF& at, int notches, Qt::KeyboardModifiers m = Qt::NoModifier) {
    QWheelEvent e(at, w->mapToGlobal(at), {}, {0, 120 * notches}, Qt::NoButton, m, Qt::NoScrollPhase, false);
    QApplication::sendEvent(w, &e);
}

}  // namespace

TEST_CASE("keys are boxed, dragged in time and in value, and come back by undo") {
    Timed w;
    CHECK(w.sheet()->rows() == 2);
    // A box round the first two keys of the gravity.
    const QPoint a = w.pixel("gravity", 2), b = w.pixel("gravity", 10);
    test::dragMouse(w.sheet(), QPoint(a.x() - 8, a.y() + 8), QPoint(b.x() + 8, b.y() - 9));
    CHECK(w.selected() == 2);
    const auto before = w.keys("gravity");
    const double frame = w.bench.tape()->ruler()->scale().x(1) - w.bench.tape()->ruler()->scale().x(0);
    test::dragMouse(w.sheet(), b, b + QPoint(static_cast<int>(std::lround(3 * frame)), 1));
    CHECK(w.keys("gravity") == std::vector<std::pair<int, double>>{{5, 0.4}, {13, 1.2}, {18, 0.7}});
    CHECK(w.selected() == 2);
    // Up: both alike, by what the row's height stands for; the swing rate stays.
    const QPoint moved = w.pixel("gravity", 13);
    test::dragMouse(w.sheet(), moved, moved - QPoint(1, 12));
    const auto raised = w.keys("gravity");
    CHECK(raised[1].second > 1.25);
    CHECK(raised[1].second < 1.8);
    CHECK(raised[0].second - 0.4 == Approx(raised[1].second - 1.2));
    CHECK(raised[2].second == 0.7);
    CHECK(w.keys("swing") == std::vector<std::pair<int, double>>{{2, 1.5}, {14, 3.0}});
    w.settle();
    w.key(Qt::Key_Z, Qt::ControlModifier);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.keys("gravity") == before);
    w.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    w.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(w.keys("gravity") == raised);
}

TEST_CASE("selected keys are typed, scaled, eased, copied, pasted, closed and removed") {
    Timed w;
    QTest::mouseClick(w.sheet(), Qt::LeftButton, Qt::NoModifier, w.pixel("gravity", 10));
    QTest::mouseClick(w.sheet(), Qt::LeftButton, Qt::ControlModifier, w.pixel("gravity", 18));
    REQUIRE(w.selected() == 2);
    KeyBar* bar = w.bench.tape()->keyBar();
    REQUIRE(bar->isVisible());
    CHECK(bar->frame()->text() == QLatin1String("11"));
    w.type(bar->frame(), QStringLiteral("9"));
    CHECK(w.keys("gravity") == std::vector<std::pair<int, double>>{{2, 0.4}, {8, 1.2}, {16, 0.7}});
    w.type(bar->scaleTime(), QStringLiteral("0.5"));
    CHECK(w.keys("gravity") == std::vector<std::pair<int, double>>{{2, 0.4}, {8, 1.2}, {12, 0.7}});
    w.type(bar->scaleValue(), QStringLiteral("2"));
    CHECK(w.keys("gravity") == std::vector<std::pair<int, double>>{{2, 0.4}, {8, 2.4}, {12, 1.4}});
    w.type(bar->value(), QStringLiteral("2"));
    CHECK(w.keys("gravity")[1].second == Approx(2));
    CHECK(w.keys("gravity")[2].second == Approx(1));
    QTest::mouseClick(bar->ease(scene::Ease::Hold), Qt::LeftButton);
    const auto between = [&] { return scene::keyedAt(*w.scene().shot().keysOf(kScarf, "gravity"), w.scene().shot().timeOf(11)); };
    CHECK(between() == Approx(2));
    QTest::mouseClick(bar->ease(scene::Ease::Free), Qt::LeftButton);
    w.settle();
    // The ends of its slopes can be dragged: steeper after it.
    QTest::mouseClick(w.sheet(), Qt::LeftButton, Qt::NoModifier, w.pixel("gravity", 8));
    const edit::KeyOf key = w.at("gravity", 8);
    const double was = between();
    const QPoint end = w.sheet()->slopePoint(key, true).toPoint();
    test::dragMouse(w.sheet(), end, end + QPoint(0, -14));
    CHECK(between() > was + 0.02);
    // Copied, and put down at the play-head by keys; Delete is for them and not for the layer.
    QTest::keyClick(w.sheet(), Qt::Key_C, Qt::ControlModifier);
    w.bench.session().setFrame(20);
    QTest::keyClick(w.sheet(), Qt::Key_V, Qt::ControlModifier);
    REQUIRE(w.keys("gravity").size() == 4);
    CHECK(w.keys("gravity")[3].first == 20);
    QTest::keyClick(w.sheet(), Qt::Key_Left);
    CHECK(w.keys("gravity")[3].first == 19);
    QTest::keyClick(w.sheet(), Qt::Key_Delete);
    CHECK(w.keys("gravity").size() == 3);
    CHECK(w.scene().layer("scarf"));
    QTest::mouseClick(w.sheet(), Qt::LeftButton, Qt::NoModifier, w.pixel("gravity", 2));
    QTest::mouseClick(w.toolNamed(QStringLiteral("The last frame gets the value of the first")), Qt::LeftButton);
    CHECK(w.keys("gravity").back() == std::pair<int, double>(w.bench.document().frames() - 1, 0.4));
}

TEST_CASE("a double click on an open curve sets a key there, and a click beside keys goes to the frame") {
    Timed w;
    const QPoint a = w.pixel("swing", 2), b = w.pixel("swing", 14);
    const FrameScale scale = w.bench.tape()->ruler()->scale();
    const QPoint at(a.x() + static_cast<int>(scale.x(8) - scale.x(2)), (a.y() + b.y()) / 2);
    QTest::mouseDClick(w.sheet(), Qt::LeftButton, Qt::NoModifier, at);
    CHECK(w.keys("swing").size() == 3);
    CHECK(w.keys("swing")[1].first == 8);
    CHECK(w.bench.session().frame() == 8);
    QTest::mouseClick(w.sheet(), Qt::LeftButton, Qt::NoModifier,
                      QPoint(a.x() + static_cast<int>(scale.x(20) - scale.x(2)), at.y() + 18));
    CHECK(w.bench.session().frame() == 20);
    CHECK(w.selected() == 0);
}

TEST_CASE("an interval's ends and eases are dragged on its lane, and the layer acts inside alone") {
    Timed w;
    w.bench.session().setRange(std::pair(6, 20));
    w.bench.action("interval")->trigger();
    Lane* lane = w.bench.tape()->lane("scarf");
    const auto now = [&] { return w.scene().shot().intervals.at("scarf").at(0); };
    const auto frameOf = [&](double t) { return static_cast<int>(std::lround(t * w.scene().shot().fps)); };
    REQUIRE(frameOf(now().from) == 6);
    REQUIRE(frameOf(now().to) == 20);
    const double frame = w.bench.tape()->ruler()->scale().x(1) - w.bench.tape()->ruler()->scale().x(0);
    const auto drag = [&](int handle, int frames) {
        const QPoint from = lane->intervalPoint(0, handle).toPoint();
        test::dragMouse(lane, from, from + QPoint(static_cast<int>(std::lround(frames * frame)), 0));
    };
    drag(0, -2);
    CHECK(frameOf(now().from) == 4);
    drag(3, 4);
    CHECK(frameOf(now().to) == 24);
    const int in = frameOf(now().easeIn), out = frameOf(now().easeOut);
    drag(1, 2);
    CHECK(frameOf(now().easeIn) == in + 2);
    drag(2, -3);
    CHECK(frameOf(now().easeOut) == out + 3);
    // All of it, as far as the shot goes.
    const QPoint middle = (0.5 * (lane->intervalPoint(0, 1) + lane->intervalPoint(0, 2))).toPoint() + QPoint(0, 3);
    test::dragMouse(lane, middle, middle - QPoint(static_cast<int>(std::lround(9 * frame)), 0));
    CHECK(frameOf(now().from) == 0);
    CHECK(frameOf(now().to) == 20);
    w.settle();
    const auto& r = w.bench.document().results()->evaluation;
    const pipeline::LayerResult* l = r.layer("scarf");
    REQUIRE_FALSE(l->changed.joints.empty());
    const int joint = l->changed.joints.back().first;
    const auto& below = *r.below("scarf");
    CHECK(r.actors[0].result->at(joint, 22).r.coeffs() == below.at(joint, 22).r.coeffs());
    CHECK_FALSE(r.actors[0].result->at(joint, 12).r.coeffs() == below.at(joint, 12).r.coeffs());
    w.bench.session().setFrame(3);
    w.bench.action("interval-remove")->trigger();
    CHECK(w.scene().shot().intervals.empty());
}

TEST_CASE("a layer's head is carried to another place in the stack, and groups fold and mute their lanes") {
    Timed w;
    w.bench.tape()->open("scarf", false);
    QApplication::processEvents();
    Lane *tail = w.bench.tape()->lane("tail"), *ears = w.bench.tape()->lane("ears");
    const QPoint grip(150, 18);
    const int down = ears->y() + ears->height() - 3 - tail->y();
    test::dragMouse(tail, grip, QPoint(150, down));
    CHECK(w.scene().layers[2].id == "tail");
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().layers[0].id == "tail");
    for (const char* id : {"tail", "scarf"}) {
        w.bench.session().selectLayer(id);
        w.bench.action("group")->trigger();
        auto* name = w.bench.tuner()->findChild<QLineEdit*>(QString(), Qt::FindDirectChildrenOnly);
        for (QLineEdit* e : w.bench.tuner()->findChildren<QLineEdit*>())
            if (e->accessibleName() == QLatin1String("Name") && e->isVisible()) name = e;
        REQUIRE(name);
        QTest::keyClicks(name, QStringLiteral("soft things"));
        QTest::keyClick(name, Qt::Key_Return);
    }
    CHECK(w.scene().layer("scarf")->group == "soft things");
    QApplication::processEvents();
    QToolButton* head = w.bench.tape()->groupHead("soft things");
    REQUIRE(head);
    QTest::mouseClick(head, Qt::LeftButton);
    CHECK_FALSE(w.bench.tape()->lane("tail")->isVisible());
    CHECK(w.bench.tape()->lane("ears")->isVisible());
    QTest::mouseClick(head, Qt::LeftButton);
    CHECK(w.bench.tape()->lane("tail")->isVisible());
    QTest::mouseClick(w.toolNamed(QStringLiteral("Mute group soft things")), Qt::LeftButton);
    CHECK((w.scene().layer("tail")->muted && w.scene().layer("scarf")->muted && !w.scene().layer("ears")->muted));
    w.bench.action("colour-3")->trigger();
    CHECK(w.scene().layer("scarf")->colour == 2);
}

TEST_CASE("a lane's lower edge sets its height") {
    Timed w;
    Lane* lane = w.bench.tape()->lane("tail");
    const int was = lane->height();
    test::dragMouse(lane, QPoint(500, was - 2), QPoint(500, was + 40));
    CHECK(lane->height() > was + 30);
}

TEST_CASE("the ruler sets the range that plays, comes closer about the pointer, and takes named marks") {
    Timed w;
    Ruler* ruler = w.bench.tape()->ruler();
    const auto x = [&](int frame) { return QPoint(static_cast<int>(std::lround(ruler->scale().x(frame))), 20); };
    QTest::mousePress(ruler, Qt::LeftButton, Qt::ShiftModifier, x(6));
    QTest::mouseMove(ruler, x(9));
    QTest::mouseMove(ruler, x(12));
    QTest::mouseRelease(ruler, Qt::LeftButton, Qt::ShiftModifier, x(12));
    REQUIRE(w.bench.session().range());
    CHECK(*w.bench.session().range() == std::pair(6, 12));
    w.bench.session().setFrame(0);
    std::set<int> seen;
    QObject context;
    QObject::connect(&w.bench.session(), &Session::frameChanged, &context, [&](int f) { seen.insert(f); });
    w.key(Qt::Key_Space);
    CHECK(waitFor([&] { return seen.size() >= 6; }));
    w.key(Qt::Key_Space);
    CHECK(*seen.begin() >= 6);
    CHECK(*seen.rbegin() <= 12);
    // Its end is dragged; the whole shot plays again.
    w.bench.session().setFrame(0);
    test::dragMouse(ruler, x(12), x(15));
    CHECK(w.bench.session().range()->second == 15);
    w.bench.action("range-none")->trigger();
    CHECK_FALSE(w.bench.session().range());
    const QPointF here = x(10);
    const double before = ruler->scale().at(here.x());
    wheel(ruler, here, 4);
    CHECK(ruler->scale().span().second - ruler->scale().span().first < 15);
    CHECK(ruler->scale().at(here.x()) == Approx(before).margin(0.05));
    // A key of the open lane is where the ruler says.
    CHECK(w.pixel("gravity", 10).x() - kStackWidth == Approx(ruler->scale().x(10)).margin(1));
    const double from = ruler->scale().span().first;
    wheel(ruler, here, -1, Qt::ShiftModifier);
    CHECK(ruler->scale().span().first > from);
    QTest::mouseDClick(ruler, Qt::LeftButton, Qt::NoModifier, QPoint(400, 30));
    CHECK(w.bench.tape()->view().showsAll());
    w.bench.session().setFrame(7);
    w.bench.stage()->setFocus();
    w.key(Qt::Key_N);
    REQUIRE(ruler->markField()->isVisible());
    QTest::keyClicks(ruler->markField(), QStringLiteral("toe off"));
    QTest::keyClick(ruler->markField(), Qt::Key_Return);
    REQUIRE(w.scene().shot().marks.size() == 1);
    CHECK(w.scene().shot().marks[0].name == "toe off");
    CHECK(w.scene().shot().frameOf(w.scene().shot().marks[0].at) == 7);
    w.bench.session().setFrame(0);
    w.bench.action("mark-next")->trigger();
    CHECK(w.bench.session().frame() == 7);
}

TEST_CASE("playing at a quarter of its speed takes four times as long") {
    Timed w;
    w.bench.session().setSpeed(0.25);
    w.bench.session().setFrame(0);
    QElapsedTimer clock;
    clock.start();
    w.key(Qt::Key_Space);
    REQUIRE(waitFor([&] { return w.bench.session().frame() >= 4; }));
    // Four frames of a 24th of a second each, four times as long; a slow machine only adds to it.
    CHECK(clock.elapsed() >= 600);
    w.key(Qt::Key_Space);
}

TEST_CASE("a gauge is put on a joint, a setting follows it by a response that is dragged, and lets go again") {
    Timed w;
    w.bench.session().selectJoint(w.scene().actors[0].id, w.joint("hips"));
    w.bench.action("add-gauge")->trigger();
    REQUIRE(w.scene().gauges.size() == 1);
    const std::string gauge = w.scene().gauges[0].id;
    auto* page = w.bench.tuner()->findChild<TunedPage*>();
    REQUIRE(page->gaugePanel());
    w.settle();
    w.bench.session().setFrame(0);
    w.key(Qt::Key_Period);
    const int peak = w.bench.session().frame();
    CHECK(peak > 0);
    const auto& reads = w.bench.document().results()->evaluation.gauge(gauge)->values;
    CHECK(reads[static_cast<std::size_t>(peak)] >= reads[static_cast<std::size_t>(peak) - 1]);
    w.key(Qt::Key_Period);
    w.key(Qt::Key_Comma);
    CHECK(w.bench.session().frame() == peak);

    w.bench.session().selectLayer("tail");
    QApplication::processEvents();
    page = w.bench.tuner()->findChild<TunedPage*>();
    w.bench.tuner()->setOpen(QStringLiteral("Feels"), false);
    QApplication::processEvents();
    SettingRow* row = w.bench.tuner()->row("swing");
    REQUIRE(row->feedButton());
    QTest::mouseClick(row->feedButton(), Qt::LeftButton);
    FeedPanel* panel = page->feedPanel("swing");
    REQUIRE(panel);
    QApplication::processEvents();
    panel->gauges()->setFocus();
    QTest::keyClick(panel->gauges(), Qt::Key_Down);
    REQUIRE(w.scene().layer("tail")->feeds.count("swing") == 1);
    w.settle();
    CHECK_FALSE(row->slider()->isEnabled());
    const auto tip = w.tailTip();
    const auto point = [&](std::size_t k) {
        const scene::KeyAt& key = w.scene().layer("tail")->feeds.at("swing").response[k];
        return panel->response()->pointAt(key.at, key.value).toPoint();
    };
    const double was = w.scene().layer("tail")->feeds.at("swing").response[1].value;
    test::dragMouse(panel->response(), point(1), point(1) - QPoint(0, 30));
    CHECK(w.scene().layer("tail")->feeds.at("swing").response[1].value > was + 0.5);
    w.settle();
    CHECK((w.tailTip() - tip).norm() > 1e-4);
    // One drag is one step of history.
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().layer("tail")->feeds.at("swing").response[1].value == Approx(was));
    QLineEdit* lag = panel->field(1);
    w.type(lag, QStringLiteral("3"));
    CHECK(w.scene().layer("tail")->feeds.at("swing").lag == Approx(3 / w.scene().shot().fps));
    // A limit holds, and goes when its field is emptied.
    w.type(panel->field(5), QStringLiteral("1.8"));
    w.settle();
    const auto most = [&] {
        return w.bench.document().results()->evaluation.settingsOf({scene::List::Layers, "tail"})->span("swing").second;
    };
    CHECK(most() == Approx(1.8));
    w.type(panel->field(5), QStringLiteral(" "));
    CHECK(std::isinf(w.scene().layer("tail")->feeds.at("swing").high));
    w.settle();
    CHECK(most() > 1.8);
    CHECK(panel->field(5)->text().isEmpty());
    panel->gauges()->setFocus();
    QTest::keyClick(panel->gauges(), Qt::Key_Up);
    CHECK(w.scene().layer("tail")->feeds.empty());
    CHECK(row->slider()->isEnabled());
}

TEST_CASE("the stage shows what the chosen gauge reads, and is looked at from the front, the side, behind and above") {
    Timed w;
    w.bench.document().edit(QStringLiteral("gauge"), [](scene::Scene& s) {
        const std::string g = edit::addGauge(s, "otter", "hand_L", "distance");
        REQUIRE(edit::measureTo(s, g, "otter", "hand_R").ok());
    });
    w.settle();
    const QImage without = w.bench.stage()->grab().toImage();
    w.bench.session().selectGauge(w.scene().gauges[0].id);
    w.settle();
    const QPoint at = w.bench.stage()->jointPixel("otter", w.joint("hand_L"))->toPoint();
    const QImage with = w.bench.stage()->grab().toImage();
    const double ratio = w.bench.stage()->devicePixelRatioF();
    const QRect words((QPointF(at.x() + 10, at.y() - 22) * ratio).toPoint(), QSize(120, 20));
    CHECK_FALSE(without.copy(words) == with.copy(words));
    const auto spread = [&](int axis) {
        // How far the joints lie apart along a side of the picture.
        double low = 1e9, high = -1e9;
        for (const char* joint : {"hand_L", "hand_R"}) {
            const QPointF p = *w.bench.stage()->jointPixel("otter", w.joint(joint));
            low = std::min(low, axis == 0 ? p.x() : p.y());
            high = std::max(high, axis == 0 ? p.x() : p.y());
        }
        return high - low;
    };
    w.bench.action("view-front")->trigger();
    const double front = spread(0);
    const bool leftIsRight = w.bench.stage()->jointPixel("otter", w.joint("hand_L"))->x() >
                             w.bench.stage()->jointPixel("otter", w.joint("hand_R"))->x();
    CHECK(leftIsRight);  // it faces us
    w.bench.action("view-back")->trigger();
    CHECK(w.bench.stage()->jointPixel("otter", w.joint("hand_L"))->x() <
          w.bench.stage()->jointPixel("otter", w.joint("hand_R"))->x());
    w.bench.action("view-side")->trigger();
    CHECK(spread(0) < 0.7 * front);
    w.bench.action("view-top")->trigger();
    CHECK(spread(0) == Approx(front).epsilon(0.2));
}

TEST_CASE("two sides are looked at at once, bones are drawn as lines, and the actor of the selection alone") {
    Timed w;
    w.bench.action("view-two")->trigger();
    REQUIRE(w.bench.second());
    REQUIRE(waitFor([&] { return w.bench.second()->isVisible() && w.bench.second()->width() > 200; }));
    CHECK(w.bench.second()->camera().heading == Approx(w.bench.stage()->camera().heading + radians(90)));
    w.settle();
    // Each is turned by itself; both show the frame that plays, and a click on either selects.
    const double heading = w.bench.stage()->camera().heading;
    w.bench.second()->setFocus();
    w.bench.action("view-top")->trigger();
    CHECK(w.bench.stage()->camera().heading == heading);
    w.bench.action("view-side")->trigger();
    CHECK(w.bench.second()->camera().heading == Approx(radians(90)));
    w.bench.second()->grab();
    const auto at = w.bench.second()->jointPixel("otter", w.joint("tail_05"));
    REQUIRE(at);
    QTest::mouseClick(w.bench.second(), Qt::LeftButton, Qt::NoModifier, at->toPoint());
    CHECK(w.bench.session().selection().actor == "otter");
    CHECK_FALSE(w.bench.session().selection().joints.empty());
    const QImage whole = w.bench.second()->grab().toImage();
    w.bench.action("lines-only")->trigger();
    const QImage lines = w.bench.second()->grab().toImage();
    CHECK_FALSE(whole == lines);
    w.bench.action("lines-only")->trigger();
    CHECK(w.bench.second()->grab().toImage() == whole);
    w.bench.action("alone")->trigger();
    CHECK_FALSE(w.bench.second()->grab().toImage() == whole);  // the jetty is gone
    CHECK_FALSE(w.bench.second()->jointPixel(w.scene().actors[1].id, 0));
    w.bench.action("alone")->trigger();
    w.bench.action("view-two")->trigger();
    CHECK_FALSE(w.bench.second()->isVisible());
    CHECK(w.bench.stage()->isVisible());
}

TEST_CASE("what would wait for itself is refused in a sentence, and nothing changes") {
    Timed w;
    w.bench.document().edit(QStringLiteral("gauge"), [](scene::Scene& s) {
        const std::string g = edit::addGauge(s, "otter", "head", "turning");
        REQUIRE(edit::readAfter(s, g, "ears").ok());
    });
    w.bench.session().selectLayer("tail");
    w.bench.tuner()->setOpen(QStringLiteral("Feels"), false);
    QApplication::processEvents();
    QTest::mouseClick(w.bench.tuner()->row("swing")->feedButton(), Qt::LeftButton);
    FeedPanel* panel = w.bench.tuner()->findChild<TunedPage*>()->feedPanel("swing");
    REQUIRE(panel);
    QApplication::processEvents();
    panel->gauges()->setFocus();
    QTest::keyClick(panel->gauges(), Qt::Key_Down);
    CHECK(w.scene().layer("tail")->feeds.empty());
    CHECK(w.bench.hint().contains(QStringLiteral("stands above")));
    CHECK(panel->gauges()->currentIndex() == 0);
}

TEST_CASE("readings are written as a table") {
    Timed w;
    test::TempFolder folder;
    w.bench.document().edit(QStringLiteral("gauge"), [](scene::Scene& s) { edit::addGauge(s, "otter", "head", "speed"); });
    w.settle();
    const QString file = QString::fromStdString((folder / "g.csv").string());
    w.bench.askForFile = [&](const QString&, const QString&) { return file; };
    w.bench.session().selectGauge(w.scene().gauges[0].id);
    w.clickButton("do-gauge-csv");
    const std::string text = test::textOf(folder / "g.csv");
    CHECK(text.rfind("frame,seconds,Speed of head [m/s]\r\n1,0,", 0) == 0);
    CHECK(std::count(text.begin(), text.end(), '\n') == w.bench.document().frames() + 1);
}

TEST_CASE("curves fill the bench: a joint's motion to read, keys to drag, peaks to step through") {
    Timed w;
    w.bench.session().selectJoint("otter", w.joint("hand_L"));
    w.key(Qt::Key_E, Qt::ShiftModifier);
    CurveView* view = w.bench.curves();
    REQUIRE(view->isVisible());
    CHECK_FALSE(w.bench.stage()->isVisible());
    QApplication::processEvents();
    QToolButton* chip = view->chip(QStringLiteral("layers:scarf:gravity"));
    REQUIRE(chip);
    QTest::mouseClick(chip, Qt::LeftButton);
    QApplication::processEvents();
    view->plot()->grab();
    const QPoint at = view->plot()->keyPoint(w.at("gravity", 10)).toPoint();
    const double frame = (view->plot()->keyPoint(w.at("gravity", 18)).x() - at.x()) / 8;
    test::dragMouse(view->plot(), at, at + QPoint(static_cast<int>(std::lround(2 * frame)), 0));
    CHECK(w.keys("gravity")[1].first == 12);
    w.settle();
    w.bench.session().setFrame(0);
    w.key(Qt::Key_Period);
    CHECK(w.bench.session().frame() > 0);
    QTest::mouseClick(w.toolNamed(QStringLiteral("Curve: Place y")), Qt::LeftButton);
    w.key(Qt::Key_Escape);
    CHECK_FALSE(view->isVisible());
    CHECK(w.bench.stage()->isVisible());
}

TEST_CASE("the Scope says what an overlap was asked and what came of it, and offers no push where nothing springs") {
    Timed w;
    w.bench.session().selectJoint("otter", w.joint("head"));
    w.bench.action("add-overlap")->trigger();
    w.settle();
    REQUIRE(waitFor([&] { return w.bench.tuner()->scope()->words().startsWith(QStringLiteral("lags ")); }));
    CHECK(w.bench.tuner()->scope()->words().contains(QStringLiteral("asked")));
    const auto pushed = [&] {
        for (QToolButton* b : w.bench.tuner()->scope()->findChildren<QToolButton*>())
            if (b->text() == QLatin1String("After a push")) return b->isVisible();
        return false;
    };
    CHECK_FALSE(pushed());
    const auto words = [&] { return w.bench.tuner()->scope()->words(); };
    const QString before = words();
    w.drag("lag", 6);
    w.settle();
    CHECK(waitFor([&] { return words() != before; }));
    w.bench.session().selectLayer("tail");
    QApplication::processEvents();
    CHECK(pushed());
    CHECK(w.bench.tuner()->scope()->face() == Scope::Face::Push);
}
