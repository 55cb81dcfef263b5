// Ways of joints and of spots of a mesh, and meshes with fewer triangles.
#include <catch2/catch.hpp>
#include <set>

#include "edit/edit.h"
#include "edit/spread.h"
#include "measure/compared.h"
#include "measure/seam.h"
#include "measure/trail.h"
#include "rig/coarse.h"
#include "rig/mapping.h"
#include "rig/mesh.h"
#include "rig/surface.h"
#include "tests/support/rigs.h"

using namespace nutatio;

namespace {

rig::Track ownTrack(const rig::Actor& actor, int clip) {
    const rig::Clip& c = actor.clips[static_cast<std::size_t>(clip)];
    return rig::bodyTrack(actor, clip, rig::FrameGrid::covering(c, rig::ownRate(c)));
}

}  // namespace

TEST_CASE("a spot of the mesh goes where the posed mesh has it, and a joint where it is") {
    const auto actor = test::read(test::kOtterFile);
    const rig::Track track = ownTrack(*actor, 0);
    const rig::SurfaceSpot spot{0, 0, {10, 400, 900}, {0.2f, 0.5f, 0.3f}};
    const auto way = measure::wayOf(*actor, track, {0, std::make_shared<const rig::SpotRider>(*actor, spot)});
    std::vector<Xform> locals;
    std::vector<Affine> worlds;
    for (const int f : {0, 7, track.frames() - 1}) {
        track.pose(f, locals);
        rig::worldTransforms(actor->skeleton, locals, worlds);
        rig::PosedVertices posed;
        rig::poseVertices(*actor, actor->instances[0],
                          actor->meshes[static_cast<std::size_t>(actor->instances[0].mesh)].primitives[0], worlds, {}, posed);
        Vec3f is = Vec3f::Zero();
        for (std::size_t k = 0; k < 3; ++k) is += spot.shares[k] * posed.positions[spot.corners[k]];
        CHECK((way[static_cast<std::size_t>(f)] - is.cast<double>()).norm() < 1e-5);
    }
    const int head = actor->skeleton.find("head");
    const auto joint = measure::wayOf(*actor, track, {head});
    const auto places = test::worldPlaces(*actor, track, head);
    for (std::size_t f = 0; f < joint.size(); ++f) CHECK((joint[f] - places[f]).norm() < 1e-12);
    // Seen from a joint, what it carries rigidly stands still.
    const auto from = measure::seenFrom(*actor, track, head, false);
    for (std::size_t f = 0; f < joint.size(); ++f) CHECK(from[f].inverse().apply(joint[f]).norm() < 1e-9);
    // Over the ground alone, height stays.
    const auto ground = measure::seenFrom(*actor, track, head, true);
    CHECK(ground[3].inverse().apply(joint[3]).isApprox(Vec3(0, joint[3].y(), 0), 1e-9));
}

TEST_CASE("a mesh of fewer triangles keeps its extent, its vertices and whose they are") {
    const auto actor = test::read(test::kOtterFile);
    for (const rig::Mesh& m : actor->meshes)
        for (const rig::Primitive& p : m.primitives) {
            const std::size_t has = p.triangles.size() / 3;
            if (has < 2000) continue;
            CAPTURE(m.name, has);
            const auto fewer = rig::coarsened(p, rig::cellFor(p, has / 6));
            // Thin things with edges keep more of theirs.
            CHECK(fewer.size() / 3 < 0.7 * static_cast<double>(has));
            CHECK(fewer.size() / 3 > has / 30);
            Eigen::AlignedBox3f all, left;
            for (std::uint32_t v : p.triangles) all.extend(p.positions[v]);
            for (std::uint32_t v : fewer) {
                REQUIRE(v < p.positions.size());
                left.extend(p.positions[v]);
            }
            CHECK((all.sizes() - left.sizes()).maxCoeff() < 0.06f * all.diagonal().norm());
        }
    // A cell smaller than any triangle changes nothing.
    const rig::Primitive& p = actor->meshes[0].primitives[0];
    CHECK(rig::coarsened(p, 1e-6f).size() > 0.98 * static_cast<double>(p.triangles.size()));
}

