// Every layer kind, by an explicit line each.
#pragma once

#include <span>

#include "base/error.h"
#include "layers/layer_kind.h"

namespace nutatio::layers {

std::span<const LayerKind* const> kinds();
/// nullptr when there is no such kind.
const LayerKind* findKind(std::string_view id);

/// One kind more for as long as this lives: a test's own.
class ExtraKind {
  public:
    explicit ExtraKind(const LayerKind& kind);
    ~ExtraKind();
    ExtraKind(const ExtraKind&) = delete;
    ExtraKind& operator=(const ExtraKind&) = delete;
};

/// The table that describes a thing of the scene; empty when there is none.
scene::Table tableOf(const scene::Scene& scene, const scene::Owner& owner);

/// A new layer of `kind` on `joints` (references) of `actor`, with the table's defaults and an id of its own.
scene::Layer newLayer(const LayerKind& kind, const scene::Scene& scene, const scene::ActorEntry& actor,
                      std::vector<std::string> joints);

/// Joints for which a layer without problem has rows with a value for each of them, with those rows; none of a kind that is posed
/// by hand.
struct JointRows {
    int joint = rig::kNoJoint;
    std::vector<const scene::SettingSpec*> rows;
};
std::vector<JointRows> rowsByJoint(const LayerKind& kind, const rig::Actor& actor, const scene::Layer& layer);

/// Reads `text` as a value of `spec`: a number, axes or "none", joints joined by "+". Errors: what is wrong, in one sentence.
Result<scene::Value> parseValue(const scene::SettingSpec& spec, std::string_view text, const rig::Actor& actor);

/// By joint: whether some layer of the scene makes it swing as part of a chain.
std::vector<bool> swungJoints(const scene::Scene& scene, const scene::ActorEntry& actor);

/// Makes all values and keys fit their tables: missing ones get the default, numbers out of range the nearest in range,
/// wrong types the default, while the file keeps what this version cannot use. Returns a sentence for each repair, and for each
/// layer or collider that cannot act.
std::vector<std::string> settle(scene::Scene& scene);

}  // namespace nutatio::layers
