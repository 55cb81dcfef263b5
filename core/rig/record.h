// A clip made from poses that were lived through, such as a tug's.
#pragma once

#include "rig/actor.h"

namespace nutatio::rig {

/// A clip on the frame grid of `fps` from `samples` (locals of all joints) taken `rate` times a second, smoothed over about a
/// frame so that a shaking hand does not show. Only joints that move get channels. Needs at least two samples.
Clip clipOfSamples(const Actor& actor, const std::vector<std::vector<Xform>>& samples, double rate, double fps, std::string name);

/// The actor with one clip more; everything else as it was.
std::shared_ptr<const Actor> withClip(const Actor& actor, Clip clip);
/// The actor without one of its clips.
std::shared_ptr<const Actor> withoutClip(const Actor& actor, int clip);

}  // namespace nutatio::rig
