#include "tests/support/zoo.h"

#include <nlohmann/json.hpp>
#include <random>

#include "demo/gltf_builder.h"
#include "demo/shapes.h"

namespace nutatio::test {

namespace {

/// What a joint is, for its name: a stem, and the side it is on (-1 right, 1 left, 0 neither).
struct Bone {
    std::string stem;
    int side = 0, number = 0;  // of a chain, from 1; 0: none
    int parent = -1;
    Vec3 place = Vec3::Zero();  // [m] y up, z forward
    double thick = 0.05;
    bool swings = false;  // in clips
};

class Animal {
  public:
    explicit Animal(unsigned number) : m_random(number * 2654435761u + 1) {
        static constexpr const char* kNames[kBuilds] = {"biped",
                                                        "biped without spine",
                                                        "one-armed biped",
                                                        "legs that are roots",
                                                        "four legs",
                                                        "six legs",
                                                        "bird",
                                                        "snake",
                                                        "lamp",
                                                        "hand",
                                                        "one joint",
                                                        "three hundred joints",
                                                        "two in one file",
                                                        "four legs on two spines"};
        const unsigned build = number % kBuilds;
        m_said = "number " + std::to_string(number) + ": " + kNames[build];
        make(build);
        m_naming = below(7);
        static constexpr const char* kNamings[] = {"name_L",  "LeftName", "l.name",  "other letters",
                                                   "numbers", "no names", "one name"};
        say(kNamings[m_naming]);
        if (one(4) && build != 10) flaw();
        m_meshless = one(8);
        m_twoSkins = !m_meshless && one(4);
        if (m_meshless) say("no mesh");
        if (m_twoSkins) say("two skins");
        const int axes = below(6);
        if (axes == 0) {
            m_root.r = fromRotationVector(Vec3(radians(-90), 0, 0));
            say("z up");
        }
        if (axes == 1) m_root.s = Vec3(-1, 1, 1), say("mirrored");
        if (axes == 2) m_root.s = Vec3(1, 1.4, 0.8), say("uneven scale");
        if (one(3)) m_unit = 100, say("centimetres"), m_root.s *= one(2) ? 0.01 : 1;
        if (m_unit == 1 && one(4)) m_unit = 39.37, say("inches");
        if (axes > 2 && one(4)) {
            m_root.r = fromRotationVector(Vec3(0, radians(180), 0));
            say("facing away");
        }
        if (build != 10 && build != 11) dress();
        m_clips = below(5);
        static constexpr const char* kClips[] = {"no clip", "a clip of one frame", "two clips", "two clips", "a still clip"};
        say(kClips[m_clips]);
    }

    std::string write(const std::filesystem::path& file) {
        demo::GltfBuilder b;
        std::vector<Xform> rest;
        for (std::size_t k = 0; k < m_bones.size(); ++k) {
            const Bone& bone = m_bones[k];
            Xform x;
            x.t = m_unit * (bone.parent < 0 ? bone.place : Vec3(bone.place - at(bone.parent).place));
            if (bone.parent < 0) {
                x.t = m_root.r * Vec3(m_root.s.cwiseProduct(x.t));
                x.r = m_root.r;
                x.s = m_root.s;
            }
            rest.push_back(x);
            b.node(nameOf(bone, k), bone.parent, x);
        }
        if (!m_meshless) {
            demo::Surface all, second;
            for (std::size_t k = 0; k < m_bones.size(); ++k) (m_twoSkins && k % 2 == 1 ? second : all).append(skinOf(k));
            b.mesh("body", all);
            if (m_twoSkins && !second.vertices.empty()) {
                const int node = b.mesh("rest", second);
                files::Json& skins = b.json()["skins"];
                skins.push_back(skins[0]);
                b.json()["nodes"][static_cast<std::size_t>(node)]["skin"] = skins.size() - 1;
            }
        }
        if (m_clips == 1) b.clip("Pose", 24, {swung(rest, 0.3, 0.2)});
        if (m_clips == 2 || m_clips == 3) {
            clip(b, rest, "Walk", 25, 0.5, 1);
            clip(b, rest, "Idle", 49, 0.05, 0.5);
        }
        if (m_clips == 4) clip(b, rest, "Still", 13, 0, 1);
        b.writeGlb(file);
        return m_said;
    }

