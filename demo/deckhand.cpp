// The deckhand: a stick figure in centimetres with a long braid, as motion capture would hand it over. Written as BVH.
#include <cmath>
#include <functional>
#include <sstream>

#include "demo/otter.h"

namespace nutatio::demo {

namespace {

struct Limb {
    const char* name;
    Vec3 offset;
    std::vector<Limb> below;
};

Limb chain(std::vector<std::pair<const char*, Vec3>> joints, std::vector<Limb> last = {}) {
    Limb out{joints.back().first, joints.back().second, std::move(last)};
    for (std::size_t i = joints.size() - 1; i-- > 0;) out = {joints[i].first, joints[i].second, {out}};
    return out;
}

Limb figure() {
    Limb braid = chain({{"Braid1", {0, 12, -9}},
                        {"Braid2", {0, -11, -3}},
                        {"Braid3", {0, -11, 0}},
                        {"Braid4", {0, -10, 0}},
                        {"Braid5", {0, -10, 0}}});
    Limb head{"Head", {0, 10, 0}, {braid}};
    Limb neck{"Neck", {0, 22, 0}, {head}};
    Limb armL = chain({{"LeftCollar", {3, 18, 0}}, {"LeftArm", {15, 0, 0}}, {"LeftElbow", {28, 0, 0}}, {"LeftHand", {25, 0, 0}}});
    Limb armR =
        chain({{"RightCollar", {-3, 18, 0}}, {"RightArm", {-15, 0, 0}}, {"RightElbow", {-28, 0, 0}}, {"RightHand", {-25, 0, 0}}});
    Limb chest{"Chest", {0, 18, 0}, {neck, armL, armR}};
    Limb legL = chain({{"LeftLeg", {9, -4, 0}}, {"LeftKnee", {0, -42, 0}}, {"LeftFoot", {0, -42, 0}}, {"LeftToes", {0, -5, 14}}});
    Limb legR =
        chain({{"RightLeg", {-9, -4, 0}}, {"RightKnee", {0, -42, 0}}, {"RightFoot", {0, -42, 0}}, {"RightToes", {0, -5, 14}}});
    return {"Hips", {0, 0, 0}, {{"Spine", {0, 12, 0}, {chest}}, legL, legR}};
}

/// Degrees about z, x, y of a joint at phase a of the four-second loop: hauling a rope hand over hand, head shaken off the spray.
Vec3 bend(const std::string& joint, double a) {
    const double pull = std::sin(2 * a), shake = std::exp(-8 * std::pow(std::sin(0.5 * (a - 3.2)), 2)) * std::sin(9 * a);
    if (joint == "Spine") return {2 * pull, 8 + 4 * std::cos(2 * a), 7 * pull};
    if (joint == "Chest") return {3 * pull, 4 + 3 * std::cos(2 * a - 0.4), 12 * pull};
    if (joint == "Head") return {0, -6, 34 * shake - 8 * pull};
    if (joint == "LeftArm") return {-52 - 18 * pull, 0, -48 - 26 * pull};
    if (joint == "RightArm") return {52 - 18 * pull, 0, 48 - 26 * pull};
    if (joint == "LeftElbow") return {0, 0, -52 + 38 * pull};
    if (joint == "RightElbow") return {0, 0, 52 + 38 * pull};
    if (joint == "LeftLeg") return {6, -14, 0};
    if (joint == "RightLeg") return {-6, 10, 0};
    if (joint == "LeftKnee") return {0, 18, 0};
    if (joint == "RightKnee") return {0, 6, 0};
    if (joint == "LeftFoot" || joint == "RightFoot") return {0, -6, 0};
    return Vec3::Zero();
}

}  // namespace

std::string deckhandBvh() {
    std::ostringstream out;
    std::vector<std::string> order;
    const std::function<void(const Limb&, int)> write = [&](const Limb& l, int depth) {
        const std::string in(static_cast<std::size_t>(2 * depth), ' ');
        out << in << (depth ? "JOINT " : "ROOT ") << l.name << "\n" << in << "{\n";
        out << in << "  OFFSET " << l.offset.x() << " " << l.offset.y() << " " << l.offset.z() << "\n";
        out << in << "  CHANNELS " << (depth ? "3" : "6 Xposition Yposition Zposition") << " Zrotation Xrotation Yrotation\n";
        order.push_back(l.name);
        for (const Limb& b : l.below) write(b, depth + 1);
        if (l.below.empty())
            out << in << "  End Site\n"
                << in << "  {\n"
                << in << "    OFFSET " << 0.6 * l.offset.x() << " " << 0.6 * l.offset.y() << " " << 0.6 * l.offset.z() << "\n"
                << in << "  }\n";
        out << in << "}\n";
    };
    out << "HIERARCHY\n";
    write(figure(), 0);
    constexpr int kFrames = 120;
    out << "MOTION\nFrames: " << kFrames + 1 << "\nFrame Time: " << 4.0 / kFrames << "\n";
    out.setf(std::ios::fixed);
    out.precision(3);
    for (int f = 0; f <= kFrames; ++f) {
        const double a = 2 * kPi * (f % kFrames) / kFrames;
        out << 3 * std::sin(2 * a) << " " << 90 + 1.5 * std::cos(4 * a) << " " << 4 * std::cos(2 * a);
        for (const std::string& joint : order) {
            const Vec3 b = bend(joint, a);
            out << " " << b[0] << " " << b[1] << " " << b[2];
        }
        out << "\n";
    }
    return out.str();
}

}  // namespace nutatio::demo
