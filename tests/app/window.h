// The window that UI tests drive.
#pragma once

#include <QApplication>
#include <QDir>
#include <QPushButton>
#include <QTest>
#include <catch2/catch.hpp>

#include "app/bench/bench.h"
#include "tests/support/rigs.h"

namespace nutatio::test {

using app::SettingRow;
using app::Slider;

inline const QString kOtter = QString::fromStdString(sourceFolder() + "/demo/assets/otter.glb");
inline const QString kDemo = QString::fromStdString(sourceFolder() + "/demo/lake-landing.nutatio");

inline bool waitFor(const std::function<bool()>& ready) {
    return QTest::qWaitFor(ready, 30000);
}

/// Presses at `from`, goes to `to` in steps and lets go.
inline void dragMouse(QWidget* w, const QPoint& from, const QPoint& to, const std::function<void()>& between = {}) {
    QTest::mousePress(w, Qt::LeftButton, Qt::NoModifier, from);
    for (int k = 1; k <= 6; ++k) {
        QTest::mouseMove(w, from + (to - from) * k / 6);
        if (between) between();
    }
    QTest::mouseRelease(w, Qt::LeftButton, Qt::NoModifier, to);
}

/// A window with `file` open and its motion ready.
struct Window {
    explicit Window(const QString& file = kOtter, const QString& keepFolder = {}) : bench(keepFolder) {
        bench.show();
        REQUIRE(QTest::qWaitForWindowExposed(&bench));
        // A bare virtual screen has no window manager that would do this.
        QApplication::setActiveWindow(&bench);
        if (file.isEmpty()) return;
        bench.open(file);
        REQUIRE(waitFor([&] { return !bench.document().scene().actors.empty(); }));
        settle();
    }
    void settle() {
        REQUIRE(waitFor([&] { return bench.document().upToDate() && bench.document().results(); }));
        bench.stage()->grab();
        QApplication::processEvents();
    }
    void key(int k, Qt::KeyboardModifiers m = Qt::NoModifier) { QTest::keyClick(&bench, static_cast<Qt::Key>(k), m); }
    const scene::Scene& scene() { return bench.document().scene(); }
    int joint(const char* name) { return scene().actors[0].actor->skeleton.find(name); }
    void clickJoint(const char* name, Qt::KeyboardModifiers m = Qt::NoModifier) {
        const auto at = bench.stage()->jointPixel(scene().actors[0].id, joint(name));
        REQUIRE(at);
        QTest::mouseClick(bench.stage(), Qt::LeftButton, m, at->toPoint());
    }
    void clickButton(const char* name) {
        INFO(name);
        QApplication::processEvents();  // pages are laid anew when what changed has changed
        auto* b = bench.findChild<QPushButton*>(QLatin1String(name));
        REQUIRE(b);
        REQUIRE(b->isEnabled());
        QTest::mouseClick(b, Qt::LeftButton);
    }
    QPushButton* buttonSaying(const QString& text) {
        for (QPushButton* b : bench.findChildren<QPushButton*>())
            if (b->text() == text && b->isVisible()) return b;
        return nullptr;
    }
    QToolButton* toolNamed(const QString& name) {
        for (QToolButton* b : bench.findChildren<QToolButton*>())
            if (b->accessibleName() == name && b->isVisible()) return b;
        return nullptr;
    }
    /// Drags a setting's knob to a value in five moves.
    void drag(const std::string& setting, double to) {
        SettingRow* row = bench.tuner()->row(setting);
        REQUIRE(row);
        Slider* s = row->slider();
        const QPoint from = s->knob(s->value()), target = s->knob(to);
        QTest::mousePress(s, Qt::LeftButton, Qt::NoModifier, from);
        for (int k = 1; k <= 5; ++k) QTest::mouseMove(s, from + (target - from) * k / 5);
        QTest::mouseRelease(s, Qt::LeftButton, Qt::NoModifier, target);
    }
    Vec3 tailTip() {
        const auto& r = *bench.document().results()->evaluation.actors[0].result;
        std::vector<Xform> pose;
        std::vector<Affine> worlds;
        r.pose(std::min(12, r.frames() - 1), pose);
        rig::worldTransforms(scene().actors[0].actor->skeleton, pose, worlds);
        return worlds[static_cast<std::size_t>(joint("tail_10"))].t;
    }
    app::Bench bench;
};

}  // namespace nutatio::test
