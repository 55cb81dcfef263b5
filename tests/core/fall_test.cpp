// What falls as one rigid thing, against the physics of it.
#include <catch2/catch.hpp>

#include "edit/edit.h"
#include "files/scene_file.h"
#include "layers/fall/fall_shown.h"
#include "layers/registry.h"
#include "measure/in_shot.h"
#include "tests/support/rigs.h"

using namespace nutatio;

namespace {

scene::Scene falling(const char* clip, const scene::Values& values, std::string* layer = nullptr) {
    scene::Scene s = test::otterScene();
    edit::playClip(s, s.actors[0].id, clip);
    s.editShot().loop = scene::Loop::Once;
    const std::string id = edit::addLayer(s, "fall", s.actors[0].id, {});
    for (const auto& [k, v] : values) s.layer(id)->set(k, v);
    if (layer) *layer = id;
    return s;
}

/// Lowest vertex of the otter in a frame [m].
double lowestVertex(const scene::Scene& s, const rig::Track& t, int frame) {
    std::vector<Xform> pose;
    t.pose(frame, pose);
    return scene::placementOf(s.actors[0]).metres * s.actors[0].actor->bounds(pose).min().y();
}

std::vector<Vec3> hipsOf(const scene::Scene& s, const pipeline::Evaluation& e) {
    return test::worldPlaces(*s.actors[0].actor, *e.actors[0].result, s.actors[0].actor->skeleton.find("hips"));
}

int touchOf(const pipeline::Evaluation& e, const std::string& id) {
    const std::string said = e.layer(id)->said;
    int frame = 0;
    return std::sscanf(said.c_str(), "touches first at frame %d", &frame) == 1 ? frame : 0;
}

}  // namespace

TEST_CASE("what is dropped falls as long as the height takes, and its lowest point meets the floor") {
    for (const double height : {0.5, 1.5}) {
        std::string id;
        const scene::Scene s = falling("Idle", {{"lift", height}, {"bounce", 0.0}, {"turns", std::string("stays turned")}}, &id);
        const pipeline::Evaluation e = test::evaluate(s);
        REQUIRE(e.layer(id)->problem.empty());
        const double seconds = std::sqrt(2 * height / kEarthGravity);
        CHECK(touchOf(e, id) == Approx(1 + 24 * seconds).margin(1.2));
        const double tall = s.actors[0].actor->height;
        for (int f = 0; f < e.actors[0].result->frames(); ++f)
            if (test::tries(f)) CHECK(lowestVertex(s, *e.actors[0].result, f) > -0.01 * tall);
        CHECK(std::abs(lowestVertex(s, *e.actors[0].result, 60)) < 0.01 * tall);
    }
}

TEST_CASE("what is thrown flies a parabola, and farther with more speed") {
    const scene::Scene s = falling("Idle", {{"lift", 1.0}, {"speed", 3.0}, {"heading", 90.0}, {"rise", 45.0}});
    const pipeline::Evaluation e = test::evaluate(s);
    const std::vector<Vec3> hips = hipsOf(s, e);
    const layers::fall::Thrown& way = *e.layer(s.layers[0].id)->noted<layers::fall::Thrown>();
    CHECK((way.places[0] - way.rests - Vec3(0, 1, 0)).norm() < 1e-9);
    for (int f = way.from; f < way.touch - 1; ++f) {
        const double t = (f - way.from) / 24.0, v = 3 * std::sqrt(0.5);
        CHECK((way.places[static_cast<std::size_t>(f)] - way.places[0] - Vec3(v * t, v * t - 0.5 * kEarthGravity * t * t, 0))
                  .norm() < 0.01);
    }
    const auto below = test::worldPlaces(*s.actors[0].actor, *e.actors[0].body, s.actors[0].actor->skeleton.find("hips"));
    const double metres = scene::placementOf(s.actors[0]).metres;
    for (const std::size_t f : {4u, 8u, 12u}) {
        const double t = static_cast<double>(f) / 24, v = 3 * std::sqrt(0.5);
        const Vec3 dir = metres * (hips[f] - below[f]);
        CHECK(dir.x() == Approx(v * t).epsilon(0.02));
        CHECK(dir.y() == Approx(1 + v * t - 0.5 * kEarthGravity * t * t).margin(0.01));
        CHECK(std::abs(dir.z()) < 1e-6);
    }
}

