// Columns that are no joints: a tiny kind that moves vertices, through stack, cache and stage to morph targets in a file.
#include <catch2/catch.hpp>

#include "layers/common_rows.h"
#include "layers/filter.h"
#include "layers/registry.h"
#include "pipeline/bake.h"
#include "rig/mesh.h"
#include "tests/support/rigs.h"
#include "tests/support/validator.h"

using namespace nutatio;
using test::kOtterFile;
using test::TempFolder;

namespace {

constexpr scene::SettingSpec kRows[] = {
    {.id = "joint", .label = "Joints", .type = scene::SettingType::Joints, .help = "Unused.", .role = scene::Role::Target},
    {.id = "size", .label = "Size", .range = {0, 1}, .soft = {0, 1}, .start = 0.1, .help = "How far."},
    layers::kAmountRow,
    layers::kMixRow};

/// Every third vertex of the first instance's first primitive bobs up and down.
layers::Filtered bob(const layers::LayerContext& context, const rig::Track& below, const Cancel&) {
    const rig::Actor& a = context.actor;
    auto patch = std::make_shared<rig::Patch>();
    const auto& p = a.meshes[static_cast<std::size_t>(a.instances[0].mesh)].primitives[0];
    for (std::uint32_t v = 0; v < p.positions.size(); v += 3) patch->vertices.push_back(v);
    for (int f = 0; f < below.frames(); ++f)
        for (std::uint32_t v : patch->vertices)
            patch->offsets.push_back(static_cast<float>(context.settings->at("size", f)) *
                                     Vec3f(0, std::sin(0.4f * static_cast<float>(f) + 0.1f * static_cast<float>(v % 4)), 0));
    layers::Filtered out;
    out.patches.push_back(std::move(patch));
    return out;
}

const layers::Filter kFilter{.run = bob};

const layers::LayerKind kBob{.id = "bob",
                             .label = "Bob",
                             .help = "Moves vertices.",
                             .glyph = "M4 12h16",
                             .takes = layers::Takes::Map,
                             .settings = kRows,
                             .problem = [](const rig::Actor&, const scene::Layer&) { return std::optional<std::string>(); },
                             .moves = [](const rig::Actor&, const scene::Layer&) { return std::vector<layers::Moved>(); },
                             .filter = &kFilter};

std::vector<Vec3f> posed(const rig::Actor& a, const rig::Track& t, int frame) {
    std::vector<Xform> locals;
    std::vector<Affine> worlds;
    t.pose(frame, locals);
    rig::worldTransforms(a.skeleton, locals, worlds);
    rig::PosedVertices out;
    rig::MovedVertices moved;
    if (const auto at = t.patches().find({0, 0}); at != t.patches().end())
        moved = {&at->second->vertices, at->second->frame(frame)};
    std::vector<float> weights;
    if (const auto at = t.morphs().find(0); at != t.morphs().end())
        weights.assign(at->second->frame(frame), at->second->frame(frame) + at->second->targets);
    rig::poseVertices(a, a.instances[0], a.meshes[static_cast<std::size_t>(a.instances[0].mesh)].primitives[0], worlds, weights,
                      out, moved);
    return out.positions;
}

}  // namespace

