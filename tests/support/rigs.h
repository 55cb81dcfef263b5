// Rigs, folders and drives that many tests want.
#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "demo/gltf_builder.h"
#include "physics/strand.h"
#include "pipeline/evaluate.h"
#include "scene/scene.h"
#include "tests/support/places.h"

namespace nutatio::test {

/// Characters of the demo, and mocap that nobody here made.
inline const std::string kDemoFolder = sourceFolder() + "/demo/";
inline const std::string kOtterFile = kDemoFolder + "assets/otter.glb";
inline const std::string kDeckhandFile = kDemoFolder + "assets/deckhand.bvh";
inline const std::string kMocapFolder = std::string(NUTATIO_THIRD_PARTY) + "/BVH/";

/// A folder of its own, removed at the end.
class TempFolder {
  public:
    TempFolder();
    ~TempFolder();
    TempFolder(const TempFolder&) = delete;
    TempFolder& operator=(const TempFolder&) = delete;
    std::filesystem::path operator/(const std::string& name) const { return m_path / name; }
    const std::filesystem::path& path() const { return m_path; }

  private:
    std::filesystem::path m_path;
};

std::string textOf(const std::filesystem::path& path);
void put(const std::filesystem::path& path, const std::string& text);

/// The actor of a file; fails the test with the error when it does not read.
std::shared_ptr<const rig::Actor> read(const std::filesystem::path& path);

/// root > bone_1 .. bone_n, each `length` along the last, along `way` (unit); a clip "Move" of `frames` in which the root goes by
/// `motion`.
struct ChainSpec {
    int bones = 4;
    double length = 0.25;
    Vec3 way{0, 0, 1};
    int frames = 48;
    double fps = 24;
    std::function<Xform(double seconds)> motion = [](double) { return Xform{}; };
};
std::shared_ptr<const rig::Actor> chainActor(const ChainSpec& spec);
/// A chain whose root nods.
ChainSpec nodding(int frames = 48);
/// A skinned body with chains that begin inside it: "cape_1".."cape_5" down its back, "trunk_1".."trunk_6" from within its head,
/// "feather_1".."feather_3" on top. Clips "Idle", "Walk" and "Jog". Its root may be scaled, and turned so that it lies on its
/// back (a file with z up).
struct BeastSpec {
    double rootScale = 1;  // the rest is as much larger, so that it stands as tall
    bool zUp = false;
    bool named = true;
    bool twoSkins = false;  // its limbs have a mesh and a skin of their own
};
void writeBeast(const std::filesystem::path& file, const BeastSpec& spec);
std::shared_ptr<const rig::Actor> beastActor(const BeastSpec& spec);
/// A person of 1.75 m with a tail and no mesh, in metres: hips, spine, chest, neck, head, tail_1..3, and of each side thigh,
/// shin, foot, toes, upper_arm, forearm, hand. A clip "Move" poses it: `motion` is given the time and the local transforms by
/// name.
struct PersonSpec {
    double fps = 24;
    int frames = 48;
    std::function<void(double seconds, std::map<std::string, Xform>& locals)> motion = [](double, auto&) {};
    double rootScale = 1;  // the rest is as much larger
};
void writePerson(const std::filesystem::path& file, const PersonSpec& spec);
std::shared_ptr<const rig::Actor> personActor(const PersonSpec& spec);
scene::Scene sceneWith(std::shared_ptr<const rig::Actor> actor);
/// The otter alone.
scene::Scene otterScene();
/// Adds a layer by the table's defaults and `values`; returns its id.
std::string addLayer(scene::Scene& scene, const std::string& kind, const std::vector<std::string>& joints,
                     const scene::Values& values = {});
/// Owner of the n-th layer.
scene::Owner layerAt(const scene::Scene& scene, std::size_t n = 0);
/// Keys a setting in the shot on show: frames from 0, and values.
void keyed(scene::Scene& scene, const scene::Owner& owner, const std::string& setting,
           const std::vector<std::pair<int, double>>& keys);
/// Lets an actor play a clip in the shot on show, which becomes as long as that; an empty name: its rest pose.
void play(scene::Scene& scene, const std::string& clip, std::size_t actor = 0);
/// The clip that an actor plays in the shot on show.
std::string played(const scene::Scene& scene, std::size_t actor = 0);
/// The rate of every shot.
void setRate(scene::Scene& scene, double fps);
/// Whether two tracks are the same to the bit.
bool sameBits(const rig::Track& a, const rig::Track& b);
/// World places of a joint over the evaluated shot.
std::vector<Vec3> worldPlaces(const rig::Actor& actor, const rig::Track& track, int joint);
pipeline::Evaluation evaluate(const scene::Scene& scene);

/// n equal links from the origin along `way`, hanging in space.
std::vector<physics::LinkDef> straightLinks(int n, double total, const Vec3& way);
/// Still base and still goals for `links`, which all point along `way` at rest.
struct Bench {
    Bench(std::vector<physics::LinkDef> links, const physics::StrandDef& def, double h);
    void start(const Quat& turned = Quat::Identity());
    void step(int n = 1);

    std::vector<physics::LinkDef> links;
    physics::Strand strand;
    std::vector<physics::LinkGoal> goals;
    physics::BaseStep base;
    std::vector<physics::Body> bodies;
};

/// So many draws of the same code, or under sanitizers, which look at memory and not at odds, an eighth of them.
int draws(int many);
/// Whether one of many like cases is tried: under sanitizers each eighth, counted from 0.
bool tries(int which);

/// How often this program has asked for memory so far (counted in core-tests).
std::size_t allocations();

/// Frequency [1/s] and damping ratio of a decaying oscillation sampled every h, from its zero crossings and its peaks.
struct Swing {
    double f = 0, zeta = 0;
};
Swing swingOf(const std::vector<double>& x, double h);

}  // namespace nutatio::test