  private:
    int below(int n) { return static_cast<int>(m_random() % static_cast<unsigned>(n)); }
    bool one(int in) { return below(in) == 0; }
    void say(const std::string& what) { m_said += ", " + what; }
    const Bone& at(int k) const { return m_bones[static_cast<std::size_t>(k)]; }

    int add(const std::string& stem, int side, int parent, const Vec3& place, double thick = 0.05, bool swings = false,
            int number = 0) {
        m_bones.push_back({stem, side, number, parent, place, thick, swings});
        return static_cast<int>(m_bones.size()) - 1;
    }
    int chain(const std::string& stem, int side, int parent, Vec3 place, const Vec3& way, int n, double thick = 0.03,
              bool swings = false) {
        for (int k = 1; k <= n; ++k, place += way) parent = add(stem, side, parent, place, thick, swings, k);
        return parent;
    }
    void leg(int side, int hips, const Vec3& hip, bool leaves) {
        const double x = hip.x(), z = hip.z();
        const int thigh = add("thigh", side, hips, hip, 0.08, true),
                  shin = add("shin", side, thigh, Vec3(x, 0.55 * hip.y(), z + 0.02), 0.06, true),
                  foot = add("foot", side, shin, Vec3(x, 0.08, z), 0.05);
        const int toe = add("toe", side, foot, Vec3(x, 0.03, z + 0.12), 0.04);
        if (leaves) add("toe_end", side, toe, Vec3(x, 0.03, z + 0.2), 0.02);
    }
    void arm(int side, int chest, const Vec3& shoulder) {
        const double way = side;
        const int upper = add("upper_arm", side, chest, shoulder, 0.05, true),
                  lower = add("forearm", side, upper, shoulder + Vec3(0.27 * way, -0.02, 0), 0.04, true);
        add("hand", side, lower, shoulder + Vec3(0.52 * way, -0.03, 0), 0.04);
    }
    void biped(double x, int spines, bool armL, bool armR, bool rootLegs) {
        const bool leaves = one(2);
        const int root = one(2) ? add("root", 0, -1, Vec3(x, 0, 0), 0.02) : -1,
                  hips = add("hips", 0, root, Vec3(x, 0.95, 0), 0.12);
        int top = hips;
        for (int k = 1; k <= spines; ++k) top = add("spine", 0, top, Vec3(x, 0.95 + 0.4 * k / spines, 0), 0.13, true, k);
        const int neck = spines > 0 ? add("neck", 0, top, Vec3(x, 1.5, 0), 0.05) : top,
                  head = add("head", 0, neck, Vec3(x, 1.58, 0.02), 0.1, true);
        if (leaves) add("head_end", 0, head, Vec3(x, 1.75, 0.02), 0.02);
        if (armL) arm(1, top, Vec3(x + 0.17, 1.42, 0));
        if (armR) arm(-1, top, Vec3(x - 0.17, 1.42, 0));
        leg(1, rootLegs ? -1 : hips, Vec3(x + 0.1, 0.9, 0), leaves);
        leg(-1, rootLegs ? -1 : hips, Vec3(x - 0.1, 0.9, 0), leaves);
        if (one(2)) chain("cape", 0, top, Vec3(x, 1.4, -0.12), Vec3(0, -0.2, -0.03), 4);
        if (one(2)) chain("hair", 0, head, Vec3(x, 1.66, -0.08), Vec3(0, -0.08, -0.03), 3);
    }
    void beast(int pairs, int spines) {
        const double length = 0.5 * (pairs - 1);
        const int hips = add("pelvis", 0, -1, Vec3(0, 0.7, -0.5 * length), 0.15);
        int top = hips;
        for (int k = 1; k <= spines; ++k)
            top = add("spine", 0, top, Vec3(0, 0.72, length * (static_cast<double>(k) / spines - 0.5)), 0.15, true, k);
        const int neck = add("neck", 0, top, Vec3(0, 0.85, 0.5 * length + 0.15), 0.08);
        add("head", 0, neck, Vec3(0, 0.98, 0.5 * length + 0.3), 0.1, true);
        for (int p = 0; p < pairs; ++p)
            for (int side : {1, -1}) {
                const double z = length * (pairs == 1 ? 0 : static_cast<double>(p) / (pairs - 1) - 0.5);
                leg(side, p == 0 ? hips : top, Vec3(0.12 * side, 0.65, z), false);
            }
        chain("tail", 0, hips, Vec3(0, 0.75, -0.5 * length - 0.1), Vec3(0, -0.02, -0.12), 5);
    }
    /// What riggers and tailors add.
    void dress() {
        const auto joint = [&](const std::string& stem, int side) {
            for (std::size_t k = 0; k < m_bones.size(); ++k)
                if (m_bones[k].stem == stem && m_bones[k].side == side) return static_cast<int>(k);
            return -1;
        };
        if (one(3)) {
            say("twist helpers and goals for the feet");
            for (int side : {1, -1}) {
                for (const char* stem : {"thigh", "upper_arm"})
                    if (const int up = joint(stem, side); up >= 0)
                        add(std::string(stem) + "_twist", side, up, at(up).place + Vec3(0, -0.1, 0), 0.04);
                if (const int foot = joint("foot", side); foot >= 0) add("ik_foot", side, -1, at(foot).place, 0);
            }
        }
        if (const int hips = joint("hips", 0); hips >= 0 && one(3)) {
            say("a dress");
            for (int k = 0; k < 6; ++k) {
                const double a = 2 * kPi * k / 6;
                chain("skirt" + std::to_string(k), 0, hips, at(hips).place + Vec3(0.16 * std::sin(a), -0.05, 0.16 * std::cos(a)),
                      Vec3(0.05 * std::sin(a), -0.2, 0.05 * std::cos(a)), 3, 0.03);
            }
        }
        if (const int hand = joint("hand", -1); hand >= 0 && one(3)) {
            say("a sword in one hand");
            chain("sword", 0, hand, at(hand).place + Vec3(-0.05, 0, 0.1), Vec3(0, 0.05, 0.3), 2, 0.02);
        }
    }
    void make(unsigned build) {
        switch (build) {
            case 0:
                return biped(0, 1 + below(3), true, true, false);
            case 1:
                return biped(0, 0, true, true, false);
            case 2:
                return biped(0, 1 + below(2), true, false, false);
            case 3:
                return biped(0, below(3), true, true, true);
            case 4:
                return beast(2, 2 + below(2));
            case 5:
                return beast(3, 3);
            case 6: {
                biped(0, 1, false, false, false);
                for (int side : {1, -1})
                    chain("wing", side, 1, Vec3(0.12 * side, 1.3, -0.05), Vec3(0.2 * side, 0.02, -0.03), 3, 0.04, true);
                return;
            }
            case 7:
                chain("body", 0, -1, Vec3(0, 0.06, 1), Vec3(0, 0, -0.1), 18, 0.05, true);
                return;
            case 8: {
                const int foot = add("base", 0, -1, Vec3::Zero(), 0.1), low = add("arm", 0, foot, Vec3(0, 0.1, 0), 0.03, true, 1),
                          high = add("arm", 0, low, Vec3(0, 0.5, 0.1), 0.03, true, 2);
                add("shade", 0, high, Vec3(0, 0.8, -0.1), 0.1);
                return;
            }
            case 9: {
                const int wrist = add("wrist", 0, -1, Vec3(0, 0.1, 0), 0.05);
                for (int finger = 0; finger < 5; ++finger)
                    chain("finger" + std::to_string(finger), 0, wrist, Vec3(0.04 * (finger - 2), 0.2, 0), Vec3(0, 0.04, 0), 3,
                          0.012, true);
                return;
            }
            case 10:
                add("only", 0, -1, Vec3(0, 0.5, 0), 0.2, true);
                return;
            case 11:
                for (int row = 0; row < 10; ++row)
                    chain("row" + std::to_string(row), 0, -1, Vec3(0.1 * row, 2, 0), Vec3(0, -0.06, 0.01), 30, 0.02,
                          row % 2 == 0);
                return;
            case 12:
                biped(-1, 2, true, true, false);
                return biped(1, 1, true, true, false);
            default: {
                // The hips of each pair of legs hang on the root beside each other.
                const int root = add("root", 0, -1, Vec3(0, 0.7, 0), 0.05);
                const int back = add("hips", 0, root, Vec3(0, 0.7, -0.3), 0.14),
                          front = add("chest", 0, root, Vec3(0, 0.7, 0.3), 0.14);
                for (int side : {1, -1}) {
                    leg(side, back, Vec3(0.12 * side, 0.65, -0.3), true);
                    leg(side, front, Vec3(0.12 * side, 0.65, 0.3), true);
                }
                add("head", 0, front, Vec3(0, 0.95, 0.5), 0.1, true);
            }
        }
    }
    void flaw() {
        Bone& b = m_bones[static_cast<std::size_t>(below(static_cast<int>(m_bones.size())))];
        if (b.parent < 0) return;
        b.place = at(b.parent).place;
        say("a bone without length");
    }

