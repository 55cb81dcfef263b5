#include "edit/motions.h"

#include <algorithm>

#include "edit/edit.h"
#include "pipeline/evaluate.h"
#include "rig/record.h"
#include "rig/track.h"

namespace nutatio::edit {

namespace {

/// How much larger a scene may grow by a motion that is brought: so much, and so many times the size of its file. [bytes]
constexpr std::size_t kBroughtBase = 32u << 20, kBroughtFactor = 64;

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
    const rig::Clip& own = source.clips[static_cast<std::size_t>(clip)];
    const std::string name = freshClip(*a->actor, own.name.empty() ? source.name : own.name);
    try {
        // As text in the scene file: a time and a turn for each joint and frame.
        constexpr std::size_t kBytesANumber = 12, kNumbersAKey = 5;
        const auto frames = static_cast<std::size_t>(rig::FrameGrid::covering(own, rig::ownRate(own)).frames);
        const auto joints = static_cast<std::size_t>(
            std::count_if(map.joints.begin(), map.joints.end(), [](const auto& m) { return m.from != rig::kNoJoint; }));
        std::size_t read = source.source.text.size();
        for (const auto& b : source.source.buffers) read += b->size();
        if (const std::size_t wanted = kBytesANumber * kNumbersAKey * frames * joints;
            wanted > kBroughtBase + kBroughtFactor * read)
            return refused("it would make the scene " + std::to_string(wanted >> 20) + " MB larger, more than a motion of " +
                           std::to_string((read + 1023) / 1024) + " KB may: bring in a shorter one");
        scene::Scene with = s;
        addClip(with, actor, rig::mappedClip(source, clip, *a->actor, map, name));
        const scene::ActorEntry& now = *std::as_const(with).actor(actor);
        pipeline::refuseTooMuch(*now.actor, now.actor->findClip(name), with.grid(with.shot(), now));
        s = std::move(with);
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
    if (hold < 0 || ease < 0 || hold > kMostPoseFrames || ease > kMostPoseFrames || hold + ease < 1)
        return refused("a pose is held and eased for a frame at least, and each for " + std::to_string(kMostPoseFrames) +
                       " at most");
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

Result<Done> removeClip(scene::Scene& s, const std::string& actor, const std::string& clip) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    const int gone = a ? a->actor->findClip(clip) : -1;
    if (gone < 0) return refused("there is no clip \"" + clip + "\"");
    if (!a->actor->clips[static_cast<std::size_t>(gone)].recorded)
        return refused("the clip \"" + a->actor->clipLabel(gone) + "\" belongs to the file of " + a->name +
                       ", which stays as it is");
    for (const scene::Shot& shot : s.shots)
        if (const rig::Line* line = shot.lineOf(actor))
            for (const rig::Stretch& each : line->stretches)
                if (a->actor->findClip(each.clip) == gone)
                    return refused("the clip \"" + clip + "\" is played in the line of the shot \"" + shot.name + "\"");
    // Clips behind it may be named by number, so every reference is found before and written anew after.
    const std::shared_ptr<const rig::Actor> was = a->actor;
    const auto without = rig::withoutClip(*was, gone);
    const auto after = [&](const std::string& reference) {
        const int number = was->findClip(reference);
        return number < 0 ? reference : scene::clipReference(*without, number > gone ? number - 1 : number);
    };
    for (std::size_t i = s.shots.size(); i-- > 0;) {
        const scene::Shot& shot = s.shots[i];
        const auto plays = shot.clips.find(actor);
        const bool its = plays != shot.clips.end() && was->findClip(plays->second) == gone;
        if (its && shot.lead == actor && s.shots.size() > 1) {
            const bool shown = s.shown == shot.id;
            s.shots.erase(i);
            if (shown) s.shown = s.shots[std::min(i, s.shots.size() - 1)].id;
            continue;
        }
        const bool named = plays != shot.clips.end() && !its && after(plays->second) != plays->second;
        const rig::Line* line = shot.lineOf(actor);
        if (!its && !named && !line) continue;
        scene::Shot& mine = s.shots.edit(i);
        if (its) mine.clips.erase(actor);
        if (named) mine.clips[actor] = after(mine.clips[actor]);
        if (line)
            for (rig::Stretch& each : mine.lines[actor].stretches) each.clip = after(each.clip);
    }
    s.actor(actor)->actor = without;
    return Done{};
}

}  // namespace nutatio::edit
