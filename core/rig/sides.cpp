#include "rig/sides.h"

#include <algorithm>
#include <array>
#include <cctype>

#include "rig/last_few.h"

namespace nutatio::rig {

namespace {

constexpr double kNear = 0.02;  // heights within which a joint stands where another is mirrored to

bool isLetter(char c) {
    return std::isalpha(static_cast<unsigned char>(c)) != 0;
}
bool isLower(char c) {
    return std::islower(static_cast<unsigned char>(c)) != 0;
}
bool isUpper(char c) {
    return std::isupper(static_cast<unsigned char>(c)) != 0;
}

constexpr std::array<std::pair<std::string_view, std::string_view>, 5> kSides{
    {{"Left", "Right"}, {"left", "right"}, {"LEFT", "RIGHT"}, {"L", "R"}, {"l", "r"}}};

/// Whether the letters from `from` to `to` are a word of their own in a name that is written with separators or Capitals.
bool isWord(const std::string& name, std::size_t from, std::size_t to) {
    const bool first = isUpper(name[from]);
    const bool begins = from == 0 || !isLetter(name[from - 1]) || (first && isLower(name[from - 1]));
    const bool ends = to == name.size() || !isLetter(name[to]) || (isLower(name[to - 1]) && isUpper(name[to]));
    // "LThumb", but not "LOD".
    const bool leads = to - from == 1 && first && to + 1 < name.size() && isUpper(name[to]) && isLower(name[to + 1]);
    return begins && (ends || leads);
}

using Pairs = std::vector<std::pair<int, int>>;

double median(std::vector<double> v) {
    std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
    return v[v.size() / 2];
}

/// The plane square to `normal` that has the pairs evenly on its two sides, and how far most of them are from being each other's
/// picture in it.
double placePlane(const Pairs& pairs, const Vec3& normal, Sides& sides) {
    std::vector<double> away;
    for (const auto& [a, b] : pairs)
        away.push_back(0.5 *
                       normal.dot(sides.worlds[static_cast<std::size_t>(a)].t + sides.worlds[static_cast<std::size_t>(b)].t));
    sides.normal = normal;
    sides.point = median(away) * normal;
    away.clear();
    for (const auto& [a, b] : pairs)
        away.push_back(
            (sides.mirroredPlace(sides.worlds[static_cast<std::size_t>(a)].t) - sides.worlds[static_cast<std::size_t>(b)].t)
                .norm());
    return median(away);
}

/// The best plane for pairs of joints, square to an axis or not; limbs in a pose of their own do not sway it. Returns how uneven
/// it is.
double findPlane(const Pairs& pairs, Sides& sides) {
    Vec3 sum = Vec3::Zero();
    for (const auto& [a, b] : pairs) {
        const Vec3 way = sides.worlds[static_cast<std::size_t>(b)].t - sides.worlds[static_cast<std::size_t>(a)].t;
        sum += sum.dot(way) < 0 ? Vec3(-way) : way;
    }
    double least = 1e300;
    Sides best;
    for (const Vec3& normal : {Vec3(Vec3::UnitX()), Vec3(Vec3::UnitZ()), Vec3(Vec3::UnitY()), Vec3(sum.normalized())}) {
        if (!(normal.norm() > 0.5)) continue;
        // An axis is likelier than what joints in a pose add up to.
        const double uneven = placePlane(pairs, normal, sides);
        if (uneven >= 0.8 * least) continue;
        least = uneven;
        best = sides;
    }
    sides = std::move(best);
    return least;
}

/// Where the skins were bound: joints of no skin stand against their parents as in the rest pose.
std::vector<Affine> bindWorlds(const Actor& actor, const std::vector<Affine>& rest) {
    std::vector<Affine> worlds = rest;
    std::vector<char> bound(rest.size(), false);
    for (const MeshInstance& in : actor.instances) {
        if (in.skin < 0) continue;
        const Skin& skin = actor.skins[static_cast<std::size_t>(in.skin)];
        for (std::size_t k = 0; k < skin.joints.size(); ++k) {
            const auto j = static_cast<std::size_t>(skin.joints[k]);
            if (bound[j] || std::abs(skin.inverseBind[k].m.determinant()) < 1e-30) continue;
            worlds[j] = skin.inverseBind[k].inverse();
            bound[j] = true;
        }
    }
    for (int j : actor.skeleton.order()) {
        const auto at = static_cast<std::size_t>(j);
        const int up = actor.skeleton.joint(j).parent;
        if (!bound[at] && up != kNoJoint)
            worlds[at] = worlds[static_cast<std::size_t>(up)] * (rest[static_cast<std::size_t>(up)].inverse() * rest[at]);
    }
    return worlds;
}

/// Gives every joint without a fellow the one that stands where it is mirrored to.
void matchPlaces(const Skeleton& s, double near, Sides& sides) {
    // By height, which few mirrors change: of thousands of joints only those of one layer are compared.
    std::vector<std::pair<double, int>> byHeight;
    for (int j = 0; j < s.size(); ++j) byHeight.emplace_back(sides.worlds[static_cast<std::size_t>(j)].t.y(), j);
    std::sort(byHeight.begin(), byHeight.end());
    for (int j = 0; j < s.size(); ++j) {
        if (sides.fellow[static_cast<std::size_t>(j)] != kNoJoint) continue;
        const Vec3 to = sides.mirroredPlace(sides.worlds[static_cast<std::size_t>(j)].t);
        if ((to - sides.worlds[static_cast<std::size_t>(j)].t).norm() < near) {
            sides.fellow[static_cast<std::size_t>(j)] = j;
            continue;
        }
        double nearest = near;
        int found = kNoJoint;
        for (auto at = std::lower_bound(byHeight.begin(), byHeight.end(), std::pair(to.y() - near, -1));
             at != byHeight.end() && at->first <= to.y() + near; ++at) {
            const int o = at->second;
            const double away = (sides.worlds[static_cast<std::size_t>(o)].t - to).norm();
            // Of two as near the first of the file.
            if (o == j || away > nearest || (away == nearest && (found == kNoJoint || o > found)) ||
                sides.fellow[static_cast<std::size_t>(o)] != kNoJoint ||
                s.joint(o).children.size() != s.joint(j).children.size() || s.isBelow(o, j) || s.isBelow(j, o))
                continue;
            nearest = away;
            found = o;
        }
        if (found == kNoJoint) continue;
        sides.fellow[static_cast<std::size_t>(j)] = found;
        sides.fellow[static_cast<std::size_t>(found)] = j;
    }
}

/// What hangs on fellows and stands unevenly, as hands do that hold something, are fellows where nothing else can be: the only
/// ones left of their size. Of what hangs in the middle, the only two, on either side.
void matchTree(const Skeleton& s, Sides& sides) {
    const auto fellow = [&](int j) -> int& { return sides.fellow[static_cast<std::size_t>(j)]; };
    const auto alike = [&](int joint, int among) {
        std::vector<int> out;
        for (int c : s.joint(among).children)
            if (fellow(c) == kNoJoint && s.subtree(c).size() == s.subtree(joint).size()) out.push_back(c);
        return out;
    };
    const auto side = [&](int j) { return sides.normal.dot(sides.worlds[static_cast<std::size_t>(j)].t - sides.point); };
    for (int j : s.order()) {
        const int up = s.joint(j).parent;
        if (up == kNoJoint || fellow(j) != kNoJoint || fellow(up) == kNoJoint) continue;
        const std::vector<int> mine = alike(j, up), theirs = alike(j, fellow(up));
        if (fellow(up) != up && mine.size() == 1 && theirs.size() == 1) {
            fellow(j) = theirs.front();
            fellow(theirs.front()) = j;
        } else if (fellow(up) == up && mine.size() == 2 && side(mine[0]) * side(mine[1]) < 0) {
            fellow(mine[0]) = mine[1];
            fellow(mine[1]) = mine[0];
        }
    }
}

}  // namespace

std::string otherSideOf(const std::string& name) {
    for (const auto& [one, other] : kSides)
        for (const auto& [from, to] : {std::pair{one, other}, {other, one}})
            for (std::size_t at = name.find(from); at != std::string::npos; at = name.find(from, at + 1))
                if (isWord(name, at, at + from.size()))
                    return name.substr(0, at) + std::string(to) + name.substr(at + from.size());
    return name;
}

namespace {

Pairs namedPairs(const Skeleton& s) {
    Pairs pairs;
    for (int j = 0; j < s.size(); ++j) {
        const std::string& name = s.joint(j).name;
        const std::string other = otherSideOf(name);
        const int o = name.empty() || other == name ? kNoJoint : s.find(other);
        // A name that several joints share tells nothing.
        if (o > j && s.reference(o) == other && s.reference(j) == name) pairs.emplace_back(j, o);
    }
    return pairs;
}

/// Without names: across the axis at which more joints find a fellow. Returns how many do.
int matchBlindly(const Skeleton& s, double near, Sides& sides) {
    Vec3 low = Vec3::Constant(1e300), high = -low;
    for (const Affine& w : sides.worlds) {
        low = low.cwiseMin(w.t);
        high = high.cwiseMax(w.t);
    }
    Sides best = sides;
    int most = -1;
    for (const int axis : {0, 2, 1}) {
        // The middle of all, or that of the roots: a staff in one hand makes the box uneven.
        for (const Vec3& point :
             {Vec3(0.5 * (low + high)), sides.worlds[static_cast<std::size_t>(s.roots().front())].t, Vec3(Vec3::Zero())}) {
            sides.normal = Vec3::Unit(axis);
            sides.point = point;
            sides.fellow.assign(sides.worlds.size(), kNoJoint);
            matchPlaces(s, near, sides);
            int count = 0;
            for (int j = 0; j < s.size(); ++j) {
                const int o = sides.fellow[static_cast<std::size_t>(j)];
                count += o != kNoJoint && o != j;
            }
            if (count <= most) continue;
            most = count;
            best = sides;
        }
    }
    sides = std::move(best);
    return most;
}

Sides found(const Actor& actor) {
    const Skeleton& s = actor.skeleton;
    Sides rest;
    worldTransforms(s, actor.restPose(), rest.worlds);
    if (s.size() == 0) return rest;
    Sides bound;
    bound.worlds = bindWorlds(actor, rest.worlds);
    const double near = kNear * actor.height;
    const Pairs pairs = namedPairs(s);
    if (pairs.empty()) {
        const int inRest = matchBlindly(s, near, rest), inBind = matchBlindly(s, near, bound);
        Sides& more = inBind > inRest ? bound : rest;
        matchTree(s, more);
        return more;
    }
    Sides& sides = findPlane(pairs, bound) < 0.8 * findPlane(pairs, rest) ? bound : rest;
    sides.fellow.assign(sides.worlds.size(), kNoJoint);
    for (const auto& [a, b] : pairs) {
        sides.fellow[static_cast<std::size_t>(a)] = b;
        sides.fellow[static_cast<std::size_t>(b)] = a;
    }
    matchPlaces(s, near, sides);
    matchTree(s, sides);
    return sides;
}

}  // namespace

Sides sidesOf(const Actor& actor) {
    static LastFew<Sides> known;
    return *known.of(actor, {}, [&] { return found(actor); });
}

Vec3 mirroredInRest(const Sides& sides, const std::vector<Affine>& rest, int joint, const Vec3& place) {
    const auto at = static_cast<std::size_t>(joint), there = static_cast<std::size_t>(sides.fellow[at]);
    const Vec3 own = rotationOf(rest[at].m).conjugate() * (place - rest[at].t);
    const Vec3 other = rotationOf(sides.worlds[there].m).conjugate() * sides.mirrored(rotationOf(sides.worlds[at].m) * own);
    return rest[there].t + rotationOf(rest[there].m) * other;
}

Mirror::Mirror(const Actor& actor) : m_sides(sidesOf(actor)) {
    const Skeleton& s = actor.skeleton;
    m_even.resize(m_sides.worlds.size());
    for (int j = 0; j < s.size(); ++j) {
        const auto at = static_cast<std::size_t>(j);
        const int up = s.joint(j).parent;
        const Affine above = up == kNoJoint ? Affine() : m_sides.worlds[static_cast<std::size_t>(up)];
        m_even[at] = decompose(above.inverse() * m_sides.worlds[at]);
        m_turns.push_back(rotationOf(m_sides.worlds[at].m));
        m_parents.push_back(rotationOf(above.m));
    }
}

Xform Mirror::seen(int joint, const Xform& fellow) const {
    const auto at = static_cast<std::size_t>(joint), from = static_cast<std::size_t>(m_sides.fellow[at]);
    const Mat3 seen = Mat3::Identity() - 2 * m_sides.normal * m_sides.normal.transpose();
    // From axes of the fellow to axes of the joint, through the mirror; a rotation vector looks the other way there.
    const Mat3 own = m_turns[at].conjugate().toRotationMatrix() * seen * m_turns[from].toRotationMatrix();
    const Mat3 above = m_parents[at].conjugate().toRotationMatrix() * seen * m_parents[from].toRotationMatrix();
    const Xform &even = m_even[at], &other = m_even[from];
    Xform x = even;
    x.r = (even.r * fromRotationVector(-(own * rotationVector(other.r.conjugate() * fellow.r)))).normalized();
    x.t = even.t + above * (fellow.t - other.t);
    const Vec3 grown = fellow.s.array() / other.s.array();
    if (grown.allFinite()) x.s = even.s.array() * (own.cwiseProduct(own) * grown).array();
    return x;
}

void Mirror::pose(const std::vector<Xform>& locals, std::vector<Xform>& out) const {
    out = locals;
    for (std::size_t j = 0; j < locals.size(); ++j)
        if (const int fellow = m_sides.fellow[j]; fellow != kNoJoint)
            out[j] = seen(static_cast<int>(j), locals[static_cast<std::size_t>(fellow)]);
}

Vec3 leftOf(const Skeleton& s, const std::vector<Affine>& worlds, const Sides& sides) {
    Vec3 sum = Vec3::Zero();
    for (int j = 0; j < s.size(); ++j) {
        const int o = sides.fellow[static_cast<std::size_t>(j)];
        if (o <= j || otherSideOf(s.label(j)) != s.label(o)) continue;
        std::string swapped = s.label(j);
        const Vec3 way = worlds[static_cast<std::size_t>(j)].t - worlds[static_cast<std::size_t>(o)].t;
        // Where the two names first differ, the left one has an l.
        std::size_t k = 0;
        while (k < swapped.size() && k < s.label(o).size() && swapped[k] == s.label(o)[k]) ++k;
        sum += (k < swapped.size() && (swapped[k] == 'l' || swapped[k] == 'L')) ? way : Vec3(-way);
    }
    return sum.norm() > 1e-9 ? sum : Vec3(Vec3::UnitX());
}

}  // namespace nutatio::rig
