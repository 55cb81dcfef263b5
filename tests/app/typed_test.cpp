// What is typed, selected, removed and looked for in the window.
#include <QApplication>
#include <QClipboard>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QTest>
#include <QTreeWidget>
#include <catch2/catch.hpp>

#include "app/bench/palette.h"
#include "app/stage/stage.h"
#include "app/tape/tape.h"
#include "edit/edit.h"
#include "edit/motions.h"
#include "edit/operations.h"
#include "tests/app/window.h"

using namespace nutatio;
using namespace nutatio::app;
using test::TempFolder;
using test::Window;

namespace {

void click(QTreeWidget* in, QTreeWidgetItem* item) {
    in->scrollToItem(item);
    QTest::mouseClick(in->viewport(), Qt::LeftButton, Qt::NoModifier, in->visualItemRect(item).center());
}

QTreeWidgetItem* rowOf(QTreeWidget* in, const QString& text) {
    const auto found = in->findItems(text, Qt::MatchExactly | Qt::MatchRecursive);
    REQUIRE_FALSE(found.isEmpty());
    return found[0];
}

/// The best match of some words in the command list, which stays open.
QString bestOf(Window& w, const QString& words) {
    w.key(Qt::Key_K, Qt::ControlModifier);
    auto* palette = w.bench.findChild<Palette*>();
    auto* field = palette->findChild<QLineEdit*>();
    field->clear();
    QTest::keyClicks(field, words);
    return palette->list()->item(0)->text();
}

/// A strand on the tail, chosen, in the Tuner.
void tuneTail(Window& w) {
    w.bench.session().selectJoint(w.scene().actors[0].id, w.joint("tail_01"));
    w.bench.action(QStringLiteral("add-strand"))->trigger();
    w.settle();
    REQUIRE(w.bench.tuner()->row("swing"));
}

}  // namespace

TEST_CASE("Delete on a row takes away what the row is, or says why it stays, never the actor that it belongs to") {
    Window w;
    const std::string actor = w.scene().actors[0].id;
    tuneTail(w);
    std::string made;
    w.bench.document().edit(QStringLiteral("Begin in the rest pose"), [&](scene::Scene& s) {
        made = edit::poseFirst(s, actor, s.actors[0].actor->clips[0].name, 4, 4).value();
    });
    w.settle();
    QTreeWidget* tree = w.bench.roster()->tree();
    QAction* remove = w.bench.action(QStringLiteral("remove"));
    // A clip of the file.
    const QString own = QString::fromStdString(w.scene().actors[0].actor->clips[0].name);
    click(tree, rowOf(tree, own));
    CHECK(w.bench.session().selection().clip == own.toStdString());
    CHECK(remove->text().contains(own));
    w.key(Qt::Key_Delete);
    CHECK(w.scene().actors.size() == 1);
    CHECK(w.scene().layers.size() == 1);
    CHECK(w.bench.hint().contains(QStringLiteral("belongs to the file")));
    // A heading stands for nothing.
    click(tree, rowOf(tree, QStringLiteral("Clips")));
    CHECK_FALSE(remove->isEnabled());
    w.key(Qt::Key_Delete);
    CHECK(w.scene().actors.size() == 1);
    // A clip that was made here goes, and comes back.
    click(tree, rowOf(tree, QString::fromStdString(made)));
    w.key(Qt::Key_Delete);
    CHECK(w.scene().actors[0].actor->findClip(made) < 0);
    w.bench.document().undo();
    CHECK(w.scene().actors[0].actor->findClip(made) >= 0);
    // A layer goes, and with it the selection: a second Delete finds nothing to take.
    w.bench.session().selectLayer(w.scene().layers[0].id);
    CHECK(remove->text().contains(QString::fromStdString(w.scene().layers[0].name)));
    w.key(Qt::Key_Delete);
    CHECK(w.scene().layers.empty());
    w.key(Qt::Key_Delete);
    CHECK(w.scene().actors.size() == 1);
    // The actor itself says what goes with it.
    click(tree, tree->topLevelItem(0));
    CHECK(remove->text().contains(QString::fromStdString(w.scene().actors[0].name)));
}

TEST_CASE("a number that is typed takes the old one's place, shows that it was taken, and gives the keyboard back") {
    Window w;
    tuneTail(w);
    w.key(Qt::Key_K, Qt::ControlModifier);
    auto* palette = w.bench.findChild<Palette*>();
    auto* find = palette->findChild<QLineEdit*>();
    QTest::keyClicks(find, QStringLiteral("swing rate"));
    QTest::keyClick(find, Qt::Key_Return);
    QLineEdit* field = w.bench.tuner()->row("swing")->field();
    REQUIRE(field->hasFocus());
    QTest::keyClicks(field, QStringLiteral("1.3"));
    // A key of the bench works from within a field; keys that edit text stay the field's.
    w.bench.session().setStep(StepId::Tune);
    QTest::keyClick(field, Qt::Key_Return);
    CHECK(w.scene().layers[0].number("swing") == Approx(1.3));
    CHECK_FALSE(field->styleSheet().isEmpty());
    QApplication::processEvents();
    CHECK(w.bench.stage()->hasFocus());
    REQUIRE_FALSE(w.bench.session().isPlaying());
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Space);
    CHECK(w.bench.session().isPlaying());
    w.bench.session().setPlaying(false);
    // Escape takes back what was typed and lets go too.
    QTest::mouseClick(field, Qt::LeftButton);
    QTest::keyClicks(field, QStringLiteral("9"));
    QTest::keyClick(field, Qt::Key_Escape);
    QApplication::processEvents();
    CHECK(w.scene().layers[0].number("swing") == Approx(1.3));
    CHECK(w.bench.stage()->hasFocus());
}

