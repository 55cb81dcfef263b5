#include "rig/parts.h"

#include <algorithm>
#include <cctype>
#include <limits>
#include <map>
#include <set>

#include "rig/carried.h"
#include "rig/roles.h"
#include "rig/sides.h"

namespace nutatio::rig {

namespace {

using Words = std::vector<std::string>;

constexpr std::pair<Sort, std::string_view> kSaid[] = {
    {Sort::Tail, " tail rudder "},
    {Sort::Ear, " ear ears "},
    {Sort::Hair,
     " hair braid plait ponytail bang bangs fringe curl whisker whiskera whiskerb antenna antennae feather feathers beard mane "
     "moustache tuft crest "},
    {Sort::Strap, " strap belt rope cord string chain cable ribbon lace scarf tie trunk tentacle tongue hose "},
    {Sort::Cloth, " skirt cape cloak coat dress cloth robe sleeve hem flap apron veil flag fin "},
    {Sort::Soft,
     " cheek cheeks belly tummy gut paunch breast bust butt glute jowl fat soft pouch bag satchel purse earring pendant lantern "
     "nose udder jiggle "},
};

bool told(const Words& words, Sort& sort) {
    for (const auto& [which, any] : kSaid)
        for (const std::string& w : words)
            if (any.find(" " + w + " ") != std::string_view::npos) {
                sort = which;
                return true;
            }
    return false;
}

bool says(const Words& words, std::string_view any) {
    return std::any_of(words.begin(), words.end(),
                       [&](const std::string& w) { return any.find(" " + w + " ") != std::string_view::npos; });
}

constexpr std::string_view kSorts[] = {"tail", "ear", "hair", "strap", "cloth", "soft", "limb", "spine", "head", "chain", "pair"};

/// "left leg" ...
std::string sided(int side, std::string_view what) {
    return (side == 0 ? "left " : "right ") + std::string(what);
}

}  // namespace

namespace {

/// Whether joints move any of the mesh; all do where there is none.
class Moves {
  public:
    explicit Moves(const Actor& actor) : m_actor(actor), m_carried(carriedBy(actor)) {
        m_meshed = std::any_of(m_carried->begin(), m_carried->end(), [](double c) { return c > 0; });
    }
    bool any(const std::vector<int>& joints) const {
        return !m_meshed ||
               std::any_of(joints.begin(), joints.end(), [&](int j) { return carriedBelow(m_actor, *m_carried, j) > 0; });
    }

