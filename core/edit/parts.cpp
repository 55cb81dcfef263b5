// Parts of an actor, and what is rigid of it.
#include <algorithm>
#include <set>

#include "edit/edit.h"
#include "edit/references.h"
#include "rig/parts.h"

namespace nutatio::edit {

namespace {

constexpr int kColours = 8;

using Parts = std::vector<scene::Part>;

Parts::iterator find(Parts& parts, const std::string& name) {
    return std::find_if(parts.begin(), parts.end(), [&](const scene::Part& p) { return p.name == name; });
}

std::string noPart(const std::string& part) {
    return "there is no part \"" + part + "\"";
}

std::string nameProblem(Parts& parts, const std::string& name) {
    if (name.empty()) return "a part has a name";
    return find(parts, name) != parts.end() ? "there is a part \"" + name + "\" already" : std::string();
}

/// Changes the parts of an actor; `how` gives what is wrong.
template <class How>
Result<Done> changeParts(scene::Scene& s, const std::string& actor, const How& how) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return refused("there is no actor \"" + actor + "\"");
    Parts parts = a->parts;
    if (const std::string why = how(*a, parts); !why.empty()) return refused(why);
    if (parts != a->parts) s.actor(actor)->parts = std::move(parts);
    return Done{};
}

/// Parents first, each once; nothing when one is not there.
std::optional<std::vector<std::string>> inOrder(const rig::Skeleton& k, const std::vector<std::string>& joints) {
    std::set<int> chosen;
    for (const std::string& name : joints) {
        const int j = k.find(name);
        if (j == rig::kNoJoint) return std::nullopt;
        chosen.insert(j);
    }
    std::vector<std::string> out;
    for (int j : k.order())
        if (chosen.count(j) > 0) out.push_back(k.reference(j));
    return out;
}

int freshColour(const Parts& parts) {
    return parts.empty() ? 0 : (parts.back().colour + 1) % kColours;
}

}  // namespace

Result<Done> addPart(scene::Scene& s, const std::string& actor, const std::string& name, std::vector<std::string> joints) {
    return changeParts(s, actor, [&](const scene::ActorEntry& a, Parts& parts) {
        if (const std::string why = nameProblem(parts, name); !why.empty()) return why;
        const auto in = inOrder(a.actor->skeleton, joints);
        if (!in) return std::string("a joint of it is not there");
        if (in->empty()) return std::string("a part has joints");
        parts.push_back({name, *in, freshColour(parts), false});
        return std::string();
    });
}

Result<Done> renamePart(scene::Scene& s, const std::string& actor, const std::string& part, const std::string& name) {
    const auto done = changeParts(s, actor, [&](const scene::ActorEntry&, Parts& parts) {
        const auto at = find(parts, part);
        if (at == parts.end()) return noPart(part);
        if (const std::string why = name == part ? std::string() : nameProblem(parts, name); !why.empty()) return why;
        at->name = name;
        return std::string();
    });
    if (done) followRegion(s, actor, part, name);
    return done;
}

Result<Done> mergeParts(scene::Scene& s, const std::string& actor, const std::vector<std::string>& names) {
    return changeParts(s, actor, [&](const scene::ActorEntry& a, Parts& parts) {
        if (names.size() < 2) return std::string("at least two parts are wanted");
        std::vector<std::string> all;
        for (const std::string& n : names) {
            const auto at = find(parts, n);
            if (at == parts.end()) return noPart(n);
            all.insert(all.end(), at->joints.begin(), at->joints.end());
        }
        find(parts, names.front())->joints = inOrder(a.actor->skeleton, all).value_or(all);
        std::erase_if(parts, [&](const scene::Part& p) {
            return p.name != names.front() && std::find(names.begin(), names.end(), p.name) != names.end();
        });
        return std::string();
    });
}

