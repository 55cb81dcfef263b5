// Spots of a surface that things are fixed to: props, pins, colliders and gauges go where skin and layers below them go.
#include <catch2/catch.hpp>

#include "edit/edit.h"
#include "edit/gauges.h"
#include "edit/kit.h"
#include "edit/operations.h"
#include "files/scene_file.h"
#include "layers/registry.h"
#include "measure/trail.h"
#include "pipeline/live.h"
#include "rig/surface.h"
#include "tests/support/rigs.h"
#include "tests/support/wobble.h"

using namespace nutatio;

namespace {

/// The otter with a belly that wobbles, a spot on it and one on its head, and a prop beside.
struct Ridden {
    layers::ExtraKind extra{test::kWobble};
    scene::Scene scene = test::otterScene();
    std::string wobble;
    rig::SurfaceSpot belly, head;

    Ridden() {
        test::play(scene, "Turn and stop");
        scene.editShot().loop = scene::Loop::Once;
        REQUIRE(edit::addPart(scene, otter().id, "middle", {"belly"}));
        wobble = test::addLayer(scene, "wobble", {"chest"}, {{"on", std::string("middle")}});
        belly = spotOf("belly");
        head = spotOf("head");
        scene::ActorEntry prop = scene.actors[0];
        prop.id = prop.name = "prop";
        test::ChainSpec still;
        still.bones = 2;
        still.frames = 2;
        prop.actor = test::chainActor(still);
        prop.parts.clear();
        scene.actors.push_back(prop);
    }
    const scene::ActorEntry& otter() const { return scene.actors[0]; }
    /// In the middle of a triangle that follows a joint alone, or nearly.
    rig::SurfaceSpot spotOf(const std::string& joint) const {
        const rig::Actor& a = *otter().actor;
        const int j = a.skeleton.find(joint);
        const rig::Surface surface = rig::Surface::of(a);
        const rig::Primitive& p = a.meshes[static_cast<std::size_t>(a.instances[0].mesh)].primitives[0];
        for (std::size_t t = 0; t < p.triangles.size(); t += 3) {
            int follow = 0;
            for (std::size_t c = 0; c < 3; ++c)
                for (const auto& pull : surface.pulls(surface.pointOf(0, 0, p.triangles[t + c])))
                    follow += pull.joint == j && pull.weight > 0.9f;
            if (follow == 3) return {0, 0, {p.triangles[t], p.triangles[t + 1], p.triangles[t + 2]}, {0.3f, 0.3f, 0.4f}};
        }
        FAIL("no triangle follows " << joint);
        return {};
    }
    scene::Mount mount(const rig::SurfaceSpot& spot) const {
        const rig::Actor& a = *otter().actor;
        std::vector<Affine> rest, carrying;
        rig::worldTransforms(a.skeleton, a.restPose(), rest);
        const rig::SpotRider rider(a, spot);
        for (int j : rider.joints()) carrying.push_back(rest[static_cast<std::size_t>(j)]);
        return {otter().id, a.skeleton.reference(rig::mainJointOf(a, spot)), rider.at(carrying, nullptr, 0).t};
    }
    std::vector<Vec3> way(const pipeline::Evaluation& e, const rig::SurfaceSpot& spot) const {
        return measure::wayOf(*otter().actor, *e.actors[0].result,
                              {0, std::make_shared<const rig::SpotRider>(*otter().actor, spot)});
    }
    std::string carried(const scene::Mount& by) {
        scene.layers.push_back(layers::newLayer(*layers::findKind("carry"), scene, scene.actors[1], {"root"}));
        scene.layers.edit(scene.layers.size() - 1).set("by", scene::mountText(by, "prop"));
        return scene.layers.back().id;
    }
};

double farthest(const std::vector<Vec3>& a, const std::vector<Vec3>& b) {
    double out = 0;
    for (std::size_t f = 0; f < a.size(); ++f) out = std::max(out, (a[f] - b[f]).norm());
    return out;
}

}  // namespace

