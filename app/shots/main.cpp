// Takes the pictures of docs/screenshots from the demo scene, in the real window. Run under Xvfb: make shots.
#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QFileInfo>
#include <QPainter>
#include <iostream>

#include "app/bench/bench.h"
#include "app/look/theme.h"

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

}  // namespace

int main(int argc, char** argv) {
    nutatio::look::setSurfaceFormat();
    QApplication app(argc, argv);
    nutatio::look::dress(app);
    const QStringList args = QApplication::arguments();
    if (args.size() != 3) {
        std::cerr << "usage: nutatio-shots SCENE FOLDER\n";
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

    bench.stage()->setJointsShown(false);
    session.setGhost(true);
    camera.heading = nutatio::radians(152);
    camera.height = nutatio::radians(16);
    bench.stage()->setCamera(camera);
    strip(bench, folder, QStringLiteral("walk-strip.png"), {1, 5, 9, 13, 17, 21, 25, 29}, QRectF(0.2, 0, 0.62, 1));
    session.setGhost(false);
    bench.stage()->setJointsShown(true);

    camera.heading = nutatio::radians(28);
    camera.target = nutatio::Vec3(0, 0.62, 0);
    bench.stage()->setCamera(camera);
    session.selectLayer("scarf");
    session.setFrame(4);
    keep(bench, folder, QStringLiteral("tune.png"));

    const auto& actor = *bench.document().scene().actor("otter")->actor;
    session.selectJoint("otter", actor.skeleton.find("tail_01"));
    session.selectChain();
    session.setStep(nutatio::app::StepId::Attach);
    keep(bench, folder, QStringLiteral("attach.png"));

    session.setStep(nutatio::app::StepId::HandOff);
    bench.handoff()->file()->setText(QStringLiteral("otter-motion.glb"));
    keep(bench, folder, QStringLiteral("hand-off.png"));

    bench.document().open(QFileInfo(args[1]).dir().filePath(QStringLiteral("assets/deckhand.bvh")));
    waitFor([&] { return bench.document().scene().actors.size() == 1; });
    settle(bench);
    session.selectJoint("deckhand", bench.document().scene().actors[0].actor->skeleton.find("Braid1"));
    bench.action(QStringLiteral("add-strand"))->trigger();
    camera = bench.stage()->camera();
    camera.heading = nutatio::radians(132);
    bench.stage()->setCamera(camera);
    session.setFrame(62);
    keep(bench, folder, QStringLiteral("stick-figure.png"));
    return 0;
}
