// A body as a few rigid segments: which joints carry them, what they weigh, how thick they are and how far they turn.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "rig/actor.h"

namespace nutatio::rig {

/// One segment in the rest pose, in the actor's own axes [units]. Its turn there is none: it turns as its joint turns away from
/// rest.
struct FigureSegment {
    int joint = kNoJoint;
    int parent = -1;                                // segment
    double share = 0;                               // of the whole mass
    Vec3 at = Vec3::Zero();                         // the joint
    Vec3 centre = Vec3::Zero();                     // of mass
    Vec3 endA = Vec3::Zero(), endB = Vec3::Zero();  // of its capsule
    double radius = 0;
    std::vector<Vec3> corners;  // its outermost vertices, with which it meets flat ground
    struct Share {
        int joint;
        double share;
    };
    std::vector<std::vector<Share>> skin;  // by corner: joints that its vertex follows, by weights that sum to 1
    bool edged = false;                    // a thing with edges: it meets boxes with them too
    // How far it turns against its parent: a swing off `middle` within an ellipse, after a twist about `axis`.
    Quat middle = Quat::Identity();
    Vec3 axis = Vec3::UnitY(), side = Vec3::UnitX();  // the bone; about which the first swing goes, square to it
    double swingA = 1, swingB = 1, twist = 1;         // half ranges about side, about axis x side, about axis [rad]
};

struct Figure {
    std::vector<FigureSegment> segments;  // parents first
    std::vector<int> segmentOf;           // by joint: the segment that it turns or rides on; -1: none
    std::vector<int> fellow;              // by segment: the one on the other side; itself in the middle
    double height = 1;                    // [units] of the actor
    Vec3 forward = Vec3::UnitZ();         // the way that the rest pose faces, in the actor's axes
    std::vector<std::string> doubts;      // a sentence each, about what had to be guessed

    int find(int joint) const;  // the segment that a joint turns, or -1
};

/// The figure of the joints below `tops`, the roots when there are none. With roles (rolesOf) its segments are trunk, neck, head
/// and limbs to hand and foot and a tail, without bones of less than 4 % of the height; without, joints that carry something, 25
/// at most. Fingers, toes, twist joints, hair and cloth ride on what they hang on. Capsules are fitted to vertices that the
/// segment's joints hold, no thicker than leaves room for the limb on the other side, or go by the proportions of people where
/// there is no mesh; corners are the outermost of its flesh. Ranges cover 98 % of what all clips do and 15 % more, and what a
/// shoulder, elbow, hip or knee does in a fall, unless the clips bend it otherwise. Left and right weigh, measure
/// and turn alike. Kept for the last few actors that were asked for; any thread.
std::shared_ptr<const Figure> figureOf(const Actor& actor, const std::vector<int>& tops = {});

/// The weight of a person as tall [kg], for a height [m].
double usualMass(double height);

}  // namespace nutatio::rig
