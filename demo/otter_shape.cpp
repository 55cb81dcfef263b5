#include <algorithm>

#include "demo/otter.h"
#include "demo/shapes.h"

namespace nutatio::demo {

namespace {

/// A colour as written on paper (sRGB bytes), in the linear values that glTF vertex colours hold.
Vec3 colour(int rgb) {
    Vec3 c;
    for (int k = 0; k < 3; ++k) {
        const double v = (rgb >> (16 - 8 * k) & 255) / 255.0;
        c[k] = v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
    }
    return c;
}

const Vec3 kFur = colour(0x7A5638), kFurDark = colour(0x5A3D29), kCream = colour(0xE6D3B1), kCoat = colour(0xE0A93B),
           kCoatDark = colour(0xB98226), kScarf = colour(0xC8453A), kScarfStripe = colour(0xF0E2C8), kNavy = colour(0x2C4057),
           kBrass = colour(0xD3A94C), kDark = colour(0x1D1A1B), kLeather = colour(0x8A5A35), kWood = colour(0x8F7350),
           kGlow = colour(0xFFD98A), kWhite = colour(0xFFFFFF), kPink = colour(0xD9907F);

std::string numbered(const std::string& stem, int n) {
    return stem + (n < 10 ? "_0" : "_") + std::to_string(n);
}

std::vector<Vec3> tailLine() {
    // Out from the hips, down towards the planks, and up again at its end.
    std::vector<Vec3> p;
    Vec3 at(0, 0.36, -0.11);
    for (int i = 0; i <= 10; ++i) {
        p.push_back(at);
        const double pitch = radians(-44 + 8.6 * i);
        at += 0.088 * Vec3(0, std::sin(pitch), -std::cos(pitch));
    }
    return p;
}

std::vector<Vec3> scarfLine(bool left) {
    std::vector<Vec3> p;
    Vec3 at = left ? Vec3(0.075, 0.775, 0.115) : Vec3(-0.07, 0.785, -0.115);
    for (int i = 0; i <= 8; ++i) {
        p.push_back(at);
        const double out = left ? radians(i < 2 ? 66 : 89) : radians(i < 2 ? 66 : 88);
        const Vec3 side = left ? Vec3(0.30, 0, 0.95) : Vec3(-0.15, 0, -0.99);
        at += 0.052 * (std::cos(out) * side.normalized() + std::sin(out) * Vec3(0, -1, 0));
    }
    return p;
}

constexpr int kPanels = 8, kPanelJoints = 3;
/// Angle [rad] of skirt panel k about the body, from the front: the coat is open there.
double panelAngle(double k) {
    return radians(38 + (360 - 76) * k / (kPanels - 1));
}

Vec3 skirtPoint(double angle, double down) {
    const double r = 0.158 + 0.105 * down;
    return {r * std::sin(angle) * (0.98 + 0.05 * down), 0.47 - 0.235 * down, r * std::cos(angle) * 0.95 - 0.012};
}

std::vector<Vec3> chainLine() {
    std::vector<Vec3> p;
    for (int i = 0; i <= 4; ++i) p.push_back(Vec3(-0.30, 1.315 - 0.042 * i, 0.30));
    return p;
}

class Joints {
  public:
    const Vec3& at(const std::string& name) const { return m_rig.at(name); }
    Joints(GltfBuilder& b, OtterRig& rig) : m_b(b), m_rig(rig) {}
    void add(const std::string& name, const std::string& parent, const Vec3& place) {
        const int p = parent.empty() ? -1 : m_rig[parent];
        Xform rest;
        rest.t = p < 0 ? place : Vec3(place - m_rig.place[static_cast<std::size_t>(p)]);
        m_rig.number[name] = m_b.node(name, p, rest);
        m_rig.name.push_back(name);
        m_rig.place.push_back(place);
        m_rig.parent.push_back(p);
    }
    void chain(const std::string& stem, const std::string& parent, const std::vector<Vec3>& line) {
        for (std::size_t i = 0; i + 1 < line.size(); ++i)
            add(numbered(stem, static_cast<int>(i) + 1), i == 0 ? parent : numbered(stem, static_cast<int>(i)), line[i]);
    }

