#include <algorithm>
#include <cmath>
#include <map>

#include "base/arguments.h"
#include "measure/check_rules.h"
#include "rig/map.h"

namespace nutatio::measure {

namespace {

constexpr double kRate = 10;         // [1/s] at which clips are looked at
constexpr double kDeformed = 0.003;  // heights that a point leaves its place among the others by
constexpr int kMostLooked = 600;     // of a clip

struct Region {
    std::string name;
    std::vector<std::uint32_t> points;
    int main = rig::kNoJoint;  // the joint that carries most of it
};

std::vector<Region> regionsOf(const Checked& on) {
    std::vector<Region> out;
    const auto add = [&](const std::string& name, const std::vector<float>& values) {
        Region r{name, {}, rig::kNoJoint};
        std::map<int, double> by;
        for (std::uint32_t v = 0; v < values.size(); ++v) {
            if (values[v] <= 0.5f) continue;
            r.points.push_back(v);
            for (const rig::Surface::Pull& p : on.surface.pulls(v)) by[p.joint] += p.weight;
        }
        for (const auto& [joint, sum] : by)
            if (r.main == rig::kNoJoint || sum > by[r.main]) r.main = joint;
        if (r.main != rig::kNoJoint) out.push_back(std::move(r));
    };
    for (const scene::Part& p : on.entry.parts)
        if (p.rigid) {
            rig::Map region;
            region.steps = scene::regionOf(on.entry, p.name);
            if (const auto values = rig::mapValues(on.actor, on.surface, region, {})) add(p.name, values.value());
        }
    for (const rig::Map& m : on.entry.maps)
        if (m.rigid)
            if (const auto values = rig::mapValues(on.actor, on.surface, m, on.entry.maps)) add(m.name, values.value());
    return out;
}

/// What a joint other than the region's own did to it in one clip.
struct Bent {
    int first = -1, last = -1;
    double most = 0;  // [units]
    std::vector<std::uint32_t> points;
};

}  // namespace

// In the axes of the joint that carries most of it a rigid region stands still. A point that leaves its place there by more than
// 0.3 % h is deformed; to blame is the joint that has most of it beside that one.
void checkRigid(const Checked& on, std::vector<Finding>& out, const Cancel& cancel) {
    const std::vector<Region> regions = regionsOf(on);
    if (regions.empty()) return;
    // By joint: what it does to a point of the rest pose.
    std::vector<Affine> back(on.worlds.size());
    for (std::size_t j = 0; j < back.size(); ++j) back[j] = on.worlds[j].inverse();
    for (std::size_t c = 0; c < on.actor.clips.size(); ++c) {
        rig::FrameGrid grid = rig::FrameGrid::covering(on.actor.clips[c], kRate);
        grid.frames = std::min(grid.frames, kMostLooked);
        const rig::Track track = rig::bodyTrack(on.actor, static_cast<int>(c), grid, cancel);
        std::map<std::pair<std::size_t, int>, Bent> found;
        std::vector<Xform> locals;
        std::vector<Affine> worlds;
        for (int f = 0; f < grid.frames; ++f) {
            if (cancel.asked()) throw Cancelled{};
            track.pose(f, locals);
            rig::worldTransforms(on.skeleton, locals, worlds);
            for (std::size_t r = 0; r < regions.size(); ++r) {
                const Affine home = on.worlds[static_cast<std::size_t>(regions[r].main)] *
                                    worlds[static_cast<std::size_t>(regions[r].main)].inverse();
                for (std::uint32_t v : regions[r].points) {
                    const Vec3 rest = on.surface.places[v].cast<double>();
                    Vec3 now = Vec3::Zero();
                    int blame = rig::kNoJoint;
                    float most = 0;
                    for (const rig::Surface::Pull& p : on.surface.pulls(v)) {
                        const auto j = static_cast<std::size_t>(p.joint);
                        now += p.weight * worlds[j].apply(back[j].apply(rest));
                        if (p.joint != regions[r].main && p.weight > most) {
                            most = p.weight;
                            blame = p.joint;
                        }
                    }
                    const double away = (home.apply(now) - rest).norm();
                    if (away <= kDeformed * on.h || blame == rig::kNoJoint) continue;
                    Bent& b = found[{r, blame}];
                    if (b.first < 0) b.first = f;
                    b.last = f;
                    b.most = std::max(b.most, away);
                    b.points.push_back(v);
                }
            }
        }
        for (auto& [which, bent] : found) {
            std::sort(bent.points.begin(), bent.points.end());
            bent.points.erase(std::unique(bent.points.begin(), bent.points.end()), bent.points.end());
            const Region& r = regions[which.first];
            const double share = 100.0 * static_cast<double>(bent.points.size()) / static_cast<double>(r.points.size());
            Finding f = on.about("deformed", share > 5 ? Severity::Broken : Severity::Look, which.second);
            f.clip = on.actor.clipLabel(static_cast<int>(c));
            f.first = bent.first;
            f.last = bent.last;
            f.rate = kRate;
            f.size = bent.most * on.millimetres;
            f.unit = "mm";
            f.sentence = r.name + " is rigid, and " + on.name(which.second) + " deforms " + shortNumber(share) +
                         " % of it by up to " + shortNumber(f.size) + " mm in " + f.clip + ".";
            f.points = std::move(bent.points);
            f.repair.push_back("release:actor=" + on.entry.id + ",part=" + asArgument(r.name) + ",joint=" + asArgument(f.joint));
            out.push_back(std::move(f));
        }
    }
}

}  // namespace nutatio::measure