TEST_CASE("a spot is found again where it was, and its text and its file say the same") {
    Ridden r;
    for (const rig::SurfaceSpot& spot : {r.belly, r.head}) {
        const scene::Mount mount = r.mount(spot);
        const auto again = rig::spotNear(*r.otter().actor, *mount.spot, r.otter().actor->skeleton.find(mount.joint));
        REQUIRE(again);
        CHECK(again->corners == spot.corners);
        for (std::size_t c = 0; c < 3; ++c) CHECK(again->shares[c] == Approx(spot.shares[c]).margin(1e-3));
        scene::Mount still = mount;
        still.turns = false;
        const rig::Skeleton& prop = r.scene.actors[1].actor->skeleton;
        for (const scene::Mount& m : {mount, still, scene::Mount{"prop", "bone_1"}, scene::Mount{"jetty", "a at b"}})
            CHECK(scene::mountIn(prop, "prop", scene::mountText(m, "prop")) == m);
    }
    CHECK_FALSE(scene::mountIn(r.otter().actor->skeleton, "otter", ""));
    // A surface that is not there.
    CHECK_FALSE(rig::spotNear(*r.scene.actors[1].actor, Vec3::Zero()));

    const std::string body = edit::addCollider(r.scene, r.otter().id, "head", scene::Shape::Sphere);
    r.scene.collider(body)->mount = r.mount(r.belly);
    r.scene.collider(body)->mount.turns = false;
    const std::string gauge = edit::addGauge(r.scene, r.otter().id, "head", "distance");
    r.scene.gauge(gauge)->of = r.mount(r.head);
    r.scene.gauge(gauge)->to = r.mount(r.belly);
    r.scene.actors.erase(1);
    test::TempFolder f;
    REQUIRE(files::writeScene(r.scene, f / "s.nutatio").ok());
    const auto back = files::readScene(f / "s.nutatio");
    REQUIRE(back.ok());
    CHECK(std::as_const(back.value()).collider(body)->mount == std::as_const(r.scene).collider(body)->mount);
    CHECK(std::as_const(back.value()).gauge(gauge)->of == std::as_const(r.scene).gauge(gauge)->of);
    CHECK(std::as_const(back.value()).gauge(gauge)->to == std::as_const(r.scene).gauge(gauge)->to);
}

TEST_CASE("a prop on a spot goes where skin and layers below bring that, with its turn or without") {
    Ridden r;
    const std::string carry = r.carried(r.mount(r.belly));
    pipeline::Evaluator e;
    const pipeline::Evaluation first = e.evaluate(r.scene, {});
    REQUIRE(first.layer(carry)->remarks.empty());
    const auto spot = r.way(first, r.belly), prop = test::worldPlaces(*r.scene.actors[1].actor, *first.actors[1].result, 0);
    // As far from the spot as it was at first, whatever wobbles.
    REQUIRE(farthest(spot, std::vector<Vec3>(spot.size(), spot[0])) > 0.1 * r.otter().actor->height);
    for (std::size_t f = 0; f < spot.size(); ++f)
        CHECK((prop[f] - spot[f]).norm() == Approx((prop[0] - spot[0]).norm()).epsilon(1e-4));
    scene::Mount still = r.mount(r.belly);
    still.turns = false;
    r.scene.layer(carry)->set("by", scene::mountText(still, "prop"));
    const auto unturned = test::worldPlaces(*r.scene.actors[1].actor, *e.evaluate(r.scene, {}).actors[1].result, 0);
    for (std::size_t f = 0; f < spot.size(); ++f) CHECK((unturned[f] - spot[f] - (unturned[0] - spot[0])).norm() < 1e-6);
    CHECK(farthest(unturned, prop) > 1e-3);
}