TEST_CASE("what bounces comes up again, by the square of its bounce") {
    const auto rise = [](double bounce) {
        const scene::Scene s = falling("Idle", {{"lift", 1.0}, {"bounce", bounce}, {"turns", std::string("stays turned")}});
        const pipeline::Evaluation e = test::evaluate(s);
        bool down = false;
        double high = 0;
        for (int f = 0; f < 40; ++f) {
            const double low = lowestVertex(s, *e.actors[0].result, f);
            down = down || low < 0.06;
            if (down) high = std::max(high, low);
        }
        return high;
    };
    CHECK(rise(0.6) == Approx(0.36).margin(0.08));
    CHECK(rise(0.0) < 0.07);
}

TEST_CASE("the landing plays from the touch, whenever that is, and the pose in the air is held") {
    int before = 0;
    for (const double height : {0.4, 1.6}) {
        std::string id;
        const scene::Scene s = falling("Turn and stop",
                                       {{"lift", height},
                                        {"bounce", 0.0},
                                        {"turns", std::string("stays turned")},
                                        {"air", std::string("is held")},
                                        {"takeoff", 5.0},
                                        {"lands", 20.0}},
                                       &id);
        const pipeline::Evaluation e = test::evaluate(s);
        const int touch = touchOf(e, id) - 1;
        REQUIRE(touch > before);
        before = touch;
        const rig::Track &is = *e.actors[0].result, &was = *e.actors[0].body;
        const int chest = s.actors[0].actor->skeleton.find("chest"), thigh = s.actors[0].actor->skeleton.find("thigh_L");
        for (int joint : {chest, thigh}) {
            CHECK(is.at(joint, touch - 1).r.angularDistance(was.at(joint, 4).r) < 1e-9);
            for (int f : {touch + 5, touch + 12})
                CHECK(is.at(joint, f).r.angularDistance(was.at(joint, 19 + f - touch).r) < 1e-9);
        }
    }
}

TEST_CASE("on a slope it slides where it is slick, and a spin goes on in the air") {
    const auto slid = [](double friction) {
        scene::Scene s = falling("Idle", {{"turns", std::string("stays turned")}, {"floor", -20.0}, {"lift", 0.3}});
        const std::string floor = edit::addPiece(s, "floor");
        s.actor(floor)->set("turn_z", 15.0);
        s.actor(floor)->set("friction", friction);
        const pipeline::Evaluation e = test::evaluate(s);
        const std::vector<Vec3> hips = hipsOf(s, e);
        return (hips[60] - hips[40]).norm();
    };
    CHECK(slid(0.9) < 0.03);
    CHECK(slid(0.02) > 0.2);
    const scene::Scene s = falling("Idle", {{"lift", 200.0}, {"twirl", 90.0}});
    const pipeline::Evaluation e = test::evaluate(s);
    const rig::Skeleton& k = s.actors[0].actor->skeleton;
    const int root = k.roots().front();
    const Quat turned = e.actors[0].result->at(root, 24).r * e.actors[0].body->at(root, 24).r.conjugate();
    CHECK(degrees(rotationVector(turned).y()) == Approx(90).margin(1));
    // What touches nothing says so.
    CHECK(std::any_of(e.layer(s.layers[0].id)->remarks.begin(), e.layer(s.layers[0].id)->remarks.end(),
                      [](const std::string& r) { return r.find("touches nothing") != std::string::npos; }));
}

TEST_CASE("a body takes over the speed of what fell, and lands limp") {
    std::string id;
    scene::Scene s = falling("Idle", {{"lift", 1.5}, {"speed", 1.5}, {"heading", 90.0}, {"rise", 0.0}}, &id);
    const std::string body = edit::addLayer(s, "ragdoll", s.actors[0].id, {});
    const std::string limp = edit::addLayer(s, "act", s.actors[0].id, {"hips"});
    s.layer(limp)->set("act", std::string("limp"));
    s.editShot().intervals[limp] = {{0.25, 4.0, 0.05, 0}};
    const pipeline::Evaluation e = test::evaluate(s);
    const std::vector<Vec3> hips = hipsOf(s, e);
    const double metres = scene::placementOf(s.actors[0]).metres;
    // It goes on sideways at its speed after it was let go.
    CHECK(24 * metres * (hips[10].x() - hips[9].x()) == Approx(1.5).epsilon(0.1));
    CHECK(metres * hips[60].y() < 0.35);
}

