// The otter's body motion. Feet are planted by inverse kinematics; everything that hangs or dangles is left stiff on purpose.
#include <algorithm>

#include "demo/otter.h"

namespace nutatio::demo {

namespace {

constexpr double kFps = 24;

double smooth(double u) {
    u = std::clamp(u, 0.0, 1.0);
    return u * u * u * (u * (6 * u - 15) + 10);
}
double ramp(double t, double from, double to) {
    return smooth((t - from) / (to - from));
}
Quat about(const Vec3& axis, double deg) {
    return Quat(Eigen::AngleAxisd(radians(deg), axis));
}
Quat yaw(double deg) {
    return about(Vec3::UnitY(), deg);
}
Quat pitch(double deg) {
    return about(Vec3::UnitX(), deg);
}
Quat roll(double deg) {
    return about(Vec3::UnitZ(), deg);
}

/// One foot on or over the planks: place of the ankle and turn of the sole.
struct Foot {
    Vec3 ankle;
    Quat turn = Quat::Identity();
};

/// A pose being made: local turns and places, with world transforms at hand.
class Poser {
  public:
    explicit Poser(const OtterRig& rig) : m_rig(rig), m_pose(rig.restPose()) {}

    void turn(const std::string& joint, const Quat& q) { local(joint).r = q; }
    void move(const std::string& joint, const Vec3& by) { local(joint).t += by; }
    void scale(const std::string& joint, const Vec3& s) { local(joint).s = s; }

    Affine world(int j) const {
        Affine a;
        for (; j >= 0; j = m_rig.parent[static_cast<std::size_t>(j)]) a = m_pose[static_cast<std::size_t>(j)].affine() * a;
        return a;
    }
    Affine world(const std::string& j) const { return world(m_rig[j]); }

    /// Turns `upper` and `lower` so that `end` reaches `target`, the middle joint bending towards `hint` (world).
    void reach(const std::string& upper, const std::string& lower, const std::string& end, Vec3 target, const Vec3& hint) {
        const Vec3 restUpper = m_rig.at(lower) - m_rig.at(upper), restLower = m_rig.at(end) - m_rig.at(lower);
        const double a = restUpper.norm(), b = restLower.norm();
        const Affine above = world(m_rig.parent[static_cast<std::size_t>(m_rig[upper])]);
        const Vec3 from = above.apply(local(upper).t);
        Vec3 way = target - from;
        const double far = std::clamp(way.norm(), std::abs(a - b) + 0.004, a + b - 0.0015);
        way.normalize();
        Vec3 side = (hint - way * hint.dot(way)).normalized();
        const double c = std::clamp((a * a + far * far - b * b) / (2 * a * far), -1.0, 1.0);
        const Vec3 knee = from + a * (c * way + std::sqrt(1 - c * c) * side);
        const Quat base = rotationOf(above.m);
        const Quat upperTurn = arc((base * restUpper).normalized(), (knee - from).normalized()) * base;
        turn(upper, base.conjugate() * upperTurn);
        const Quat lowerTurn = arc((upperTurn * restLower).normalized(), (from + far * way - knee).normalized()) * upperTurn;
        turn(lower, upperTurn.conjugate() * lowerTurn);
        m_reached = lowerTurn;
    }

    /// `loose`: how much the foot goes with its shin in place of keeping its turn.
    void plant(const std::string& side, const Foot& foot, const Quat& facing, double toeDeg = 0, double loose = 0) {
        reach("thigh" + side, "shin" + side, "foot" + side, foot.ankle, facing * Vec3(side == "_L" ? 0.22 : -0.22, 0, 1));
        turn("foot" + side, (m_reached.conjugate() * foot.turn).slerp(loose, Quat::Identity()));
        turn("toe" + side, pitch(toeDeg));
    }

    /// The hand keeps its turn in the world: what it carries stays upright.
    void carry(const std::string& side, const Vec3& wrist, const Quat& worldTurn, const Vec3& hint) {
        reach("upper_arm" + side, "forearm" + side, "hand" + side, wrist, hint);
        turn("hand" + side, m_reached.conjugate() * worldTurn);
    }

    const std::vector<Xform>& pose() const { return m_pose; }