TEST_CASE("a layer that moves vertices goes through stack, cache and mix") {
    const layers::ExtraKind extra(kBob);
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    test::addLayer(s, "bob", {"hips"});
    pipeline::Evaluator e;
    const auto whole = e.evaluate(s, {});
    CHECK(whole.simulated == 1);
    REQUIRE(whole.actors[0].result->patches().size() == 1);
    const auto patch = whole.actors[0].result->patches().begin()->second;
    CHECK(whole.actors[0].body->patches().empty());
    CHECK(e.cachedBytes() > patch->offsets.size() * sizeof(Vec3f));
    s.layers.edit(0).set("mix", 0.25);
    const auto quarter = e.evaluate(s, {});
    CHECK(quarter.simulated == 0);
    const auto mixed = quarter.actors[0].result->patches().begin()->second;
    CHECK(mixed->frame(9)[5].y() == Approx(0.25 * patch->frame(9)[5].y()));
    // Two of them add up, and an edit of one runs one.
    test::addLayer(s, "bob", {"hips"}, {{"size", 0.4}});
    const auto two = e.evaluate(s, {});
    CHECK(two.simulated == 1);
    const auto sum = two.actors[0].result->patches().begin()->second;
    CHECK(sum->frame(9)[5].y() == Approx(4.25 * patch->frame(9)[5].y()));
    CHECK(two.layer(s.layers[1].id)->changed.patches.front()->frame(9)[5].y() == Approx(4 * patch->frame(9)[5].y()));
    s.layers.edit(0).set("size", 0.2);
    CHECK(e.evaluate(s, {}).simulated == 1);
    s.layers.edit(1).set("size", 0.3);
    const auto again = e.evaluate(s, {});
    CHECK(again.simulated == 1);
    // From nothing the same bits come out: they are added in the order of the stack, whichever was known.
    CHECK(pipeline::Evaluator().evaluate(s, {}).actors[0].result->patches().begin()->second->offsets ==
          again.actors[0].result->patches().begin()->second->offsets);
}

TEST_CASE("what moves vertices is handed off as morph targets that give the same surface") {
    const layers::ExtraKind extra(kBob);
    TempFolder f;
    scene::Scene s = test::sceneWith(test::read(kOtterFile));
    test::addLayer(s, "bob", {"hips"}, {{"size", 0.05}});
    pipeline::Evaluator e;
    const auto seen = e.evaluate(s, {});
    pipeline::BakeOptions o;
    o.shot = s.shot().id;
    REQUIRE(pipeline::bake(s, o, f / "o.glb", e, {}).ok());
    const auto out = test::read(f / "o.glb");
    const auto& primitive = out->meshes[static_cast<std::size_t>(out->instances[0].mesh)].primitives[0];
    // Sines of one rate and four phases span two dimensions.
    CHECK(primitive.morphs.size() == 2);
    const rig::Track got = rig::bodyTrack(*out, out->findClip(s.shot().name), seen.actors[0].body->grid());
    REQUIRE(got.morphs().count(0) == 1);
    for (int frame : {0, 7, 20}) {
        const auto want = posed(*s.actors[0].actor, *seen.actors[0].result, frame), is = posed(*out, got, frame);
        REQUIRE(want.size() == is.size());
        float worst = 0;
        for (std::size_t v = 0; v < want.size(); ++v) worst = std::max(worst, (want[v] - is[v]).norm());
        CHECK(worst < 0.01f * 0.05f * 1.5f);
    }
    test::checkValid(f / "o.glb");
    // A range moves the surface within it, and not outside.
    o.firstFrame = 5;
    o.lastFrame = 9;
    REQUIRE(pipeline::bake(s, o, f / "range.glb", e, {}).ok());
    const auto part = test::read(f / "range.glb");
    const rig::Track some = rig::bodyTrack(*part, part->findClip(s.shot().name), seen.actors[0].body->grid());
    for (int frame : {0, 3, 4, 7, 8, 9, 20}) {
        INFO("frame " << frame + 1);
        const rig::Track& wanted = frame >= 4 && frame <= 8 ? *seen.actors[0].result : *seen.actors[0].body;
        const auto want = posed(*s.actors[0].actor, wanted, frame), is = posed(*part, some, frame);
        float worst = 0;
        for (std::size_t v = 0; v < want.size(); ++v) worst = std::max(worst, (want[v] - is[v]).norm());
        CHECK(worst < 0.01f * 0.05f * 1.5f);
    }
    o.firstFrame = 0;
    // Without such a layer no mesh is touched.
    s.layers.clear();
    REQUIRE(pipeline::bake(s, o, f / "bare.glb", e, {}).ok());
    CHECK(test::read(f / "bare.glb")->meshes[static_cast<std::size_t>(out->instances[0].mesh)].primitives[0].morphs.empty());
}
