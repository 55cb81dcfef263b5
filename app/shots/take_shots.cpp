// Pictures of takes side by side and of loops.
#include <QApplication>

#include "app/bench/bench.h"
#include "app/shots/time_shots.h"
#include "edit/edit.h"
#include "edit/ground.h"
#include "edit/pass.h"

using namespace nutatio;

namespace {

/// A walk that bends to the left, then to the right, with a nod performed over it.
void walkAbout(scene::Scene& s) {
    const auto actor = s.actor("otter")->actor;
    rig::Walk walk(actor, rig::gaitsOf(*actor), 0.25);
    const auto go = [&](double seconds, int turn) {
        walk.turn(turn);
        for (int k = 0; k < static_cast<int>(seconds * 60); ++k) walk.step(1.0 / 60);
    };
    go(0.3, 0);
    walk.change(1);
    go(1.2, 0);
    go(1.1, 1);
    go(1.0, 0);
    go(1.3, -1);
    go(0.8, 0);
    walk.change(-1);
    go(0.8, 0);
    (void)edit::keepWalk(s, "otter", walk).ok();
    pipeline::Evaluator evaluator;
    const auto body = evaluator.bodyOf(s, s.shot(), *std::as_const(s).actor("otter"));
    edit::Pass pass;
    const auto head = static_cast<std::size_t>(actor->skeleton.find("head"));
    for (int f = 66; f <= 84; f += 2) {
        std::vector<Xform>& pose = pass.poses[f];
        body->pose(f, pose);
        const double nod = radians(26) * std::sin(kPi * (f - 66) / 18.0);
        pose[head].r = (pose[head].r * fromRotationVector(Vec3(nod, 0, 0))).normalized();
    }
    (void)edit::keepPass(s, "otter", *body, pass).ok();
}

}  // namespace

void takeShots(app::Bench& bench, const std::function<void(const QString& name)>& keep) {
    app::Session& session = bench.session();
    const scene::Owner tail{scene::List::Layers, "tail"}, scarf{scene::List::Layers, "scarf"};
    const auto set = [&](const scene::Owner& owner, const char* setting, double value) {
        bench.document().edit(QStringLiteral("set"), [&](scene::Scene& s) { edit::set(s, owner, setting, value, 0); });
    };
    bench.stage()->setJointsShown(false);
    session.setFrame(12);
    bench.action(QStringLiteral("take"))->trigger();
    set(tail, "swing", 0.7);
    set(tail, "bounces", 6);
    session.setFrame(15);
    bench.action(QStringLiteral("take"))->trigger();
    set(tail, "swing", 3.6);
    set(scarf, "gravity", 0.1);
    session.setFrame(18);
    bench.action(QStringLiteral("take"))->trigger();
    const auto& takes = bench.document().scene().takes;
    app::Comparing c;
    c.on = true;
    c.with = {takes[0].id, takes[1].id, takes[2].id, app::kBareBody};
    session.setComparing(c);
    session.setStep(app::StepId::Check);
    session.selectJoint("otter", bench.document().scene().actor("otter")->actor->skeleton.find("tail_06"));
    session.setFrame(16);
    const auto ready = [&] {
        QElapsedTimer t;
        t.start();
        while (!bench.compareView()->ready() && t.elapsed() < 20000) QApplication::processEvents(QEventLoop::AllEvents, 10);
    };
    ready();
    keep(QStringLiteral("compare.png"));
    c.on = false;
    session.setComparing(c);
    bench.document().undo();  // of the take, the scarf and the quick tail: the slow one is looked at
    bench.document().undo();
    bench.document().undo();
    session.setCheckFace(app::CheckFaceId::Loop);
    bench.action(QStringLiteral("loop-closed"))->trigger();
    session.selectJoint("otter", bench.document().scene().actor("otter")->actor->skeleton.find("tail_10"));
    app::Trails trails;
    trails.of = {{"otter", "tail_10"}};
    trails.ghostEvery = 4;
    session.setTrails(trails);
    bench.stage()->setJointsShown(false);
    const auto drawn = [&] { return bench.stage()->ways().all().size() == 1 && bench.document().upToDate(); };
    for (int k = 0; k < 500 && !drawn(); ++k) QApplication::processEvents(QEventLoop::AllEvents, 10);
    keep(QStringLiteral("loop.png"));
    session.setTrails({});
    bench.document().undo();
    session.setCheckFace(app::CheckFaceId::Spread);
    app::Spreading spreading;
    spreading.on = true;
    edit::Spread spread;
    spread.across = {tail, "swing", 0.6, 3.0};
    spread.down = edit::SpreadAxis{tail, "bounces", 1, 8};
    spread.columns = spread.rows = 3;
    spreading.spread = spread;
    session.setSpreading(spreading);
    QElapsedTimer t;
    t.start();
    while (!bench.spreadView()->ready() && t.elapsed() < 20000) QApplication::processEvents(QEventLoop::AllEvents, 10);
    session.setFrame(16);
    keep(QStringLiteral("spread.png"));
    session.setSpreading({});
    for (int k = 0; k < 4; ++k) bench.document().undo();
    const app::Camera was = bench.stage()->camera();
    bench.document().edit(QStringLiteral("walk"), walkAbout);
    session.setStep(app::StepId::Prepare);
    session.setFace(app::FaceId::Perform);
    session.setFrame(74);
    session.selectLayer(edit::groundLayerOf(bench.document().scene(), "otter"));
    session.setStep(app::StepId::Prepare);
    app::Camera c2 = was;
    c2.heading = radians(-32);
    c2.height = radians(24);
    c2.target = Vec3(0.3, 0.4, 1.0);
    c2.distance *= 1.25;
    bench.stage()->setCamera(c2);
    for (int k = 0; k < 500 && !bench.document().upToDate(); ++k) QApplication::processEvents(QEventLoop::AllEvents, 10);
    keep(QStringLiteral("walk-about.png"));
    bench.document().undo();
    bench.stage()->setCamera(was);
    session.setStep(app::StepId::Tune);
    bench.stage()->setJointsShown(true);
    session.select({});
}
