// What can be done to a scene, as plain functions: the application's commands and the command line call these. Each leaves the
// scene as it is when what it names is not there.
#pragma once

#include <optional>

#include "base/error.h"
#include "layers/layer_kind.h"
#include "scene/scene.h"

namespace nutatio::edit {

/// A layer of `kind` on joints (references) of an actor, above the others. Returns its id, empty when it cannot be made.
std::string addLayer(scene::Scene& scene, std::string_view kind, const std::string& actor, std::vector<std::string> joints);
/// Moves a layer up (above 0) or down the stack by so many places. Errors: a ring (see ringIn).
Result<Done> moveLayer(scene::Scene& scene, const std::string& layer, int by);
/// A copy of a layer right above it, or of a collider, wind, pin or gauge, with its keys in every shot. Returns its id.
std::string duplicate(scene::Scene& scene, const scene::Owner& owner);

/// A part that suits a kind of layer, with what a layer would act on there: its topmost joints (references).
struct Suited {
    std::string part;
    std::vector<std::string> joints;
};
/// Parts of an actor, accepted or suggested, that suit a kind and that no layer moves yet.
std::vector<Suited> suitedTo(const scene::Scene& scene, std::string_view kind, const std::string& actor);
/// One layer of a kind on all that suits it, or on what of it is named. Returns its id, empty when there is nothing.
std::string addLayerTo(scene::Scene& scene, std::string_view kind, const std::string& actor, const std::vector<Suited>& parts);

/// Sets one chain or joint of a layer apart from the rest in one setting (see Layer::apart), or back with them: no value. Errors:
/// no such layer, joint or setting, or one that is the same for all.
Result<Done> setApart(scene::Scene& scene, const std::string& layer, const std::string& joint, std::string_view setting,
                      std::optional<double> value);
/// The chains or joints that a layer acts on become layers of their own, one each, where it stands: settings, keys and what is
/// set apart go with them. Returns their ids.
Result<std::vector<std::string>> splitLayer(scene::Scene& scene, const std::string& layer);
/// The first layer takes over what the others act on; where they are set otherwise that is set apart. Errors: layers of several
/// kinds or actors.
Result<Done> mergeLayers(scene::Scene& scene, const std::vector<std::string>& layers);
/// Gives other things of the same list what one is set to, with its profiles and keys, but for what it acts on and where it
/// stands. Layers of another kind take what they have in common.
Result<Done> copySettings(scene::Scene& scene, const scene::Owner& from, const std::vector<scene::Owner>& to);

/// Puts a layer, collider or pin on the other side of its actor too: joints are exchanged for their fellows there (see
/// rig::sidesOf), places and turns mirrored, and what already stands there takes its values. Returns the id of what stands there
/// now; says so where there is no other side.
Result<std::string> mirror(scene::Scene& scene, const scene::Owner& owner);

/// A set piece of a form ("floor", "block" ...) beside the first actor. Returns its id, empty when there is no such form.
std::string addPiece(scene::Scene& scene, std::string_view form);

/// A collider on a joint. Returns its id.
std::string addCollider(scene::Scene& scene, const std::string& actor, const std::string& joint, scene::Shape shape);
/// Colliders fitted to the mesh of an actor; returns how many. With joints (references) named: on those alone, strands or not,
/// and on what is thinner than a body.
int fitColliders(scene::Scene& scene, const std::string& actor, const std::vector<std::string>& joints = {});
/// Leaves a collider standing in the world where it is when the joint it rides on is at `world` [units of its actor].
void standInWorld(scene::Scene& scene, const std::string& collider, const Affine& world);

/// A wind beside an actor. Returns its id.
std::string addWind(scene::Scene& scene, const std::string& actor);
/// Lets a wind blow on a layer or not. A wind for nobody is a wind that is off.
void blowOn(scene::Scene& scene, const std::string& wind, const std::string& layer, bool on);

/// The setting by which a layer lets bodies be; null where its kind meets none.
const scene::SettingSpec* passesOf(const scene::Layer& layer);
/// Whether a layer minds a body: the id of a collider or a set piece.
bool meets(const scene::Layer& layer, const std::string& body);
/// Lets a layer mind bodies, or pass through them.
void meet(scene::Scene& scene, const std::string& layer, const std::vector<std::string>& bodies, bool minds);

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
/// Puts a thing out of sight, or shows it: what it does, it does. Layers are not seen.
void hide(scene::Scene& scene, const scene::Owner& owner, bool hidden);
/// Locks a thing against accidents, or lets it be changed again: see scene::lockedChange.
void lock(scene::Scene& scene, const scene::Owner& owner, bool on);
/// Lets a layer act in the shot on show alone, or in all.
void actHere(scene::Scene& scene, const std::string& layer, bool alone);

/// A value for a frame of the shot on show: a key there where the setting has keys, else its plain value.
void set(scene::Scene& scene, const scene::Owner& owner, std::string_view setting, const scene::Value& value, int frame);
/// Its plain value, which holds where the setting has no keys; the mesh of a set piece is made anew.
void setPlain(scene::Scene& scene, const scene::Owner& owner, std::string_view setting, const scene::Value& value);
/// Sets a key at a frame, or takes the one there away; the last one leaves its value behind.
void toggleKey(scene::Scene& scene, const scene::Owner& owner, std::string_view setting, int frame);
/// Marks a cut at a frame of the shot on show, or takes it away.
void markCut(scene::Scene& scene, int frame);

/// Says how tall an actor stands [m], in place of what was said before; 0: as tall as its file makes it. Gravity, mass and all that
/// is told in metres follow; the file's units stay. Errors as rig::prepared.
Result<Done> standTall(scene::Scene& scene, const std::string& actor, double metres);
/// Says what a joint is (rig::kRolesToTell), in place of what was said before of it, or of another joint; empty: what names, shape
/// and mesh tell. Errors as rig::prepared.
Result<Done> tellRole(scene::Scene& scene, const std::string& actor, const std::string& joint, const std::string& role);
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
/// Maps of an actor, by name. Errors: a name that is empty or taken, what rig::mapValues finds, a map that others are made of.
Result<Done> addMap(scene::Scene& scene, const std::string& actor, const std::string& name, std::vector<rig::MapStep> steps);
Result<Done> addMapStep(scene::Scene& scene, const std::string& actor, const std::string& map, const rig::MapStep& step);
Result<Done> removeMapStep(scene::Scene& scene, const std::string& actor, const std::string& map, std::size_t step);
Result<Done> paintMap(scene::Scene& scene, const std::string& actor, const std::string& map, const rig::Stroke& stroke);
Result<Done> renameMap(scene::Scene& scene, const std::string& actor, const std::string& map, const std::string& name);
Result<Done> removeMap(scene::Scene& scene, const std::string& actor, const std::string& map);
/// Its values by point of the actor's surface.
Result<std::vector<float>> mapOf(const scene::Scene& scene, const std::string& actor, const std::string& map,
                                 const rig::Surface& surface);

/// Parts of an actor, by name: named sets of joints. Errors: a name that is empty or taken, a joint that is not there.
Result<Done> addPart(scene::Scene& scene, const std::string& actor, const std::string& name, std::vector<std::string> joints);
Result<Done> renamePart(scene::Scene& scene, const std::string& actor, const std::string& part, const std::string& name);
/// The joints of the others go to the first one.
Result<Done> mergeParts(scene::Scene& scene, const std::string& actor, const std::vector<std::string>& parts);
/// What of a part hangs on a joint, with that, becomes a part of its own.
Result<Done> splitPart(scene::Scene& scene, const std::string& actor, const std::string& part, const std::string& joint,
                       const std::string& name);
Result<Done> colourPart(scene::Scene& scene, const std::string& actor, const std::string& part, int colour);
Result<Done> removePart(scene::Scene& scene, const std::string& actor, const std::string& part);
/// Accepts every part that names and skeleton suggest and none of which a joint has yet; returns how many.
int acceptParts(scene::Scene& scene, const std::string& actor);
/// Marks a part, or a map's region, as one that is not to be deformed, or not any more.
Result<Done> markRigid(scene::Scene& scene, const std::string& actor, const std::string& partOrMap, bool rigid);
/// The skin of the rigid region that a part or map marks lets go of a joint.
Result<Done> release(scene::Scene& scene, const std::string& actor, const std::string& partOrMap, const std::string& joint);

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
