// Takes the pictures of docs/screenshots from the demo scene, in the real window. Run under Xvfb: make shots.
#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QFileInfo>
#include <QMouseEvent>
#include <QPainter>
#include <iostream>

#include "app/bench/bench.h"
#include "app/look/theme.h"
#include "app/prepare/prepare_page.h"
#include "app/shots/time_shots.h"
#include "app/widgets/list_row.h"
#include "edit/edit.h"
#include "edit/operations.h"
#include "scene/items.h"

namespace {

using nutatio::app::Bench;

/// Lets the window work until `ready` holds; false when it takes longer than anyone would wait.
bool waitFor(const std::function<bool()>& ready) {
    QElapsedTimer t;
    t.start();
    while (!ready() && t.elapsed() < 20000) QApplication::processEvents(QEventLoop::AllEvents, 10);
    return ready();
}

void settle(Bench& bench) {
    waitFor([&] {
        return bench.document().upToDate() && bench.document().results() &&
               (bench.session().selection().layer.empty() || bench.tuner()->scope()->response());
    });
    for (int i = 0; i < 5; ++i) QApplication::processEvents(QEventLoop::AllEvents, 20);
}

void keep(Bench& bench, const QDir& folder, const QString& name) {
    settle(bench);
    bench.grab().save(folder.filePath(name));
    std::cout << name.toStdString() << "\n";
}

/// Frames of the stage side by side.
void strip(Bench& bench, const QDir& folder, const QString& name, const QList<int>& frames, const QRectF& cut) {
    QList<QPixmap> pictures;
    for (int f : frames) {
        bench.session().setFrame(f - 1);
        settle(bench);
        const QPixmap p = bench.stage()->grab();
        pictures << p.copy(
            QRectF(cut.x() * p.width(), cut.y() * p.height(), cut.width() * p.width(), cut.height() * p.height()).toRect());
    }
    const int wide = pictures.front().width(), tall = pictures.front().height(),
              across = static_cast<int>((pictures.size() + 1) / 2);
    QPixmap all(wide * across, tall * 2);
    all.fill(nutatio::look::theme().paper);
    QPainter p(&all);
    for (int i = 0; i < pictures.size(); ++i) {
        const QPoint at(i % across * wide, i / across * tall);
        p.drawPixmap(at, pictures[i]);
        p.setPen(nutatio::look::theme().ink);
        p.setFont(nutatio::look::figureFont(10));
        p.drawText(at + QPoint(10, 22), QStringLiteral("%1").arg(frames[i]));
    }
    p.end();
    all.save(folder.filePath(name));
    std::cout << name.toStdString() << "\n";
}

void mouse(QWidget* w, QEvent::Type type, const QPointF& at, Qt::MouseButtons held) {
    QMouseEvent e(type, at, w->mapToGlobal(at), type == QEvent::MouseMove ? Qt::NoButton : Qt::LeftButton, held, Qt::NoModifier);
    QApplication::sendEvent(w, &e);
}

/// The views that came with forces, trials and feels.
void forces(Bench& bench, const QDir& folder) {
    auto& session = bench.session();
    auto camera = bench.stage()->camera();

    session.setStep(nutatio::app::StepId::Tune);
    settle(bench);
    session.selectJoint("otter", bench.document().scene().actor("otter")->actor->skeleton.find("root"));
    bench.action(QStringLiteral("fit"))->trigger();
    camera.heading = nutatio::radians(40);
    bench.stage()->setCamera(camera);
    for (const auto& c : bench.document().scene().colliders)
        if (c.mount.joint == "upper_arm_L" || c.mount.joint == "thigh_L") session.selectCollider(c.id);
    keep(bench, folder, QStringLiteral("colliders.png"));
    bench.document().undo();
}

/// Whole bodies: the segments of one that has let go, and its fall frame by frame.
void bodies(Bench& bench, const QDir& folder, const QString& scene) {
    auto& session = bench.session();
    session.setGhost(false);
    bench.document().open(scene);
    waitFor([&] { return bench.document().scene().layers.size() == 8; });
    settle(bench);
    auto camera = bench.stage()->camera();
    camera.heading = nutatio::radians(110);
    camera.height = nutatio::radians(12);
    camera.target = nutatio::Vec3(0, 0.5, 0.15);
    session.setFrame(0);
    settle(bench);
    bench.stage()->setCamera(camera);
    session.selectActor("otter");
    bench.action(QStringLiteral("follow"))->trigger();
    bench.stage()->setJointsShown(true);
    session.selectLayer("hips-ragdoll");
    session.pointAt("otter", bench.document().scene().actor("otter")->actor->skeleton.find("upper_arm_L"));
    session.setFrame(43);
    keep(bench, folder, QStringLiteral("body.png"));
    session.select({});
    bench.stage()->setJointsShown(false);
    camera = bench.stage()->camera();
    camera.distance *= 1.35;
    bench.stage()->setCamera(camera);
    strip(bench, folder, QStringLiteral("slip-strip.png"), {36, 40, 42, 44, 46, 52, 64, 95, 108, 122},
          QRectF(0.12, 0.1, 0.7, 0.85));
}

/// A leap off the jetty: where its weight lies.
void weight(Bench& bench, const QDir& folder, const QString& scene) {
    auto& session = bench.session();
    bench.document().open(scene);
    waitFor([&] { return bench.document().scene().actors.size() == 4; });
    settle(bench);
    auto camera = bench.stage()->camera();
    camera.heading = nutatio::radians(84);
    camera.height = nutatio::radians(9);
    camera.target = nutatio::Vec3(0.4, 0.42, 1.6);
    camera.distance = 3.7;
    bench.stage()->setCamera(camera);
    bench.stage()->setJointsShown(false);
    session.selectLayer("hips-balance");
    session.setFrame(20);
    keep(bench, folder, QStringLiteral("weight.png"));
}

}  // namespace