  private:
    GltfBuilder& m_b;
    OtterRig& m_rig;
};

/// The left arm hangs; the right one, of the same bones, holds the pole with its hand.
void addArm(Joints& j, double side, const std::string& t) {
    const Vec3 elbow(0.192, 0.575, -0.015), wrist(0.222, 0.445, 0.04), fingers(0.226, 0.395, 0.062), thumb(0.200, 0.425, 0.066);
    if (side > 0) {
        j.add("forearm" + t, "upper_arm" + t, elbow);
        j.add("hand" + t, "forearm" + t, wrist);
        j.add("fingers" + t, "hand" + t, fingers);
        j.add("thumb" + t, "hand" + t, thumb);
        return;
    }
    const double upper = (elbow - j.at("upper_arm_L")).norm(), lower = (wrist - elbow).norm();
    const Vec3 from = j.at("upper_arm" + t), hand(-0.262, 0.535, 0.105), way = (hand - from).normalized();
    // The elbow where both bones meet, out to the side and down.
    const double far = (hand - from).norm(), along = (upper * upper + far * far - lower * lower) / (2 * far);
    Vec3 out(-0.55, -0.8, -0.35);
    out = (out - way * way.dot(out)).normalized();
    j.add("forearm" + t, "upper_arm" + t, from + along * way + std::sqrt(upper * upper - along * along) * out);
    j.add("hand" + t, "forearm" + t, hand);
    j.add("fingers" + t, "hand" + t, hand + (fingers - wrist).norm() * Vec3(-0.82, 0, 0.57).normalized());
    j.add("thumb" + t, "hand" + t, hand + (thumb - wrist).norm() * Vec3(-0.5, 0.5, 0.74).normalized());
}

double torso(const Vec3& p) {
    double d = roundCone(p, Vec3(0, 0.40, -0.01), Vec3(0, 0.52, 0.005), 0.138, 0.135);
    d = blendMin(d, ball(p, Vec3(0, 0.465, 0.055), Vec3(0.118, 0.125, 0.105)), 0.05);
    d = blendMin(d, roundCone(p, Vec3(0, 0.52, 0.0), Vec3(0, 0.70, 0.0), 0.13, 0.105), 0.05);
    return blendMin(d, roundCone(p, Vec3(0, 0.70, 0.0), Vec3(0, 0.83, 0.01), 0.095, 0.08), 0.05);
}

double head(const Vec3& p) {
    double d = ball(p, Vec3(0, 0.935, 0.025), Vec3(0.128, 0.112, 0.12));
    d = blendMin(d, ball(p, Vec3(0, 0.905, 0.125), Vec3(0.072, 0.05, 0.062)), 0.045);
    for (double s : {-1.0, 1.0}) {
        d = blendMin(d, ball(p, Vec3(s * 0.036, 0.898, 0.165), Vec3(0.036, 0.031, 0.03)), 0.02);
        d = blendMin(d, ball(p, Vec3(s * 0.082, 0.895, 0.07), Vec3(0.06, 0.052, 0.058)), 0.04);
    }
    return blendMin(d, ball(p, Vec3(0, 0.868, 0.15), Vec3(0.03, 0.02, 0.03)), 0.02);
}

double limbs(const Vec3& p) {
    double d = 1;
    for (double s : {-1.0, 1.0}) {
        d = std::min(d, blendMin(roundCone(p, Vec3(s * 0.078, 0.36, 0), Vec3(s * 0.088, 0.21, 0.035), 0.088, 0.064),
                                 roundCone(p, Vec3(s * 0.088, 0.21, 0.035), Vec3(s * 0.09, 0.065, -0.005), 0.06, 0.04), 0.03));
        double foot = ball(p, Vec3(s * 0.096, 0.032, 0.055), Vec3(0.052, 0.034, 0.092));
        for (double toe : {-1.0, 0.0, 1.0})
            foot = blendMin(
                foot, ball(p, Vec3(s * 0.098 + toe * 0.032, 0.022, 0.13 - 0.012 * std::abs(toe)), Vec3(0.021, 0.021, 0.032)),
                0.018);
        d = blendMin(d, foot, 0.03);
    }
    return d;
}

double tail(const Vec3& p) {
    static const std::vector<Vec3> line = tailLine();
    double d = roundCone(p, Vec3(0, 0.40, -0.03), line[0], 0.1, 0.084);
    for (std::size_t i = 0; i < 10; ++i) {
        const double u = static_cast<double>(i) / 10, w = static_cast<double>(i + 1) / 10;
        d = blendMin(d, roundCone(p, line[i], line[i + 1], 0.082 - 0.058 * u, 0.082 - 0.058 * w), 0.02);
    }
    return d;
}

void addBody(GltfBuilder& b, const OtterRig& rig) {
    Surface s = polygonise(
        [](const Vec3& p) { return blendMin(blendMin(torso(p), head(p), 0.045), blendMin(limbs(p), tail(p), 0.03), 0.035); },
        Vec3(-0.19, -0.03, -0.95), Vec3(0.19, 1.08, 0.24), 0.0165);
    std::vector<Bone> bones{
        {rig["hips"], rig.at("hips"), rig.at("spine_01")},        {rig["spine_01"], rig.at("spine_01"), rig.at("spine_02")},
        {rig["spine_02"], rig.at("spine_02"), rig.at("chest")},   {rig["chest"], rig.at("chest"), Vec3(0, 0.76, 0)},
        {rig["neck"], Vec3(0, 0.79, 0), Vec3(0, 0.83, 0.01)},     {rig["head"], Vec3(0, 0.90, 0.01), Vec3(0, 0.98, 0.03)},
        {rig["head"], Vec3(0, 0.92, 0.03), Vec3(0, 0.905, 0.15)}, {rig["head"], Vec3(-0.08, 0.92, 0.04), Vec3(0.08, 0.92, 0.04)}};
    for (const char* side : {"_L", "_R"}) {
        const auto bone = [&](const std::string& a, const std::string& z) {
            bones.push_back({rig[a + side], rig.at(a + side), rig.at(z + side)});
        };
        bone("thigh", "shin");
        bone("shin", "foot");
        bone("foot", "toe");
        bones.push_back({rig[std::string("toe") + side], rig.at(std::string("toe") + side),
                         rig.at(std::string("toe") + side) + Vec3(0, -0.01, 0.06)});
    }
    const std::vector<Vec3> line = tailLine();
    for (int i = 0; i < 10; ++i)
        bones.push_back({rig[numbered("tail", i + 1)], line[static_cast<std::size_t>(i)], line[static_cast<std::size_t>(i) + 1]});
    bindByNearness(s, bones, 5);
    for (Vertex& v : s.vertices) {
        const Vec3& p = v.place;
        // The belly's own joint takes over softly round the bulge.
        const double bulge = 0.9 * std::exp(-std::pow((p - Vec3(0, 0.465, 0.17)).norm() / 0.105, 2));
        if (bulge > 0.01) {
            for (auto& [j, w] : v.weights) w *= 1 - bulge;
            v.weights.emplace_back(rig["belly"], bulge);
        }
        const bool front = p.z() > 0.045 && std::abs(p.x()) < 0.088 + 0.2 * (p.z() - 0.045) && p.y() > 0.30 && p.y() < 0.80;
        const bool muzzle = p.y() > 0.80 && p.z() > 0.065 && p.y() < 0.925 + 0.25 * (p.z() - 0.13) && std::abs(p.x()) < 0.14;
        v.colour = front || muzzle ? kCream
                   : p.z() < -0.14 ? Vec3(kFur + (kFurDark - kFur) * std::clamp((-p.z() - 0.14) / 0.6, 0.0, 1.0))
                                   : kFur;
        if (p.y() < 0.075 && std::abs(p.x()) > 0.02 && p.z() > -0.1) v.colour = kFurDark;
    }
    b.mesh("fur", s);
}

Surface smallBall(const Vec3& c, const Vec3& r, const Vec3& tint, int joint, double cell) {
    Surface s = polygonise([&](const Vec3& p) { return ball(p, c, r); }, c - r - Vec3::Constant(2 * cell),
                           c + r + Vec3::Constant(2 * cell), cell);
    paint(s, tint);
    bindTo(s, joint);
    return s;
}

void addFace(GltfBuilder& b, const OtterRig& rig) {
    Surface s = smallBall(Vec3(0, 0.922, 0.196), Vec3(0.024, 0.017, 0.014), kDark, rig["head"], 0.006);
    for (double side : {-1.0, 1.0}) {
        const std::string tag = side > 0 ? "_L" : "_R";
        s.append(smallBall(Vec3(side * 0.055, 0.958, 0.122), Vec3(0.021, 0.026, 0.016), kDark, rig["eye" + tag], 0.006));
        s.append(smallBall(Vec3(side * 0.055 + 0.007, 0.969, 0.136), Vec3(0.006, 0.007, 0.005), kWhite, rig["eye" + tag], 0.003));
        s.append(smallBall(Vec3(side * 0.055, 0.997, 0.118), Vec3(0.024, 0.006, 0.008), kFurDark, rig["head"], 0.004));
        Surface ear = smallBall(Vec3(side * 0.118, 1.005, -0.005), Vec3(0.036, 0.042, 0.017), kFurDark, rig["ear" + tag], 0.008);
        Surface inner = smallBall(Vec3(side * 0.118, 1.003, 0.008), Vec3(0.022, 0.027, 0.010), kPink, rig["ear" + tag], 0.006);
        for (Surface* e : {&ear, &inner}) {
            bindAlong(*e, {rig["ear" + tag], rig["ear_tip" + tag]},
                      {rig.at("ear" + tag), rig.at("ear_tip" + tag), rig.at("ear_tip" + tag) + Vec3(side * 0.015, 0.022, 0)});
            s.append(*e);
        }
        for (int w = 0; w < 3; ++w) {
            const Vec3 root = rig.at("whisker" + std::to_string(w + 1) + "a" + tag),
                       mid = rig.at("whisker" + std::to_string(w + 1) + "b" + tag);
            const Vec3 end = mid + (mid - root) * 1.15 + Vec3(0, -0.012, -0.006);
            Surface hair = tube({root, 0.5 * (root + mid), mid, 0.5 * (mid + end) + Vec3(0, 0.003, 0), end},
                                {0.0026, 0.0024, 0.002, 0.0015, 0.0008}, 6);
            paint(hair, kWhite);
            bindAlong(hair,
                      {rig["whisker" + std::to_string(w + 1) + "a" + tag], rig["whisker" + std::to_string(w + 1) + "b" + tag]},
                      {root, mid, end});
            s.append(hair);
        }
    }
    b.mesh("face", s);
    // The pilot's cap, a little to one side.
    const auto tilt = [](const Vec3& p) {
        return Vec3(Eigen::AngleAxisd(radians(9), Vec3::UnitZ()) * (p - Vec3(0, 1.03, 0.01)) + Vec3(0, 1.03, 0.01));
    };
    Surface cap = polygonise(
        [&](const Vec3& q) {
            const Vec3 p = tilt(q);
            double d = ball(p, Vec3(0, 1.062, -0.005), Vec3(0.115, 0.036, 0.108));
            d = blendMin(d, roundCone(p, Vec3(0, 1.022, 0.005), Vec3(0, 1.045, 0.005), 0.085, 0.088), 0.012);
            return blendMin(d, ball(p, Vec3(0, 1.018, 0.098), Vec3(0.066, 0.008, 0.05)), 0.008);
        },
        Vec3(-0.15, 0.92, -0.14), Vec3(0.15, 1.13, 0.18), 0.0125);
    for (Vertex& v : cap.vertices) {
        const Vec3 p = tilt(v.place);
        v.colour = p.z() > 0.088 && p.y() < 1.032 ? kDark : p.y() < 1.042 ? kNavy : Vec3(kNavy * 1.25);
        if (p.y() > 1.033 && p.y() < 1.046) v.colour = kBrass;
    }
    bindTo(cap, rig["cap"]);
    cap.append(smallBall(Vec3(0.012, 1.050, 0.103), Vec3(0.014, 0.014, 0.008), kBrass, rig["cap"], 0.004));
    b.mesh("cap", cap);
}

void addCoat(GltfBuilder& b, const OtterRig& rig) {
    // Jacket: a shell round the torso, cut open in front and below.
    Surface s = polygonise(
        [](const Vec3& p) {
            double d = blendMin(torso(p) - 0.014, 1.0, 0.01);
            for (double side : {-1.0, 1.0})
                d = blendMin(d, ball(p, Vec3(side * 0.105, 0.70, 0.0), Vec3(0.062, 0.062, 0.062)), 0.03);
            const double open = 0.055 + 0.10 * std::clamp(0.62 - p.y(), 0.0, 0.2) / 0.2;
            const double gap = std::max(std::abs(p.x()) - open, -p.z());  // below 0 in the opening
            return std::max({d, -(torso(p) + 0.016), -gap, 0.445 - p.y(), p.y() - 0.775});
        },
        Vec3(-0.22, 0.42, -0.2), Vec3(0.22, 0.80, 0.22), 0.0135);
    std::vector<Bone> bones{{rig["hips"], rig.at("hips"), rig.at("spine_01")},
                            {rig["spine_01"], rig.at("spine_01"), rig.at("spine_02")},
                            {rig["spine_02"], rig.at("spine_02"), rig.at("chest")},
                            {rig["chest"], rig.at("chest"), Vec3(0, 0.76, 0)},
                            {rig["chest"], Vec3(-0.1, 0.69, 0), Vec3(0.1, 0.69, 0)}};
    bindByNearness(s, bones, 5);
    paint(s, kCoat);
    for (Vertex& v : s.vertices)
        if (v.place.z() > 0.05 && std::abs(v.place.x()) < 0.085 + 0.08 * std::clamp((0.62 - v.place.y()) / 0.2, 0.0, 1.0))
            v.colour = kCoatDark;
    // Sleeves, cuffs, paws.
    for (double side : {-1.0, 1.0}) {
        const std::string t = side > 0 ? "_L" : "_R";
        const Vec3 shoulder = rig.at("upper_arm" + t), elbow = rig.at("forearm" + t), wrist = rig.at("hand" + t),
                   tip = rig.at("fingers" + t);
        Surface arm = polygonise(
            [&](const Vec3& p) {
                const double sleeve =
                    blendMin(roundCone(p, shoulder, elbow, 0.058, 0.047), roundCone(p, elbow, wrist, 0.046, 0.052), 0.025);
                return blendMin(sleeve,
                                blendMin(roundCone(p, wrist, tip, 0.036, 0.03),
                                         ball(p, rig.at("thumb" + t), Vec3(0.016, 0.018, 0.02)), 0.015),
                                0.006);
            },
            shoulder.cwiseMin(tip).cwiseMin(elbow).cwiseMin(wrist) - Vec3::Constant(0.09),
            shoulder.cwiseMax(tip).cwiseMax(elbow).cwiseMax(wrist) + Vec3::Constant(0.09), 0.0145);
        bindByNearness(
            arm,
            {{rig["upper_arm" + t], shoulder, elbow},
             {rig["forearm" + t], elbow, wrist},
             {rig["hand" + t], wrist, tip},
             {rig["clavicle" + t], rig.at("clavicle" + t), rig.at("clavicle" + t) + 0.3 * (shoulder - rig.at("clavicle" + t))}},
            5);
        for (Vertex& v : arm.vertices) {
            const double along = (v.place - wrist).dot((tip - wrist).normalized());
            v.colour = along > 0.012 ? kFurDark : along > -0.022 ? kCoatDark : kCoat;
        }
        s.append(arm);
    }
    for (int k = 0; k < 3; ++k) {
        const Vec3 at(0.088 + 0.014 * k, 0.665 - 0.055 * k, 0.118 + 0.022 * k);
        Surface button = smallBall(at, Vec3(0.012, 0.012, 0.008), kBrass, rig["spine_02"], 0.004);
        bindByNearness(button, bones, 5);
        s.append(button);
    }
    b.mesh("coat", s);
    // Skirt: a sheet hung from panels of joints, seen from both sides.
    Surface skirt;
    constexpr int kAcross = 56, kDown = 12;
    for (int i = 0; i <= kAcross; ++i)
        for (int j = 0; j <= kDown; ++j) {
            const double panel = static_cast<double>(i) * (kPanels - 1) / kAcross, down = static_cast<double>(j) / kDown;
            Vertex v;
            const double a = panelAngle(panel), fold = 1 + 0.035 * down * std::cos(panel * 2 * kPi);
            v.place = skirtPoint(a, down).cwiseProduct(Vec3(fold, 1, fold));
            const Vec3 da = skirtPoint(a + 0.01, down) - skirtPoint(a - 0.01, down),
                       dd = skirtPoint(a, down + 0.01) - skirtPoint(a, down - 0.01);
            v.normal = dd.cross(da).normalized();
            v.colour = down > 0.9 || i < 2 || i > kAcross - 2 ? kCoatDark : kCoat;
            const int left = std::min(static_cast<int>(panel), kPanels - 2);
            const double u = panel - left, x = std::clamp(down * kPanelJoints - 0.5, 0.0, kPanelJoints - 1.0);
            const int row = std::min(static_cast<int>(x), kPanelJoints - 2);
            const double w = x - row, grip = std::clamp(1 - down * 6, 0.0, 1.0);
            for (int c = 0; c < 2; ++c)
                for (int r = 0; r < 2; ++r) {
                    const double share = (c ? u : 1 - u) * (r ? w : 1 - w) * (1 - grip);
                    if (share > 0.005)
                        v.weights.emplace_back(rig["skirt" + std::to_string(left + c + 1) + "_0" + std::to_string(row + r + 1)],
                                               share);
                }
            if (grip > 0.005) v.weights.emplace_back(rig["hips"], grip);
            skirt.vertices.push_back(v);
        }
    for (std::uint32_t i = 0; i < kAcross; ++i)
        for (std::uint32_t j = 0; j < kDown; ++j) {
            const std::uint32_t a = i * (kDown + 1) + j, c = a + kDown + 1;
            skirt.triangles.insert(skirt.triangles.end(), {a, a + 1, c + 1, a, c + 1, c});
        }
    b.mesh("skirt", skirt, true);
}

void addScarf(GltfBuilder& b, const OtterRig& rig) {
    Surface s = polygonise(
        [](const Vec3& p) {
            const Vec3 q = p - Vec3(0, 0.792, 0.008);
            const double lift = 0.016 * std::sin(std::atan2(q.x(), q.z()) * 2 + 0.5);
            const Vec3 ring(std::hypot(q.x() / 1.04, q.z() / 0.98) - 0.105, (q.y() - lift) * 0.85, 0);
            double d = ring.norm() - 0.036;
            return blendMin(d, ball(p, Vec3(0.07, 0.772, 0.118), Vec3(0.034, 0.032, 0.028)), 0.015);
        },
        Vec3(-0.19, 0.70, -0.18), Vec3(0.19, 0.88, 0.20), 0.0145);
    bindByNearness(s, {{rig["neck"], Vec3(0, 0.80, 0), Vec3(0, 0.84, 0.01)}, {rig["chest"], Vec3(0, 0.68, 0), Vec3(0, 0.74, 0)}},
                   3);
    paint(s, kScarf);
    for (bool left : {true, false}) {
        const std::vector<Vec3> line = scarfLine(left);
        Surface end = ribbon(line, Vec3::UnitX(), 0.038, 0.011, 4);
        std::vector<int> joints;
        for (int i = 1; i <= 8; ++i) joints.push_back(rig[numbered(left ? "scarf_L" : "scarf_R", i)]);
        bindAlong(end, joints, line);
        for (Vertex& v : end.vertices) {
            const double share = (v.place - line.front()).norm() / (line.back() - line.front()).norm();
            const bool stripe = std::fmod(share * 9, 2.0) > 1.35;
            v.colour = stripe ? kScarfStripe : kScarf;
        }
        s.append(end);
    }
    b.mesh("scarf", s);
}

void addProps(GltfBuilder& b, const OtterRig& rig) {
    Surface s = box(rig.at("satchel") + Vec3(0.012, -0.062, 0), Vec3(0.03, 0.058, 0.075));
    paint(s, kLeather);
    bindTo(s, rig["satchel"]);
    Surface flap = box(rig.at("satchel_flap") + Vec3(0.014, -0.034, 0), Vec3(0.010, 0.036, 0.078));
    paint(flap, Vec3(kLeather * 0.72));
    bindTo(flap, rig["satchel_flap"]);
    s.append(flap);
    s.append(smallBall(rig.at("satchel_flap") + Vec3(0.027, -0.055, 0), Vec3(0.006, 0.011, 0.011), kBrass, rig["satchel_flap"],
                       0.004));
    // The strap: over the right shoulder, across the chest and the back, to the satchel on the left hip.
    std::vector<Vec3> strap{Vec3(0.185, 0.475, 0.06),   Vec3(0.15, 0.56, 0.135),   Vec3(0.055, 0.655, 0.152),
                            Vec3(-0.045, 0.735, 0.118), Vec3(-0.098, 0.782, 0.02), Vec3(-0.06, 0.735, -0.115),
                            Vec3(0.03, 0.655, -0.148),  Vec3(0.125, 0.56, -0.142), Vec3(0.185, 0.475, -0.05)};
    Surface band = ribbon(strap, Vec3::UnitY(), 0.015, 0.005, 5);
    paint(band, Vec3(kLeather * 0.8));
    bindByNearness(band,
                   {{rig["strap_front"], Vec3(0.05, 0.65, 0.15), Vec3(-0.03, 0.72, 0.12)},
                    {rig["strap_shoulder"], Vec3(-0.09, 0.77, 0.02), Vec3(-0.09, 0.76, -0.03)},
                    {rig["strap_back"], Vec3(0.04, 0.65, -0.145), Vec3(-0.03, 0.71, -0.125)},
                    {rig["satchel"], Vec3(0.185, 0.50, 0.07), Vec3(0.185, 0.50, -0.06)},
                    {rig["spine_01"], Vec3(0.15, 0.56, 0.12), Vec3(0.13, 0.56, -0.13)}},
                   4);
    s.append(band);
    // The pole with its crook, the chain and the lantern.
    std::vector<Vec3> pole;
    std::vector<double> radius;
    for (int i = 0; i <= 14; ++i) pole.push_back(Vec3(-0.30, 0.02 + 1.27 * i / 14, 0.12));
    for (int i = 1; i <= 8; ++i)
        pole.push_back(Vec3(-0.30, 1.29 + 0.09 * std::sin(kPi * i / 8), 0.21 - 0.09 * std::cos(kPi * i / 8)));
    pole.push_back(Vec3(-0.30, 1.312, 0.30));
    for (std::size_t i = 0; i < pole.size(); ++i) radius.push_back(i < 15 ? 0.0155 : 0.0125);
    Surface stick = tube(pole, radius, 12);
    paint(stick, kWood);
    bindTo(stick, rig["pole"]);
    s.append(stick);
    const std::vector<Vec3> chain = chainLine();
    for (int i = 0; i < 4; ++i)
        for (int half = 0; half < 2; ++half) {
            const Vec3 c = chain[static_cast<std::size_t>(i)] + Vec3(0, -0.0105 - 0.021 * half, 0);
            std::vector<Vec3> ring;
            for (int k = 0; k <= 12; ++k) {
                const double a = 2 * kPi * k / 12;
                const Vec3 out(0.010 * std::cos(a), 0.0155 * std::sin(a), 0);
                ring.push_back(c + (half ? Vec3(0, out.y(), out.x()) : out));
            }
            Surface link = tube(ring, std::vector<double>(13, 0.0032), 6);
            paint(link, kBrass);
            bindTo(link, rig[numbered("chain", i + 1)]);
            s.append(link);
        }
    const Vec3 l = rig.at("lantern");
    const auto part = [&](const Distance& d, const Vec3& tint) {
        Surface p = polygonise(d, l + Vec3(-0.07, -0.175, -0.07), l + Vec3(0.07, 0.02, 0.07), 0.0105);
        paint(p, tint);
        bindTo(p, rig["lantern"]);
        s.append(p);
    };
    part(
        [&](const Vec3& p) {
            return std::min(ball(p, l + Vec3(0, -0.028, 0), Vec3(0.05, 0.026, 0.05)),
                            roundCone(p, l + Vec3(0, -0.142, 0), l + Vec3(0, -0.148, 0), 0.036, 0.036));
        },
        kNavy);
    part([&](const Vec3& p) { return ball(p, l + Vec3(0, -0.088, 0), Vec3(0.042, 0.054, 0.042)); }, kGlow);
    for (int k = 0; k < 4; ++k) {
        const double a = kPi / 2 * k + kPi / 4;
        const Vec3 out(std::cos(a), 0, std::sin(a));
        Surface bar = tube({l + 0.032 * out + Vec3(0, -0.03, 0), l + 0.048 * out + Vec3(0, -0.06, 0),
                            l + 0.048 * out + Vec3(0, -0.115, 0), l + 0.03 * out + Vec3(0, -0.145, 0)},
                           std::vector<double>(4, 0.0035), 6);
        paint(bar, kNavy);
        bindTo(bar, rig["lantern"]);
        s.append(bar);
    }
    b.mesh("props", s);
}

}  // namespace

std::vector<Xform> OtterRig::restPose() const {
    std::vector<Xform> pose(place.size());
    for (std::size_t j = 0; j < place.size(); ++j)
        pose[j].t = parent[j] < 0 ? place[j] : Vec3(place[j] - place[static_cast<std::size_t>(parent[j])]);
    return pose;
}

OtterRig addOtterJoints(GltfBuilder& b) {
    OtterRig rig;
    Joints j(b, rig);
    j.add("root", "", Vec3::Zero());
    j.add("hips", "root", Vec3(0, 0.40, -0.01));
    j.add("spine_01", "hips", Vec3(0, 0.49, 0));
    j.add("spine_02", "spine_01", Vec3(0, 0.58, 0));
    j.add("chest", "spine_02", Vec3(0, 0.67, 0));
    j.add("neck", "chest", Vec3(0, 0.79, 0.005));
    j.add("head", "neck", Vec3(0, 0.86, 0.01));
    j.add("jaw", "head", Vec3(0, 0.885, 0.06));
    j.add("cap", "head", Vec3(0, 1.02, 0.01));
    j.add("belly", "spine_01", Vec3(0, 0.465, 0.10));
    for (double s : {1.0, -1.0}) {
        const std::string t = s > 0 ? "_L" : "_R";
        j.add("eye" + t, "head", Vec3(s * 0.055, 0.958, 0.11));
        j.add("ear" + t, "head", Vec3(s * 0.10, 0.97, -0.003));
        j.add("ear_tip" + t, "ear" + t, Vec3(s * 0.114, 1.003, -0.003));
        for (int w = 0; w < 3; ++w) {
            const Vec3 root(s * (0.058 + 0.004 * w), 0.905 - 0.013 * w, 0.168 - 0.012 * w),
                out = Vec3(s * 0.066, 0.010 - 0.012 * w, -0.004 - 0.008 * w);
            j.add("whisker" + std::to_string(w + 1) + "a" + t, "head", root);
            j.add("whisker" + std::to_string(w + 1) + "b" + t, "whisker" + std::to_string(w + 1) + "a" + t, root + out);
        }
        j.add("clavicle" + t, "chest", Vec3(s * 0.045, 0.725, 0));
        j.add("upper_arm" + t, "clavicle" + t, Vec3(s * 0.128, 0.705, 0));
        addArm(j, s, t);
        j.add("thigh" + t, "hips", Vec3(s * 0.078, 0.36, 0));
        j.add("shin" + t, "thigh" + t, Vec3(s * 0.088, 0.21, 0.035));
        j.add("foot" + t, "shin" + t, Vec3(s * 0.09, 0.065, -0.005));
        j.add("toe" + t, "foot" + t, Vec3(s * 0.096, 0.022, 0.085));
    }
    j.chain("tail", "hips", tailLine());
    j.chain("scarf_L", "neck", scarfLine(true));
    j.chain("scarf_R", "neck", scarfLine(false));
    for (int k = 0; k < kPanels; ++k) {
        std::vector<Vec3> line;
        for (int i = 0; i <= kPanelJoints; ++i) line.push_back(skirtPoint(panelAngle(k), static_cast<double>(i) / kPanelJoints));
        j.chain("skirt" + std::to_string(k + 1), "hips", line);
    }
    j.add("strap_shoulder", "chest", Vec3(-0.092, 0.775, 0.0));
    j.add("strap_front", "chest", Vec3(0.0, 0.69, 0.135));
    j.add("strap_back", "chest", Vec3(0.0, 0.685, -0.135));
    j.add("satchel", "hips", Vec3(0.188, 0.475, 0.005));
    j.add("satchel_flap", "satchel", Vec3(0.216, 0.472, 0.005));
    j.add("pole", "hand_R", Vec3(-0.30, 0.535, 0.12));
    // Along the pole and round its crook, so that what hangs from it is seen to hang from it.
    j.add("pole_top", "pole", Vec3(-0.30, 1.29, 0.12));
    j.add("pole_crook", "pole_top", Vec3(-0.30, 1.38, 0.21));
    j.add("pole_hook", "pole_crook", chainLine().front());
    j.chain("chain", "pole_hook", chainLine());
    j.add("lantern", "chain_04", chainLine().back());
    return rig;
}

void addOtterMeshes(GltfBuilder& b, const OtterRig& rig) {
    addBody(b, rig);
    addFace(b, rig);
    addCoat(b, rig);
    addScarf(b, rig);
    addProps(b, rig);
}

}  // namespace nutatio::demo