TEST_CASE("a body falls as a whole from whichever of its joints it is told") {
    for (const std::string& joint : {std::string("hips"), std::string("hand_L"), std::string("tail_03")}) {
        INFO(joint);
        scene::Scene s = test::sceneWith(test::read(test::kOtterFile));
        s.layer(edit::addLayer(s, "fall", s.actors[0].id, {joint}))->set("lift", 1.0);
        const pipeline::Evaluation e = test::evaluate(s);
        const rig::Skeleton& skeleton = s.actors[0].actor->skeleton;
        for (int root : skeleton.roots())
            CHECK((e.actors[0].result->at(root, 0).t - e.actors[0].body->at(root, 0).t).norm() ==
                  Approx(1 / scene::placementOf(s.actors[0]).metres));
    }
}

TEST_CASE("a prop that is chosen falls alone, a joint of the body takes the prop along") {
    auto actor = std::make_shared<rig::Actor>(*test::personActor({}));
    std::vector<rig::Joint> joints = actor->skeleton.joints();
    for (rig::Joint& j : joints) j.children.clear();
    rig::Joint crate;
    crate.name = "crate";
    crate.rest.t = Vec3(2, 0.5, 0);
    joints.push_back(crate);
    actor->skeleton = rig::Skeleton(joints);
    actor->finish();
    for (const auto& [joint, bodyGoes] : {std::pair{"crate", false}, {"left_forearm", true}}) {
        INFO(joint);
        scene::Scene s = test::sceneWith(actor);
        s.layer(edit::addLayer(s, "fall", s.actors[0].id, {joint}))->set("lift", 1.0);
        const pipeline::Evaluation e = test::evaluate(s);
        const auto lifted = [&](int root) { return e.actors[0].result->at(root, 0).t.y() - e.actors[0].body->at(root, 0).t.y(); };
        CHECK(lifted(actor->skeleton.find("crate")) == Approx(1));
        CHECK(lifted(actor->skeleton.roots().front()) == Approx(bodyGoes ? 1 : 0).margin(1e-9));
    }
}

TEST_CASE("a pose that goes on changing while it lies never sinks into the floor") {
    scene::Scene s = falling("Walk", {{"lift", 0.6}, {"spin", 200.0}});
    const pipeline::Evaluation e = test::evaluate(s);
    const double tall = s.actors[0].actor->height * scene::placementOf(s.actors[0]).metres;
    for (int f = 0; f < e.actors[0].result->frames(); ++f) CHECK(lowestVertex(s, *e.actors[0].result, f) > -0.015 * tall);
}

TEST_CASE("what leans beyond its feet has toppled a second and a half later") {
    scene::Scene s = falling("Idle", {{"lift", 0.0}});
    s.actor(s.actors[0].id)->set("turn_x", 35.0);
    const pipeline::Evaluation e = test::evaluate(s);
    const rig::Track& t = *e.actors[0].result;
    const int root = s.actors[0].actor->skeleton.roots().front();
    const double tipped = degrees(t.at(root, 36).r.angularDistance(e.actors[0].body->at(root, 36).r));
    CHECK(tipped > 35);
}

TEST_CASE("a body that is told so lets go where a fall lands, and not before") {
    std::string id;
    scene::Scene s = falling("Idle", {{"lift", 1.0}, {"turns", std::string("stays turned")}}, &id);
    const std::string body = edit::addLayer(s, "ragdoll", s.actors[0].id, {});
    const auto high = [&](const std::string& landing, int frame) {
        s.layer(body)->set("landing", landing);
        const pipeline::Evaluation e = test::evaluate(s);
        return scene::placementOf(s.actors[0]).metres * hipsOf(s, e)[static_cast<std::size_t>(frame)].y();
    };
    const int touch = touchOf(test::evaluate(s), id) - 1;
    CHECK(high("goes limp", touch - 2) == Approx(high("keeps its strength", touch - 2)).margin(1e-6));
    CHECK(high("goes limp", touch + 40) < 0.6 * high("keeps its strength", touch + 40));
}
