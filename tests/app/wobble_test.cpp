// A kind that nothing in the window knows: its mark is drawn, its handle is dragged.
#include "tests/support/wobble.h"

#include "app/stage/stage.h"
#include "edit/edit.h"
#include "tests/app/window.h"

using namespace nutatio;
using app::Stage;
using test::Window;

TEST_CASE("the window draws and drags what a kind shows that it does not know") {
    const layers::ExtraKind extra(test::kWobble);
    Window w;
    const std::string actor = w.scene().actors[0].id;
    std::string id;
    w.bench.document().edit(QStringLiteral("test"), [&](scene::Scene& s) {
        s.actors.edit(0);
        (void)edit::addPart(s, actor, "middle", {"belly"});
        id = edit::addLayer(s, "wobble", actor, {"chest"});
        s.layer(id)->set("on", std::string("middle"));
    });
    w.bench.session().selectLayer(id);
    w.bench.session().setStep(app::StepId::Tune);
    w.settle();
    Stage* stage = w.bench.stage();
    const QImage with = stage->picture();
    const auto handle = stage->handlePixel(Stage::Handle::OfLayer, "far");
    REQUIRE(handle);
    test::dragMouse(stage, handle->toPoint(), handle->toPoint() + QPoint(60, 0));
    w.settle();
    const double far = w.scene().layer(id)->number("far");
    CHECK(far > 1.1);
    const auto now = stage->handlePixel(Stage::Handle::OfLayer, "far");
    REQUIRE(now);
    CHECK(now->x() > handle->x() + 40);
    // One step of undo, and out of range is brought into it.
    w.bench.document().undo();
    w.settle();
    CHECK(w.scene().layer(id)->number("far") == 1);
    CHECK(stage->picture() == with);
    test::dragMouse(stage, handle->toPoint(), handle->toPoint() + QPoint(2000, 0));
    w.settle();
    CHECK(w.scene().layer(id)->number("far") <= 4);
}
