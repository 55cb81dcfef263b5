// What a layer shows of itself on the stage: marks to look at and handles to drag. All are plain values; how they are drawn and
// picked is the interface's affair.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "rig/track.h"
#include "scene/scene.h"

namespace nutatio::layers {

struct Told;

/// Something drawn over the scene. Places are in the world [m].
struct Mark {
    enum class Form { Line, Dots, Ring, Arrow };
    /// What it stands for decides how it is coloured.
    enum class Tone {
        Quiet,     // how it would be without the layer, and lines that only lead the eye
        Moved,     // what the layer makes
        Standing,  // what stands, or is chosen
        Force,     // what pushes or throws
        Notable,   // what a person should look at
    };
    Form form = Form::Line;
    Tone tone = Tone::Quiet;
    std::vector<Vec3> points;    // of a line, or of each dot; a ring's centre; an arrow's root and tip
    double width = 2;            // of lines, or across dots [px]
    double strength = 1;         // 0: not to be seen
    double radius = 0;           // of a ring [m]
    Vec3 normal = Vec3::Zero();  // of its plane; zero: it faces who looks
    bool dashed = false;
    bool haloed = false;    // with a pale edge, to be seen on any ground
    bool ofJoints = false;  // goes where the joints are hidden
};

/// Something that a hand takes hold of. Named by the kind.
struct Handle {
    std::string id;
    Vec3 place = Vec3::Zero();  // in the world [m]
    bool whole = false;         // the one that carries all of it: drawn larger
    bool ofJoints = false;
    /// It goes over the surface of what hangs on that joint, and stays where the mouse is beside it.
    int over = rig::kNoJoint;
};

/// A layer as it is on show in a frame.
struct OnShow {
    const rig::Actor& actor;
    const scene::Layer& layer;
    const scene::Resolved& settings;  // as they hold in the frame
    int frame = 0;
    scene::Placement placement;      // of the actor
    std::span<const Affine> worlds;  // of the actor's joints, in the world [m]
    const Told* told = nullptr;      // null: the layer has not run
    /// The motion below and above it; null: not known. Put together when asked for: most kinds do not look at it.
    std::function<std::shared_ptr<const rig::Track>()> below, above;
    int chosen = rig::kNoJoint;   // whose rows are on show, of a layer with rows by joint
    Vec3 eye = Vec3::Zero();      // of who looks [m]
    double size = 1, ground = 0;  // of what stands on the stage, and where its ground is drawn [m]
    /// Where a mount stands in the world [m]; identity of the world, nothing of what is not there.
    std::function<std::optional<Affine>(const scene::Mount&)> carrier;
};

using Changes = std::vector<std::pair<std::string, double>>;

/// The facet of kinds that show themselves; each may be null.
struct Showing {
    std::vector<Mark> (*marks)(const OnShow&) = nullptr;
    std::vector<Handle> (*handles)(const OnShow&) = nullptr;
    /// Settings of the layer, with the values that put a handle to a place in the world [m]; whatever lies out of range is
    /// brought into it by who asks.
    Changes (*drag)(const OnShow&, const Handle&, const Vec3& to) = nullptr;
};

Mark lineMark(std::vector<Vec3> points, Mark::Tone tone, double width, double strength = 1);
Mark dotMark(const Vec3& at, Mark::Tone tone, double across, double strength = 1);
/// Zero `normal`: it faces who looks.
Mark ringMark(const Vec3& centre, double radius, Mark::Tone tone, double width, const Vec3& normal = Vec3::Zero());
/// Rings and lines of a capsule from a to b, its axis along `turn`'s y [m].
std::vector<Mark> capsuleMarks(const Vec3& a, const Vec3& b, double ra, double rb, const Quat& turn, Mark::Tone tone,
                               double width, double strength);

}  // namespace nutatio::layers
