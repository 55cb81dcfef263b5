// The bench as a hand finds it: finding, dragging, picking, naming, day and night.
#include <QApplication>
#include <QListWidget>
#include <QTest>
#include <catch2/catch.hpp>
#include <set>

#include "tests/app/window.h"

using namespace nutatio;
using namespace nutatio::app;
using test::dragMouse;
using test::kDemo;
using test::Window;

TEST_CASE("what fits best is found first: commands, and joints, shots, layers and settings too") {
    Window w(kDemo);
    w.bench.session().selectLayer("tail");
    auto* palette = w.bench.findChild<Palette*>();
    auto* field = palette->findChild<QLineEdit*>();
    const auto first = [&](const char* words) {
        w.key(Qt::Key_K, Qt::ControlModifier);
        field->clear();
        QTest::keyClicks(field, words);
        return palette->list()->item(0)->text();
    };
    // Not "Remove the selected layer, collider, wind or pin", which Enter would carry out.
    CHECK(first("add wind") == QStringLiteral("Add a wind"));
    CHECK(first("wind") == QStringLiteral("Wind catch"));  // of the layer in hand
    CHECK(first("ear_L") == QStringLiteral("ear_L"));
    QTest::keyClick(field, Qt::Key_Return);
    CHECK(w.bench.session().selection().joints == std::vector<int>{w.joint("ear_L")});
    CHECK(first("wind") == QStringLiteral("Add a wind"));
    CHECK(first("idle") == QStringLiteral("Idle"));
    QTest::keyClick(field, Qt::Key_Return);
    CHECK(test::played(w.scene()) == "Idle");
    CHECK(first("scarf ends") == QStringLiteral("scarf ends"));
    QTest::keyClick(field, Qt::Key_Return);
    CHECK(w.bench.session().selection().layer == "scarf");
    CHECK(first("thickness") == QStringLiteral("Thickness"));
    QTest::keyClick(field, Qt::Key_Return);
    CHECK(w.bench.tuner()->row("radius")->isVisible());
    CHECK(w.bench.tuner()->row("radius")->field()->hasFocus());
}

TEST_CASE("every slider of the Tuner has a way of 150 pixels at 1280 x 800, and nine rows stand below the Scope") {
    Window w(kDemo);
    w.bench.resize(1280, 800);
    w.bench.session().selectLayer("tail");
    w.settle();
    int rows = 0;
    for (const SettingRow* r : w.bench.tuner()->findChildren<SettingRow*>()) {
        if (!r->slider() || !r->isVisible()) continue;
        ++rows;
        CHECK(r->slider()->knob(1e9).x() - r->slider()->knob(-1e9).x() >= 150);
    }
    CHECK(rows >= 9);
    CHECK(w.bench.tuner()->visibleRows() >= 9);
    // One drag takes the swing rate from 1.6 to 1.7; with Shift, or on the number, a tenth as far.
    SettingRow* row = w.bench.tuner()->row("swing");
    Slider* s = row->slider();
    const auto swing = [&] { return w.scene().layer("tail")->number("swing"); };
    w.drag("swing", 1.7);
    CHECK(swing() == Approx(1.7).margin(0.025));
    const double before = swing();
    const QPoint knob = s->knob(before);
    QTest::mousePress(s, Qt::LeftButton, Qt::NoModifier, knob);
    QMouseEvent move(QEvent::MouseMove, QPointF(knob + QPoint(20, 0)), s->mapToGlobal(QPointF(knob + QPoint(20, 0))),
                     Qt::NoButton, Qt::LeftButton, Qt::ShiftModifier);
    QApplication::sendEvent(s, &move);
    QTest::mouseRelease(s, Qt::LeftButton, Qt::ShiftModifier, knob + QPoint(20, 0));
    const double fine = swing() - before;
    CHECK(fine > 0.001);
    CHECK(fine < 0.1);
    const QPoint at = row->field()->rect().center();
    QTest::mousePress(row->field(), Qt::LeftButton, Qt::NoModifier, at);
    for (int k = 1; k <= 10; ++k) QTest::mouseMove(row->field(), at + QPoint(2 * k, 0));
    QTest::mouseRelease(row->field(), Qt::LeftButton, Qt::NoModifier, at + QPoint(20, 0));
    CHECK(swing() > before + fine + 0.1);
}

