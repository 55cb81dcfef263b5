// Actors posed where they stand, ready to be drawn.
#pragma once

#include <optional>

#include "app/stage/camera.h"
#include "app/stage/renderer.h"
#include "pipeline/evaluate.h"
#include "scene/scene.h"

namespace nutatio::app {

/// Worlds of an actor's joints [m, in the scene] for local transforms of all of them.
void worldsInScene(const scene::ActorEntry& actor, const std::vector<Xform>& locals, std::vector<Affine>& worlds);

/// An actor in a frame of its motion; in its rest pose where there is none, or where it is of another skeleton.
Posed posedAt(const scene::ActorEntry& actor, const pipeline::TrackPtr& motion, int frame);

/// The bones of a stick figure, which are all there is to see of an actor without meshes; `into`: the view, in the widget's
/// pixels.
void markBones(const Posed& posed, const Camera& camera, const QRectF& into, const QColor& colour, std::vector<Mark>& marks);

/// Goes along with an actor: by its hips, level, so that its bobbing stays to be seen.
class Follower {
  public:
    void forget() { m_of.reset(); }
    /// How far it has gone since the last step [m]; nothing at the first one of an actor.
    Vec3 step(const Posed& posed);

  private:
    std::optional<Key> m_of;  // content of the actor
    int m_joint = 0;
    Vec3 m_place = Vec3::Zero();
};

}  // namespace nutatio::app
