// Contacts found and held: feet that stand, hands on things, limbs that reach.
#include <catch2/catch.hpp>
#include <filesystem>

#include "edit/edit.h"
#include "edit/keys.h"
#include "files/scene_file.h"
#include "layers/registry.h"
#include "measure/check.h"
#include "measure/in_shot.h"
#include "rig/contacts.h"
#include "rig/limb.h"
#include "rig/roles.h"
#include "tests/support/held.h"
#include "tests/support/rigs.h"

using namespace nutatio;

namespace {

struct Slides {
    double before = 0, after = 0;
    int contacts = 0;
};
/// The worst of a layer's contacts, in shares of the actor's height.
Slides slidesOf(const scene::Scene& s, const pipeline::Evaluation& e, const std::string& layer) {
    Slides out;
    for (const layers::hold::Held& h : test::heldIn(e, layer)) {
        out.before = std::max(out.before, h.before / s.actors[0].actor->height);
        out.after = std::max(out.after, h.after / s.actors[0].actor->height);
        ++out.contacts;
    }
    return out;
}

std::vector<std::string> feetOf(const rig::Actor& a) {
    std::vector<std::string> out;
    for (const rig::Limb& l : rig::rolesOf(a).legs)
        if (l.found()) out.push_back(a.skeleton.reference(l.end));
    return out;
}

/// The largest change from one step of a joint's turning to the next, in degrees: what a pop is seen by.
double worstJerk(const rig::Track& t, int joint) {
    double worst = 0;
    for (int f = 1; f + 1 < t.frames(); ++f) {
        const Vec3 a = rotationVector(t.at(joint, f - 1).r.conjugate() * t.at(joint, f).r),
                   b = rotationVector(t.at(joint, f).r.conjugate() * t.at(joint, f + 1).r);
        worst = std::max(worst, degrees((a - b).norm()));
    }
    return worst;
}

}  // namespace

TEST_CASE("what stands is found by nearness and stillness, short gaps closed, moments left out") {
    std::vector<Vec3> way;
    for (int f = 0; f < 100; ++f) {
        // Down from 10 to 40, with one frame lifted, and for one frame at 70.
        const bool down = (f >= 10 && f <= 40 && f != 25) || f == 70;
        way.emplace_back(down ? 1.0 : 0.1 * f, down ? 0 : f == 25 ? 0.05 : 0.5, 0);
    }
    way[25] = Vec3(1.0, 0.005, 0);
    const auto spans = rig::standingOf(way, 50, 1);
    REQUIRE(spans.size() == 1);
    // The first and last frame are passed at speed.
    CHECK(spans[0].from == Approx(11).margin(1));
    CHECK(spans[0].to == Approx(39).margin(1));
}

TEST_CASE("two bones bring an end to its place, bend as they bent, and never quite stretch") {
    const Vec3 a(0, 1, 0), b(0, 0.5, 0.1), c(0, 0, 0);
    const auto endOf = [&](const rig::LimbTurn& t) -> Vec3 { return a + t.upper * (b - a) + t.lower * (c - b); };
    for (const Vec3& target : {Vec3(0.1, 0.15, 0.2), Vec3(-0.2, 0.3, -0.1), Vec3(0.3, 0.6, 0.3)}) {
        const rig::LimbTurn t = rig::reachWithLimb(a, b, c, target, Vec3::UnitX());
        CHECK((endOf(t) - target).norm() < 1e-9);
        // The knee stays in front of the line from hip to foot.
        const Vec3 knee = a + t.upper * (b - a), on = (target - a).normalized();
        CHECK((knee - a - (knee - a).dot(on) * on).z() > 0);
    }
    const rig::LimbTurn far = rig::reachWithLimb(a, b, c, Vec3(0, -3, 0), Vec3::UnitX());
    CHECK(far.beyond == Approx(4 - 2 * std::hypot(0.5, 0.1)).epsilon(1e-6));
    CHECK((endOf(far) - a).norm() < 2 * std::hypot(0.5, 0.1));
    // Through full reach it slows down: steps of the knee do not leap.
    double last = 0, step = 0, worst = 0;
    for (int k = 0; k <= 48; ++k) {
        const rig::LimbTurn t = rig::reachWithLimb(a, b, c, Vec3(0, 0.25 - 0.02 * k, 0), Vec3::UnitX());
        const double knee =
            degrees(std::acos(std::clamp(-(t.upper * (b - a)).normalized().dot((t.lower * (c - b)).normalized()), -1.0, 1.0)));
        if (k > 1) worst = std::max(worst, std::abs(knee - last - step));
        if (k > 0) step = knee - last;
        last = knee;
    }
    CHECK(worst < 6);
}

