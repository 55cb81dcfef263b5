// B = [left, up, left x up] of either rest pose, C = B_t B_s^T. A joint's turn from rest, D = C (W W_rest^-1) C^-1, is put on the
// target's rest turn: W' = D arc(d_t, C d_s) W'_rest, with d the rest direction to the next joint of the limb, so that rest poses
// that differ (a T pose, a stride) do not show. Hands take their forearm's arc, feet none: soles are flat in both rests.
#include "rig/mapping.h"

#include <algorithm>
#include <map>

#include "base/error.h"
#include "rig/capsule.h"
#include "rig/contacts.h"
#include "rig/roles.h"
#include "rig/sides.h"
#include "rig/stride.h"
#include "rig/track.h"

namespace nutatio::rig {

namespace {

struct Named {
    int joint;
    std::string role;
    int next;  // where its bone ends, kNoJoint: no arc
};

std::vector<Named> namedOf(const Roles& r) {
    std::vector<Named> out;
    const auto put = [&](int j, std::string role, int next = kNoJoint) {
        if (j != kNoJoint) out.push_back({j, std::move(role), next});
    };
    put(r.hips, "hips");
    for (std::size_t side : {0, 1}) {
        const std::string s = side == 0 ? "left " : "right ";
        put(r.legs[side].upper, s + "thigh", r.legs[side].lower);
        put(r.legs[side].lower, s + "shin", r.legs[side].end);
        put(r.legs[side].end, s + "foot");
        put(r.legs[side].beyond, s + "toes");
        put(r.arms[side].upper, s + "upper arm", r.arms[side].lower);
        put(r.arms[side].lower, s + "forearm", r.arms[side].end);
        put(r.arms[side].end, s + "hand");
    }
    put(r.head, "head");
    return out;
}

std::vector<Affine> restWorlds(const Actor& a) {
    std::vector<Affine> w;
    worldTransforms(a.skeleton, a.restPose(), w);
    return w;
}

const Vec3& place(const std::vector<Affine>& w, int j) {
    return w[static_cast<std::size_t>(j)].t;
}

/// Left, up and forward of a rest pose as columns.
Mat3 basisOf(const Roles& r, const std::vector<Affine>& w) {
    Vec3 left = Vec3::UnitX(), up = Vec3::UnitY();
    if (r.hasLegs()) left = place(w, r.legs[0].upper) - place(w, r.legs[1].upper);
    if (r.hips != kNoJoint && r.head != kNoJoint && !r.fourLegged)
        up = place(w, r.head) - place(w, r.hips);
    else if (r.hasLegs())
        up = place(w, r.legs[0].upper) + place(w, r.legs[1].upper) - place(w, r.legs[0].end) - place(w, r.legs[1].end);
    // Snapped to the nearest axis.
    Eigen::Index k = 0;
    up.cwiseAbs().maxCoeff(&k);
    up = Vec3::Unit(k) * (up[k] < 0 ? -1 : 1);
    left -= left.dot(up) * up;
    left = left.norm() > 1e-9 ? Vec3(left.normalized()) : anySquareTo(up);
    Mat3 b;
    b.col(0) = left;
    b.col(1) = up;
    b.col(2) = left.cross(up);
    return b;
}

double legOf(const Roles& r, const std::vector<Affine>& w) {
    const Limb& l = r.legs[0];
    return (place(w, l.lower) - place(w, l.upper)).norm() + (place(w, l.end) - place(w, l.lower)).norm();
}

std::string keyOf(const std::string& name) {
    std::string out;
    for (char c : name)
        if (std::isalnum(static_cast<unsigned char>(c))) out += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return out;
}

}  // namespace

double ownRate(const Clip& clip) {
    std::vector<double> gaps;
    for (const Channel& c : clip.channels)
        for (std::size_t k = 1; k < c.times.size(); ++k)
            if (const double gap = c.times[k] - c.times[k - 1]; gap > 1e-4) gaps.push_back(gap);
    return gaps.empty() ? 24 : std::clamp(1 / quantile(std::move(gaps), 0.5), 12.0, 240.0);
}

MotionMap suggestMapping(const Actor& source, const Actor& target) {
    const Roles s = rolesOf(source), t = rolesOf(target);
    MotionMap map;
    map.byNames = s.byNames && t.byNames;
    std::map<int, MappedJoint> byTarget;
    const std::vector<Named> from = namedOf(s), to = namedOf(t);
    for (const Named& n : to) {
        const auto same = std::find_if(from.begin(), from.end(), [&](const Named& o) { return o.role == n.role; });
        MappedJoint m{n.role, same == from.end() ? kNoJoint : same->joint, n.joint, MappedJoint::By::Role, false};
        m.follows = n.next != kNoJoint && same != from.end() && same->next != kNoJoint;
        byTarget[n.joint] = m;
    }
    // The spine by how far along it a joint stands: the hips are done.
    const auto along = [&](const std::vector<int>& way, const std::string& what, const std::vector<int>& other) {
        for (std::size_t k = 0; k < way.size(); ++k) {
            if (byTarget.count(way[k]) > 0) continue;
            MappedJoint m{what + " " + std::to_string(k + 1), kNoJoint, way[k], MappedJoint::By::Role, false};
            if (!other.empty()) {
                const double u = way.size() > 1 ? static_cast<double>(k) / static_cast<double>(way.size() - 1) : 1.0;
                m.from = other[static_cast<std::size_t>(std::lround(u * static_cast<double>(other.size() - 1)))];
            }
            byTarget[way[k]] = m;
        }
    };
    std::vector<int> mine(t.spine.begin() + (t.spine.empty() ? 0 : 1), t.spine.end()),
        theirs(s.spine.begin() + (s.spine.empty() ? 0 : 1), s.spine.end());
    along(mine, "spine", theirs);
    along(t.neck, "neck", s.neck);
    // What both have under one name.
    std::map<std::string, int> names;
    for (int j = 0; j < source.skeleton.size(); ++j)
        if (!source.skeleton.joint(j).name.empty()) names.emplace(keyOf(source.skeleton.joint(j).name), j);
    const auto isBody = [&](const Actor& a, int j) { return a.skins.empty() || a.isSkinJoint[static_cast<std::size_t>(j)]; };
    for (int j = 0; j < target.skeleton.size(); ++j) {
        if (byTarget.count(j) > 0 || !isBody(target, j)) continue;
        const auto at = names.find(keyOf(target.skeleton.joint(j).name));
        if (at == names.end()) continue;
        byTarget[j] = {target.skeleton.label(j), at->second, j, MappedJoint::By::Name, false};
    }
    for (int j : target.skeleton.order())
        if (const auto at = byTarget.find(j); at != byTarget.end()) map.joints.push_back(at->second);
    const std::vector<Affine> ws = restWorlds(source), wt = restWorlds(target);
    map.scale = s.hasLegs() && t.hasLegs() ? legOf(t, wt) / std::max(legOf(s, ws), 1e-12) : target.height / source.height;
    return map;
}

Clip mappedClip(const Actor& source, int clipNumber, const Actor& target, const MotionMap& map, std::string name) {
    const Clip& clip = source.clips[static_cast<std::size_t>(clipNumber)];
    if (std::none_of(map.joints.begin(), map.joints.end(), [](const MappedJoint& m) { return m.from != kNoJoint; }))
        throw Failure("", "no joint of the character is mapped");
    const Roles rs = rolesOf(source), rt = rolesOf(target);
    const std::vector<Affine> restS = restWorlds(source), restT = restWorlds(target);
    const Mat3 c = basisOf(rt, restT) * basisOf(rs, restS).transpose();
    const Quat toTarget(c);
    // Arcs, by place in the map; hands have their forearm's.
    std::vector<Quat> arcs(map.joints.size(), Quat::Identity());
    const auto nextOf = [](const Roles& r, int j) {
        for (const auto* limbs : {&r.legs, &r.arms})
            for (const Limb& l : *limbs) {
                if (j == l.upper) return l.lower;
                if (j == l.lower) return l.end;
            }
        return kNoJoint;
    };
    for (std::size_t k = 0; k < map.joints.size(); ++k) {
        const MappedJoint& m = map.joints[k];
        if (m.from == kNoJoint) continue;
        const int a = nextOf(rs, m.from), b = nextOf(rt, m.to);
        if (m.follows && a != kNoJoint && b != kNoJoint) {
            const Vec3 ds = (place(restS, a) - place(restS, m.from)).normalized(),
                       dt = (place(restT, b) - place(restT, m.to)).normalized();
            arcs[k] = arc(dt, c * ds);
        }
        for (std::size_t side : {0, 1})
            if (m.to == rt.arms[side].end)
                for (std::size_t n = 0; n < k; ++n)
                    if (map.joints[n].to == rt.arms[side].lower) arcs[k] = arcs[n];
    }
    const double rate = ownRate(clip);
    const FrameGrid grid = FrameGrid::covering(clip, rate);
    const Track track = bodyTrack(source, clipNumber, grid);
    const auto midOf = [](const Roles& r, const std::vector<Affine>& w) {
        return r.hasLegs() ? Vec3(0.5 * (place(w, r.legs[0].upper) + place(w, r.legs[1].upper))) : place(w, r.hips);
    };
    const bool goes = rs.hips != kNoJoint && rt.hips != kNoJoint;
    std::vector<std::vector<Affine>> worldsS(static_cast<std::size_t>(grid.frames));
    std::vector<double> low;
    std::vector<Xform> locals;
    for (int f = 0; f < grid.frames; ++f) {
        track.pose(f, locals);
        worldTransforms(source.skeleton, locals, worldsS[static_cast<std::size_t>(f)]);
        if (goes && rs.hasLegs()) {
            const auto& w = worldsS[static_cast<std::size_t>(f)];
            low.push_back(std::min((c * place(w, rs.legs[0].end)).y(), (c * place(w, rs.legs[1].end)).y()));
        }
    }
    const double floorS = low.empty() ? 0 : quantile(low, 0.03);
    const double floorT =
        rt.hasLegs() ? std::min(place(restT, rt.legs[0].end).y(), place(restT, rt.legs[1].end).y()) : target.low.y();
    const std::vector<Xform> rest = target.restPose();
    std::vector<std::vector<Xform>> out(static_cast<std::size_t>(grid.frames), rest);
    std::map<int, std::size_t> mapped;
    for (std::size_t k = 0; k < map.joints.size(); ++k)
        if (map.joints[k].from != kNoJoint) mapped[map.joints[k].to] = k;
    for (int f = 0; f < grid.frames; ++f) {
        const auto& ws = worldsS[static_cast<std::size_t>(f)];
        std::vector<Xform>& pose = out[static_cast<std::size_t>(f)];
        std::vector<Quat> turn(rest.size());
        for (int j : target.skeleton.order()) {
            const auto at = static_cast<std::size_t>(j);
            const int up = target.skeleton.joint(j).parent;
            const Quat above = up == kNoJoint ? Quat::Identity() : turn[static_cast<std::size_t>(up)];
            const auto m = mapped.find(j);
            if (m == mapped.end()) {
                turn[at] = above * rest[at].r;
                continue;
            }
            const int from = map.joints[m->second].from;
            const Quat d = rotationOf(ws[static_cast<std::size_t>(from)].m) *
                           rotationOf(restS[static_cast<std::size_t>(from)].m).conjugate();
            turn[at] = toTarget * d * toTarget.conjugate() * arcs[m->second] * rotationOf(restT[at].m);
            const Quat local = (above.conjugate() * turn[at]).normalized();
            pose[at].r = f > 0 ? sameSide(local, out[static_cast<std::size_t>(f - 1)][at].r) : sameSide(local, rest[at].r);
        }
        if (!goes) continue;
        // The middle between the thighs goes where the source's does.
        std::vector<Affine> wt;
        worldTransforms(target.skeleton, pose, wt);
        Vec3 want = map.scale * (c * midOf(rs, ws));
        if (map.toFloor) want.y() += floorT - map.scale * floorS;
        const Vec3 move = want - midOf(rt, wt);
        const int hips = rt.hips, up = target.skeleton.joint(hips).parent;
        const Affine above = up == kNoJoint ? Affine{} : wt[static_cast<std::size_t>(up)];
        pose[static_cast<std::size_t>(hips)].t += above.m.inverse() * move;
    }
    Clip made;
    made.name = std::move(name);
    made.recorded = true;
    made.end = (grid.frames - 1) / rate;
    for (std::size_t j = 0; j < rest.size(); ++j)
        for (const Path path : {Path::Move, Path::Turn}) {
            const bool turns = path == Path::Turn;
            const bool any = std::any_of(out.begin(), out.end(), [&](const auto& pose) {
                return turns ? pose[j].r.angularDistance(rest[j].r) > 1e-6
                             : (pose[j].t - rest[j].t).norm() > 1e-7 * target.height;
            });
            if (!any) continue;
            Channel ch;
            ch.joint = static_cast<int>(j);
            ch.path = path;
            ch.width = turns ? 4 : 3;
            for (int f = 0; f < grid.frames; ++f) {
                ch.times.push_back(static_cast<float>(f / rate));
                const Xform& x = out[static_cast<std::size_t>(f)][j];
                for (int k = 0; k < ch.width; ++k) ch.values.push_back(static_cast<float>(turns ? x.r.coeffs()[k] : x.t[k]));
            }
            made.channels.push_back(std::move(ch));
        }
    return made;
}

std::vector<Contact> contactsOf(const Actor& actor, int clipNumber) {
    const Roles r = rolesOf(actor);
    const Clip& clip = actor.clips[static_cast<std::size_t>(clipNumber)];
    const double rate = ownRate(clip), dt = 1 / rate, h = actor.height;
    const FrameGrid grid = FrameGrid::covering(clip, rate);
    const Track track = bodyTrack(actor, clipNumber, grid);
    std::vector<int> points;
    for (const auto* limbs : {&r.legs, &r.arms})
        for (const Limb& l : *limbs)
            for (int j : {l.end, l.beyond})
                if (j != kNoJoint && (limbs == &r.legs || r.fourLegged)) points.push_back(j);
    // A clip in place walks on ground that runs.
    const Vec3 runs = runningGround(actor, track, carrierOf(actor.skeleton, r));
    std::vector<std::vector<Vec3>> places(points.size());
    std::vector<Xform> locals;
    std::vector<Affine> worlds;
    for (int f = 0; f < grid.frames; ++f) {
        track.pose(f, locals);
        worldTransforms(actor.skeleton, locals, worlds);
        for (std::size_t k = 0; k < points.size(); ++k) places[k].push_back(place(worlds, points[k]) - f * dt * runs);
    }
    std::vector<Contact> out;
    for (std::size_t k = 0; k < points.size(); ++k)
        for (const Standing& stands : standingOf(places[k], rate, h, StandingRule{}.over(runs.norm() / h)))
            out.push_back({points[k], stands.from * dt, stands.to * dt});
    return out;
}

}  // namespace nutatio::rig
