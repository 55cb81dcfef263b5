#include "tests/support/rigs.h"

#include <catch2/catch.hpp>
#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>

#include "demo/shapes.h"
#include "files/scene_file.h"
#include "layers/registry.h"

extern "C" [[gnu::weak]] void __asan_init();  // there where a program is sanitized

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

void writePerson(const std::filesystem::path& file, const PersonSpec& spec) {
    struct Part {
        std::string name, parent;
        Vec3 at;
    };
    std::vector<Part> parts{{"hips", "", {0, .95, 0}},           {"spine", "hips", {0, 1.05, 0}},
                            {"chest", "spine", {0, 1.22, 0}},    {"neck", "chest", {0, 1.47, 0}},
                            {"head", "neck", {0, 1.56, 0}},      {"tail_1", "hips", {0, .95, -.1}},
                            {"tail_2", "tail_1", {0, .85, -.3}}, {"tail_3", "tail_2", {0, .8, -.5}}};
    for (const auto& [side, x] : {std::pair{"left_", 1.0}, {"right_", -1.0}}) {
        const std::string s = side;
        parts.push_back({s + "upper_arm", "chest", {.19 * x, 1.42, 0}});
        parts.push_back({s + "forearm", s + "upper_arm", {.22 * x, 1.14, -.02}});
        parts.push_back({s + "hand", s + "forearm", {.24 * x, .88, .03}});
        parts.push_back({s + "thigh", "hips", {.09 * x, .91, 0}});
        parts.push_back({s + "shin", s + "thigh", {.1 * x, .5, .03}});
        parts.push_back({s + "foot", s + "shin", {.1 * x, .09, -.02}});
        parts.push_back({s + "toes", s + "foot", {.11 * x, .02, .13}});
    }
    demo::GltfBuilder b;
    const double k = 1 / spec.rootScale;
    Xform root;
    root.s = Vec3::Constant(spec.rootScale);
    b.node("root", -1, root);
    std::vector<Xform> rest{root};
    std::map<std::string, std::size_t> number;
    for (const Part& p : parts) {
        number[p.name] = rest.size();
        Vec3 from = Vec3::Zero();
        for (const Part& other : parts)
            if (other.name == p.parent) from = other.at;
        Xform x;
        x.t = k * (p.at - from);
        b.node(p.name, p.parent.empty() ? 0 : static_cast<int>(number[p.parent]), x);
        rest.push_back(x);
    }
    std::vector<std::vector<Xform>> frames;
    for (int f = 0; f < spec.frames; ++f) {
        std::map<std::string, Xform> locals;
        for (const auto& [name, at] : number) {
            locals[name] = rest[at];
            locals[name].t /= k;
        }
        spec.motion(f / spec.fps, locals);
        std::vector<Xform> pose = rest;
        for (const auto& [name, at] : number) {
            pose[at] = locals[name];
            pose[at].t *= k;
        }
        frames.push_back(std::move(pose));
    }
    b.clip("Move", spec.fps, frames);
    b.writeGlb(file);
}

std::shared_ptr<const rig::Actor> personActor(const PersonSpec& spec) {
    TempFolder folder;
    writePerson(folder / "person.glb", spec);
    return read(folder / "person.glb");
}