TEST_CASE("the otter's sliding feet stand, its limbs do not pop, nothing else moves") {
    scene::Scene s = test::otterScene();
    edit::playClip(s, s.actors[0].id, "Idle");
    // Hips that sway to the side take the feet along.
    const std::string sway = edit::addLayer(s, "sway", s.actors[0].id, {"hips"});
    s.layer(sway)->set("turn", std::string());
    s.layer(sway)->set("move", std::string("x"));
    s.layer(sway)->set("travel", 0.03);
    const std::string id = edit::addLayer(s, "hold", s.actors[0].id, feetOf(*s.actors[0].actor));
    const pipeline::Evaluation e = test::evaluate(s);
    REQUIRE(e.layer(id)->problem.empty());
    const Slides slides = slidesOf(s, e, id);
    REQUIRE(slides.contacts >= 2);
    CHECK(slides.before > 0.002);
    CHECK(slides.after < 1e-3);
    const rig::Skeleton& k = s.actors[0].actor->skeleton;
    const pipeline::TrackPtr below = e.below(id);
    const rig::Track &is = *e.actors[0].result, &was = *below;
    for (const char* joint : {"thigh_L", "shin_L", "foot_L", "thigh_R", "shin_R", "foot_R"})
        CHECK(worstJerk(is, k.find(joint)) < worstJerk(was, k.find(joint)) + 2);
    for (const char* joint : {"chest", "head", "upper_arm_L", "tail_04"})
        for (int f = 0; f < is.frames(); ++f) REQUIRE(is.at(k.find(joint), f) == was.at(k.find(joint), f));
    // The stack says what came of it.
    CHECK(e.layer(id)->said.find("holds") == 0);
}

TEST_CASE("a walk in place stands on ground that runs, and still closes") {
    scene::Scene s = test::otterScene();
    edit::playClip(s, s.actors[0].id, "Walk");
    const std::string id = edit::addLayer(s, "hold", s.actors[0].id, feetOf(*s.actors[0].actor));
    const pipeline::Evaluation e = test::evaluate(s);
    const Slides slides = slidesOf(s, e, id);
    REQUIRE(slides.contacts >= 2);
    CHECK(slides.after < 0.5 * slides.before);
    CHECK(e.actors[0].result->closes(*s.actors[0].actor));
}

TEST_CASE("what stands over the seam of a loop is one contact, as long as it stands on both sides of it together") {
    test::PersonSpec spec;
    spec.frames = 49;
    spec.motion = [](double t, std::map<std::string, Xform>& locals) {
        // Down for two frames at the end and two at the beginning: too short a time on either side.
        const double u = std::clamp((t - 0.09) / (2 - 2 * 0.09), 0.0, 1.0), lifts = std::pow(std::sin(kPi * u), 0.5);
        locals["left_thigh"].r = fromRotationVector(Vec3(-0.9 * lifts, 0, 0));
        locals["left_shin"].r = fromRotationVector(Vec3(0.4 * lifts, 0, 0));
    };
    scene::Scene s = test::sceneWith(test::personActor(spec));
    test::play(s, "Move");
    s.editShot().loop = scene::Loop::Closed;
    const std::string id = test::addLayer(s, "hold", {"left_foot"});
    const pipeline::Evaluation e = test::evaluate(s);
    INFO(e.layer(id)->said);
    const auto held = test::heldIn(e, id);
    REQUIRE(held.size() == 2);
    CHECK(held[0].from == 0);
    CHECK(held[1].to == 48);
    CHECK(e.layer(id)->said.find("holds 1 contact:") == 0);
    CHECK(e.actors[0].result->closes(*s.actors[0].actor));
}