TEST_CASE("who rides on a spot runs again when what covers it changes, and only then") {
    Ridden r;
    const std::string above = r.carried(r.mount(r.belly));
    pipeline::Evaluator e;
    (void)e.evaluate(r.scene, {});
    CHECK(e.evaluate(r.scene, {}).simulated == 0);
    r.scene.layer(r.wobble)->set("far", 0.5);
    CHECK(e.evaluate(r.scene, {}).simulated == 2);
    // The head's skin does not wobble.
    r.scene.layer(above)->set("by", scene::mountText(r.mount(r.head), "prop"));
    CHECK(e.evaluate(r.scene, {}).simulated == 1);
    r.scene.layer(r.wobble)->set("far", 0.7);
    CHECK(e.evaluate(r.scene, {}).simulated == 1);
    // Who stands below the wobble reads the body's surface alone.
    REQUIRE(edit::moveLayer(r.scene, above, -1));
    r.scene.layer(above)->set("by", scene::mountText(r.mount(r.belly), "prop"));
    (void)e.evaluate(r.scene, {});
    r.scene.layer(r.wobble)->set("far", 0.9);
    CHECK(e.evaluate(r.scene, {}).simulated == 1);
}

TEST_CASE("a tail pinned to a spot that wobbles goes there, baked and by hand alike") {
    Ridden r;
    r.scene.actors.erase(1);
    const std::string tail = test::addLayer(r.scene, "strand", {"tail_01"}, {{"preroll", 0.0}});
    std::vector<Affine> rest;
    rig::worldTransforms(r.otter().actor->skeleton, r.otter().actor->restPose(), rest);
    const std::string pin = edit::addPin(r.scene, r.otter().id, r.otter().actor->skeleton.find("tail_05"), rest);
    r.scene.pin(pin)->to = r.mount(r.belly);
    r.scene.pin(pin)->setVector("offset", Vec3::Zero());
    r.scene.pin(pin)->set("strength", 1.0);
    pipeline::Evaluator e;
    const pipeline::Evaluation baked = e.evaluate(r.scene, {});
    const rig::Track& body = *baked.actors[0].body;
    r.scene.layer(r.wobble)->set("far", 0.0);
    CHECK_FALSE(test::sameBits(*e.evaluate(r.scene, {}).actors[0].result, *baked.actors[0].result));
    r.scene.layer(r.wobble)->set("far", 1.0);
    pipeline::Live live(r.scene, r.otter().id, e);
    const double dt = body.grid().dt();
    live.start(dt, [&](int step) -> std::optional<pipeline::Live::Moment> {
        if (step >= body.frames()) return std::nullopt;
        pipeline::Live::Moment m{{}, step, step * dt};
        body.pose(step, m.locals);
        return m;
    });
    const int held = r.otter().actor->skeleton.find("tail_05");
    for (int f = 0; f < body.frames(); ++f) {
        if (f > 0) live.step();
        for (int j = r.otter().actor->skeleton.find("tail_01"); j <= held; ++j)
            REQUIRE(live.result()[static_cast<std::size_t>(j)] == baked.actors[0].result->at(j, f));
    }
}

TEST_CASE("a gauge reads a spot's way, and bones are not measured by spots") {
    Ridden r;
    const std::string g = edit::addGauge(r.scene, r.otter().id, "belly", "height");
    r.scene.gauge(g)->of = r.mount(r.belly);
    r.scene.gauge(g)->after = r.wobble;
    const pipeline::Evaluation e = test::evaluate(r.scene);
    const auto spot = r.way(e, r.belly);
    REQUIRE(e.gauge(g)->values.size() == spot.size());
    for (std::size_t f = 0; f < spot.size(); ++f)
        CHECK(e.gauge(g)->values[f] == Approx(scene::placementOf(r.otter()).toWorld(spot[f]).y()).margin(1e-9));
    // Below the wobble it reads the skin alone.
    r.scene.gauge(g)->after.clear();
    const pipeline::Evaluation below = test::evaluate(r.scene);
    CHECK_FALSE(below.gauge(g)->values == e.gauge(g)->values);
    r.scene.gauge(g)->set("measure", std::string("angle"));
    CHECK(test::evaluate(r.scene).gauge(g)->problem.find("choose joints") != std::string::npos);
}

