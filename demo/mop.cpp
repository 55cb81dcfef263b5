#include "demo/mop.h"

#include "demo/shapes.h"

namespace nutatio::demo {

void writeMop(const std::filesystem::path& file, int strands) {
    constexpr int kJoints = 5;
    constexpr double kLink = 0.09, kHead = 0.14;
    GltfBuilder b;
    std::vector<Xform> rest;
    const auto node = [&](const std::string& name, int parent, const Vec3& place) {
        rest.push_back({place, Quat::Identity(), Vec3::Ones()});
        return b.node(name, parent, rest.back());
    };
    const int root = node("root", -1, Vec3::Zero()), chest = node("chest", root, Vec3(0, 1.1, 0));
    const int head = node("head", chest, Vec3(0, 0.5, 0));
    const Vec3 crown(0, 1.6, 0);
    Surface skin = tube({Vec3(0, 0, 0), Vec3(0, 0.7, 0), Vec3(0, 1.3, 0), Vec3(0, 1.45, 0)}, {0.2, 0.22, 0.2, 0.07}, 16);
    bindTo(skin, chest);
    Surface skull = polygonise([&](const Vec3& p) { return ball(p, crown, Vec3::Constant(kHead)); }, crown - Vec3::Constant(0.2),
                               crown + Vec3::Constant(0.2), 0.02);
    bindTo(skull, head);
    skin.append(skull);
    for (int k = 0; k < strands; ++k) {
        // Round the crown by the golden angle, from the top down to the ears.
        const double turn = k * 2.399963, low = radians(20 + 70.0 * k / std::max(1, strands - 1));
        const Vec3 out(std::sin(low) * std::cos(turn), std::cos(low), std::sin(low) * std::sin(turn));
        std::vector<Vec3> line{crown + kHead * out};
        std::vector<int> joints;
        std::string name = std::to_string(k + 1);
        if (name.size() < 2) name = "0" + name;
        int parent = head;
        for (int j = 0; j < kJoints; ++j) {
            const Vec3 from = j == 0 ? Vec3(kHead * out) : Vec3(line.back() - line[line.size() - 2]);
            joints.push_back(parent = node("hair" + name + "_" + std::to_string(j + 1), parent, from));
            // It falls as it goes.
            line.push_back(line.back() +
                           kLink * (Vec3(out.x(), 0, out.z()) * (1.0 - 0.2 * j) - Vec3(0, 0.5 + 0.25 * j, 0)).normalized());
        }
        Surface hair = tube(line, std::vector<double>(line.size(), 0.012), 6);
        bindAlong(hair, joints, std::vector<Vec3>(line.begin(), line.end() - 1));
        skin.append(hair);
    }
    std::vector<std::vector<Xform>> frames;
    for (int f = 0; f < 73; ++f) {
        std::vector<Xform> pose = rest;
        const double t = f / 24.0;
        pose[static_cast<std::size_t>(head)].r = fromRotationVector(Vec3(0.2 * std::sin(4 * t), 0.7 * std::sin(2.1 * t), 0));
        pose[static_cast<std::size_t>(root)].t.x() = 0.2 * std::sin(2.1 * t);
        frames.push_back(std::move(pose));
    }
    b.clip("Look about", 24, frames);
    b.mesh("body", skin);
    b.writeGlb(file);
}

}  // namespace nutatio::demo