TEST_CASE("intervals set by hand are the contacts, and a hand holds on to a moving thing") {
    scene::Scene s = test::otterScene();
    edit::playClip(s, s.actors[0].id, "Idle");
    const std::string piece = edit::addPiece(s, "ball");
    scene::ActorEntry& ball = *s.actor(piece);
    const std::string joint = ball.actor->skeleton.reference(0);
    ball.set("place_x", -0.3);
    ball.set("place_y", 0.45);
    test::keyed(s, {scene::List::Actors, piece}, "place_z", {{0, 0.2}, {20, 0.2}, {60, 0.32}});
    const std::string id = edit::addLayer(s, "hold", s.actors[0].id, {"hand_R"});
    s.layer(id)->set("contacts", std::string("intervals"));
    s.layer(id)->set("on", joint + "@" + piece);
    s.editShot().intervals[id] = {{0.5, 3.0, 0.2, 0.2}};
    const pipeline::Evaluation e = test::evaluate(s);
    REQUIRE(e.layer(id)->problem.empty());
    REQUIRE(test::heldIn(e, id).size() == 1);
    CHECK(test::heldIn(e, id)[0].set);
    const auto hand = test::worldPlaces(*s.actors[0].actor, *e.actors[0].result, s.actors[0].actor->skeleton.find("hand_R"));
    const auto went = test::worldPlaces(*std::as_const(s).actor(piece)->actor, *e.actor(piece)->result, 0);
    // It goes as the ball goes, give or take what the arm cannot reach.
    const Vec3 by = went[64] - went[24], is = hand[64] - hand[24];
    CHECK(by.norm() > 0.08);
    CHECK((is - by).norm() < 0.25 * by.norm());
}

TEST_CASE("a hand is held on the surface of a ball that moves, where it touches it, and may slide over that") {
    scene::Scene s = test::otterScene();
    edit::playClip(s, s.actors[0].id, "Idle");
    const rig::Actor& actor = *s.actors[0].actor;
    const double unit = scene::placementOf(s.actors[0]).metres, radius = 0.1;
    const int hand = actor.skeleton.find("hand_R");
    const Vec3 begins = unit * test::worldPlaces(actor, *test::evaluate(s).actors[0].result, hand)[12];
    // It stands a little beside the hand, and goes away from it by and by.
    scene::Collider ball = scene::newCollider(s, s.actors[0], 0, scene::Shape::Sphere);
    ball.mount = {};
    ball.set("radius", radius);
    const Vec3 centre = begins + Vec3(radius + 0.008, 0, 0);
    ball.setVector("offset", centre);
    s.colliders.push_back(ball);
    test::keyed(s, {scene::List::Colliders, ball.id}, "offset_z", {{0, centre.z()}, {30, centre.z()}, {60, centre.z() + 0.04}});
    const std::string id = edit::addLayer(s, "hold", s.actors[0].id, {"hand_R"});
    s.layer(id)->set("onto", std::vector<std::string>{ball.id});
    s.layer(id)->set("contacts", std::string("intervals"));
    s.editShot().intervals[id] = {{0.5, 2.5, 0.1, 0.1}};
    const auto middleOfBall = [&](int f) -> Vec3 {
        return {centre.x(), centre.y(),
                scene::Resolved(ball, scene::colliderTable(), s.shot().keysOf({scene::List::Colliders, ball.id}), 24, 97)
                    .at("offset_z", f)};
    };
    for (const bool slides : {false, true}) {
        INFO(slides);
        if (slides) s.layer(id)->set("slides", std::string("over the ground"));
        const pipeline::Evaluation e = test::evaluate(s);
        REQUIRE(e.layer(id)->problem.empty());
        CHECK(e.layer(id)->met == std::vector<std::string>{ball.id});
        const std::vector<Vec3> at = test::worldPlaces(actor, *e.actors[0].result, hand);
        double apart = 0, wanders = 0;
        for (int f = 14; f <= 58; ++f) {
            const Vec3 off = unit * at[static_cast<std::size_t>(f)] - middleOfBall(f), first = unit * at[14] - middleOfBall(14);
            apart = std::max(apart, std::abs(off.norm() - radius));
            wanders = std::max(wanders, (off - first).norm());
        }
        CHECK(apart < 0.002);
        CHECK((wanders < 0.003) == !slides);
    }
    // Found: only where it is near.
    s.layer(id)->set("contacts", std::string("found"));
    s.layer(id)->set("still", 2.0);
    const pipeline::Evaluation found = test::evaluate(s);
    REQUIRE_FALSE(test::heldIn(found, id).empty());
    scene::Scene far = s;
    far.editShot().keys.clear();
    far.colliders.edit(0).setVector("offset", centre + Vec3(0.5, 0, 0));
    CHECK(test::heldIn(test::evaluate(far), id).empty());
}