TEST_CASE("clips are classed by how their ends meet") {
    using Class = measure::ClipEnds::Class;
    const auto otter = test::read(test::kOtterFile);
    const auto reach = measure::reachesOf(*otter, rig::Surface::of(*otter));
    CHECK(measure::endsOf(*otter, ownTrack(*otter, otter->findClip("Walk")), reach).is == Class::Closes);
    CHECK(measure::endsOf(*otter, ownTrack(*otter, otter->findClip("Idle")), reach).is == Class::Closes);
    CHECK(measure::endsOf(*otter, ownTrack(*otter, otter->findClip("Turn and stop")), reach).is == Class::Open);
    // Frames left out at the end are counted.
    for (const int left : {1, 2, 3}) {
        CAPTURE(left);
        const rig::Track whole = ownTrack(*otter, otter->findClip("Walk"));
        rig::FrameGrid grid = whole.grid();
        grid.frames -= left;
        const rig::Track cut = rig::bodyTrack(*otter, otter->findClip("Walk"), grid);
        const measure::ClipEnds e = measure::endsOf(*otter, cut, reach);
        // One that lacks its last frame alone goes round a frame later.
        CHECK(e.is == (left == 1 ? Class::OneMore : Class::Short));
        CHECK(e.missing == left);
        CHECK(cut.lap(*otter) == cut.frames());
    }
    CHECK(measure::seamOf(*otter, ownTrack(*otter, otter->findClip("Walk"))).closes());
    CHECK_FALSE(measure::seamOf(*otter, ownTrack(*otter, otter->findClip("Turn and stop"))).closes());
}

TEST_CASE("what is plotted of takes: a swing in degrees, a height in metres") {
    test::ChainSpec spec = test::nodding();
    scene::Scene s = test::sceneWith(test::chainActor(spec));
    test::addLayer(s, "strand", {"bone_1"}, {{"swing", 1.0}});
    const auto e = test::evaluate(s);
    const rig::Actor& a = *s.actors[0].actor;
    const int tip = a.skeleton.find("bone_4");
    const auto &body = *e.actors[0].body, &result = *e.actors[0].result;
    const auto none = measure::watched(a, body, body, tip, measure::watchOf("swing"));
    const auto swing = measure::watched(a, body, result, tip, measure::watchOf("swing"));
    CHECK(*std::max_element(none.begin(), none.end()) == 0);
    CHECK(*std::max_element(swing.begin(), swing.end()) > 1);
    CHECK(*std::max_element(swing.begin(), swing.end()) <= 180);
    const auto up = measure::watched(a, body, result, tip, measure::watchOf("up"));
    const Vec3 end = rig::endOf(a.skeleton, tip);
    Vec3 p = end;
    for (int j = tip; j != rig::kNoJoint; j = a.skeleton.joint(j).parent) p = result.at(j, 5).affine().apply(p);
    CHECK(up[5] == Approx(p.y() * a.metresPerUnit));
    CHECK(measure::differsMost(a, body, result) != rig::kNoJoint);
}

TEST_CASE("cells of a spread have their values in place of keys and feeds, and words for them") {
    scene::Scene s = test::otterScene();
    const std::string id = edit::addLayer(s, "strand", s.actors[0].id, {"tail_01"});
    const scene::Owner owner{scene::List::Layers, id};
    s.layer(id)->set("swing", 2.0);
    test::keyed(s, owner, "swing", {{0, 1.0}, {10, 3.0}});
    edit::Spread spread;
    spread.across = edit::newAxis(s, owner, "swing", 10).value();
    CHECK(spread.across.from == 1.5);
    CHECK(spread.across.to == 6);
    spread.down = edit::SpreadAxis{owner, "bounces", 1, 5};
    spread.columns = spread.rows = 3;
    CHECK(spread.cells() == 9);
    scene::Scene cell = s;
    REQUIRE(edit::setCell(cell, spread, 5).ok());
    CHECK(cell.layer(id)->number("swing") == 6);
    CHECK(cell.layer(id)->number("bounces") == 3);
    CHECK(cell.shot().keysOf(owner, "swing") == nullptr);
    CHECK(edit::cellWords(s, spread, 5) == "swing rate 6 /s, bounces 3");
    CHECK_FALSE(edit::setCell(cell, spread, 9).ok());
    CHECK_FALSE(edit::newAxis(s, owner, "root", 0).ok());
    // Out of range is brought back into it, and a refused cell changes nothing.
    spread.across.to = 1e9;
    REQUIRE(edit::setCell(cell, spread, 2).ok());
    CHECK(cell.layer(id)->number("swing") == 60);
}