void writeBeast(const std::filesystem::path& file, const BeastSpec& spec) {
    demo::GltfBuilder b;
    const double k = 1 / spec.rootScale;
    std::vector<Vec3> place;
    std::vector<int> parent;
    const auto add = [&](const std::string& name, int above, const Vec3& at) {
        Xform x;
        x.t = k * (above < 0 ? at : Vec3(at - place[static_cast<std::size_t>(above)]));
        if (above < 0) {
            x.s = Vec3::Constant(spec.rootScale);
            if (spec.zUp) x.r = fromRotationVector(Vec3(radians(-90), 0, 0));
        }
        place.push_back(at);
        parent.push_back(above);
        return b.node(spec.named ? name : "", above, x);
    };
    const int root = add("root", -1, Vec3::Zero()), hips = add("hips", root, Vec3(0, 0.9, 0)),
              chest = add("chest", hips, Vec3(0, 1.2, 0)), head = add("head", chest, Vec3(0, 1.55, 0)),
              arm = add("arm_L", chest, Vec3(0.2, 1.35, 0)), legL = add("leg_L", hips, Vec3(0.1, 0.85, 0)),
              legR = add("leg_R", hips, Vec3(-0.1, 0.85, 0));
    const auto chain = [&](const std::string& stem, int above, Vec3 at, const Vec3& way, int n) {
        std::vector<int> joints;
        for (int i = 1; i <= n; ++i, at += way) joints.push_back(above = add(stem + "_" + std::to_string(i), above, at));
        return joints;
    };
    // The cape leaves from within the chest, the trunk from the middle of the head.
    chain("cape", chest, Vec3(0, 1.4, -0.10), Vec3(0, -0.16, -0.02), 5);
    chain("trunk", head, Vec3(0, 1.60, 0.04), Vec3(0, -0.055, 0.05), 6);
    chain("feather", head, Vec3(0, 1.70, 0), Vec3(0, 0.06, -0.02), 3);
    const auto round = [&](const Vec3& from, const Vec3& to, double ra, double rb, int joint) {
        const Vec3 low = from.cwiseMin(to) - Vec3::Constant(ra + rb), high = from.cwiseMax(to) + Vec3::Constant(ra + rb);
        demo::Surface s = demo::polygonise([&](const Vec3& p) { return demo::roundCone(p, from, to, ra, rb); }, low, high, 0.04);
        demo::bindTo(s, joint);
        return s;
    };
    demo::Surface all = round(place[1], Vec3(0, 1.1, 0), 0.17, 0.15, hips);
    all.append(round(Vec3(0, 1.15, 0), Vec3(0, 1.38, 0), 0.16, 0.17, chest));
    all.append(round(Vec3(0, 1.6, 0), Vec3(0, 1.66, 0.02), 0.13, 0.12, head));
    demo::Surface limbs = round(Vec3(0.2, 1.35, 0), Vec3(0.3, 1.0, 0), 0.06, 0.05, arm);
    limbs.append(round(Vec3(0.1, 0.85, 0), Vec3(0.1, 0.1, 0), 0.09, 0.06, legL));
    limbs.append(round(Vec3(-0.1, 0.85, 0), Vec3(-0.1, 0.1, 0), 0.09, 0.06, legR));
    if (!spec.twoSkins) all.append(limbs);
    // The surface is made in the world as it stands; the file's y goes to z when it lies on its back.
    for (demo::Surface* each : {&all, &limbs})
        for (demo::Vertex& v : each->vertices)
            if (spec.zUp) v.place = fromRotationVector(Vec3(radians(-90), 0, 0)) * v.place;
    b.mesh("body", all);
    if (spec.twoSkins) {
        const int node = b.mesh("limbs", limbs);
        files::Json& skins = b.json()["skins"];
        skins.push_back(skins[0]);
        b.json()["nodes"][static_cast<std::size_t>(node)]["skin"] = skins.size() - 1;
    }
    const auto clip = [&](const char* name, double rate, double bob, double turn, double swing) {
        std::vector<std::vector<Xform>> frames;
        const int n = static_cast<int>(std::lround(24 / rate));
        for (int f = 0; f <= n; ++f) {
            const double a = 2 * kPi * (f % n) / n;
            std::vector<Xform> pose(place.size());
            for (std::size_t j = 0; j < place.size(); ++j)
                pose[j].t = k * (parent[j] < 0 ? place[j] : Vec3(place[j] - place[static_cast<std::size_t>(parent[j])]));
            pose[0].s = Vec3::Constant(spec.rootScale);
            if (spec.zUp) pose[0].r = fromRotationVector(Vec3(radians(-90), 0, 0));
            const auto at = [&](int j) -> Xform& { return pose[static_cast<std::size_t>(j)]; };
            at(hips).t.y() += k * bob * std::cos(2 * a);
            at(hips).r = fromRotationVector(Vec3(0, turn * std::cos(a), 0.4 * turn * std::sin(a)));
            at(chest).r = fromRotationVector(Vec3(0.3 * turn * std::cos(2 * a), -1.5 * turn * std::cos(a), 0));
            at(head).r = fromRotationVector(Vec3(0.2 * turn * std::cos(2 * a), 0.5 * turn * std::cos(a), 0));
            at(arm).r = fromRotationVector(Vec3(swing * std::cos(a), 0, 0));
            at(legL).r = fromRotationVector(Vec3(swing * std::cos(a), 0, 0));
            at(legR).r = fromRotationVector(Vec3(-swing * std::cos(a), 0, 0));
            frames.push_back(pose);
        }
        b.clip(name, 24, frames);
    };
    clip("Idle", 0.25, 0.005, 0.03, 0.03);
    clip("Walk", 1, 0.03, 0.15, 0.5);
    clip("Jog", 1.6, 0.06, 0.25, 0.8);
    b.writeGlb(file);
}

std::shared_ptr<const rig::Actor> beastActor(const BeastSpec& spec) {
    TempFolder folder;
    writeBeast(folder / "beast.glb", spec);
    return read(folder / "beast.glb");
}

ChainSpec nodding(int frames) {
    ChainSpec s;
    s.frames = frames;
    s.motion = [](double t) {
        Xform x;
        x.t = Vec3(0.1 * t, 0, 0);
        x.r = fromRotationVector(Vec3(0.4 * std::sin(5 * t), 0, 0));
        return x;
    };
    return s;
}

bool sameBits(const rig::Track& a, const rig::Track& b) {
    for (int j = 0; j < a.joints(); ++j)
        for (int f = 0; f < a.frames(); ++f)
            if (!(a.at(j, f) == b.at(j, f))) return false;
    return a.frames() == b.frames();
}

scene::Scene otterScene() {
    return files::sceneOf(read(kOtterFile));
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

scene::Owner layerAt(const scene::Scene& scene, std::size_t n) {
    return {scene::List::Layers, scene.layers[n].id};
}

void keyed(scene::Scene& scene, const scene::Owner& owner, const std::string& setting,
           const std::vector<std::pair<int, double>>& keys) {
    scene::Shot& shot = scene.editShot();
    scene::Keys& to = shot.keys[owner][setting];
    to.clear();
    for (const auto& [frame, value] : keys) to.push_back({shot.timeOf(frame), value});
}

void play(scene::Scene& scene, const std::string& clip, std::size_t actor) {
    scene::Shot& shot = scene.editShot();
    if (clip.empty())
        shot.clips.erase(scene.actors[actor].id);
    else
        shot.clips[scene.actors[actor].id] = clip;
    shot.lead = clip.empty() ? "" : scene.actors[actor].id;
}

std::string played(const scene::Scene& scene, std::size_t actor) {
    const auto at = scene.shot().clips.find(scene.actors[actor].id);
    return at == scene.shot().clips.end() ? "" : at->second;
}

void setRate(scene::Scene& scene, double fps) {
    scene.editShot();
    for (std::size_t i = 0; i < scene.shots.size(); ++i) scene.shots.edit(i).fps = fps;
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

constexpr int kOneOf = 8;

int draws(int many) {
    return __asan_init ? many / kOneOf : many;
}

bool tries(int which) {
    return !__asan_init || which % kOneOf == 0;
}

}  // namespace nutatio::test