TEST_CASE(
    "mounts follow joints that are renamed, go with their actor, and are mirrored, and a kit says that it leaves spots out") {
    Ridden r;
    const std::string ball = edit::addCollider(r.scene, r.otter().id, "head", scene::Shape::Sphere);
    scene::Mount cheek = r.mount(r.head);
    if (std::abs(cheek.spot->x()) < 0.02) cheek.spot->x() = 0.1;
    r.scene.collider(ball)->mount = cheek;
    r.scene.collider(ball)->setVector("offset", Vec3(0.01, 0.02, 0.03));
    const auto other = edit::mirror(r.scene, {scene::List::Colliders, ball});
    REQUIRE(other.ok());
    const scene::Collider& made = *std::as_const(r.scene).collider(other.value());
    CHECK(made.mount.joint == "head");
    CHECK((*made.mount.spot - Vec3(-cheek.spot->x(), cheek.spot->y(), cheek.spot->z())).norm() < 1e-3);
    CHECK((made.vector("offset") - Vec3(-0.01, 0.02, 0.03)).norm() < 1e-3);

    const scene::Kit kit = edit::kitOf(r.scene, r.otter().id, {});
    CHECK(kit.colliders.empty());
    REQUIRE_FALSE(kit.without.empty());
    CHECK(kit.without.front().find("spot of one mesh") != std::string::npos);

    const std::string carry = r.carried(r.mount(r.head));
    REQUIRE(edit::prepare(r.scene, r.otter().id, {rig::Preparation::What::Rename, "head", "skull", Vec3::Zero()}));
    CHECK(std::as_const(r.scene).collider(ball)->mount.joint == "skull");
    CHECK(std::as_const(r.scene).layer(carry)->text("by").find("skull@otter at ") == 0);
    edit::remove(r.scene, {scene::List::Actors, r.otter().id});
    CHECK_FALSE(std::as_const(r.scene).collider(ball));
    CHECK(std::as_const(r.scene).layer(carry)->text("by").empty());
}

TEST_CASE("a script fixes things to spots, and hears what is not there") {
    Ridden r;
    const std::string ball = edit::addCollider(r.scene, r.otter().id, "head", scene::Shape::Sphere);
    const scene::Mount wanted = r.mount(r.belly);
    const auto fix = [&](const std::string& thing, const std::string& to) {
        return edit::carryOut(r.scene, "mount:thing=" + thing + ",actor=otter" + (to.empty() ? "" : ",to=" + to));
    };
    REQUIRE(fix(ball, scene::mountText(wanted, "otter")).ok());
    CHECK(std::as_const(r.scene).collider(ball)->mount == wanted);
    CHECK(std::as_const(r.scene).collider(ball)->vector("offset").isZero());
    scene::Mount misnamed = wanted;
    misnamed.joint = "tail_10";
    REQUIRE(fix(ball, scene::mountText(misnamed, "otter")).ok());
    CHECK(std::as_const(r.scene).collider(ball)->mount == wanted);
    REQUIRE(fix(ball, "root@prop unturned").ok());
    CHECK(std::as_const(r.scene).collider(ball)->mount == scene::Mount{"prop", "root", {}, false});
    CHECK(fix(ball, "fin").error().sentence.find("there is no joint \"fin\"") != std::string::npos);
    CHECK(fix(ball, "root@prop at 0 0 0").error().sentence.find("has no surface") != std::string::npos);
    CHECK(fix(ball, "pole@jetty").error().sentence.find("there is no actor \"jetty\"") != std::string::npos);
    CHECK(std::as_const(r.scene).collider(ball)->mount.actor == "prop");
    REQUIRE(fix(ball, "").ok());
    CHECK(std::as_const(r.scene).collider(ball)->mount.world());
    CHECK_FALSE(fix(r.wobble, "head").ok());
}