TEST_CASE("a key of the bench with Ctrl works while a field has the keyboard, but for those that edit text") {
    Window w;
    tuneTail(w);
    QLineEdit* field = w.bench.tuner()->row("swing")->field();
    field->setFocus();
    field->selectAll();
    QTest::keyClick(field, Qt::Key_C, Qt::ControlModifier);
    CHECK(QApplication::clipboard()->text() == field->text());
    QTest::keyClick(field, Qt::Key_E, Qt::ControlModifier);
    QApplication::processEvents();
    CHECK(w.bench.session().step() == StepId::HandOff);
}

TEST_CASE("a frame typed beyond a day is refused in one sentence, and what is saved opens again") {
    Window w;
    tuneTail(w);
    const scene::Owner owner{scene::List::Layers, w.scene().layers[0].id};
    const scene::Scene before = w.scene();
    for (const int frame : {9999999 - 1, 3000000 - 1}) {
        w.bench.document().edit(QStringLiteral("Key"), [&](scene::Scene& s) { edit::toggleKey(s, owner, "swing", frame); });
        CHECK_FALSE(scene::changeBetween(before, w.scene()).moves());
        CHECK(w.bench.hint().contains(QStringLiteral("a day at most")));
    }
    TempFolder f;
    CHECK(w.bench.document().save(QString::fromStdString((f / "s.nutatio").string())));
}

TEST_CASE("the command list finds what a page calls so, and what cannot be done now says why") {
    Window w;
    CHECK(bestOf(w, QStringLiteral("hold its feet")).contains(QStringLiteral("feet")));
    CHECK(bestOf(w, QStringLiteral("limp")) == QStringLiteral("limp"));
    CHECK(bestOf(w, QStringLiteral("motion")).startsWith(QStringLiteral("Motion")));
    CHECK(bestOf(w, QStringLiteral("hold pose")).contains(QStringLiteral("hold a pose")));
    CHECK(bestOf(w, QStringLiteral("gauge")).contains(QStringLiteral("gauge")));
}

TEST_CASE("a motion plays again over the range that is set now") {
    Window w(test::kDemo);
    w.key(Qt::Key_1, Qt::ControlModifier);
    w.bench.session().setFace(FaceId::Motion);
    QApplication::processEvents();
    for (const auto& [from, to] : {std::pair{0, 22}, {1, 19}, {9, 21}}) {
        const int before = w.bench.document().frames();
        w.bench.session().setRange(std::pair{from, to});
        w.clickButton("line-repeat");
        QApplication::processEvents();
        CHECK(w.bench.document().frames() == before + (to - from));
    }
}

TEST_CASE("two acts on one body are told apart by name and by what they do") {
    Window w;
    w.bench.session().selectJoint(w.scene().actors[0].id, w.joint("head"));
    w.bench.action(QStringLiteral("add-act"))->trigger();
    w.bench.session().selectJoint(w.scene().actors[0].id, w.joint("head"));
    w.bench.action(QStringLiteral("add-act"))->trigger();
    w.settle();
    REQUIRE(w.scene().layers.size() == 2);
    CHECK(w.scene().layers[0].name != w.scene().layers[1].name);
    w.bench.document().edit(QStringLiteral("What it does"),
                            [](scene::Scene& s) { s.layers.edit(1).set("act", std::string("limp")); });
    QApplication::processEvents();
    int told = 0;
    for (const QLabel* l : w.bench.findChildren<QLabel*>()) told += l->toolTip().startsWith(QStringLiteral("limp, "));
    CHECK(told == 1);
}

TEST_CASE("a notice takes room from the stage and from nothing else") {
    Window w;
    tuneTail(w);
    const auto rowsAt = [&] { return w.bench.tuner()->row("swing")->mapTo(&w.bench, QPoint()); };
    const QPoint before = rowsAt();
    const int tape = w.bench.tape()->mapTo(&w.bench, QPoint()).y();
    w.bench.open(QStringLiteral("/nowhere/at/all.glb"));
    auto* notice = w.bench.findChildren<QFrame*>(QStringLiteral("notice")).value(1);
    REQUIRE(test::waitFor([&] {
        for (QFrame* f : w.bench.findChildren<QFrame*>(QStringLiteral("notice")))
            if (f->isVisible()) notice = f;
        return notice && notice->isVisible();
    }));
    QApplication::processEvents();
    CHECK(rowsAt() == before);
    CHECK(w.bench.tape()->mapTo(&w.bench, QPoint()).y() == tape);
}