int main(int argc, char** argv) {
    nutatio::look::setSurfaceFormat();
    nutatio::look::smoothAlways();
    QApplication app(argc, argv);
    nutatio::look::dress(app);
    const QStringList args = QApplication::arguments();
    const bool stripOnly = args.value(3) == QStringLiteral("strip");
    if (args.size() < 3 || args.size() > (stripOnly ? 8 : 4) || (stripOnly && args.size() < 5)) {
        std::cerr << "usage: nutatio-shots SCENE FOLDER [night]\n"
                     "       nutatio-shots SCENE FOLDER strip FRAME,FRAME... [HEADING [DISTANCE [follow]]]\n";
        return 2;
    }
    const QDir folder(args[2]);
    folder.mkpath(QStringLiteral("."));
    Bench bench;
    bench.show();
    bench.open(args[1]);
    if (!waitFor([&] { return !bench.document().scene().actors.empty(); })) {
        std::cerr << bench.notice()->text().toStdString() << "\n";
        return 3;
    }
    settle(bench);
    if (stripOnly) {
        // The stage alone at some frames, to look at motion: heading in degrees, distance against what fits the scene.
        QList<int> frames;
        for (const QString& f : args[4].split(u',')) frames << f.toInt();
        auto view = bench.stage()->camera();
        if (args.size() > 5) view.heading = nutatio::radians(args[5].toDouble());
        if (args.size() > 6) view.distance *= args[6].toDouble();
        bench.stage()->setCamera(view);
        bench.session().select({});
        if (args.size() > 7) bench.action(QStringLiteral("follow"))->trigger();
        bench.stage()->setJointsShown(false);
        strip(bench, folder, QStringLiteral("strip.png"), frames, QRectF(0, 0, 1, 1));
        return 0;
    }
    if (args.value(3) == QStringLiteral("night")) bench.action(QStringLiteral("night"))->trigger();
    auto& session = bench.session();
    auto camera = bench.stage()->camera();
    camera.heading = nutatio::radians(118);
    camera.height = nutatio::radians(10);
    camera.target += nutatio::Vec3(0, -0.06, -0.16);
    camera.distance *= 0.86;
    bench.stage()->setCamera(camera);
    session.selectLayer("tail");
    session.setFrame(8);
    keep(bench, folder, QStringLiteral("bench.png"));
    const auto takesFrom = camera;

    camera.heading = nutatio::radians(28);
    camera.target = nutatio::Vec3(0, 0.62, 0);
    bench.stage()->setCamera(camera);
    session.selectLayer("scarf");
    session.setFrame(4);
    keep(bench, folder, QStringLiteral("tune.png"));

    forces(bench, folder);
    // What the check found, one of them shown.
    const auto& actor = *bench.document().scene().actor("otter")->actor;
    session.setStep(nutatio::app::StepId::Prepare);
    waitFor([&] { return bench.checker().upToDate(); });
    for (int i = 0; i < 5; ++i) QApplication::processEvents(QEventLoop::AllEvents, 20);
    if (auto* page = bench.findChild<nutatio::app::PreparePage*>(); page && !page->rows().isEmpty())
        Q_EMIT page->rows().front()->chosen();
    keep(bench, folder, QStringLiteral("prepare.png"));
    session.select({});
    camera.heading = nutatio::radians(24);
    camera.target = nutatio::Vec3(0, 0.62, 0.05);
    camera.distance *= 0.6;
    bench.stage()->setCamera(camera);
    settle(bench);
    // Parts, and a map.
    session.setFace(nutatio::app::FaceId::Joints);
    bench.action(QStringLiteral("accept-parts"))->trigger();
    session.selectJoint("otter", actor.skeleton.find("tail_01"));
    session.selectChain();
    bench.document().undo();
    bench.document().edit(QStringLiteral("map"), [](nutatio::scene::Scene& scene) {
        (void)nutatio::edit::carryOut(scene, "add-map:actor=otter,name=soft belly,from=distance,joints=belly,low=0.24,high=0.02")
            .ok();
        (void)nutatio::edit::carryOut(scene, "map-step:actor=otter,map=soft belly,from=blur,reach=0.03").ok();
    });
    session.setFace(nutatio::app::FaceId::Maps);
    for (auto* row : bench.findChildren<nutatio::app::ListRow*>(QStringLiteral("map"))) Q_EMIT row->chosen(false);
    keep(bench, folder, QStringLiteral("maps.png"));
    bench.document().undo();
    session.setFace(nutatio::app::FaceId::Joints);
    // A stroke of the brush on the tail's second joint.
    camera.heading = nutatio::radians(118);
    camera.target = nutatio::Vec3(0, 0.45, -0.35);
    bench.stage()->setCamera(camera);
    session.selectJoint("otter", actor.skeleton.find("tail_04"));
    bench.action(QStringLiteral("paint"))->trigger();
    settle(bench);
    const QPointF tail = *bench.stage()->jointPixel("otter", actor.skeleton.find("tail_05"));
    mouse(bench.stage(), QEvent::MouseMove, tail, Qt::NoButton);
    mouse(bench.stage(), QEvent::MouseButtonPress, tail, Qt::LeftButton);
    for (int k = 1; k <= 6; ++k) mouse(bench.stage(), QEvent::MouseMove, tail + QPointF(4.0 * k, 1.0 * k), Qt::LeftButton);
    mouse(bench.stage(), QEvent::MouseButtonRelease, tail + QPointF(24, 6), Qt::NoButton);
    keep(bench, folder, QStringLiteral("paint.png"));
    bench.document().undo();
    bench.action(QStringLiteral("paint"))->trigger();
    camera.distance /= 0.6;
    camera.target = nutatio::Vec3(0, 0.62, 0);
    bench.stage()->setCamera(camera);
    session.selectJoint("otter", actor.skeleton.find("tail_01"));
    session.selectChain();
    session.setStep(nutatio::app::StepId::Attach);
    keep(bench, folder, QStringLiteral("attach.png"));

    timeShots(bench, [&](const QString& name) { keep(bench, folder, name); });
    bench.stage()->setCamera(takesFrom);
    takeShots(bench, [&](const QString& name) { keep(bench, folder, name); });

    session.setStep(nutatio::app::StepId::HandOff);
    bench.handoff()->file()->setText(QStringLiteral("otter-motion.glb"));
    keep(bench, folder, QStringLiteral("hand-off.png"));

    bench.document().open(QFileInfo(args[1]).dir().filePath(QStringLiteral("lantern-walk.nutatio")));
    waitFor([&] { return bench.document().scene().actors.size() == 2; });
    settle(bench);
    handShots(bench, [&](const QString& name) { keep(bench, folder, name); });
    session.select({});
    bench.stage()->setJointsShown(false);
    const QDir beside = QFileInfo(args[1]).dir();
    bodies(bench, folder, beside.filePath(QStringLiteral("slip.nutatio")));
    weight(bench, folder, beside.filePath(QStringLiteral("mooring.nutatio")));
    return 0;
}
