// What is set by hand: channels of layers whose kind is posed, and keys that rest.
#pragma once

#include <set>
#include <string>
#include <utility>
#include <vector>

#include "base/cancel.h"
#include "base/error.h"
#include "edit/keys.h"
#include "edit/references.h"
#include "pipeline/evaluate.h"

namespace nutatio::edit {

struct Across;

/// The first kind whose layers are posed by hand; null where there is none.
const layers::LayerKind* handKind();
bool isPosed(const scene::Layer& layer);

/// Lets a layer that is posed act on further joints (references). Errors: no such layer, or a joint that is not there.
Result<Done> touch(scene::Scene& scene, const std::string& layer, const std::vector<std::string>& joints);
/// Joints are left as they are below a layer: their channels go, with keys and feeds. The last one stays among its joints.
void untouch(scene::Scene& scene, const std::string& layer, const std::vector<std::string>& joints);
/// Sets channels for a frame, each as edit::set does. `key`: with a key there, whether or not it had any.
void pose(scene::Scene& scene, const std::string& layer, const std::vector<std::pair<std::string, double>>& values, int frame,
          bool key);
/// A key at a frame for every channel of these joints that has a value; turns, ways and sizes as wholes.
void keyPose(scene::Scene& scene, const std::string& layer, const std::vector<std::string>& joints, int frame);

/// Other joints of its part, as far as the layer acts on them, are held back as a joint is: by its value, keys and feed.
void holdPartBack(scene::Scene& scene, const std::string& layer, const std::string& joint);

/// The keys of a setting in the shot on show rest, and it holds the value of a frame; or they count again. Errors: none to rest,
/// or none that rest.
Result<Done> restKeys(scene::Scene& scene, const scene::Owner& owner, const std::string& setting, int frame);
Result<Done> wakeKeys(scene::Scene& scene, const scene::Owner& owner, const std::string& setting);
bool keysRest(const scene::Scene& scene, const scene::Owner& owner, const std::string& setting);

/// Keys are repeated half of the shot's length later, going round: those of a joint's turns and ways on the joint of the other
/// side, as seen in a mirror, so that a middle joint's sideways ones are reversed; others as they are. Returns where the new ones
/// stand. Errors: no keys, or a shot of one frame.
Result<std::vector<KeyOf>> repeatHalf(scene::Scene& scene, const std::vector<KeyOf>& keys);

/// How far keys may lead from what layers made.
struct HandTolerance {
    double angleDeg = 0.1;
    double heightShare = 1e-3;
};
/// Channels of a layer that is posed by hand which lead some joints from one motion to another: keys where they change, plain
/// values where they hold all through and `only` this shot plays. Frames at `fps`. Throws Cancelled.
void putMotion(scene::Layer& layer, scene::KeysOf& keys, const std::set<int>& joints, const rig::Actor& actor,
               const rig::Track& below, const rig::Track& above, const HandTolerance& tolerance, double fps, bool only,
               const Cancel& cancel = {});
/// What layers make of an actor's joints and morph weights becomes one layer that is posed by hand, with keys in every shot that
/// the actor plays in; they are taken away. Keys are as few as the tolerance lets. Errors: layers of several actors, one that
/// stands between them, one that has a problem or moves vertices; nothing that they move. Throws Cancelled.
Result<std::string> intoHand(scene::Scene& scene, const std::vector<std::string>& layers, const HandTolerance& tolerance,
                             pipeline::Evaluator& evaluator, const Cancel& cancel, const Progress& progress = {});

/// Channels of a layer's joints follow (see followJoints); those of joints that are gone go.
void followChannels(scene::Scene& scene, const std::string& layer, const Followed& followed);
/// The same for a layer that is in no shot yet.
void followChannels(scene::Layer& layer, const Followed& followed);
/// Channels of a layer, which are those of the other side still, as seen in a mirror.
void mirrorChannels(scene::Scene& scene, const std::string& layer, const Across& across);

}  // namespace nutatio::edit
