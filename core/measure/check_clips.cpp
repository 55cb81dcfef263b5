#include <algorithm>
#include <cmath>
#include <map>

#include "base/arguments.h"
#include "measure/check_rules.h"
#include "measure/seam.h"
#include "rig/mapping.h"

namespace nutatio::measure {

namespace {

// A pop is a step that its neighbours do not explain. Thresholds grow with the frame: what is a jump from one frame to the next
// at 120/s may be plain motion at 24/s. They were found on mocap and on hand-made clips whose pops were judged by eye.
constexpr double kTurnJerk = 5e5, kMoveJerk = 300;    // [deg/s^3], [heights/s^3]
constexpr double kLeastTurn = 4, kLeastMove = 0.006;  // [deg], [heights]
constexpr double kMuchMore = 10;                      // times the usual around it
constexpr double kAround = 0.35;                      // [s]
constexpr double kSeen = 0.008;                       // heights that what hangs on the joint jumps
constexpr double kShown = 1.3;                        // times its threshold
constexpr double kSlides = 0.02;                      // heights that a pivot may travel against its parent
constexpr double kApart = 8, kApartLeast = 0.05;      // a first frame: times the usual step, and turned heights

/// A clip at the rate of its own keys.
struct Sampled {
    rig::Track track;
    double dt = 1;
    int frames = 0;
};

constexpr int kMostFrames = 20000;  // of a clip that are looked at

Sampled sampled(const rig::Actor& actor, int clip, const Cancel& cancel) {
    rig::FrameGrid grid = rig::FrameGrid::covering(actor.clips[static_cast<std::size_t>(clip)],
                                                   rig::ownRate(actor.clips[static_cast<std::size_t>(clip)]));
    grid.frames = std::min(grid.frames, kMostFrames);
    Sampled out;
    out.track = rig::bodyTrack(actor, clip, grid, cancel);
    out.dt = grid.dt();
    out.frames = grid.frames;
    return out;
}

/// Steps of one joint from each frame to the next: turns [deg], or travels [heights].
using Steps = std::vector<Vec3>;

struct Pop {
    int joint = rig::kNoJoint, frame = 0;
    double jump = 0, over = 0;  // [deg] or [heights]; times its threshold
    bool turns = true;
};

void popsOf(const Steps& s, double least, double floor, double dt, double seen, int joint, bool turns, std::vector<Pop>& out) {
    const int n = static_cast<int>(s.size());
    if (n < 8) return;
    std::vector<double> jump(static_cast<std::size_t>(n), 0.0), length(static_cast<std::size_t>(n));
    const auto at = [](int f) { return static_cast<std::size_t>(f); };
    for (int f = 0; f < n; ++f) {
        length[at(f)] = s[at(f)].norm();
        if (f > 0 && f + 1 < n) jump[at(f)] = (s[at(f)] - 0.5 * (s[at(f - 1)] + s[at(f + 1)])).norm();
    }
    const int around = std::max(6, static_cast<int>(std::lround(kAround / dt)));
    for (int f = 1; f + 1 < n; ++f) {
        const double j = jump[at(f)];
        if (j <= least || j * seen <= kSeen) continue;
        std::vector<double> near;
        for (int k = std::max(1, f - around); k < std::min(n - 1, f + around + 1); ++k)
            if (std::abs(k - f) > 2) near.push_back(jump[at(k)]);
        if (j <= kMuchMore * (median(near) + floor) || j <= 2 * quantile(near, 0.9)) continue;
        // No more than the way across the frame: the motion only turns there, as in a bounce.
        if (j <= 1.2 * (s[at(f + 1)] - s[at(f - 1)]).norm()) continue;
        bool alone = true;
        for (int k = std::max(0, f - 3); alone && k < std::min(n, f + 4); ++k) {
            if (k == f) continue;
            const bool undoes = std::abs(k - f) == 1 && s[at(k)].dot(s[at(f)]) < -0.5 * length[at(f)] * length[at(k)];
            alone = undoes || j > 1.5 * length[at(k)];
        }
        if (alone) out.push_back({joint, f + 1, j, j / least, turns});
    }
}

void pops(const Checked& on, const Sampled& c, const std::string& clip, const std::vector<double>& reach,
          std::vector<Finding>& out) {
    const double dt3 = 0.5 * c.dt * c.dt * c.dt;
    const double leastTurn = std::max(kLeastTurn, dt3 * kTurnJerk), leastMove = std::max(kLeastMove, dt3 * kMoveJerk);
    const std::vector<double> scale = rig::scalesAbove(on.actor);
    std::vector<Pop> found;
    for (int j = 0; j < on.skeleton.size(); ++j) {
        if (c.track.holdsStill(j)) continue;
        Steps turns, moves;
        for (int f = 0; f + 1 < c.frames; ++f) {
            const Xform &a = c.track.at(j, f), &b = c.track.at(j, f + 1);
            turns.push_back(rotationVector(a.r.conjugate() * b.r) / radians(1));
            moves.push_back((b.t - a.t) * (scale[static_cast<std::size_t>(j)] / on.h));
        }
        popsOf(turns, leastTurn, 0.15, c.dt, radians(1) * reach[static_cast<std::size_t>(j)] / on.h, j, true, found);
        popsOf(moves, leastMove, 0.0003, c.dt, 1, j, false, found);
    }
    // What happens at one moment is one event, whatever joints it shows in.
    std::sort(found.begin(), found.end(), [](const Pop& a, const Pop& b) { return a.frame < b.frame; });
    for (std::size_t from = 0; from < found.size();) {
        std::size_t to = from + 1;
        while (to < found.size() && found[to].frame - found[to - 1].frame <= 2) ++to;
        const Pop& worst =
            *std::max_element(found.begin() + static_cast<std::ptrdiff_t>(from), found.begin() + static_cast<std::ptrdiff_t>(to),
                              [](const Pop& a, const Pop& b) { return a.over < b.over; });
        std::vector<int> joints;
        for (std::size_t k = from; k < to; ++k) joints.push_back(found[k].joint);
        std::sort(joints.begin(), joints.end());
        joints.erase(std::unique(joints.begin(), joints.end()), joints.end());
        if (worst.over >= kShown) {
            Finding f = on.about("pop", worst.over > 2 ? Severity::Broken : Severity::Look, worst.joint);
            f.clip = clip;
            f.rate = 1 / c.dt;
            f.first = found[from].frame;
            f.last = found[to - 1].frame;
            f.size = worst.turns ? std::min(worst.jump, 180.0) : worst.jump * on.h * on.millimetres;
            f.unit = worst.turns ? "deg" : "mm";
            f.sentence = on.name(worst.joint) + (worst.turns ? " jerks by " : " jumps by ") + shortNumber(f.size) + " " + f.unit +
                         " at frame " + std::to_string(worst.frame + 1) + " of " + clip +
                         (joints.size() > 1 ? ", and " + std::to_string(joints.size() - 1) + " more with it." : ".");
            out.push_back(std::move(f));
        }
        from = to;
    }
}

void flips(const Checked& on, const rig::Clip& clip, const std::string& label, std::vector<Finding>& out) {
    int keys = 0, joint = rig::kNoJoint;
    for (const rig::Channel& c : clip.channels) {
        if (c.path != rig::Path::Turn || c.interpolation != rig::Interpolation::Linear || c.width != 4) continue;
        for (std::size_t k = 4; k + 3 < c.values.size(); k += 4) {
            double dot = 0;
            for (std::size_t i = 0; i < 4; ++i) dot += static_cast<double>(c.values[k + i]) * c.values[k + i - 4];
            if (dot >= 0) continue;
            ++keys;
            if (joint == rig::kNoJoint) joint = c.joint;
        }
    }
    if (keys == 0) return;
    Finding f = on.about("flip", Severity::Note, joint);
    f.clip = label;
    f.size = keys;
    f.unit = "keys";
    f.sentence = std::to_string(keys) + (keys == 1 ? " key" : " keys") + " of " + label + ", the first on " + on.name(joint) +
                 ", go the long way round as numbers: some tools turn by a whole turn there. Bakes write the short way.";
    out.push_back(std::move(f));
}

bool saysLoop(std::string name) {
    for (char& c : name) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    for (const char* word : {"loop", "cycle", "idle", "walk", "run", "jog", "trot", "gallop", "breath", "swim", "fly"})
        if (name.find(word) != std::string::npos) return true;
    return false;
}

/// Whether a clip's ends meet: see endsOf.
void seam(const Checked& on, const Sampled& c, const std::string& clip, const std::vector<double>& reach,
          std::vector<Finding>& out) {
    if (c.frames < 6) return;
    const ClipEnds ends = endsOf(on.actor, c.track, reach);
    const double gap = ends.gap;
    if (gap == 0 || ends.is == ClipEnds::Class::Closes || ends.is == ClipEnds::Class::OneMore) return;
    const int missing = ends.missing;
    const bool isShort = ends.is == ClipEnds::Class::Short, nearly = ends.is == ClipEnds::Class::Nearly, named = saysLoop(clip);
    if (!isShort && !nearly && !named) return;
    Finding f = on.about("seam", isShort || nearly ? Severity::Look : Severity::Note, rig::kNoJoint);
    f.clip = clip;
    f.rate = 1 / c.dt;
    f.first = c.frames - 1;
    f.last = c.frames - 1;
    f.size = 100 * gap;
    f.unit = "% h";
    f.sentence = isShort ? clip + " ends " + std::to_string(missing) + (missing == 1 ? " frame" : " frames") +
                               " before its first pose comes round again: as a loop it jerks there."
                 : nearly ? clip + " nearly closes: its ends lie " + shortNumber(100 * gap) + " % of the height apart."
                          : clip + " is called a loop, and its ends do not meet.";
    // Frames that are missing are put in; else half the gap is worked off over a fifth of a second at either end.
    const std::string by = isShort ? "missing=" + std::to_string(missing)
                                   : "fade=" + std::to_string(std::max(1, static_cast<int>(std::lround(0.2 / c.dt))));
    f.repair = {"close-clip:actor=" + on.entry.id + ",clip=" + asArgument(clip) + "," + by};
    out.push_back(std::move(f));
}

void firstFrame(const Checked& on, const Sampled& c, const std::string& clip, const std::vector<double>& reach,
                const std::vector<std::string>& repair, std::vector<Finding>& out) {
    if (c.frames < 8) return;
    std::vector<double> steps;
    for (int f = 1; f + 1 < c.frames && f < 60; ++f) steps.push_back(stepBetween(on.actor, c.track, reach, f, f + 1));
    const double first = stepBetween(on.actor, c.track, reach, 0, 1);
    if (first < kApartLeast || first < kApart * quantile(steps, 0.9)) return;
    Finding f = on.about("first-frame", Severity::Look, rig::kNoJoint);
    f.clip = clip;
    f.rate = 1 / c.dt;
    f.first = 0;
    f.last = 1;
    f.size = first / std::max(median(steps), 1e-6);
    f.unit = "x";
    f.sentence = "The first frame of " + clip + " stands apart from the rest, as a T pose does: whatever swings is thrown by it.";
    f.repair = repair;
    out.push_back(std::move(f));
}

void pivotTravel(const Checked& on, const Sampled& c, const std::string& clip, std::vector<Finding>& out) {
    const std::vector<double> scale = rig::scalesAbove(on.actor);
    for (int j = 0; j < on.skeleton.size(); ++j) {
        const int up = on.skeleton.joint(j).parent;
        // What carries the whole body travels, and what moves on its own where nothing above it moves.
        if (c.track.holdsStill(j) || up == rig::kNoJoint || on.carried[static_cast<std::size_t>(up)] == 0 ||
            on.carried[static_cast<std::size_t>(j)] == 0)
            continue;
        Eigen::AlignedBox3d box;
        for (int f = 0; f < c.frames; ++f) box.extend(c.track.at(j, f).t);
        const double travel = box.diagonal().norm() * scale[static_cast<std::size_t>(j)];
        if (travel <= kSlides * on.h) continue;
        Finding f = on.about("pivot-travel", Severity::Note, j);
        f.clip = clip;
        f.rate = 1 / c.dt;
        f.first = 0;
        f.last = c.frames - 1;
        f.size = travel * on.millimetres;
        f.unit = "mm";
        f.sentence = on.name(j) + " slides by " + shortNumber(f.size) + " mm against " + on.name(up) + " in " + clip +
                     ": it stretches what lies between.";
        out.push_back(std::move(f));
    }
}

}  // namespace

void checkClips(const Checked& on, std::vector<Finding>& out, const Cancel& cancel) {
    const std::vector<double> reach = reachesOf(on.actor, on.surface);
    for (std::size_t k = 0; k < on.actor.clips.size(); ++k) {
        if (cancel.asked()) throw Cancelled{};
        const std::string label = on.actor.clipLabel(static_cast<int>(k));
        const Sampled c = sampled(on.actor, static_cast<int>(k), cancel);
        pops(on, c, label, reach, out);
        flips(on, on.actor.clips[k], label, out);
        firstFrame(on, c, label, reach, {"cut-first:actor=" + on.entry.id + ",clip=" + asArgument(label)}, out);
        seam(on, c, label, reach, out);
        pivotTravel(on, c, label, out);
    }
}

}  // namespace nutatio::measure
