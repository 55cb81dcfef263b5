#include "measure/check.h"

#include <algorithm>
#include <cstdio>

#include "measure/check_rules.h"
#include "rig/parts.h"

namespace nutatio::measure {

std::string_view severityName(Severity severity) {
    constexpr std::string_view kNames[] = {"note", "look", "broken"};
    return kNames[static_cast<std::size_t>(severity)];
}

std::string shortNumber(double v) {
    char text[32];
    std::snprintf(text, sizeof text, std::abs(v) >= 100 ? "%.0f" : std::abs(v) >= 10 ? "%.3g" : "%.2g", v);
    return text;
}

std::string written(const Vec3& p) {
    char text[120];
    std::snprintf(text, sizeof text, "%.9g %.9g %.9g", p.x(), p.y(), p.z());
    return text;
}

double quantile(std::vector<double> v, double q) {
    if (v.empty()) return 0;
    const auto at = v.begin() + static_cast<std::ptrdiff_t>(
                                    std::min(v.size() - 1, static_cast<std::size_t>(q * static_cast<double>(v.size()))));
    std::nth_element(v.begin(), at, v.end());
    return *at;
}

Checked::Checked(const scene::ActorEntry& e)
    : entry(e),
      actor(*e.actor),
      skeleton(e.actor->skeleton),
      surface(rig::Surface::of(*e.actor)),
      sides(rig::sidesOf(*e.actor)),
      carried(static_cast<std::size_t>(e.actor->skeleton.size()), 0.0),
      keyed(static_cast<std::size_t>(e.actor->skeleton.size()), false),
      h(e.actor->height),
      millimetres(1000 * e.actor->metresPerUnit) {
    rig::worldTransforms(skeleton, actor.restPose(), worlds);
    for (std::uint32_t v = 0; v < surface.places.size(); ++v)
        for (const rig::Surface::Pull& p : surface.pulls(v)) carried[static_cast<std::size_t>(p.joint)] += p.weight;
    for (const rig::Clip& c : actor.clips)
        for (const rig::Channel& ch : c.channels)
            if (ch.path != rig::Path::Weights) keyed[static_cast<std::size_t>(ch.joint)] = true;
}

std::string Checked::name(int joint) const {
    return rig::plainName(skeleton, joint);
}

Finding Checked::about(std::string_view kind, Severity severity, int joint) const {
    Finding f;
    f.kind = kind;
    f.severity = severity;
    f.actor = entry.id;
    if (joint != rig::kNoJoint) f.joint = skeleton.reference(joint);
    return f;
}

namespace {

/// The shots close the ends of a clip wherever they play it.
bool isClosed(const scene::Scene& scene, const scene::ActorEntry& e, const std::string& clip) {
    bool any = false;
    for (const scene::Shot& shot : scene.shots) {
        const int plays = scene.clipOf(shot, e);
        if (plays < 0 || e.actor->clipLabel(plays) != clip) continue;
        const rig::Line* line = shot.lineOf(e.id);
        if (!line || (line->closing <= 0 && line->fade <= 0)) return false;
        any = true;
    }
    return any;
}

}  // namespace

std::vector<Finding> check(const scene::Scene& scene, const Cancel& cancel) {
    constexpr Rule kRules[] = {checkSkeleton, checkSkin, checkRigid, checkClips};
    std::vector<Finding> all;
    for (const scene::ActorEntry& e : scene.actors) {
        if (e.isPiece() || !e.actor) continue;
        const Checked on(e);
        for (const Rule rule : kRules) {
            if (cancel.asked()) throw Cancelled{};
            rule(on, all, cancel);
        }
        std::erase_if(all, [&](const Finding& f) { return f.kind == "seam" && f.actor == e.id && isClosed(scene, e, f.clip); });
    }
    std::stable_sort(all.begin(), all.end(), [](const Finding& a, const Finding& b) { return a.severity > b.severity; });
    return all;
}

bool isSeen(const scene::Scene& scene, const Finding& finding) {
    const scene::ActorEntry* e = scene.actor(finding.actor);
    return e && std::find(e->seen.begin(), e->seen.end(), finding.id()) != e->seen.end();
}

}  // namespace nutatio::measure
