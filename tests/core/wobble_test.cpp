// The proof of the floor that kinds stand on: a simulated kind of vertices that has nothing but its own folder goes through
// stack, seal, loop, hand, file and hand-off.
#include <catch2/catch.hpp>

#include "edit/edit.h"
#include "edit/seal.h"
#include "files/scene_file.h"
#include "pipeline/bake.h"
#include "pipeline/live.h"
#include "scene/seal.h"
#include "tests/support/rigs.h"
#include "tests/support/wobble.h"

using namespace nutatio;

namespace {

struct Wobbling {
    layers::ExtraKind extra{test::kWobble};
    scene::Scene scene = test::otterScene();
    std::string layer;

    explicit Wobbling(const char* clip = "Turn and stop") {
        test::play(scene, clip);
        REQUIRE(edit::addPart(scene, scene.actors[0].id, "middle", {"belly"}));
        layer = test::addLayer(scene, "wobble", {"chest"}, {{"on", std::string("middle")}});
    }
    rig::Patch patchIn(const pipeline::Evaluation& e, const std::string& of) const {
        const auto& patches = e.layer(of)->changed.patches;
        REQUIRE_FALSE(patches.empty());
        return *patches.front();
    }
};

float farthest(const rig::Patch& p) {
    float far = 0;
    for (const Vec3f& v : p.offsets) far = std::max(far, v.norm());
    return far;
}

}  // namespace

TEST_CASE("a simulated kind of vertices wobbles, is mixed, and an edit of one runs one") {
    Wobbling w;
    pipeline::Evaluator e;
    const pipeline::Evaluation first = e.evaluate(w.scene, {});
    const rig::Patch whole = w.patchIn(first, w.layer);
    CHECK(farthest(whole) > 0.005f * static_cast<float>(w.scene.actors[0].actor->height));
    CHECK(first.layer(w.layer)->changed.joints.empty());
    const std::string second = test::addLayer(w.scene, "wobble", {"hips"}, {{"on", std::string("middle")}, {"swing", 5.0}});
    CHECK(e.evaluate(w.scene, {}).simulated == 1);
    w.scene.layer(w.layer)->set("far", 0.5);
    const pipeline::Evaluation half = e.evaluate(w.scene, {});
    CHECK(half.simulated == 1);
    CHECK(farthest(w.patchIn(half, w.layer)) == Approx(0.5f * farthest(whole)));
    w.scene.layer(w.layer)->set("mix", 0.5);
    const pipeline::Evaluation mixed = e.evaluate(w.scene, {});
    CHECK(mixed.simulated == 0);
    CHECK(farthest(w.patchIn(mixed, w.layer)) == Approx(0.25f * farthest(whole)));
}

TEST_CASE("of two rows that name regions each counts") {
    Wobbling w;
    const rig::Patch whole = w.patchIn(test::evaluate(w.scene), w.layer);
    // Where the same part is left out, what it has in part alone remains.
    w.scene.layer(w.layer)->set("off", std::string("middle"));
    const rig::Patch less = w.patchIn(test::evaluate(w.scene), w.layer);
    double was = 0, is = 0;
    for (const Vec3f& v : whole.offsets) was += static_cast<double>(v.norm());
    for (const Vec3f& v : less.offsets) is += static_cast<double>(v.norm());
    CHECK(is < 0.6 * was);
    CHECK(is > 0);
}