    std::string nameOf(const Bone& b, std::size_t k) const {
        const std::string number = b.number > 0 ? "_0" + std::to_string(b.number) : "";
        const std::string side = b.side > 0 ? "L" : "R";
        switch (m_naming) {
            case 0:
                return b.stem + number + (b.side == 0 ? "" : "_" + side);
            case 1: {
                std::string stem = b.stem;
                stem[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(stem[0])));
                return (b.side == 0 ? "" : b.side > 0 ? "Left" : "Right") + stem + number;
            }
            case 2:
                return (b.side == 0 ? "" : b.side > 0 ? "l." : "r.") + b.stem + number;
            case 3:
                return (b.side == 0 ? "" : b.side > 0 ? "左" : "右") + std::string("骨") + std::to_string(k);
            case 4:
                return std::to_string(k);
            case 5:
                return {};
            default:
                return "bone";
        }
    }

    demo::Surface skinOf(std::size_t k) const {
        const Bone& b = m_bones[k];
        if (!(b.thick > 0)) return {};
        Vec3 end = b.place;
        for (const Bone& child : m_bones)
            if (child.parent == static_cast<int>(k)) end = child.place;
        const Vec3 half = 0.5 * (end - b.place).cwiseAbs() + Vec3::Constant(b.thick);
        demo::Surface s = demo::box(0.5 * (b.place + end), half);
        demo::bindTo(s, static_cast<int>(k));
        for (demo::Vertex& v : s.vertices) {
            v.place = m_root.r * Vec3(m_root.s.cwiseProduct(m_unit * v.place));
            v.normal = m_root.r * v.normal;
        }
        return s;
    }

