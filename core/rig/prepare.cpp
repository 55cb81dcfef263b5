#include "rig/prepare.h"

namespace nutatio::rig {

std::string_view preparationName(Preparation::What what) {
    return what == Preparation::What::Rename ? "rename" : "add-end";
}

bool preparationFromName(std::string_view name, Preparation::What& what) {
    for (const Preparation::What w : {Preparation::What::Rename, Preparation::What::AddEnd})
        if (preparationName(w) == name) {
            what = w;
            return true;
        }
    return false;
}

Result<std::shared_ptr<const Actor>> prepared(const Actor& actor, const Preparation& edit) {
    const int joint = actor.skeleton.find(edit.joint);
    if (joint == kNoJoint) return Error{"", "", "there is no joint \"" + edit.joint + "\""};
    if (edit.name.empty() || edit.name.front() == '#') return Error{"", "", "a joint's name is neither empty nor a number"};
    if (const int other = actor.skeleton.find(edit.name);
        other != kNoJoint && (edit.what == Preparation::What::AddEnd || other != joint))
        return Error{"", "", "there is a joint \"" + edit.name + "\" already"};
    if (!edit.place.allFinite()) return Error{"", "", "the place of a joint is not finite"};
    auto out = std::make_shared<Actor>(actor);
    std::vector<Joint> joints = actor.skeleton.joints();
    for (Joint& j : joints) j.children.clear();
    if (edit.what == Preparation::What::Rename) {
        joints[static_cast<std::size_t>(joint)].name = edit.name;
    } else {
        Joint end;
        end.name = edit.name;
        end.parent = joint;
        end.rest.t = edit.place;
        joints.push_back(std::move(end));
    }
    out->skeleton = Skeleton(std::move(joints));
    out->isSkinJoint.resize(static_cast<std::size_t>(out->skeleton.size()), false);
    // The end of a skinned chain is seen and picked as the chain is.
    if (edit.what == Preparation::What::AddEnd) out->isSkinJoint.back() = actor.isSkinJoint[static_cast<std::size_t>(joint)];
    out->keyMotion();
    return std::shared_ptr<const Actor>(std::move(out));
}

}  // namespace nutatio::rig