TEST_CASE("a drag that goes on while the shot plays sets the key that it began with, and no other") {
    Window w(kDemo);
    w.bench.session().selectLayer("tail");
    w.settle();
    SettingRow* row = w.bench.tuner()->row("swing");
    QTest::mouseClick(row->keyButton(), Qt::LeftButton);
    w.bench.session().setFrame(8);
    Slider* s = row->slider();
    const QPoint from = s->knob(s->value());
    QTest::mousePress(s, Qt::LeftButton, Qt::NoModifier, from);
    for (int k = 1; k <= 20; ++k) {
        w.bench.session().setFrame(8 + k % 15);
        QTest::mouseMove(s, from + QPoint(3 * k, 0));
    }
    QTest::mouseRelease(s, Qt::LeftButton, Qt::NoModifier, from + QPoint(60, 0));
    const scene::Keys* keys = w.scene().shot().keysOf({scene::List::Layers, "tail"}, "swing");
    REQUIRE(keys);
    REQUIRE(keys->size() == 2);
    CHECK((*keys)[1].at == Approx(8 / 24.0));
}

TEST_CASE("on the stage: another click picks what is beneath, empty ground turns the view, Escape ends a trial first") {
    Window w(kDemo);
    Stage* stage = w.bench.stage();
    const auto at = stage->jointPixel("otter", w.joint("scarf_R_03"));
    REQUIRE(at);
    std::set<int> picked;
    for (int k = 0; k < 4; ++k) {
        QTest::mouseClick(stage, Qt::LeftButton, Qt::NoModifier, at->toPoint());
        REQUIRE(w.bench.session().selection().joints.size() == 1);
        picked.insert(w.bench.session().selection().joints[0]);
    }
    CHECK(picked.size() > 1);
    // One of a selection is left out by Ctrl and a click.
    w.bench.session().selectJoint("otter", w.joint("tail_01"));
    w.key(Qt::Key_C);
    const auto all = w.bench.session().selection().joints.size();
    w.clickJoint("tail_10", Qt::ControlModifier);
    CHECK(w.bench.session().selection().joints.size() + 1 == all);
    const double heading = stage->camera().heading;
    dragMouse(stage, QPoint(30, 30), QPoint(110, 40));
    CHECK(stage->camera().heading != heading);
    w.bench.session().selectLayer("tail");
    w.bench.action(QStringLiteral("trial-hop"))->trigger();
    REQUIRE(w.scene().actors[0].onTrial());
    w.key(Qt::Key_Escape);
    CHECK_FALSE(w.scene().actors[0].onTrial());
    CHECK(w.bench.session().selection().layer == "tail");
    w.key(Qt::Key_Escape);
    CHECK(w.bench.session().selection().layer.empty());
}

TEST_CASE("what is selected is renamed and duplicated with its keys, a deleted layer leaves no keys behind") {
    Window w(kDemo);
    w.bench.session().selectLayer("tail");
    w.settle();
    QTest::mouseClick(w.bench.tuner()->row("swing")->keyButton(), Qt::LeftButton);
    w.key(Qt::Key_D, Qt::ControlModifier);
    REQUIRE(w.scene().layers.size() == 4);
    const std::string copy = w.bench.session().selection().layer;
    CHECK(copy != "tail");
    CHECK(w.scene().shot().keysOf({scene::List::Layers, copy}, "swing") != nullptr);
    w.key(Qt::Key_F2);
    QTest::keyClicks(QApplication::focusWidget(), "rudder");
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
    CHECK(w.scene().layer(copy)->name == "rudder");
    w.bench.stage()->setFocus();
    w.key(Qt::Key_Delete);
    CHECK(w.scene().layers.size() == 3);
    CHECK(w.scene().shot().keysOf({scene::List::Layers, copy}) == nullptr);
}