TEST_CASE("a point anywhere on the body is held, not the joint alone, and each point has its own nearness") {
    scene::Scene s = test::otterScene();
    edit::playClip(s, s.actors[0].id, "Walk");
    const std::vector<std::string> feet = feetOf(*s.actors[0].actor);
    REQUIRE(feet.size() == 2);
    const std::string id = edit::addLayer(s, "hold", s.actors[0].id, feet);
    const double unit = scene::placementOf(s.actors[0]).metres;
    const Vec3 spot(0.0, 0.02, 0.05);
    for (int k = 0; k < 3; ++k) s.layer(id)->set(std::string("spot_") + "xyz"[k] + "@" + feet[0], spot[k]);
    const pipeline::Evaluation e = test::evaluate(s);
    REQUIRE(e.layer(id)->problem.empty());
    const rig::Actor& actor = *s.actors[0].actor;
    const int foot = actor.skeleton.find(feet[0]);
    int seen = 0;
    for (const layers::hold::Held& h : test::heldIn(e, id)) {
        CHECK(h.near > 0);
        CHECK(h.spot.norm() == Approx(h.joint == foot ? spot.norm() / unit : 0).margin(1e-9));
        if (h.joint != foot) continue;
        ++seen;
        CHECK(h.after < 0.001 * actor.height);
    }
    CHECK(seen > 0);
    // One that must be right down to count stands less, the other as before.
    scene::Scene apart = s;
    apart.layer(id)->apart[feet[1]]["near"] = 0.001;
    const pipeline::Evaluation less = test::evaluate(apart);
    const auto frames = [&](const pipeline::Evaluation& of, int joint) {
        int n = 0;
        for (const layers::hold::Held& h : test::heldIn(of, id))
            if (h.joint == joint) n += h.to - h.from + 1;
        return n;
    };
    const int other = actor.skeleton.find(feet[1]);
    CHECK(frames(less, other) < frames(e, other));
    CHECK(frames(less, foot) == frames(e, foot));
}

TEST_CASE("what cannot be held says so") {
    scene::Scene s = test::otterScene();
    edit::playClip(s, s.actors[0].id, "Idle");
    const std::string id = edit::addLayer(s, "hold", s.actors[0].id, {"root"});
    CHECK(test::evaluate(s).layer(id)->problem.find("two bones") != std::string::npos);
    s.layer(id)->set("joint", std::vector<std::string>{"hand_L"});
    s.layer(id)->set("still", 0.01);
    s.layer(id)->set("near", 0.001);
    edit::playClip(s, s.actors[0].id, "Walk");
    const pipeline::Evaluation e = test::evaluate(s);
    CHECK(std::any_of(e.layer(id)->remarks.begin(), e.layer(id)->remarks.end(),
                      [](const std::string& r) { return r.find("no contact is found") != std::string::npos; }));
}

TEST_CASE("feet of motion that nobody here made stand") {
    const std::filesystem::path models = NUTATIO_THIRD_PARTY;
    if (!std::filesystem::exists(models / "BVH")) {
        WARN("skipped: assimp-testmodels is not installed");
        return;
    }
    for (const char* file : {"BVH/01_01.bvh", "BVH/Boxing_Toes.bvh"}) {
        INFO(file);
        scene::Scene s = files::sceneOf(files::readActor(models / file).value());
        edit::setRate(s, test::draws(4) < 4 ? 30 : 60);
        const std::string id = edit::addLayer(s, "hold", s.actors[0].id, feetOf(*s.actors[0].actor));
        const pipeline::Evaluation e = test::evaluate(s);
        REQUIRE(e.layer(id)->problem.empty());
        const Slides slides = slidesOf(s, e, id);
        CHECK(slides.contacts >= 4);
        CHECK(slides.after < 0.002);
        CHECK(slides.after < 0.2 * slides.before);
        for (const rig::Limb& l : rig::rolesOf(*s.actors[0].actor).legs)
            for (int joint : {l.upper, l.lower})
                CHECK(worstJerk(*e.actors[0].result, joint) < worstJerk(*e.actors[0].body, joint) + 4);
    }
}