Result<Done> splitPart(scene::Scene& s, const std::string& actor, const std::string& part, const std::string& joint,
                       const std::string& name) {
    return changeParts(s, actor, [&](const scene::ActorEntry& a, Parts& parts) {
        const auto at = find(parts, part);
        if (at == parts.end()) return noPart(part);
        if (const std::string why = nameProblem(parts, name); !why.empty()) return why;
        const rig::Skeleton& k = a.actor->skeleton;
        const int from = k.find(joint);
        scene::Part below{name, {}, freshColour(parts), at->rigid};
        for (const std::string& j : at->joints)
            if (const int n = k.find(j); n == from || (from != rig::kNoJoint && k.isBelow(n, from))) below.joints.push_back(j);
        if (below.joints.empty()) return "\"" + joint + "\" is not of the part";
        if (below.joints.size() == at->joints.size()) return std::string("nothing would be left of the part");
        std::erase_if(at->joints, [&](const std::string& j) {
            return std::find(below.joints.begin(), below.joints.end(), j) != below.joints.end();
        });
        parts.insert(at + 1, std::move(below));
        return std::string();
    });
}

Result<Done> colourPart(scene::Scene& s, const std::string& actor, const std::string& part, int colour) {
    return changeParts(s, actor, [&](const scene::ActorEntry&, Parts& parts) {
        const auto at = find(parts, part);
        if (at == parts.end()) return noPart(part);
        if (colour < 0 || colour >= kColours) return "a colour is 0 to " + std::to_string(kColours - 1);
        at->colour = colour;
        return std::string();
    });
}

Result<Done> removePart(scene::Scene& s, const std::string& actor, const std::string& part) {
    const auto done = changeParts(s, actor, [&](const scene::ActorEntry&, Parts& parts) {
        if (find(parts, part) == parts.end()) return noPart(part);
        parts.erase(find(parts, part));
        return std::string();
    });
    if (done) followRegion(s, actor, part, {});
    return done;
}

int acceptParts(scene::Scene& s, const std::string& actor) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return 0;
    const rig::Skeleton& k = a->actor->skeleton;
    std::set<std::string> taken;
    for (const scene::Part& p : a->parts) taken.insert(p.joints.begin(), p.joints.end());
    Parts parts = a->parts;
    int added = 0;
    for (const rig::Part& p : rig::suggestedParts(*a->actor)) {
        scene::Part part{p.name, {}, freshColour(parts), false};
        for (int j : p.joints) part.joints.push_back(k.reference(j));
        if (std::any_of(part.joints.begin(), part.joints.end(), [&](const std::string& j) { return taken.count(j) > 0; }))
            continue;
        for (int n = 2; find(parts, part.name) != parts.end(); ++n) part.name = p.name + " " + std::to_string(n);
        parts.push_back(std::move(part));
        ++added;
    }
    if (added > 0) s.actor(actor)->parts = std::move(parts);
    return added;
}

Result<Done> markRigid(scene::Scene& s, const std::string& actor, const std::string& name, bool rigid) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return refused("there is no actor \"" + actor + "\"");
    std::vector<rig::Map> maps = a->maps;
    for (rig::Map& m : maps)
        if (m.name == name) {
            m.rigid = rigid;
            s.actor(actor)->maps = std::move(maps);
            return Done{};
        }
    return changeParts(s, actor, [&](const scene::ActorEntry&, Parts& parts) {
        const auto at = find(parts, name);
        if (at == parts.end()) return "there is no part or map \"" + name + "\"";
        at->rigid = rigid;
        return std::string();
    });
}

Result<Done> release(scene::Scene& s, const std::string& actor, const std::string& name, const std::string& joint) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return refused("there is no actor \"" + actor + "\"");
    rig::Preparation edit{rig::Preparation::What::Release, joint, {}, Vec3::Zero()};
    edit.region = scene::regionOf(*a, name);
    if (edit.region.empty()) return refused("there is no part or map \"" + name + "\"");
    for (const rig::MapStep& step : edit.region)
        if (step.from == rig::MapStep::From::Map)
            return refused("\"" + name + "\" is made of another map: mark a region that is made by itself");
    return prepare(s, actor, edit);
}

}  // namespace nutatio::edit
