#include "edit/motions.h"

#include <algorithm>

#include "edit/edit.h"
#include "rig/track.h"

namespace nutatio::edit {

namespace {

std::string freshClip(const rig::Actor& a, const std::string& stem) {
    std::string name = stem;
    for (int n = 2; a.findClip(name) >= 0; ++n) name = stem + " " + std::to_string(n);
    return name;
}

/// Of all that set in and out without a jump in speed, the one that is least fast in between.
double gently(double u) {
    return u * u * (3 - 2 * u);
}

}  // namespace

Result<std::string> bringMotion(scene::Scene& s, const std::string& actor, const rig::Actor& source, int clip,
                                const rig::MotionMap& map) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a || a->isPiece()) return refused("there is no character \"" + actor + "\"");
    if (clip < 0 || clip >= static_cast<int>(source.clips.size())) return refused("the file has no such clip");
    const std::string& own = source.clips[static_cast<std::size_t>(clip)].name;
    const std::string name = freshClip(*a->actor, own.empty() ? source.name : own);
    try {
        addClip(s, actor, rig::mappedClip(source, clip, *a->actor, map, name));
    } catch (const Failure& f) {
        return f.error();
    }
    return name;
}

Result<std::string> poseFirst(scene::Scene& s, const std::string& actor, const std::string& clipName, int hold, int ease) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a || a->isPiece()) return refused("there is no character \"" + actor + "\"");
    const int at = a->actor->findClip(clipName);
    if (at < 0) return refused("the actor has no clip \"" + clipName + "\"");
    if (hold < 0 || ease < 0 || hold + ease < 1 || hold + ease > 100000)
        return refused("a pose is held and eased for a frame at least");
    const rig::Actor& on = *a->actor;
    const rig::Clip& was = on.clips[static_cast<std::size_t>(at)];
    const double fps = s.shot().fps, before = (hold + ease) / fps, rate = rig::ownRate(was);
    const std::vector<Xform> rest = on.restPose();
    std::vector<Xform> start = rest;
    was.pose(was.start, start);
    std::vector<float> times;
    std::vector<std::vector<Xform>> poses;
    const auto put = [&](double time, std::vector<Xform> pose) {
        times.push_back(static_cast<float>(time));
        poses.push_back(std::move(pose));
    };
    put(0, rest);
    if (hold > 0) put(hold / fps, rest);
    for (int k = 1; k < ease; ++k) {
        std::vector<Xform> pose = rest;
        const double u = gently(static_cast<double>(k) / ease);
        for (std::size_t j = 0; j < pose.size(); ++j)
            pose[j] = {rest[j].t + u * (start[j].t - rest[j].t), rest[j].r.slerp(u, start[j].r),
                       rest[j].s + u * (start[j].s - rest[j].s)};
        put((hold + k) / fps, std::move(pose));
    }
    const rig::FrameGrid grid = rig::FrameGrid::covering(was, rate);
    const rig::Track track = rig::bodyTrack(on, at, grid);
    for (int f = 0; f < grid.frames; ++f) {
        std::vector<Xform> pose;
        track.pose(f, pose);
        put(before + f / rate, std::move(pose));
    }
    rig::Clip clip;
    clip.name = freshClip(on, on.clipLabel(at) + ", from rest");
    clip.recorded = true;
    clip.end = times.back();
    for (std::size_t j = 0; j < rest.size(); ++j)
        for (const rig::Path path : {rig::Path::Move, rig::Path::Turn, rig::Path::Scale}) {
            const bool any = std::any_of(poses.begin(), poses.end(), [&](const auto& p) {
                return path == rig::Path::Move   ? (p[j].t - rest[j].t).norm() > 1e-9 * on.height
                       : path == rig::Path::Turn ? p[j].r.angularDistance(rest[j].r) > 1e-9
                                                 : (p[j].s - rest[j].s).norm() > 1e-9;
            });
            if (!any) continue;
            rig::Channel c;
            c.joint = static_cast<int>(j);
            c.path = path;
            c.width = path == rig::Path::Turn ? 4 : 3;
            c.times = times;
            Quat last = rest[j].r;
            for (const auto& p : poses) {
                last = sameSide(p[j].r, last);
                for (int k = 0; k < c.width; ++k)
                    c.values.push_back(static_cast<float>(path == rig::Path::Turn   ? last.coeffs()[k]
                                                          : path == rig::Path::Move ? p[j].t[k]
                                                                                    : p[j].s[k]));
            }
            clip.channels.push_back(std::move(c));
        }
    const std::string name = clip.name;
    addClip(s, actor, std::move(clip));
    return name;
}

}  // namespace nutatio::edit
