#include "demo/reeds.h"

#include "demo/gltf_builder.h"
#include "files/scene_file.h"
#include "layers/registry.h"

namespace nutatio::demo {

void writeReeds(const std::filesystem::path& folder, const ReedBed& size) {
    GltfBuilder b;
    std::vector<Xform> rest;
    const auto node = [&](const std::string& name, int parent, const Vec3& place) {
        const Xform x{place, Quat::Identity(), Vec3::Ones()};
        rest.push_back(x);
        return b.node(name, parent, x);
    };
    const int root = node("bank", -1, Vec3::Zero());
    const int across = std::max(1, static_cast<int>(std::ceil(std::sqrt(size.reeds))));
    std::vector<std::string> roots;
    for (int r = 0; r < size.reeds; ++r) {
        const std::string name = "reed_" + std::to_string(r);
        int parent = root;
        for (int j = 0; j < size.joints; ++j) {
            const Vec3 place = j == 0 ? Vec3(0.15 * (r % across - 0.5 * across), 0, 0.15 * (r / across - 0.5 * across))
                                      : Vec3(0, 1.2 / size.joints, 0);
            parent = node(name + "_" + std::to_string(j), parent, place);
        }
        roots.push_back(name + "_0");
    }
    std::vector<int> bodies;
    for (int k = 0; k < size.bodies; ++k) bodies.push_back(node("drift_" + std::to_string(k), root, Vec3(0, 0.5, 0)));
    std::vector<std::vector<Xform>> frames;
    for (int f = 0; f < size.frames; ++f) {
        std::vector<Xform> pose = rest;
        const double t = f / 24.0;
        pose[0].t.x() = 0.1 * std::sin(1.7 * t);
        for (std::size_t k = 0; k < bodies.size(); ++k) {
            const double a = 0.5 * t + static_cast<double>(k) * 2.4;
            pose[static_cast<std::size_t>(bodies[k])].t =
                Vec3(1.3 * std::sin(a), 0.3 + 0.03 * static_cast<double>(k), 1.3 * std::cos(1.3 * a));
        }
        frames.push_back(std::move(pose));
    }
    b.clip("Drift", 24, frames);
    std::filesystem::create_directories(folder);
    b.writeGlb(folder / "reeds.glb");
    scene::Scene s = files::sceneOf(files::readActor(folder / "reeds.glb").value());
    const rig::Skeleton& skeleton = s.actors[0].actor->skeleton;
    for (int k = 0; k < size.bodies; ++k) {
        scene::Collider c = scene::newCollider(s, s.actors[0], skeleton.find("drift_" + std::to_string(k)),
                                               k % 2 ? scene::Shape::Capsule : scene::Shape::Sphere);
        c.set("radius", 0.12);
        c.set("radius_end", 0.12);
        c.set("length", 0.4);
        s.colliders.push_back(c);
    }
    scene::Layer l = layers::newLayer(*layers::findKind("strand"), s, s.actors[0], roots);
    l.name = "reeds";
    l.values["swing"] = 1.2;
    l.values["gravity"] = 0.2;
    s.layers.push_back(std::move(l));
    (void)files::writeScene(s, folder / "reeds.nutatio");
}

}  // namespace nutatio::demo