  private:
    const Actor& m_actor;
    std::shared_ptr<const std::vector<double>> m_carried;
    bool m_meshed;
};

/// Neck and head, and the face, which is of the head: nobody wants a jaw that swings.
std::vector<int> headOf(const Skeleton& s, const Roles& roles, const std::vector<Words>& words) {
    if (roles.head == kNoJoint) return {};
    std::vector<int> head = roles.neck;
    head.push_back(roles.head);
    for (int j : s.subtree(roles.head)) {
        const Words& its = words[static_cast<std::size_t>(j)];
        Sort hair;
        if (j != roles.head && !told(its, hair) &&
            says(its,
                 " jaw mouth chin muzzle snout lip lips eye eyes eyelid lid brow eyebrow teeth tooth mandible maxilla beak "
                 "bill face head skull "))
            head.push_back(j);
    }
    return head;
}

}  // namespace

std::string_view sortName(Sort sort) {
    return kSorts[static_cast<std::size_t>(sort)];
}

std::string partName(const std::string& joint) {
    std::size_t end = joint.size();
    while (end > 0 && std::isdigit(static_cast<unsigned char>(joint[end - 1]))) --end;
    while (end > 0 && (joint[end - 1] == '_' || joint[end - 1] == '.' || joint[end - 1] == '-' || joint[end - 1] == ' ')) --end;
    return end == 0 || joint.front() == '#' ? joint : joint.substr(0, end);
}

std::vector<Part> partsOf(const Skeleton& s) {
    std::vector<Part> all;
    std::vector<int> of(static_cast<std::size_t>(s.size()), -1);
    for (int j : s.order()) {
        const std::string& name = s.joint(j).name;
        if (name.empty()) continue;
        const std::string part = partName(name);
        const int up = s.joint(j).parent, mine = up == kNoJoint ? -1 : of[static_cast<std::size_t>(up)];
        if (mine >= 0 && all[static_cast<std::size_t>(mine)].name == part) {
            of[static_cast<std::size_t>(j)] = mine;
            all[static_cast<std::size_t>(mine)].joints.push_back(j);
        } else {
            of[static_cast<std::size_t>(j)] = static_cast<int>(all.size());
            all.push_back({part, {j}, Sort::Chain});
        }
    }
    std::erase_if(all, [](const Part& p) { return p.joints.size() < 2; });
    const std::vector<Words> words = wordsOf(s);
    for (Part& p : all) told(words[static_cast<std::size_t>(p.joints.front())], p.sort);
    return all;
}

std::vector<Part> partsOf(const Actor& actor) {
    std::vector<Part> all = partsOf(actor.skeleton);
    const Skeleton& s = actor.skeleton;
    const std::vector<int> head = headOf(s, rolesOf(actor), wordsOf(s));
    std::erase_if(all, [&, moves = Moves(actor)](const Part& p) {
        return !moves.any(p.joints) || std::find(head.begin(), head.end(), p.joints.front()) != head.end();
    });
    return all;
}

std::vector<Part> suggestedParts(const Actor& actor) {
    const Skeleton& s = actor.skeleton;
    const std::vector<Words> words = wordsOf(s);
    const Roles roles = rolesOf(actor);
    std::vector<char> taken(static_cast<std::size_t>(s.size()), false);
    std::vector<Part> out;
    std::set<std::string> names;
    const Moves moves(actor);
    const auto add = [&](std::string name, std::vector<int> joints, Sort sort) {
        std::erase_if(joints, [&](int j) { return taken[static_cast<std::size_t>(j)]; });
        if (joints.empty()) return;
        // What moves nothing is no part: a cape's joints in a file without its cape.
        const bool body = sort == Sort::Limb || sort == Sort::Spine || sort == Sort::Head;
        if (!body && !moves.any(joints)) return;
        for (int j : joints) taken[static_cast<std::size_t>(j)] = true;
        const std::string stem = name;
        for (int n = 2; !names.insert(name).second; ++n) name = stem + " " + std::to_string(n);
        out.push_back({std::move(name), std::move(joints), sort});
    };
    // Spine, limbs and head are told by roles: what is numbered among them is no chain of its own.
    std::set<int> body(roles.spine.begin(), roles.spine.end());
    const std::vector<int> head = headOf(s, roles, words);
    body.insert(head.begin(), head.end());
    for (const auto* limbs : {&roles.legs, &roles.arms})
        for (const Limb& l : *limbs) body.insert(l.chain.begin(), l.chain.end());
    const std::string prefix = sharedPrefix(s);
    const auto plain = [&](const std::string& name) { return name.rfind(prefix, 0) == 0 ? name.substr(prefix.size()) : name; };
    std::vector<Part> byName = partsOf(s);
    std::erase_if(byName, [&](const Part& p) { return body.count(p.joints.front()) > 0; });
    const auto isMesh = [&](int j) {
        return std::any_of(actor.instances.begin(), actor.instances.end(),
                           [&](const MeshInstance& in) { return in.joint == j && in.skin >= 0; });
    };
    // Ears with what hangs on them.
    for (int j : s.order()) {
        Sort sort;
        const int up = s.joint(j).parent;
        if (!told(words[static_cast<std::size_t>(j)], sort) || sort != Sort::Ear || isMesh(j)) continue;
        Sort above;
        if (up != kNoJoint && told(words[static_cast<std::size_t>(up)], above) && above == Sort::Ear) continue;
        add(plain(s.label(j)), s.subtree(j), Sort::Ear);
    }
    for (Part& p : byName) add(plain(p.name), p.joints, p.sort);
    if (!roles.tail.empty()) add("tail", s.subtree(roles.tail.front()), Sort::Tail);
    if (roles.spine.size() > 1) add("spine", roles.spine, Sort::Spine);
    add("head", head, Sort::Head);
    for (int side : {0, 1}) {
        const auto k = static_cast<std::size_t>(side);
        for (const auto& [limb, what] : {std::pair{&roles.arms[k], roles.fourLegged ? "fore leg" : "arm"},
                                         {&roles.legs[k], roles.fourLegged ? "hind leg" : "leg"}})
            if (limb->found()) {
                std::vector<int> joints = limb->chain;
                // Fingers and toes, but not what a hand holds.
                for (int j : s.subtree(limb->end))
                    if (j != limb->end && actor.isSkinJoint[static_cast<std::size_t>(j)] &&
                        (!roles.byNames || rig::otherSideOf(s.label(j)) != s.label(j)))
                        joints.push_back(j);
                add(sided(side, what), std::move(joints), Sort::Limb);
            }
        if (!roles.wings[k].empty()) add(sided(side, "wing"), s.subtree(roles.wings[k].front()), Sort::Limb);
    }
    // What is left: chains, and single joints that say what they are or have a fellow.
    const auto isFree = [&](int j) {
        return !taken[static_cast<std::size_t>(j)] && actor.isSkinJoint[static_cast<std::size_t>(j)];
    };
    for (int j : s.order()) {
        const int up = s.joint(j).parent;
        if (!isFree(j) || up == kNoJoint || (isFree(up) && s.joint(up).children.size() == 1)) continue;
        std::vector<int> way{j};
        while (s.joint(way.back()).children.size() == 1 && isFree(s.joint(way.back()).children.front()))
            way.push_back(s.joint(way.back()).children.front());
        Sort sort = Sort::Chain;
        const bool said = told(words[static_cast<std::size_t>(j)], sort);
        if (way.size() >= 3 || (said && way.size() > 1)) add(plain(s.label(j)), std::move(way), sort);
    }
    const Sides sides = sidesOf(actor);
    for (int j : s.order()) {
        if (!isFree(j)) continue;
        Sort sort;
        const int o = sides.fellow[static_cast<std::size_t>(j)];
        const bool pair = o > j && isFree(o) && s.joint(j).children.empty() && s.joint(o).children.empty();
        const bool said = told(words[static_cast<std::size_t>(j)], sort);
        if (pair)
            add(plain(s.label(j)) + ", " + plain(s.label(o)), {j, o}, said ? sort : Sort::Pair);
        else if (said)
            add(plain(s.label(j)), {j}, sort);
    }
    return out;
}

std::string sharedPrefix(const Skeleton& s) {
    constexpr double kNearlyAll = 0.8;
    constexpr int kFewest = 4;
    std::map<std::string, int> begins;
    int named = 0;
    for (const Joint& j : s.joints()) {
        if (j.name.empty()) continue;
        ++named;
        for (std::size_t k = 1; k + 1 < j.name.size(); ++k)
            if ((j.name[k] == ':' || j.name[k] == '|' || j.name[k] == '_') &&
                std::isalpha(static_cast<unsigned char>(j.name[k + 1])))
                ++begins[j.name.substr(0, k + 1)];
    }
    std::string longest;
    if (named < kFewest) return longest;
    for (const auto& [prefix, count] : begins)
        if (count >= kNearlyAll * named && prefix.size() > longest.size()) longest = prefix;
    return longest;
}

int stepsApart(const Skeleton& s, int a, int b) {
    std::vector<int> up;
    for (int j = a; j != kNoJoint; j = s.joint(j).parent) up.push_back(j);
    int steps = 0;
    for (int j = b; j != kNoJoint; j = s.joint(j).parent, ++steps)
        if (const auto at = std::find(up.begin(), up.end(), j); at != up.end()) return steps + static_cast<int>(at - up.begin());
    return std::numeric_limits<int>::max();
}

std::string plainName(const Skeleton& s, int joint) {
    const std::string label = s.label(joint), prefix = sharedPrefix(s);
    return label.rfind(prefix, 0) == 0 ? label.substr(prefix.size()) : label;
}

}  // namespace nutatio::rig
