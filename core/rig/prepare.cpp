#include "rig/prepare.h"

#include <algorithm>

#include "rig/helper.h"

namespace nutatio::rig {

namespace {

constexpr std::pair<Preparation::What, std::string_view> kNames[] = {{Preparation::What::Rename, "rename"},
                                                                     {Preparation::What::AddEnd, "add-end"},
                                                                     {Preparation::What::AddHelper, "add-helper"},
                                                                     {Preparation::What::Paint, "paint"}};
constexpr std::size_t kMostInfluences = 4;  // a vertex, unless its file has more

/// Gives the newest joint its share of the vertices. In the rest pose it moves them as its parent does, so that nothing changes
/// there.
void weigh(Actor& a, int joint, double reach) {
    const int parent = a.skeleton.joint(joint).parent;
    const Surface surface = Surface::of(a);
    std::vector<Affine> worlds;
    worldTransforms(a.skeleton, a.restPose(), worlds);
    const std::vector<float> share = shareOf(a, surface, parent, worlds[static_cast<std::size_t>(joint)].t, reach * a.height);
    std::vector<Mesh> meshes = a.meshes;
    std::vector<Skin> skins = a.skins;
    std::vector<int> numbers(skins.size(), -1);
    std::vector<char> seen(meshes.size(), false);
    for (std::size_t i = 0; i < a.instances.size(); ++i) {
        const MeshInstance& in = a.instances[i];
        if (in.skin < 0 || seen[static_cast<std::size_t>(in.mesh)]) continue;
        std::vector<Primitive>& primitives = meshes[static_cast<std::size_t>(in.mesh)].primitives;
        for (std::size_t n = 0; n < primitives.size(); ++n) {
            Primitive& p = primitives[n];
            if (p.influences.empty()) continue;
            std::size_t most = kMostInfluences;
            for (const Influence& f : p.influences)
                most = std::max(most, static_cast<std::size_t>(
                                          std::count_if(f.weight.begin(), f.weight.end(), [](float w) { return w > 0; })));
            for (std::size_t v = 0; v < p.influences.size(); ++v) {
                const float w = share[surface.pointOf(i, n, v)];
                if (!(w > 1e-4f)) continue;
                for (const MeshInstance& other : a.instances)
                    if (other.mesh == in.mesh && other.skin != in.skin)
                        throw Failure("", "a mesh that two skins move cannot be given to another joint");
                seen[static_cast<std::size_t>(in.mesh)] = true;
                int& number = numbers[static_cast<std::size_t>(in.skin)];
                Skin& skin = skins[static_cast<std::size_t>(in.skin)];
                if (number < 0) {
                    // What carries the parent's skin in the rest pose carries the new joint's.
                    const auto host = std::find(skin.joints.begin(), skin.joints.end(), parent);
                    const std::size_t like = host != skin.joints.end() ? static_cast<std::size_t>(host - skin.joints.begin())
                                                                       : p.influences[v].joint[0];
                    const Affine moved = worlds[static_cast<std::size_t>(skin.joints[like])] * skin.inverseBind[like];
                    number = static_cast<int>(skin.joints.size());
                    skin.joints.push_back(joint);
                    skin.inverseBind.push_back(worlds[static_cast<std::size_t>(joint)].inverse() * moved);
                }
                std::vector<std::pair<float, std::uint16_t>> all{{w, static_cast<std::uint16_t>(number)}};
                for (std::size_t k = 0; k < 8; ++k)
                    if (p.influences[v].weight[k] > 0)
                        all.emplace_back((1 - w) * p.influences[v].weight[k], p.influences[v].joint[k]);
                std::stable_sort(all.begin(), all.end(), [](const auto& x, const auto& y) { return x.first > y.first; });
                if (all.size() > most) all.resize(most);
                float sum = 0;
                for (const auto& [weight, unused] : all) sum += weight;
                Influence f;
                for (std::size_t k = 0; k < all.size(); ++k) {
                    f.joint[k] = all[k].second;
                    f.weight[k] = all[k].first / sum;
                }
                p.influences[v] = f;
                p.weighed = true;
            }
        }
    }
    if (std::all_of(numbers.begin(), numbers.end(), [](int n) { return n < 0; }))
        throw Failure("", "nothing of a skin lies within its reach");
    a.meshes = std::move(meshes);
    a.skins = std::move(skins);
}

std::shared_ptr<const Actor> with(const Actor& actor, const Preparation& edit, int joint) {
    auto out = std::make_shared<Actor>(actor);
    std::vector<Joint> joints = actor.skeleton.joints();
    for (Joint& j : joints) j.children.clear();
    if (edit.what == Preparation::What::Rename) {
        joints[static_cast<std::size_t>(joint)].name = edit.name;
    } else {
        Joint added;
        added.name = edit.name;
        added.parent = joint;
        added.rest.t = edit.place;
        joints.push_back(std::move(added));
    }
    out->skeleton = Skeleton(std::move(joints));
    out->isSkinJoint.resize(static_cast<std::size_t>(out->skeleton.size()), false);
    if (edit.what == Preparation::What::AddHelper) {
        weigh(*out, out->skeleton.size() - 1, edit.reach);
        out->finish();
        return out;
    }
    // The end of a skinned chain is seen and picked as the chain is.
    if (edit.what == Preparation::What::AddEnd) out->isSkinJoint.back() = actor.isSkinJoint[static_cast<std::size_t>(joint)];
    out->keyMotion();
    return out;
}

}  // namespace

std::string_view preparationName(Preparation::What what) {
    for (const auto& [known, name] : kNames)
        if (known == what) return name;
    return {};
}

bool preparationFromName(std::string_view name, Preparation::What& what) {
    for (const auto& [known, called] : kNames)
        if (called == name) {
            what = known;
            return true;
        }
    return false;
}

namespace {

/// Empty when the edit can be made; what only the making finds apart.
std::string problemOf(const Actor& actor, const Preparation& edit, int joint) {
    if (joint == kNoJoint) return "there is no joint \"" + edit.joint + "\"";
    if (edit.what == Preparation::What::Paint) {
        if (!(edit.stroke.radius > 0 && edit.stroke.radius <= 1)) return "a brush's radius lies between 0 and 1 heights";
        if (!(edit.stroke.strength >= 0 && edit.stroke.strength <= 1)) return "a brush's strength lies between 0 and 1";
        return {};
    }
    if (edit.name.empty() || edit.name.front() == '#') return "a joint's name is neither empty nor a number";
    if (const int other = actor.skeleton.find(edit.name);
        other != kNoJoint && (edit.what != Preparation::What::Rename || other != joint))
        return "there is a joint \"" + edit.name + "\" already";
    if (!edit.place.allFinite()) return "the place of a joint is not finite";
    if (edit.what == Preparation::What::AddHelper && !(edit.reach > 0 && edit.reach <= 1))
        return "a helper's reach lies between 0 and 1 heights";
    return {};
}

}  // namespace

Result<std::shared_ptr<const Actor>> prepared(std::shared_ptr<const Actor> actor, const std::vector<Preparation>& edits,
                                              std::size_t* failed) {
    std::size_t k = 0;
    try {
        while (k < edits.size()) {
            if (failed) *failed = k;
            const int joint = actor->skeleton.find(edits[k].joint);
            if (const std::string why = problemOf(*actor, edits[k], joint); !why.empty()) return Error{"", "", why};
            if (edits[k].what != Preparation::What::Paint) {
                actor = with(*actor, edits[k++], joint);
                continue;
            }
            Painter painter(*actor);
            for (; k < edits.size() && edits[k].what == Preparation::What::Paint; ++k) {
                if (failed) *failed = k;
                const int on = actor->skeleton.find(edits[k].joint);
                if (const std::string why = problemOf(*actor, edits[k], on); !why.empty()) return Error{"", "", why};
                painter.stroke(on, edits[k].stroke);
            }
            actor = painter.painted();
        }
    } catch (const Failure& f) {
        return f.error();
    }
    return actor;
}

Result<std::shared_ptr<const Actor>> prepared(const Actor& actor, const Preparation& edit) {
    return prepared(std::make_shared<const Actor>(actor), {edit});
}

}  // namespace nutatio::rig