TEST_CASE("by night everything is drawn from the other table, and by day again as before") {
    Window w(kDemo);
    w.bench.session().selectLayer("tail");
    w.settle();
    const QImage day = w.bench.grab().toImage();
    w.bench.action(QStringLiteral("night"))->trigger();
    QApplication::processEvents();
    const QImage night = w.bench.grab().toImage();
    w.bench.action(QStringLiteral("night"))->trigger();
    QApplication::processEvents();
    const auto dark = [](const QImage& i) {
        long sum = 0;
        for (int y = 0; y < i.height(); y += 7)
            for (int x = 0; x < i.width(); x += 7) sum += qGray(i.pixel(x, y));
        return static_cast<double>(sum) / ((i.height() / 7.0) * (i.width() / 7.0));
    };
    CHECK(dark(night) < 0.5 * dark(day));
    CHECK(dark(w.bench.grab().toImage()) == Approx(dark(day)).epsilon(0.05));
}

TEST_CASE("a joint is renamed by F2 and given an end, and undo takes both back") {
    Window w(kDemo);
    w.bench.session().selectJoint("otter", w.joint("tail_01"));
    w.key(Qt::Key_F2);
    QTest::keyClicks(QApplication::focusWidget(), "rudder");
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
    CHECK(w.joint("rudder") >= 0);
    CHECK(w.scene().layer("tail")->list("root") == std::vector<std::string>{"rudder"});
    w.bench.stage()->setFocus();
    w.bench.session().selectJoint("otter", w.joint("tail_10"));
    w.bench.action(QStringLiteral("add-end"))->trigger();
    CHECK(w.joint("tail_10_end") >= 0);
    CHECK(w.bench.session().selection().joints == std::vector<int>{w.joint("tail_10_end")});
    w.settle();
    w.key(Qt::Key_Z, Qt::ControlModifier);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.joint("rudder") < 0);
    CHECK(w.joint("tail_10_end") < 0);
    w.settle();
}

TEST_CASE("a right click offers what can be done there, and what is mirrored stands on the other side") {
    Window w(kDemo);
    Lane* lane = w.bench.findChild<Tape*>()->lane("scarf");
    REQUIRE(lane);
    QContextMenuEvent ask(QContextMenuEvent::Mouse, QPoint(40, 10), lane->mapToGlobal(QPoint(40, 10)));
    QApplication::sendEvent(lane, &ask);
    auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
    REQUIRE(menu);
    CHECK(w.bench.session().selection().layer == "scarf");
    QStringList offered;
    for (QAction* a : menu->actions())
        if (!a->isSeparator()) {
            CHECK(a->isEnabled());
            offered << a->text();
        }
    CHECK(offered.contains(w.bench.action("duplicate")->text()));
    CHECK(offered.contains(w.bench.action("mirror")->text()));
    CHECK_FALSE(offered.contains(w.bench.action("add-sphere")->text()));
    QTest::mouseClick(menu, Qt::LeftButton, Qt::NoModifier, menu->actionGeometry(w.bench.action("mute")).center());
    CHECK(w.scene().layer("scarf")->muted);
    CHECK(QApplication::activePopupWidget() == nullptr);

    w.clickJoint("ear_L");
    w.bench.action("add-jiggle")->trigger();
    const std::size_t before = w.scene().layers.size();
    w.key(Qt::Key_D, Qt::ControlModifier | Qt::ShiftModifier);
    REQUIRE(w.scene().layers.size() == before + 1);
    const scene::Layer& made = *w.scene().layer(w.bench.session().selection().layer);
    CHECK(made.list("joint") == std::vector<std::string>{"ear_R"});
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.scene().layers.size() == before);
    // What stands in the middle says so and changes nothing.
    w.bench.session().selectLayer("tail");
    w.key(Qt::Key_D, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(w.scene().layers.size() == before);
    const auto labels = w.bench.findChildren<QLabel*>();
    CHECK(std::any_of(labels.begin(), labels.end(),
                      [](const QLabel* l) { return l->isVisible() && l->text().contains(QStringLiteral("no other side")); }));
}