TEST_CASE("sealed vertices stay, what follows goes on to the same bits, and a seal of them is saved") {
    Wobbling w;
    w.scene.editShot().loop = scene::Loop::Once;
    const rig::Patch before = w.patchIn(test::evaluate(w.scene), w.layer);
    REQUIRE(edit::seal(w.scene, w.layer, 4, 20).ok());
    CHECK(w.patchIn(test::evaluate(w.scene), w.layer).offsets == before.offsets);
    test::TempFolder f;
    REQUIRE(files::writeScene(w.scene, f / "s.nutatio").ok());
    const auto back = files::readScene(f / "s.nutatio");
    REQUIRE(back.ok());
    const scene::Scene& again = back.value();
    REQUIRE(again.shot().seals.count(w.layer) == 1);
    CHECK(again.shot().seals.at(w.layer)->key() == w.scene.shot().seals.at(w.layer)->key());
    CHECK(w.patchIn(test::evaluate(again), w.layer).offsets == before.offsets);
    // Whatever is changed, sealed frames stay as they were.
    w.scene.layer(w.layer)->set("swing", 6.0);
    w.scene.layer(w.layer)->set("mix", 0.5);
    const rig::Patch changed = w.patchIn(test::evaluate(w.scene), w.layer);
    REQUIRE(changed.vertices == before.vertices);
    CHECK(std::equal(before.frame(4), before.frame(21), changed.frame(4)));
    CHECK_FALSE(std::equal(before.frame(26), before.frame(27), changed.frame(26)));
    const auto what = edit::whatBreaking(w.scene, w.layer);
    REQUIRE(what.ok());
    CHECK(what.value().find("move by up to 0 mm") == std::string::npos);
    // Another surface: told, and simulated all the same.
    REQUIRE(edit::addPart(w.scene, w.scene.actors[0].id, "top", {"head"}));
    w.scene.layer(w.layer)->set("on", std::string("top"));
    const pipeline::Evaluation e = test::evaluate(w.scene);
    REQUIRE_FALSE(e.layer(w.layer)->remarks.empty());
    CHECK(e.layer(w.layer)->remarks.front().find("sealed, and simulated all the same") != std::string::npos);
}

TEST_CASE("a loop of vertices closes") {
    Wobbling w("Walk");
    w.scene.editShot().loop = scene::Loop::Closed;
    const pipeline::Evaluation e = test::evaluate(w.scene);
    const rig::Patch p = w.patchIn(e, w.layer);
    const int last = w.scene.frames(w.scene.shot()) - 1;
    const float far = farthest(p);
    CHECK(e.layer(w.layer)->closure.laps > 1);
    CHECK(e.layer(w.layer)->closure.before > 1e-3);
    for (std::size_t v = 0; v < p.vertices.size(); v += 7) CHECK((p.frame(0)[v] - p.frame(last)[v]).norm() < 1e-3f * far);
}

TEST_CASE("stepped by hand vertices go where the shot has them") {
    Wobbling w;
    w.scene.editShot().loop = scene::Loop::Once;
    pipeline::Evaluator e;
    const pipeline::Evaluation baked = e.evaluate(w.scene, {});
    const rig::Track& body = *baked.actors[0].body;
    pipeline::Live live(w.scene, w.scene.actors[0].id, e);
    const double dt = body.grid().dt();
    live.start(dt, [&](int step) -> std::optional<pipeline::Live::Moment> {
        if (step >= body.frames()) return std::nullopt;
        pipeline::Live::Moment m{{}, step, step * dt};
        body.pose(step, m.locals);
        return m;
    });
    const rig::Patch want = w.patchIn(baked, w.layer);
    for (int f = 0; f < body.frames(); ++f) {
        if (f > 0) live.step();
        const pipeline::TrackPtr is = live.surface();
        REQUIRE(is);
        const rig::PatchPtr& p = is->patches().at({want.instance, want.primitive});
        REQUIRE(p->vertices == want.vertices);
        REQUIRE(std::equal(p->offsets.begin(), p->offsets.end(), want.frame(f)));
    }
}

TEST_CASE("vertices that are simulated go out as morph targets") {
    Wobbling w;
    test::TempFolder f;
    pipeline::Evaluator e;
    pipeline::BakeOptions o;
    o.shot = w.scene.shot().id;
    REQUIRE(pipeline::bake(w.scene, o, f / "o.glb", e, {}).ok());
    const auto out = test::read(f / "o.glb");
    std::size_t morphs = 0;
    for (const rig::Mesh& m : *out->meshes)
        for (const rig::Primitive& p : m.primitives) morphs += p.morphs->size();
    CHECK(morphs > 0);
}
