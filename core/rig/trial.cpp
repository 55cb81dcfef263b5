#include "rig/trial.h"

#include <algorithm>
#include <array>

#include "rig/roles.h"

namespace nutatio::rig {

namespace {

constexpr std::array<TrialMove, 8> kMoves{{
    {"nod", "Nod", 1.6, "Tips forward and back, twice, then waits."},
    {"shake", "Shake", 1.6, "Turns left and right, twice, then waits."},
    {"hop", "Hop", 1.5, "Crouches, jumps and lands, then waits."},
    {"stop", "Stop", 3.2, "Goes off, stops dead and waits; then the same way back."},
    {"spin", "Spin", 2.4, "Turns once about itself and stops dead."},
    {"push", "Push", 2.0, "Is shoved to the side and comes back."},
    {"breathe", "Breathe", 4.0, "Rises and sinks as breath goes in and out."},
    {"round", "Round", 2.0, "Goes round and round without a stop: for loops."},
}};

/// 0 before `from`, 1 after `to`, eased without a kink.
double ramp(double u, double from, double to) {
    const double x = std::clamp((u - from) / (to - from), 0.0, 1.0);
    return x * x * x * (x * (6 * x - 15) + 10);
}

/// Speeds up gently and stops dead: what shows follow-through best.
double deadStop(double u, double from, double to) {
    const double x = std::clamp((u - from) / (to - from), 0.0, 1.0);
    return x * x * (1.5 - 0.5 * x * x);
}

/// How the moved thing stands against its place at `u` (0..1) of a round. Lengths in actor heights.
struct Offset {
    Vec3 move = Vec3::Zero();
    Vec3 turn = Vec3::Zero();  // rotation vector
    double grow = 1;
};

Offset offsetAt(std::string_view move, double u, double size) {
    Offset o;
    const double swings = ramp(u, 0, 0.1) * (1 - ramp(u, 0.5, 0.62)) * std::sin(2 * kPi * u / 0.3);
    if (move == "nod") o.turn.x() = radians(22) * size * swings;
    if (move == "shake") o.turn.y() = radians(35) * size * swings;
    if (move == "hop") {
        const double flight = std::clamp((u - 0.22) / 0.3, 0.0, 1.0);
        const double crouch = ramp(u, 0, 0.16) * (1 - ramp(u, 0.16, 0.24)) + ramp(u, 0.51, 0.56) * (1 - ramp(u, 0.58, 0.76));
        o.move.y() = size * (0.22 * 4 * flight * (1 - flight) - 0.015 * crouch);
        // It leans into the crouch and back in the air: a hop straight up would leave what hangs straight down untouched.
        o.turn.x() = radians(11) * size * crouch - radians(9) * size * 4 * flight * (1 - flight);
    }
    if (move == "stop") o.move.z() = 0.9 * size * (deadStop(u, 0, 0.25) - deadStop(u, 0.5, 0.75));
    if (move == "spin") o.turn.y() = 2 * kPi * std::max(1.0, std::round(size)) * deadStop(u, 0, 0.42);
    if (move == "push") o.move.x() = 0.16 * size * ramp(u, 0, 0.1) * (1 - ramp(u, 0.18, 0.5));
    if (move == "breathe") {
        const double in = 0.5 - 0.5 * std::cos(2 * kPi * (u < 0.45 ? u / 0.9 : 0.5 + (u - 0.45) / 1.1));
        o.move.y() = 0.012 * size * in;
        o.turn.x() = radians(-2.5) * size * in;
        o.grow = 1 + 0.035 * size * in;
    }
    if (move == "round") {
        o.turn.x() = radians(12) * size * std::sin(2 * kPi * u);
        o.turn.z() = radians(12) * size * std::cos(2 * kPi * u);
    }
    return o;
}

constexpr TrialRole kRoles[] = {{"head", "Head"}, {"arms", "Arms"}, {"spine", "Spine"},
                                {"legs", "Legs"}, {"tail", "Tail"}, {"wings", "Wings"}};

/// A joint of a role, how much of the turn is its, and whether it is the right one of a pair.
struct RoleJoint {
    int joint;
    double share;
    bool right = false, opposed = false;  // opposed: it goes forward while its fellow goes back
};

std::vector<RoleJoint> jointsOf(const Actor& actor, std::string_view role) {
    const Roles r = rolesOf(actor);
    std::vector<RoleJoint> out;
    const auto spread = [&](const std::vector<int>& way, double all) {
        for (int j : way) out.push_back({j, all / static_cast<double>(way.size())});
    };
    if (role == "head") {
        if (r.head != kNoJoint) out.push_back({r.head, r.neck.empty() ? 1.0 : 0.6});
        spread(r.neck, 0.4);
        // Collar bones go along: joints between the chest and an arm. Without a chest what carries an arm may be the whole body.
        for (std::size_t side : {0, 1}) {
            if (!r.arms[side].found() || r.spine.empty()) continue;
            const int collar = actor.skeleton.joint(r.arms[side].upper).parent;
            if (collar != kNoJoint && collar != r.spine.back()) out.push_back({collar, 0.25, side == 1});
        }
    } else if (role == "arms") {
        for (std::size_t side : {0, 1})
            if (r.arms[side].found()) {
                out.push_back({r.arms[side].upper, 1.2, side == 1, true});
                out.push_back({r.arms[side].lower, 0.5, side == 1, true});
            }
    } else if (role == "legs") {
        for (std::size_t side : {0, 1})
            if (r.legs[side].found()) out.push_back({r.legs[side].upper, 1, side == 1, true});
    } else if (role == "spine") {
        spread(r.spine, 1);
    } else if (role == "tail") {
        spread(r.tail, 2);
    } else if (role == "wings") {
        for (std::size_t side : {0, 1})
            if (!r.wings[side].empty()) out.push_back({r.wings[side].front(), 1.5, side == 1});
    }
    return out;
}

}  // namespace

std::vector<TrialRole> trialRoles(const Actor& actor) {
    std::vector<TrialRole> out;
    for (const TrialRole& r : kRoles)
        if (!jointsOf(actor, r.id).empty()) out.push_back(r);
    return out;
}

std::span<const TrialMove> trialMoves() {
    return kMoves;
}

const TrialMove* findTrialMove(std::string_view id) {
    const auto at = std::find_if(kMoves.begin(), kMoves.end(), [&](const TrialMove& m) { return m.id == id; });
    return at == kMoves.end() ? nullptr : &*at;
}

FrameGrid trialGrid(const Trial& trial, double fps) {
    const TrialMove* m = findTrialMove(trial.move);
    constexpr double kLongest = 60;  // [s]
    const double usual = trial.kept ? within(trial.kept->clip.seconds(), 0.0, kLongest) : m ? m->seconds : 2;
    const double seconds = usual / std::max(trial.speed, 0.05);
    const int frames = std::max(4, static_cast<int>(std::lround(seconds * fps)));
    return {frames + 1, fps, 0, frames / fps};
}

namespace {

/// As far from where the clip begins as the trial is large.
void poseKept(const Trial& trial, const std::vector<Xform>& stand, double time, std::vector<Xform>& locals) {
    const Clip& clip = trial.kept->clip;
    locals = stand;
    if (static_cast<int>(stand.size()) != trial.kept->joints) return;
    clip.pose(clip.start + time * trial.speed, locals);
    if (trial.size == 1) return;
    std::vector<Xform> first = stand;
    clip.pose(clip.start, first);
    for (std::size_t j = 0; j < locals.size(); ++j) {
        const Xform& f = first[j];
        Xform& x = locals[j];
        x.t = f.t + trial.size * (x.t - f.t);
        x.r = (f.r * fromRotationVector(trial.size * rotationVector(f.r.conjugate() * x.r))).normalized();
        x.s = f.s + trial.size * (x.s - f.s);
    }
}

void pose(const Actor& actor, const Trial& trial, const std::vector<RoleJoint>& of, const std::vector<Xform>& stand, double time,
          double round, std::vector<Xform>& locals) {
    double u = time / round;
    u -= std::floor(u);
    if (trial.kept) return poseKept(trial, stand, u * round, locals);
    locals = stand;
    Offset o = offsetAt(trial.move, u, trial.size);
    if (!of.empty()) {
        // A trial move of the whole body turns a part of the body about its root instead.
        o.turn += Vec3(1.2 * o.move.z() - 1.5 * o.move.y(), 0, -1.2 * o.move.x());
        std::vector<Affine> worlds;
        worldTransforms(actor.skeleton, stand, worlds);
        for (const RoleJoint& r : of) {
            const int p = actor.skeleton.joint(r.joint).parent;
            const Quat above = p == kNoJoint ? Quat::Identity() : rotationOf(worlds[static_cast<std::size_t>(p)].m);
            Vec3 turn = r.share * o.turn;
            if (r.right) turn = r.opposed ? Vec3(-turn.x(), turn.y(), turn.z()) : Vec3(turn.x(), -turn.y(), -turn.z());
            Xform& x = locals[static_cast<std::size_t>(r.joint)];
            x.r = (fromRotationVector(above.conjugate() * turn) * x.r).normalized();
        }
        return;
    }
    const int joint = trial.joint.empty() ? kNoJoint : actor.skeleton.find(trial.joint);
    std::vector<Affine> worlds;
    worldTransforms(actor.skeleton, stand, worlds);
    const Quat turn = fromRotationVector(o.turn);
    const auto apply = [&](int j, const Vec3& pivot) {
        const int p = actor.skeleton.joint(j).parent;
        const Affine above = p == kNoJoint ? Affine{} : worlds[static_cast<std::size_t>(p)];
        const Vec3& here = worlds[static_cast<std::size_t>(j)].t;
        Xform& x = locals[static_cast<std::size_t>(j)];
        const Vec3 there = pivot + turn * (here - pivot) + actor.height * o.move;
        x.t = above.inverse().apply(there);
        const Quat a = rotationOf(above.m);
        Vec3 v = a.conjugate() * o.turn;
        if (above.m.determinant() < 0) v = Vec3(v.x(), -v.y(), -v.z());
        x.r = (fromRotationVector(v) * x.r).normalized();
    };
    if (joint != kNoJoint) {
        // A lone joint keeps on its bone: it turns and swells, and is moved by a quarter of what the whole actor would be.
        o.move *= 0.25;
        apply(joint, worlds[static_cast<std::size_t>(joint)].t);
        locals[static_cast<std::size_t>(joint)].s *= o.grow;
        return;
    }
    const Vec3 pivot(0.5 * (actor.low.x() + actor.high.x()), actor.low.y(), 0.5 * (actor.low.z() + actor.high.z()));
    for (int r : actor.skeleton.roots()) apply(r, pivot);
}

/// A role that the actor does not have is the whole of it.
std::vector<RoleJoint> roleOf(const Actor& actor, const Trial& trial) {
    return trial.role.empty() || !trial.joint.empty() ? std::vector<RoleJoint>() : jointsOf(actor, trial.role);
}

}  // namespace

void trialPose(const Actor& actor, const Trial& trial, const std::vector<Xform>& stand, double time, double round,
               std::vector<Xform>& locals) {
    pose(actor, trial, roleOf(actor, trial), stand, time, round, locals);
}

Track trialTrack(const Actor& actor, const Trial& trial, const std::vector<Xform>& stand, const FrameGrid& grid) {
    const auto n = stand.size();
    std::vector<Column> columns(n);
    std::vector<Xform> locals;
    const std::vector<RoleJoint> role = roleOf(actor, trial);
    const int once = trialGrid(trial, grid.fps).frames - 1;
    for (int f = 0; f < grid.frames; ++f) {
        pose(actor, trial, role, stand, (f % once) / grid.fps, once / grid.fps, locals);
        for (std::size_t j = 0; j < n; ++j) columns[j].push_back(locals[j]);
    }
    std::vector<ColumnPtr> shared;
    for (Column& c : columns) {
        if (std::all_of(c.begin(), c.end(), [&](const Xform& x) { return x == c.front(); })) c.resize(1);
        shared.push_back(std::make_shared<const Column>(std::move(c)));
    }
    return {grid, std::move(shared)};
}

Track trialOver(const Actor& actor, const Trial& trial, Track body) {
    const std::vector<RoleJoint> role = roleOf(actor, trial);
    const int once = trialGrid(trial, body.grid().fps).frames - 1;
    const double round = once / body.grid().fps;
    std::vector<Xform> stand, locals, first;
    if (trial.kept) {
        stand = actor.restPose();
        poseKept(trial, stand, 0, first);
    }
    std::vector<Column> columns(static_cast<std::size_t>(body.joints()));
    for (int f = 0; f < body.frames(); ++f) {
        const double time = (f % once) / body.grid().fps;
        std::vector<Xform> now;
        body.pose(f, now);
        if (trial.kept) {
            // What the kept motion does from where it begins.
            poseKept(trial, stand, time, locals);
            for (std::size_t j = 0; j < now.size() && j < locals.size(); ++j) {
                now[j].t += locals[j].t - first[j].t;
                now[j].r = (now[j].r * (first[j].r.conjugate() * locals[j].r)).normalized();
            }
        } else {
            pose(actor, trial, role, now, time, round, locals);
            now = locals;
        }
        for (std::size_t j = 0; j < columns.size(); ++j) columns[j].push_back(now[j]);
    }
    for (std::size_t j = 0; j < columns.size(); ++j)
        if (std::any_of(columns[j].begin(), columns[j].end(), [&](const Xform& x) { return !(x == columns[j].front()); }))
            body.replace(static_cast<int>(j), std::move(columns[j]));
    return body;
}

}  // namespace nutatio::rig
