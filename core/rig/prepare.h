// What is done to an actor before anything moves it: edits of a list, made on top of what its file says. The file is never
// altered; hand-off writes into the document what the edits did.
#pragma once

#include <memory>
#include <string>

#include "base/error.h"
#include "rig/actor.h"
#include "rig/paint.h"

namespace nutatio::rig {

/// One edit. Joints that were added stand behind those of the source, so that numbers of joints never change.
struct Preparation {
    enum class What { Rename, AddEnd, AddHelper, Paint };
    What what = What::Rename;
    std::string joint;          // reference, as it was when the edit was made
    std::string name;           // the new name, or that of the new joint
    Vec3 place = Vec3::Zero();  // of a new joint, in the axes of the one it hangs on [units]
    double reach = 0.12;        // of a helper, along the surface [heights]: see rig::shareOf
    Stroke stroke{};            // of Paint: for the joint's weights
    bool operator==(const Preparation&) const = default;
};

std::string_view preparationName(Preparation::What what);
/// False when it is no edit's name.
bool preparationFromName(std::string_view name, Preparation::What& what);

/// The actor with one more edit. Errors: no such joint, an empty name, a name that another joint has, a helper that
/// reaches no skin.
Result<std::shared_ptr<const Actor>> prepared(const Actor& actor, const Preparation& edit);
/// With a row of edits; `failed` is the place in the row of the one that could not be made. Strokes that follow one another are
/// painted in one go.
Result<std::shared_ptr<const Actor>> prepared(std::shared_ptr<const Actor> actor, const std::vector<Preparation>& edits,
                                              std::size_t* failed = nullptr);

}  // namespace nutatio::rig
