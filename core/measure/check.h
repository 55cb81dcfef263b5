// What is wrong with a scene, or worth a look, before anything is tuned: the checks of rigs and clips.
#pragma once

#include <string>
#include <vector>

#include "base/cancel.h"
#include "scene/scene.h"

namespace nutatio::measure {

enum class Severity { Note, Look, Broken };
/// "note", "look", "broken".
std::string_view severityName(Severity severity);

/// One line of a check: where, how bad, what would fix it.
struct Finding {
    std::string kind;  // "pivot", "stray-weights" ...: an id that stays
    Severity severity = Severity::Look;
    std::string actor;  // id of its entry
    std::string joint;  // reference; empty when it is about no joint
    std::string clip;   // label; empty when it is about no clip
    int first = -1;     // frames of the clip at its own key rate, from 0; -1: none
    int last = -1;
    double rate = 0;   // of those frames [1/s]
    double size = 0;   // how large, in `unit`
    std::string unit;  // "mm", "deg", "%", "x", "joints", "vertices" ...
    std::string sentence;
    std::vector<std::string> repair;  // operations that mend it (see edit::carryOut); empty: none
    /// What it shows on the stage: points of rig::Surface that it is about.
    std::vector<std::uint32_t> points;

    /// Names it, whatever its numbers: a finding that was seen and left stays so while the fault does.
    std::string id() const { return kind + "|" + joint + "|" + clip; }
};

/// All findings of a scene's actors, set pieces apart, the worst first; what was seen and left is among them. Throws Cancelled.
std::vector<Finding> check(const scene::Scene& scene, const Cancel& cancel = {});
/// Whether its actor's entry says that it was seen.
bool isSeen(const scene::Scene& scene, const Finding& finding);

}  // namespace nutatio::measure
