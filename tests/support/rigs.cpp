#include "tests/support/rigs.h"

#include <catch2/catch.hpp>
#include <fstream>
#include <sstream>

#include "files/scene_file.h"
#include "layers/registry.h"

namespace nutatio::test {

namespace fs = std::filesystem;

TempFolder::TempFolder() {
    std::string name = (fs::temp_directory_path() / "nutatio-test-XXXXXX").string();
    m_path = mkdtemp(name.data());
}
TempFolder::~TempFolder() {
    std::error_code ignored;
    fs::remove_all(m_path, ignored);
}

std::string textOf(const fs::path& path) {
    std::ifstream in(path, std::ios::binary);
    std::stringstream s;
    s << in.rdbuf();
    return s.str();
}

void put(const fs::path& path, const std::string& text) {
    std::ofstream(path, std::ios::binary) << text;
}

std::shared_ptr<const rig::Actor> read(const fs::path& path) {
    auto got = files::readActor(path);
    if (!got) FAIL(got.error().text());
    return got.value();
}

std::shared_ptr<const rig::Actor> chainActor(const ChainSpec& spec) {
    demo::GltfBuilder b;
    int parent = b.node("root", -1);
    for (int i = 1; i <= spec.bones; ++i) {
        Xform x;
        if (i > 1) x.t = spec.length * spec.way;
        parent = b.node("bone_" + std::to_string(i), parent, x);
    }
    Xform end;
    end.t = spec.length * spec.way;
    b.node("end", parent, end);
    std::vector<std::vector<Xform>> frames;
    for (int f = 0; f < spec.frames; ++f) {
        std::vector<Xform> pose(static_cast<std::size_t>(spec.bones) + 2);
        for (std::size_t i = 2; i < pose.size(); ++i) pose[i].t = spec.length * spec.way;
        pose[0] = spec.motion(f / spec.fps);
        frames.push_back(pose);
    }
    b.clip("Move", spec.fps, frames);
    TempFolder folder;
    b.writeGlb(folder / "chain.glb");
    return read(folder / "chain.glb");
}

scene::Scene sceneWith(std::shared_ptr<const rig::Actor> actor) {
    return files::sceneOf(std::move(actor));
}

std::string addLayer(scene::Scene& scene, const std::string& kind, const std::vector<std::string>& joints,
                     const scene::Values& values) {
    scene::Layer l = layers::newLayer(*layers::findKind(kind), scene, scene.actors.front(), joints);
    for (const auto& [id, v] : values) l.values[id] = v;
    scene.layers.push_back(l);
    return l.id;
}

std::vector<Vec3> worldPlaces(const rig::Actor& actor, const rig::Track& track, int joint) {
    std::vector<Vec3> out;
    std::vector<Xform> locals;
    std::vector<Affine> worlds;
    for (int f = 0; f < track.frames(); ++f) {
        track.pose(f, locals);
        rig::worldTransforms(actor.skeleton, locals, worlds);
        out.push_back(worlds[static_cast<std::size_t>(joint)].t);
    }
    return out;
}

pipeline::Evaluation evaluate(const scene::Scene& scene) {
    pipeline::Evaluator e;
    return e.evaluate(scene, {});
}

std::vector<physics::LinkDef> straightLinks(int n, double total, const Vec3& way) {
    std::vector<physics::LinkDef> links(static_cast<std::size_t>(n));
    for (int i = 0; i < n; ++i) {
        physics::LinkDef& l = links[static_cast<std::size_t>(i)];
        l.parent = i - 1;
        l.length = total / n;
        l.direction = l.restDirection = way;
        l.restPlace = (i * total / n) * way;
        if (i > 0) l.attach = (total / n) * way;
    }
    return links;
}

Bench::Bench(std::vector<physics::LinkDef> l, const physics::StrandDef& def, double h)
    : links(std::move(l)), strand(links, def, h), goals(links.size()) {}

void Bench::start(const Quat& turned) {
    // Starting on a turned base and then letting go at once displaces the whole strand without speed.
    const std::vector<Quat> still(links.size(), Quat::Identity());
    strand.start(Vec3::Zero(), turned, still, Vec3::Zero(), Vec3::Zero());
}

void Bench::step(int n) {
    for (int i = 0; i < n; ++i) strand.step(base, goals, bodies);
}

Swing swingOf(const std::vector<double>& x, double h) {
    std::vector<double> zeros, peaks;
    for (std::size_t k = 1; k + 1 < x.size(); ++k) {
        if ((x[k - 1] < 0) != (x[k] < 0)) zeros.push_back((static_cast<double>(k) - x[k] / (x[k] - x[k - 1])) * h);
        const double a = std::abs(x[k - 1]), b = std::abs(x[k]), c = std::abs(x[k + 1]);
        if (b > a && b >= c) peaks.push_back(b + (a - c) * (a - c) / (8 * (2 * b - a - c)));
    }
    Swing s;
    if (zeros.size() < 3 || peaks.size() < 2) return s;
    const double half = (zeros.back() - zeros.front()) / static_cast<double>(zeros.size() - 1);
    const double decrement = std::log(peaks.front() / peaks.back()) / static_cast<double>(peaks.size() - 1);
    s.zeta = decrement / std::sqrt(kPi * kPi + decrement * decrement);
    s.f = 1 / (2 * half) / std::sqrt(1 - s.zeta * s.zeta);
    return s;
}

}  // namespace nutatio::test
