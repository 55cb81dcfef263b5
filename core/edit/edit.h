// What can be done to a scene, as plain functions: the application's commands and the command line call these. Each leaves the
// scene as it is when what it names is not there.
#pragma once

#include "base/error.h"
#include "layers/layer_kind.h"
#include "scene/scene.h"

namespace nutatio::edit {

/// A layer of `kind` on joints (references) of an actor, above the others. Returns its id, empty when it cannot be made.
std::string addLayer(scene::Scene& scene, std::string_view kind, const std::string& actor, std::vector<std::string> joints);
/// Moves a layer up (above 0) or down the stack by so many places.
void moveLayer(scene::Scene& scene, const std::string& layer, int by);
/// A copy of a layer right above it, or of a collider, wind or pin, with its keys in every shot. Returns its id.
std::string duplicate(scene::Scene& scene, const scene::Owner& owner);

/// Puts a layer, collider or pin on the other side of its actor too: joints are exchanged for their fellows there (see
/// rig::sidesOf), places and turns mirrored, and what already stands there takes its values. Returns the id of what stands there
/// now; says so where there is no other side.
Result<std::string> mirror(scene::Scene& scene, const scene::Owner& owner);

/// A set piece of a form ("floor", "block" ...) beside the first actor. Returns its id, empty when there is no such form.
std::string addPiece(scene::Scene& scene, std::string_view form);

/// A collider on a joint. Returns its id.
std::string addCollider(scene::Scene& scene, const std::string& actor, const std::string& joint, scene::Shape shape);
/// Colliders fitted to the mesh of an actor; returns how many.
int fitColliders(scene::Scene& scene, const std::string& actor);
/// Leaves a collider standing in the world where it is when the joint it rides on is at `world` [units of its actor].
void standInWorld(scene::Scene& scene, const std::string& collider, const Affine& world);

/// A wind beside an actor. Returns its id.
std::string addWind(scene::Scene& scene, const std::string& actor);
/// Lets a wind blow on a layer or not. A wind for nobody is a wind that is off.
void blowOn(scene::Scene& scene, const std::string& wind, const std::string& layer, bool on);

/// A pin that holds a joint where `worlds` have it [units of its actor]. Returns its id.
std::string addPin(scene::Scene& scene, const std::string& actor, int joint, const std::vector<Affine>& worlds);
/// Holds it to a joint of any actor.
void pinTo(scene::Scene& scene, const std::string& pin, const std::string& actor, const std::string& joint);

/// Takes something away, with all that refers to it.
void remove(scene::Scene& scene, const scene::Owner& owner);
void rename(scene::Scene& scene, const scene::Owner& owner, const std::string& name);
/// Switches a collider, wind or pin on or off; shows or hides an actor.
void turnOn(scene::Scene& scene, const scene::Owner& owner, bool on);
bool isOn(const scene::Scene& scene, const scene::Owner& owner);

/// A value for a frame of the shot on show: a key there where the setting has keys, else its plain value.
void set(scene::Scene& scene, const scene::Owner& owner, std::string_view setting, const scene::Value& value, int frame);
/// Sets a key at a frame, or takes the one there away; the last one leaves its value behind.
void toggleKey(scene::Scene& scene, const scene::Owner& owner, std::string_view setting, int frame);
/// Marks a cut at a frame of the shot on show, or takes it away.
void markCut(scene::Scene& scene, int frame);

/// Does something to an actor before anything moves it; what refers to a joint that is renamed follows. Errors as rig::prepared.
Result<Done> prepare(scene::Scene& scene, const std::string& actor, const rig::Preparation& edit);

/// Takes away one of an actor's preparations, with what was done since to the joints that it made. What refers to a joint that
/// is gone goes too; a name that it gave is the old one again. Errors: a later step that needs it.
Result<Done> unprepare(scene::Scene& scene, const std::string& actor, std::size_t which);
/// Takes away a joint that was made here; one of a chain takes the chain along.
Result<Done> removeJoint(scene::Scene& scene, const std::string& actor, const std::string& joint);

/// A chain of joints through places of the rest pose [units, the actor's world], the last of which is its end: see
/// rig::chainShares for `reach` [heights]. It hangs on `joint`, or on what moves the surface where it begins. Returns the names
/// of the joints that were made.
Result<std::vector<std::string>> addChain(scene::Scene& scene, const std::string& actor, const std::string& joint,
                                          const std::string& name, const std::vector<Vec3>& row, double reach);
/// Puts a joint at a place of the rest pose [units, the actor's world] without moving its mesh: see rig::movePivot.
Result<Done> movePivot(scene::Scene& scene, const std::string& actor, const std::string& joint, const Vec3& place, bool keeps);
/// Makes the fellow of a joint or chain that was made here. Returns the names of the joints that were made.
Result<std::vector<std::string>> mirrorJoint(scene::Scene& scene, const std::string& actor, const std::string& joint);
/// Lets brushes leave the weights of joints (references) as they are, or not any more.
void lockWeights(scene::Scene& scene, const std::string& actor, const std::vector<std::string>& joints, bool lock);

/// A helper joint at a place of the rest pose [units, the actor's world], with the skin within `reach` [heights] along the
/// surface. It hangs on `joint`, or on what moves the surface there when that is empty; `both`: its picture on the other side is
/// made too. Returns the names of the joints that were made.
Result<std::vector<std::string>> addHelper(scene::Scene& scene, const std::string& actor, const std::string& joint,
                                           const std::string& name, const Vec3& place, double reach, bool both);
/// Gives every joint of an actor that has no name, or one that others have, a name of its own.
Result<Done> nameJoints(scene::Scene& scene, const std::string& actor);
/// Marks a cut after the first frame in every shot in which the actor plays the clip: what stands apart there throws nothing.
void cutFirst(scene::Scene& scene, const std::string& actor, const std::string& clip);
/// Leaves a finding of an actor as it is, or looks at it again: see measure::Finding::id.
void leaveFinding(scene::Scene& scene, const std::string& actor, const std::string& finding, bool leave);

/// Shows a shot.
void showShot(scene::Scene& scene, const std::string& shot);
/// Shows the first shot that an actor leads with a clip, or makes one.
void playClip(scene::Scene& scene, const std::string& actor, const std::string& clip);
/// The rate of every shot; keys and cuts stay where they are in seconds.
void setRate(scene::Scene& scene, double fps);
/// A clip that was made here, as one of the actor's, and a shot of it, which is shown.
void addClip(scene::Scene& scene, const std::string& actor, rig::Clip clip);

}  // namespace nutatio::edit
