// Pictures of takes side by side and of loops.
#include <QApplication>

#include "app/bench/bench.h"
#include "app/shots/time_shots.h"
#include "edit/edit.h"

using namespace nutatio;

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
    trails.of = {{"otter", "tail_10", {}}};
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
    bench.stage()->setJointsShown(true);
    session.select({});
}