    std::vector<Xform> swung(const std::vector<Xform>& rest, double most, double phase) const {
        std::vector<Xform> pose = rest;
        for (std::size_t k = 0; k < m_bones.size(); ++k)
            if (m_bones[k].swings) {
                const double side = m_bones[k].side == 0 ? 0.3 : m_bones[k].side;
                pose[k].r = (rest[k].r * fromRotationVector(Vec3(most * side * std::sin(2 * kPi * phase), 0, 0))).normalized();
            }
        return pose;
    }
    void clip(demo::GltfBuilder& b, const std::vector<Xform>& rest, const std::string& name, int frames, double most,
              double rounds) const {
        std::vector<std::vector<Xform>> all;
        for (int f = 0; f < frames; ++f) all.push_back(swung(rest, most, rounds * f / (frames - 1)));
        b.clip(name, 24, all);
    }

    std::mt19937 m_random;
    std::string m_said;
    std::vector<Bone> m_bones;
    int m_naming = 0, m_clips = 0;
    bool m_meshless = false, m_twoSkins = false;
    Xform m_root;  // of each root joint
    double m_unit = 1;
};

}  // namespace

std::string writeAnimal(const std::filesystem::path& file, unsigned number) {
    return Animal(number).write(file);
}

}  // namespace nutatio::test