  private:
    Xform& local(const std::string& j) { return m_pose[static_cast<std::size_t>(m_rig[j])]; }
    const OtterRig& m_rig;
    std::vector<Xform> m_pose;
    Quat m_reached = Quat::Identity();
};

Foot standing(const OtterRig& rig, const std::string& side) {
    return {rig.at("foot" + side), Quat::Identity()};
}

void breathe(Poser& p, double deep) {
    p.scale("chest", Vec3(1 + 0.022 * deep, 1 + 0.012 * deep, 1 + 0.035 * deep));
    p.turn("spine_02", pitch(-1.6 * deep));
    p.turn("clavicle_L", roll(2.5 * deep));
    p.turn("clavicle_R", roll(-2.5 * deep));
}

std::vector<Xform> idlePose(const OtterRig& rig, double u) {
    // Four seconds: two breaths, one shift of weight, a look to the side and back.
    Poser p(rig);
    const double turn = 2 * kPi * u, breath = std::sin(2 * turn), shift = std::sin(turn);
    p.move("hips", Vec3(0.016 * shift, -0.012 + 0.004 * breath, 0));
    p.turn("hips", roll(-2.6 * shift) * yaw(2 * shift));
    p.turn("spine_01", roll(2.4 * shift));
    breathe(p, breath);
    const double look = ramp(u, 0.12, 0.26) - ramp(u, 0.46, 0.60), back = ramp(u, 0.66, 0.76) - ramp(u, 0.86, 0.97);
    p.turn("neck", yaw(14 * look - 9 * back) * pitch(2 * breath));
    p.turn("head",
           yaw(17 * look - 10 * back) * roll(5 * look + 4 * back - 1.5 * shift) * pitch(-3 * look + 4 * back - 1.2 * breath));
    for (const char* side : {"_L", "_R"}) p.plant(side, standing(rig, side), Quat::Identity());
    p.turn("upper_arm_L", roll(-3 - 1.5 * breath) * pitch(2 * shift));
    p.turn("forearm_L", pitch(-4 - 2 * std::sin(turn - 0.5)));
    p.carry("_R", rig.at("hand_R") + Vec3(0.010 * shift, 0.002 * breath, 0.004 * shift), roll(-1.4 * shift) * pitch(0.8 * breath),
            Vec3(-0.6, -0.8, -0.4));
    return p.pose();
}

/// One foot of a walk in place, phase 0..1 from touch-down: it slides back on the planks, lifts, swings forward.
void walkFoot(Poser& p, const OtterRig& rig, const std::string& side, double phase, double stride) {
    constexpr double kStance = 0.58;
    Foot f = standing(rig, side);
    double toe = 0, heel = 0;
    f.ankle.x() *= 0.82;
    if (phase < kStance) {
        const double s = phase / kStance;
        f.ankle.z() += stride * (0.5 - s);
        heel = -14 * (1 - ramp(s, 0, 0.16)) + 26 * ramp(s, 0.72, 1.0);
        toe = -24 * ramp(s, 0.72, 1.0);
        f.ankle.y() += 0.038 * ramp(s, 0.72, 1.0) + 0.010 * (1 - ramp(s, 0, 0.16));
    } else {
        const double s = (phase - kStance) / (1 - kStance), e = smooth(s);
        f.ankle.z() += stride * (e - 0.5);
        f.ankle.y() += 0.038 * (1 - ramp(s, 0, 0.5)) + 0.075 * std::sin(kPi * std::pow(s, 0.85)) + 0.010 * s;
        heel = 26 * (1 - ramp(s, 0, 0.55)) + 10 * std::sin(kPi * s) - 14 * ramp(s, 0.5, 1.0);
        toe = -24 * (1 - ramp(s, 0, 0.35));
    }
    f.turn = yaw(side == "_L" ? 5 : -5) * pitch(heel);
    p.plant(side, f, Quat::Identity(), toe);
}

std::vector<Xform> walkPose(const OtterRig& rig, double u) {
    Poser p(rig);
    const double a = 2 * kPi * u, side = std::sin(a + 0.35), twice = std::cos(2 * a - 0.5);
    // Weight drops after each touch-down and rises over the standing leg; the waddle rolls towards it.
    p.move("hips", Vec3(0.024 * side, -0.040 - 0.020 * twice, 0.006 * std::sin(2 * a)));
    p.turn("hips", yaw(-9 * std::cos(a)) * roll(-6.5 * side) * pitch(5 + 1.5 * twice));
    p.turn("spine_01", yaw(5 * std::cos(a)) * roll(3.5 * side) * pitch(1.5));
    p.turn("spine_02", yaw(6 * std::cos(a - 0.2)) * roll(3 * side) * pitch(-1.5 - 1.2 * twice));
    p.turn("chest", yaw(6 * std::cos(a - 0.3)) * roll(2 * side));
    p.turn("neck", yaw(-4 * std::cos(a - 0.3)) * pitch(-3 + 2 * std::cos(2 * a - 1.2)));
    p.turn("head", yaw(-4 * std::cos(a - 0.4)) * roll(-2.5 * std::sin(a)) * pitch(-2 + 3 * std::cos(2 * a - 1.5)));
    walkFoot(p, rig, "_L", std::fmod(u, 1.0), 0.30);
    walkFoot(p, rig, "_R", std::fmod(u + 0.5, 1.0), 0.30);
    p.turn("clavicle_L", yaw(-4 * std::cos(a)));
    p.turn("upper_arm_L", pitch(27 * std::cos(a - 0.15)) * roll(4));
    p.turn("forearm_L", pitch(-16 + 15 * std::cos(a - 0.55)));
    p.turn("hand_L", pitch(7 * std::cos(a - 1.0)));
    const Affine hips = p.world("hips");
    p.carry("_R",
            rig.at("hand_R") +
                Vec3(0.5 * (hips.t.x()), 0.7 * (hips.t.y() - rig.at("hips").y()) + 0.012 + 0.012 * twice, 0.018 * std::sin(a)),
            roll(-2.5 * side) * pitch(6 + 3 * std::sin(a)), Vec3(-0.6, -0.8, -0.4));
    return p.pose();
}

/// A step of one foot in the turn: from one heading to another between two times.
struct Step {
    double from, to, headingFrom, headingTo;
};

Foot turningFoot(const OtterRig& rig, const std::string& side, double t, const std::vector<Step>& steps) {
    double heading = steps.front().headingFrom, lift = 0, tip = 0;
    for (const Step& s : steps) {
        heading += (s.headingTo - s.headingFrom) * ramp(t, s.from, s.to);
        if (t > s.from && t < s.to) {
            const double u = (t - s.from) / (s.to - s.from);
            // Both begin and end at rest: a foot that leaves or meets the planks at speed would kink.
            const double arch = std::pow(std::sin(kPi * u), 2);
            lift = 0.06 * arch;
            tip = 6 * std::sin(2 * kPi * u) * arch;
        }
    }
    Foot f = standing(rig, side);
    f.ankle = yaw(heading) * f.ankle + Vec3(0, lift, 0);
    f.turn = yaw(heading) * pitch(tip);
    return f;
}

std::vector<Xform> turnPose(const OtterRig& rig, double t) {
    // Frames: look 4-12, crouch 8-14, turn 13-30 with three steps, stop at 30, settle until 72.
    Poser p(rig);
    const double body = 175 * ramp(t, 12, 31),
                 settle = t > 29 ? std::exp(-(t - 29) / 7.5) * std::sin((t - 29) * 2 * kPi / 15) : 0;
    const double heading = body + 11 * settle - 9 * (ramp(t, 5, 12) - ramp(t, 12, 18));
    const double crouch = ramp(t, 6, 13) - ramp(t, 15, 21) + 0.75 * (ramp(t, 24, 31) - ramp(t, 33, 44)),
                 effort = ramp(t, 13, 19) - ramp(t, 27, 34);
    const Quat facing = yaw(heading);
    p.turn("root", Quat::Identity());
    p.move("hips", facing * Vec3(0, -0.052 * crouch - 0.010 + 0.012 * settle, -0.012 * crouch) - Vec3(0, 0, 0));
    p.turn("hips", facing * pitch(7 * crouch) * roll(-6 * effort + 5 * settle));
    const double lead = ramp(t, 3, 11) - ramp(t, 20, 32), drag = ramp(t, 14, 22) - ramp(t, 26, 38);
    p.turn("spine_01", yaw(6 * lead - 5 * drag) * pitch(3 * crouch));
    p.turn("spine_02", yaw(8 * lead - 6 * drag - 5 * settle) * pitch(3 * crouch - 4 * settle));
    p.turn("chest", yaw(9 * lead - 7 * drag - 6 * settle) * roll(3 * settle));
    p.turn("neck", yaw(18 * lead - 4 * settle) * pitch(-5 * crouch));
    p.turn("head", yaw(24 * lead - 5 * settle) * roll(6 * lead) * pitch(-7 * crouch + 6 * settle));
    const std::vector<Step> left{{11, 20, 0, 85}, {22, 32, 85, 175}}, right{{16, 28, 0, 175}};
    p.plant("_L", turningFoot(rig, "_L", t, left), facing);
    p.plant("_R", turningFoot(rig, "_R", t, right), facing);
    p.turn("upper_arm_L", roll(34 * effort + 5 * settle + 4) * pitch(-14 * crouch));
    p.turn("forearm_L", pitch(-24 * crouch - 10 * effort) * roll(10 * effort));
    const Affine chest = p.world("chest");
    const Vec3 wrist = chest.apply(rig.at("hand_R") - rig.at("chest")) + Vec3(0, 0.035 * effort, 0);
    p.carry("_R", wrist, facing * roll(7 * effort - 5 * settle) * pitch(4 * crouch + 5 * settle),
            facing * Vec3(-0.6, -0.8, -0.4));
    return p.pose();
}

/// The hand with the pole keeps to the chest.
void carryPole(Poser& p, const OtterRig& rig, const Quat& tilt, double lift = 0) {
    const Vec3 wrist = p.world("chest").apply(rig.at("hand_R") - rig.at("chest")) + Vec3(0, lift, 0);
    p.carry("_R", wrist, tilt, Vec3(-0.6, -0.8, -0.4));
}

/// Off the jetty's end, 0.95 m on and 0.26 m down. Drawn too flat, as such leaps are: what falls falls otherwise.
std::vector<Xform> hopPose(const OtterRig& rig, double t) {
    Poser p(rig);
    const Vec3 over(0, -0.26, 0.95);
    const double crouch = ramp(t, 2, 10) - ramp(t, 11, 15), land = ramp(t, 25, 30) - ramp(t, 32, 48), go = ramp(t, 11, 30),
                 u = std::clamp((t - 15) / 11, 0.0, 1.0), tuck = std::sin(kPi * u), settle = t > 30 ? std::exp(-(t - 30) / 8) : 0;
    const double sway = settle * std::sin((t - 30) * 2 * kPi / 16);
    p.move("hips", go * over + Vec3(0, 0.12 * tuck - 0.095 * crouch - 0.11 * land, -0.03 * crouch));
    p.turn("hips", pitch(16 * crouch - 10 * tuck + 14 * land + 3 * sway));
    p.turn("spine_01", pitch(10 * crouch - 6 * tuck + 8 * land));
    p.turn("spine_02", pitch(8 * crouch - 4 * tuck + 6 * land - 3 * sway));
    p.turn("neck", pitch(-14 * crouch + 6 * tuck - 10 * land));
    p.turn("head", pitch(-10 * crouch + 10 * tuck - 8 * land + 4 * sway));
    for (const std::string side : {"_L", "_R"}) {
        Foot f = standing(rig, side);
        f.ankle += smooth(u) * over + Vec3(0, 0.10 * tuck, 0.05 * tuck);
        f.turn = pitch(22 * std::sin(kPi * std::min(1.0, 2 * u)) - 16 * ramp(t, 20, 25) + 16 * ramp(t, 25, 28));
        p.plant(side, f, Quat::Identity());
    }
    p.turn("upper_arm_L", pitch(34 * crouch - 62 * (ramp(t, 9, 20) - ramp(t, 24, 36)) + 8 * sway) * roll(6 + 22 * tuck));
    p.turn("forearm_L", pitch(-20 * crouch - 24 * tuck - 12 * land));
    carryPole(p, rig, pitch(6 * crouch - 12 * tuck + 8 * land), 0.05 * tuck);
    return p.pose();
}

/// A foot goes from under it on a wet plank: it sits down hard, goes over on its back, and sits up again to look round.
std::vector<Xform> tumblePose(const OtterRig& rig, double t) {
    Poser p(rig);
    const double step = ramp(t, 0, 8), slip = ramp(t, 7, 14), sit = ramp(t, 9, 18), over = ramp(t, 18, 26) - ramp(t, 34, 48),
                 up = ramp(t, 56, 74), down = sit - up, bump = std::sin(kPi * std::clamp((t - 18) / 6, 0.0, 1.0));
    p.move("hips", Vec3(0, -0.255 * down + 0.03 * bump + 0.02 * over, 0.06 * step + 0.02 * slip));
    const Quat lying = pitch(-38 * (slip - up) - 48 * over);
    p.turn("hips", lying);
    p.turn("spine_01", pitch(12 * (sit - up) - 6 * over));
    p.turn("spine_02", pitch(14 * (sit - up) + 4 * over));
    p.turn("chest", pitch(8 * (sit - up)));
    const double look = ramp(t, 46, 51) - ramp(t, 53, 58);
    p.turn("neck", pitch(10 * (slip - up) + 14 * over) * yaw(16 * look));
    p.turn("head", pitch(8 * (slip - up) + 10 * over) * yaw(20 * look) * roll(6 * look));
    for (const std::string side : {"_L", "_R"}) {
        const bool right = side == "_R";
        const double late = right ? slip : ramp(t, 10, 18), back = ramp(t, 50, 62);
        Foot f = standing(rig, side);
        f.ankle += Vec3(0, (right ? 0.17 : 0.12) * std::sin(kPi * std::clamp((t - (right ? 6 : 9)) / 13, 0.0, 1.0)),
                        0.06 * step + (right ? 0.30 : 0.25) * late + (right ? -0.28 : -0.23) * back);
        f.turn = pitch(-40 * late * (1 - back));
        // On its back it has its feet in the air, before its belly.
        const Affine hips = p.world("hips");
        f.ankle += over * (hips.apply(Vec3(right ? -0.10 : 0.10, -0.20, right ? 0.10 : 0.14)) - f.ankle);
        p.plant(side, f, lying, 0, std::clamp(1.6 * over, 0.0, 1.0));
    }
    const double flail = ramp(t, 6, 11) - ramp(t, 22, 32);
    p.turn("upper_arm_L", roll(62 * flail + 8) * pitch(-60 * flail + 30 * (sit - up) * (1 - flail) + 18 * flail * std::sin(t)));
    p.turn("forearm_L", pitch(-30 * flail - 14 * (sit - up)));
    carryPole(p, rig, pitch(-20 * (slip - up) - 30 * over) * roll(-10 * flail), 0.04 * flail);
    return p.pose();
}

/// It leans out to its left for a rope, has it, hauls, and lets go.
std::vector<Xform> reachPose(const OtterRig& rig, double t) {
    Poser p(rig);
    const double out = ramp(t, 4, 18) - ramp(t, 56, 70), haul = ramp(t, 30, 40) - ramp(t, 48, 58), breath = std::sin(t / 9);
    p.move("hips", Vec3(0.03 * out - 0.01 * haul, -0.08 * out - 0.01 * haul, 0.05 * out - 0.02 * haul));
    p.turn("hips", yaw(6 * out) * pitch(15 * out - 3 * haul) * roll(-4 * out));
    p.turn("spine_01", pitch(11 * out - 2 * haul) * yaw(4 * out));
    p.turn("spine_02", pitch(11 * out - 2 * haul) * roll(-3 * out));
    p.turn("chest", pitch(8 * out) * yaw(2 * out - 6 * haul));
    p.turn("neck", pitch(2 * out + 2 * breath) * yaw(8 * out));
    p.turn("head", pitch(6 * out + 8 * haul) * yaw(12 * out) * roll(4 * out));
    for (const char* side : {"_L", "_R"}) p.plant(side, standing(rig, side), Quat::Identity());
    const Vec3 rest = p.world("chest").apply(rig.at("hand_L") - rig.at("chest")), rope(0.21, 0.36, 0.34),
               hauled(0.20, 0.38, 0.31);
    p.carry("_L", rest + out * (rope + haul * (hauled - rope) - rest), pitch(-30 * out) * roll(10 * out), Vec3(0.7, -0.6, -0.5));
    carryPole(p, rig, roll(-3 * out) * pitch(4 * out));
    return p.pose();
}

}  // namespace

namespace {
template <class PoseAt>
void addClip(GltfBuilder& b, const char* name, int frames, const PoseAt& poseAt) {
    std::vector<std::vector<Xform>> poses;
    for (int f = 0; f <= frames; ++f) poses.push_back(poseAt(f));
    b.clip(name, kFps, poses);
}
}  // namespace

void addOtterClips(GltfBuilder& b, const OtterRig& rig) {
    addClip(b, "Walk", 28, [&](int f) { return walkPose(rig, (f % 28) / 28.0); });
    addClip(b, "Idle", 96, [&](int f) { return idlePose(rig, (f % 96) / 96.0); });
    addClip(b, "Turn and stop", 72, [&](int f) { return turnPose(rig, f); });
}

void addLakesideClips(GltfBuilder& b, const OtterRig& rig) {
    addClip(b, "Hop off the jetty", 60, [&](int f) { return hopPose(rig, f); });
    addClip(b, "Slip and tumble", 84, [&](int f) { return tumblePose(rig, f); });
    addClip(b, "Reach for the mooring rope", 72, [&](int f) { return reachPose(rig, f); });
}

}  // namespace nutatio::demo
