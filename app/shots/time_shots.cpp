#include "app/shots/time_shots.h"

#include <QApplication>
#include <iostream>

#include "app/bench/bench.h"
#include "edit/gauges.h"
#include "edit/operations.h"

using namespace nutatio;

namespace {

/// Carries out an operation as a script would; says so where it cannot.
void carry(scene::Scene& s, const std::string& what) {
    if (const auto done = edit::carryOut(s, what); !done) std::cerr << done.error().text() << "\n";
}

}  // namespace

void timeShots(app::Bench& bench, const std::function<void(const QString& name)>& keep) {
    app::Session& session = bench.session();
    bench.document().edit(QStringLiteral("over time"), [](scene::Scene& s) {
        carry(s, "add-gauge:actor=otter,joint=hips,measure=turning,name=Turn of the hips");
        const std::string gauge = s.gauges.back().id;
        carry(s, "feed:thing=layers:tail,setting=swing,gauge=" + gauge + ",response=0>1.2+40>2+90>4,attack=3,release=8");
        carry(s, "key:thing=layers:scarf,setting=gravity,frame=1,value=0.4");
        carry(s, "key:thing=layers:scarf,setting=gravity,frame=10,value=1.2");
        carry(s, "key:thing=layers:scarf,setting=gravity,frame=18,value=0.7");
        carry(s, "key:thing=layers:scarf,setting=swing,frame=1,value=1.5");
        carry(s, "key:thing=layers:scarf,setting=swing,frame=14,value=3");
        carry(s, "ease:thing=layers:scarf,setting=swing,frame=1,ease=linear");
        carry(s, "ease:thing=layers:scarf,setting=gravity,frame=10,ease=free");
        carry(s, "interval:layer=ears,from=6,to=22,in=4,out=5");
        carry(s, "add-wind:actor=otter");
        carry(s, "key:thing=winds:wind,setting=speed,frame=1,value=2");
        carry(s, "key:thing=winds:wind,setting=speed,frame=20,value=9");
        carry(s, "mark:frame=7,name=left foot down");
        carry(s, "mark:frame=19,name=right foot down");
    });
    session.selectLayer("scarf");
    session.setRange(std::pair(3, 24));
    session.setFrame(9);
    bench.tape()->open("scarf", true);
    bench.tape()->open("tail", true);
    const scene::Owner scarf{scene::List::Layers, "scarf"};
    const scene::Shot& shot = bench.document().scene().shot();
    bench.tape()->keys().set({{scarf, "gravity", shot.timeOf(9)}});
    bench.setTapeHeight(420);
    keep(QStringLiteral("tape.png"));
    bench.action(QStringLiteral("night"))->trigger();
    keep(QStringLiteral("night.png"));
    bench.action(QStringLiteral("night"))->trigger();
    bench.setTapeHeight(200);
    bench.tape()->open("tail", false);
    session.selectLayer("tail");
    bench.tape()->keys().set({});
    for (int i = 0; i < 5; ++i) QApplication::processEvents(QEventLoop::AllEvents, 20);
    session.selectJoint("otter", bench.document().scene().actor("otter")->actor->skeleton.find("head"));
    bench.action(QStringLiteral("curve-view"))->trigger();
    for (const char* id : {"body:speed", "body:acceleration", "layers:scarf:gravity", "layers:tail:swing", "winds:wind:speed"})
        if (auto* chip = bench.curves()->chip(QLatin1String(id))) chip->click();
    bench.tape()->open("scarf", false);
    bench.tape()->keys().set({{scarf, "gravity", shot.timeOf(9)}});
    keep(QStringLiteral("curves.png"));
    bench.action(QStringLiteral("curve-view"))->trigger();
    bench.tape()->keys().set({});
    session.setRange({});
    bench.document().undo();
    session.select({});
}

void handShots(app::Bench& bench, const std::function<void(const QString& name)>& keep) {
    app::Session& session = bench.session();
    session.setStep(app::StepId::Tune);
    session.selectLayer("upper_arm_L-touchup");
    app::HandPosing posing = session.posing();
    posing.along = app::HandPosing::Along::World;
    session.setPosing(posing);
    session.setFrame(16);
    bench.tape()->open("upper_arm_L-touchup", true);
    bench.setTapeHeight(282);
    bench.action(QStringLiteral("view-two"))->trigger();
    keep(QStringLiteral("by-hand.png"));
    bench.action(QStringLiteral("view-two"))->trigger();
    bench.setTapeHeight(200);
}
