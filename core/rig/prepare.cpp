#include "rig/prepare.h"

#include <algorithm>

#include "rig/helper.h"
#include "rig/pivot.h"
#include "rig/roles.h"

namespace nutatio::rig {

namespace {

constexpr std::pair<Preparation::What, std::string_view> kKinds[] = {
    {Preparation::What::Rename, "rename"},        {Preparation::What::AddEnd, "add-end"},
    {Preparation::What::AddHelper, "add-helper"}, {Preparation::What::AddChain, "add-chain"},
    {Preparation::What::MovePivot, "move-pivot"}, {Preparation::What::HangOn, "hang-on"},
    {Preparation::What::Release, "release"},      {Preparation::What::Paint, "paint"},
    {Preparation::What::Height, "height"},        {Preparation::What::Role, "role"}};
constexpr std::size_t kMostJoints = 64;  // of a chain

/// Gives new joints their shares of the skin. In the rest pose they move it as what they hang on does, so that nothing changes
/// there.
std::shared_ptr<const Actor> weighed(const Actor& a, const std::vector<std::pair<int, std::vector<float>>>& shares) {
    Painter painter(a);
    for (std::uint32_t v = 0; v < painter.surface().places.size(); ++v) {
        // One after the other: what comes later takes of what came before, too.
        float left = 1;
        for (auto each = shares.rbegin(); each != shares.rend(); ++each) left -= each->second[v];
        for (const auto& [joint, share] : shares) {
            left += share[v];
            if (share[v] > 0 && left > 0) painter.give(v, joint, share[v] / left);
        }
    }
    if (!painter.touchedSkin()) throw Failure("", "nothing of a skin lies within its reach");
    return painter.painted();
}

std::shared_ptr<Actor> withJoints(const Actor& actor, const std::vector<Joint>& more) {
    auto out = std::make_shared<Actor>(actor);
    std::vector<Joint> joints = actor.skeleton.joints();
    for (Joint& j : joints) j.children.clear();
    joints.insert(joints.end(), more.begin(), more.end());
    out->skeleton = Skeleton(std::move(joints));
    out->isSkinJoint.resize(static_cast<std::size_t>(out->skeleton.size()), false);
    return out;
}

Joint made(std::string name, int parent, const Vec3& place) {
    Joint j;
    j.name = std::move(name);
    j.parent = parent;
    j.rest.t = place;
    j.made = true;
    return j;
}

std::shared_ptr<const Actor> withChain(const Actor& actor, const Preparation& edit, int parent) {
    const std::size_t joints = edit.row.size() - 1;
    std::vector<Joint> more;
    for (std::size_t k = 0; k <= joints; ++k)
        more.push_back(made(chainJoint(edit.name, k, joints), k == 0 ? parent : actor.skeleton.size() + static_cast<int>(k) - 1,
                            k == 0 ? edit.row[0] : Vec3(edit.row[k] - edit.row[k - 1])));
    const auto out = withJoints(actor, more);
    std::vector<Affine> worlds;
    worldTransforms(out->skeleton, out->restPose(), worlds);
    std::vector<Vec3> row;
    for (std::size_t k = 0; k <= joints; ++k) row.push_back(worlds[static_cast<std::size_t>(actor.skeleton.size()) + k].t);
    std::vector<std::vector<float>> shares = chainShares(actor, Surface::of(actor), parent, row, edit.reach * actor.height);
    std::vector<std::pair<int, std::vector<float>>> by;
    for (std::size_t k = 0; k < joints; ++k) by.emplace_back(actor.skeleton.size() + static_cast<int>(k), std::move(shares[k]));
    return weighed(*out, by);
}

std::shared_ptr<const Actor> released(const Actor& actor, const Preparation& edit, int joint) {
    Map region;
    region.steps = edit.region;
    Painter painter(actor);
    const auto values = mapValues(actor, painter.surface(), region, {});
    if (!values) throw Failure(values.error());
    for (std::uint32_t v = 0; v < values.value().size(); ++v)
        if (values.value()[v] > 0.5f && painter.share(v, joint) > 0) painter.give(v, joint, 0);
    return painter.painted();
}

std::shared_ptr<const Actor> with(const Actor& actor, const Preparation& edit, int joint) {
    const auto at = static_cast<std::size_t>(std::max(0, joint));
    switch (edit.what) {
        case Preparation::What::Rename: {
            auto out = std::make_shared<Actor>(actor);
            std::vector<Joint> joints = actor.skeleton.joints();
            for (Joint& j : joints) j.children.clear();
            joints[at].name = edit.name;
            out->skeleton = Skeleton(std::move(joints));
            out->keyMotion();
            return out;
        }
        case Preparation::What::AddEnd: {
            auto out = withJoints(actor, {made(edit.name, joint, edit.place)});
            // The end of a skinned chain is seen and picked as the chain is.
            out->isSkinJoint.back() = actor.isSkinJoint[at];
            out->keyMotion();
            return out;
        }
        case Preparation::What::AddHelper: {
            const auto out = withJoints(actor, {made(edit.name, joint, edit.place)});
            std::vector<Affine> worlds;
            worldTransforms(out->skeleton, out->restPose(), worlds);
            return weighed(*out, {{out->skeleton.size() - 1,
                                   shareOf(actor, Surface::of(actor), joint, worlds.back().t, edit.reach * actor.height)}});
        }
        case Preparation::What::AddChain:
            return withChain(actor, edit, joint);
        case Preparation::What::MovePivot: {
            auto out = std::make_shared<Actor>(actor);
            movePivot(*out, joint, edit.place, edit.keeps);
            return out;
        }
        case Preparation::What::HangOn: {
            auto out = std::make_shared<Actor>(actor);
            hangOn(*out, joint, actor.skeleton.find(edit.onto));
            return out;
        }
        case Preparation::What::Release:
            return released(actor, edit, joint);
        case Preparation::What::Height: {
            auto out = std::make_shared<Actor>(actor);
            out->metresPerUnit = edit.metres / actor.height;
            out->keyMotion();
            return out;
        }
        case Preparation::What::Role: {
            auto out = std::make_shared<Actor>(actor);
            out->told.push_back({joint, edit.name});
            out->keyMotion();
            return out;
        }
        case Preparation::What::Paint:
            break;
    }
    return {};
}

}  // namespace

std::string_view preparationName(Preparation::What what) {
    for (const auto& [known, name] : kKinds)
        if (known == what) return name;
    return {};
}

bool preparationFromName(std::string_view name, Preparation::What& what) {
    for (const auto& [known, called] : kKinds)
        if (called == name) {
            what = known;
            return true;
        }
    return false;
}

std::string chainJoint(const std::string& name, std::size_t at, std::size_t joints) {
    if (at == joints) return name + "_end";
    const std::string number = std::to_string(at + 1);
    return name + "_" + (number.size() < 2 ? "0" + number : number);
}

namespace {

bool isName(const std::string& name) {
    return !name.empty() && name.front() != '#';
}

/// Empty when the edit can be made; what only the making finds apart.
std::string problemOf(const Actor& actor, const Preparation& edit, int joint) {
    using What = Preparation::What;
    if (edit.what == What::Height) {
        if (edit.metres >= kLeastHeight && edit.metres <= kMostHeight) return {};
        return "an actor is between a millimetre and a kilometre tall";
    }
    if (joint == kNoJoint) return "there is no joint \"" + edit.joint + "\"";
    if (!edit.place.allFinite()) return "the place of a joint is not finite";
    const bool spreads = edit.what == What::AddHelper || edit.what == What::AddChain;
    if (spreads && !(edit.reach >= 0 && edit.reach <= 1 && (edit.reach > 0 || edit.what == What::AddChain)))
        return "a helper's reach lies between 0 and 1 heights";
    switch (edit.what) {
        case What::Paint:
            if (!(edit.stroke.radius > 0 && edit.stroke.radius <= 1)) return "a brush's radius lies between 0 and 1 heights";
            if (!(edit.stroke.strength >= 0 && edit.stroke.strength <= 1)) return "a brush's strength lies between 0 and 1";
            return {};
        case What::MovePivot:
        case What::Release:
            return {};
        case What::Role:
            if (std::find(std::begin(kRolesToTell), std::end(kRolesToTell), edit.name) == std::end(kRolesToTell))
                return "\"" + edit.name + "\" is nothing that a joint of a body can be";
            return {};
        case What::HangOn:
            if (!actor.skeleton.joint(joint).made) return "\"" + edit.joint + "\" is the file's own: it hangs where it hangs";
            if (actor.skeleton.find(edit.onto) == kNoJoint) return "there is no joint \"" + edit.onto + "\"";
            return {};
        case What::AddChain:
            if (!isName(edit.name)) return "a joint's name is neither empty nor a number";
            if (edit.row.size() < 3 || edit.row.size() > kMostJoints + 1)
                return "a chain has 2 to " + std::to_string(kMostJoints) + " joints and its end";
            for (std::size_t k = 0; k < edit.row.size(); ++k) {
                if (!edit.row[k].allFinite()) return "the place of a joint is not finite";
                const std::string name = chainJoint(edit.name, k, edit.row.size() - 1);
                if (actor.skeleton.find(name) != kNoJoint) return "there is a joint \"" + name + "\" already";
            }
            return {};
        case What::Rename:
        case What::AddEnd:
        case What::AddHelper:
        case What::Height:
            break;
    }
    if (!isName(edit.name)) return "a joint's name is neither empty nor a number";
    if (const int other = actor.skeleton.find(edit.name); other != kNoJoint && (edit.what != What::Rename || other != joint))
        return "there is a joint \"" + edit.name + "\" already";
    return {};
}

}  // namespace

Prepared prepared(std::shared_ptr<const Actor> actor, const std::vector<Preparation>& edits) {
    Prepared out{std::move(actor), std::vector<std::string>(edits.size())};
    for (std::size_t k = 0; k < edits.size();) {
        const std::size_t first = k;
        try {
            if (edits[k].what != Preparation::What::Paint) {
                const int joint = out.actor->skeleton.find(edits[k].joint);
                out.problems[k] = problemOf(*out.actor, edits[k], joint);
                if (out.problems[k].empty()) out.actor = with(*out.actor, edits[k], joint);
                ++k;
                continue;
            }
            Painter painter(*out.actor);
            bool any = false;
            for (; k < edits.size() && edits[k].what == Preparation::What::Paint; ++k) {
                const int joint = out.actor->skeleton.find(edits[k].joint);
                out.problems[k] = problemOf(*out.actor, edits[k], joint);
                if (!out.problems[k].empty()) continue;
                if (painter.stroke(joint, edits[k].stroke))
                    any = true;
                else
                    out.problems[k] = "the stroke meets no surface";
            }
            if (any) out.actor = painter.painted();
        } catch (const Failure& f) {
            for (k = std::max(k, first + 1);
                 k < edits.size() && edits[first].what == Preparation::What::Paint && edits[k].what == Preparation::What::Paint;)
                ++k;
            for (std::size_t i = first; i < k; ++i) out.problems[i] = f.error().text();
        }
    }
    return out;
}

Result<std::shared_ptr<const Actor>> prepared(const Actor& actor, const Preparation& edit) {
    Prepared one = prepared(std::make_shared<const Actor>(actor), std::vector<Preparation>{edit});
    if (!one.problems.front().empty()) return refused(one.problems.front());
    return one.actor;
}

}  // namespace nutatio::rig
