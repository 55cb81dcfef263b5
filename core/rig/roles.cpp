// By names: the foot of a side is the shallowest joint of that side that says foot or ankle, its leg the way up to the first
// joint that says no side; hands and arms likewise. The hips carry both legs, the spine is the way from there to what carries
// both arms. By shape, where names tell nothing: limbs are chains that begin in pairs at the body's middle; the legs are the pair
// that ends lowest, the arms the longest pair above them.
#include "rig/roles.h"

#include <algorithm>
#include <cctype>
#include <map>
#include <set>

#include "rig/carried.h"
#include "rig/last_few.h"
#include "rig/sides.h"

namespace nutatio::rig {

namespace {

constexpr double kNearlyAll = 0.6;  // of the names, in which a word says nothing
constexpr int kMostPairs = 2;       // of limbs on one joint of what lies; more are hair

using Words = std::vector<std::string>;

bool says(const Words& words, std::initializer_list<std::string_view> any) {
    return std::any_of(words.begin(), words.end(),
                       [&](const std::string& w) { return std::find(any.begin(), any.end(), w) != any.end(); });
}

/// 0 left, 1 right, -1 neither.
int sideOf(const Words& w) {
    return says(w, {"l", "left", "lt"}) ? 0 : says(w, {"r", "right", "rt"}) ? 1 : -1;
}

int depthOf(const Skeleton& s, int j) {
    int d = 0;
    for (int p = s.joint(j).parent; p != kNoJoint; p = s.joint(p).parent) ++d;
    return d;
}

int commonAncestor(const Skeleton& s, int a, int b) {
    for (int p = a; p != kNoJoint; p = s.joint(p).parent)
        if (p == b || s.isBelow(b, p)) return p;
    return kNoJoint;
}

class Finder {
  public:
    explicit Finder(const Actor& actor)
        : m_actor(actor), m_s(actor.skeleton), m_words(wordsOf(actor.skeleton)), m_carried(carriedBy(actor)) {
        turnUp(Vec3::UnitY());
    }

    Roles find() {
        Roles r;
        for (int side : {0, 1}) {
            r.legs[static_cast<std::size_t>(side)] = limbOf(footOf(side, false), side);
            int hand = footOf(side, true);
            if (hand == kNoJoint) hand = shallowest(side, {"hand", "wrist", "palm"});
            r.arms[static_cast<std::size_t>(side)] = limbOf(hand, side);
        }
        r.byNames = r.hasLegs();
        if (r.byNames) turnUp(upOver(r.legs));
        // Names may tell of one pair only: of the hind legs, or of the fore ones.
        for (const Vec3& up : {Vec3(0, 1, 0), Vec3(0, 0, 1), Vec3(0, 0, -1)}) {
            if (r.hasLegs() && r.hasArms()) break;
            if (!r.byNames) turnUp(up);
            byShape(r, up.y() == 0);
            if (r.hasLegs()) break;
        }
        if (!r.hasLegs()) turnUp(Vec3::UnitY());
        for (auto* limbs : {&r.legs, &r.arms})
            for (Limb& l : *limbs)
                if (l.found() && told(l.upper, kNotOfTheBody)) l = {};
        for (std::size_t side : {0, 1}) {
            tellLimb(r, r.legs[side], side == 0 ? "left leg" : "right leg");
            tellLimb(r, r.arms[side], side == 0 ? "left arm" : "right arm");
        }
        finish(r);
        return r;
    }

  private:
    /// The joint that a person told is that; kNoJoint where none was.
    int toldTo(std::string_view role) const {
        int joint = kNoJoint;
        for (const ToldRole& t : m_actor.told)
            if (t.role == role) joint = t.joint;
        return joint;
    }
    /// It, or what it hangs on, was told to be that.
    bool told(int joint, std::string_view role) const {
        return std::any_of(m_actor.told.begin(), m_actor.told.end(), [&](const ToldRole& t) {
            return t.role == role && (t.joint == joint || m_s.isBelow(joint, t.joint));
        });
    }

    /// From its top down, or, where nothing long hangs on that, from its end two bones up. What was taken for another limb and
    /// has joints of this one is none.
    void tellLimb(Roles& r, Limb& limb, std::string_view role) const {
        const int joint = toldTo(role);
        if (joint == kNoJoint) return;
        const Sides sides = sidesOf(m_actor);
        std::vector<int> way = wayDown(joint, &sides);
        if (way.size() < 3) way = wayDown(joint);
        if (way.size() < 3) {
            way = {joint};
            while (way.size() < 3 && m_s.joint(way.front()).parent != kNoJoint)
                way.insert(way.begin(), m_s.joint(way.front()).parent);
        }
        Limb made = shaped(longestTwo(way));
        if (!made.found()) return;
        for (auto* limbs : {&r.legs, &r.arms})
            for (Limb& other : *limbs)
                if (std::any_of(other.chain.begin(), other.chain.end(),
                                [&](int j) { return std::find(made.chain.begin(), made.chain.end(), j) != made.chain.end(); }))
                    other = {};
        limb = std::move(made);
    }

    const Vec3& place(int j) const { return m_worlds[static_cast<std::size_t>(j)].t; }
    const Words& words(int j) const { return m_words[static_cast<std::size_t>(j)]; }

    /// A helper beside the body. What carries skin is of it, though its rig calls all joints controls.
    bool isControl(int j) const {
        if (says(words(j), {"roll", "twist", "mesh", "geo"})) return true;
        return says(words(j), {"ik", "target", "goal", "pole", "null", "ctrl", "control", "locator", "end", "nub"}) &&
               !((*m_carried)[static_cast<std::size_t>(j)] > 0);
    }

    /// As if another axis were up: files may lie.
    void turnUp(const Vec3& up) {
        const Quat turn = arc(up, Vec3::UnitY());
        worldTransforms(m_s, m_actor.restPose(), m_worlds);
        for (Affine& w : m_worlds) w = Affine{turn.toRotationMatrix() * w.m, turn * w.t};
        double high = -1e300;
        m_low = 1e300;
        for (int k = 0; k < 8; ++k) {
            const Vec3 corner(k & 1 ? m_actor.high.x() : m_actor.low.x(), k & 2 ? m_actor.high.y() : m_actor.low.y(),
                              k & 4 ? m_actor.high.z() : m_actor.low.z());
            m_low = std::min(m_low, (turn * corner).y());
            high = std::max(high, (turn * corner).y());
        }
        m_height = std::max(1e-9, high - m_low);
    }

    /// The axis along which legs carry what they hang on: y, or z of a file that lies.
    Vec3 upOver(const std::array<Limb, 2>& legs) const {
        const Vec3 way = place(legs[0].upper) + place(legs[1].upper) - place(legs[0].end) - place(legs[1].end);
        return std::abs(way.z()) > 2 * std::abs(way.y()) ? Vec3(0, 0, way.z() > 0 ? 1 : -1) : Vec3(Vec3::UnitY());
    }

    int shallowest(int side, std::initializer_list<std::string_view> any) const {
        int best = kNoJoint;
        for (int j = 0; j < m_s.size(); ++j)
            if ((side < 0 || sideOf(words(j)) == side) && says(words(j), any) && !isControl(j) &&
                (best == kNoJoint || depthOf(m_s, j) < depthOf(m_s, best)))
                best = j;
        return best;
    }

    /// `fore`: the foot of a fore leg.
    int footOf(int side, bool fore) const {
        int best = kNoJoint;
        for (int j = 0; j < m_s.size(); ++j) {
            const Words& w = words(j);
            if (sideOf(w) != side || !says(w, {"foot", "ankle", "paw", "hoof", "feet"}) || isControl(j)) continue;
            if (says(w, {"fore", "front"}) != fore) continue;
            if (best == kNoJoint || depthOf(m_s, j) < depthOf(m_s, best)) best = j;
        }
        return best;
    }

    Limb limbOf(int end, int side) const {
        Limb l;
        if (end == kNoJoint) return l;
        std::vector<int> up;
        for (int j = end; j != kNoJoint && (side < 0 ? up.empty() : sideOf(words(j)) == side); j = m_s.joint(j).parent)
            up.push_back(j);
        std::reverse(up.begin(), up.end());
        // What only carries the limb is not of it.
        while (up.size() > 3 && says(words(up.front()), {"clavicle", "shoulder", "collar", "hip", "pelvis", "scapula"}))
            up.erase(up.begin());
        return shaped(std::move(up));
    }

    /// Upper, lower and end of a way down, by lengths: the joint in the middle is the one nearest to half of it.
    Limb shaped(std::vector<int> way) const {
        Limb l;
        const double tiny = 1e-4 * m_height;
        for (std::size_t k = 1; k + 1 < way.size();)
            if ((place(way[k]) - place(way[k - 1])).norm() < tiny)
                way.erase(way.begin() + static_cast<std::ptrdiff_t>(k));
            else
                ++k;
        if (way.size() < 3) return l;
        std::vector<double> along{0};
        for (std::size_t k = 1; k < way.size(); ++k) along.push_back(along.back() + (place(way[k]) - place(way[k - 1])).norm());
        std::size_t mid = 1;
        for (std::size_t k = 1; k + 1 < way.size(); ++k)
            if (std::abs(along[k] - 0.5 * along.back()) < std::abs(along[mid] - 0.5 * along.back())) mid = k;
        l.chain = way;
        l.upper = way.front();
        l.lower = way[mid];
        l.end = way.back();
        double far = tiny;
        for (int c : m_s.joint(l.end).children)
            if (!isControl(c) && (place(c) - place(l.end)).norm() > far) {
                far = (place(c) - place(l.end)).norm();
                l.beyond = c;
            }
        return l;
    }

    /// Down from a joint, always towards what reaches farthest; with `sides` through joints with a fellow alone.
    std::vector<int> wayDown(int from, const Sides* sides = nullptr) const {
        std::vector<int> best{from};
        double longest = 0;
        for (int j : m_s.subtree(from)) {
            const std::vector<int> way = m_s.path(from, j);
            const auto isAlone = [&](int k) {
                const int o = sides->fellow[static_cast<std::size_t>(k)];
                return o == kNoJoint || o == k;
            };
            if (sides && std::any_of(way.begin(), way.end(), isAlone)) continue;
            double length = 0;
            for (std::size_t k = 1; k < way.size(); ++k) length += (place(way[k]) - place(way[k - 1])).norm();
            if (length > longest + 1e-12) {
                longest = length;
                best = way;
            }
        }
        return best;
    }

    double lengthOf(const std::vector<int>& way) const {
        double length = 0;
        for (std::size_t k = 1; k < way.size(); ++k) length += (place(way[k]) - place(way[k - 1])).norm();
        return length;
    }

    /// What both of a pair hang on: one joint, or two that stand in one place, as helpers in the middle do.
    int carrierOf(int a, int b) const {
        const int one = m_s.joint(a).parent, other = m_s.joint(b).parent;
        if (one == kNoJoint || other == kNoJoint || (place(one) - place(other)).norm() > 1e-3 * m_height) return kNoJoint;
        return commonAncestor(m_s, one, other);
    }

    /// Long enough, and two neighbouring links of it make up near half of it: a braid's do not.
    bool isLimb(const std::vector<int>& way) const {
        const double length = lengthOf(way);
        double most = 0;
        for (std::size_t k = 2; k < way.size(); ++k)
            most = std::max(most, (place(way[k]) - place(way[k - 1])).norm() + (place(way[k - 1]) - place(way[k - 2])).norm());
        return length > 0.15 * m_height && most > 0.45 * length;
    }

    /// The three joints of a limb with the two longest neighbouring links.
    std::vector<int> longestTwo(const std::vector<int>& way) const {
        std::size_t best = 2;
        double most = 0;
        for (std::size_t k = 2; k < way.size(); ++k)
            if (const double two = (place(way[k]) - place(way[k - 1])).norm() + (place(way[k - 1]) - place(way[k - 2])).norm();
                two > most + 1e-12) {
                most = two;
                best = k;
            }
        if (way.size() < 3) return way;
        return {way[best - 2], way[best - 1], way[best]};
    }

    struct Pair {
        std::vector<int> way[2];
        int from;
        double low;  // of both ends, over the lowest of the mesh
    };

    /// Limbs that begin in pairs at the body's middle, but for what is known already and what its name says is none.
    std::vector<Pair> pairsOf(const Roles& r, const Sides& sides) const {
        std::set<int> known;
        for (const auto* limbs : {&r.legs, &r.arms})
            for (const Limb& l : *limbs)
                if (l.found())
                    for (int j : m_s.subtree(l.chain.front())) known.insert(j);
        std::vector<Pair> pairs;
        for (int a = 0; a < m_s.size(); ++a) {
            const int b = sides.fellow[static_cast<std::size_t>(a)], up = b > a ? carrierOf(a, b) : kNoJoint;
            if (up == kNoJoint || known.count(a) > 0 || known.count(b) > 0 || told(a, kNotOfTheBody)) continue;
            if (says(words(a), {"hair", "cape", "cloak", "skirt", "dress", "coat", "robe", "ear", "strap", "ribbon", "braid",
                                "wing", "tail", "scarf", "veil", "fin"}))
                continue;
            // As far down as there are joints on the other side too: not into what one hand holds.
            Pair p{{wayDown(a, &sides), {}}, up, 0};
            for (int j : p.way[0]) p.way[1].push_back(sides.fellow[static_cast<std::size_t>(j)]);
            if (!isLimb(p.way[0]) || !isLimb(p.way[1])) continue;
            p.low = 0.5 * (place(p.way[0].back()).y() + place(p.way[1].back()).y()) - m_low;
            pairs.push_back(std::move(p));
        }
        return pairs;
    }

    /// What joins them goes along the ground rather than up: a trunk on four legs.
    bool lies(int from, int to) const {
        const Vec3 way = place(to) - place(from);
        return std::hypot(way.x(), way.z()) > std::abs(way.y());
    }

    /// `lying`: another axis than y is taken for up.
    void byShape(Roles& r, bool lying) const {
        // What hangs in the air on both sides is hair, however long: legs come down to near the ground.
        constexpr double kNear = 0.35, kStands = 0.12, kCarry = 0.25;  // heights
        const Sides sides = sidesOf(m_actor);
        std::vector<Pair> pairs = pairsOf(r, sides);
        if (lying)
            for (const Pair& p : std::vector<Pair>(pairs))
                if (std::count_if(pairs.begin(), pairs.end(), [&](const Pair& o) { return o.from == p.from; }) > kMostPairs)
                    std::erase_if(pairs, [&](const Pair& o) { return o.from == p.from; });
        if (pairs.empty()) return;
        const auto stands = [&](const Pair& p) { return p.low < kStands * m_height; };
        const Pair *legs = nullptr, *arms = nullptr;
        if (!r.hasLegs()) {
            for (const Pair& p : pairs)
                if (!legs || p.low < legs->low) legs = &p;
            if (legs->low > kNear * m_height) return;
            // Of what lies, fingers are no legs: these carry what they hang on.
            if (lying && place(legs->from).y() - m_low - legs->low < kCarry * m_height) return;
            // Of two pairs that stand, along a trunk that lies, the hind ones are those that the other hangs on.
            for (const Pair& p : pairs)
                if (stands(p) && stands(*legs) && m_s.isBelow(legs->from, p.from) && lies(p.from, legs->from)) legs = &p;
        }
        const int hips = legs ? legs->from : commonAncestor(m_s, r.legs[0].upper, r.legs[1].upper);
        if (!r.hasArms() && hips != kNoJoint)
            for (const Pair& p : pairs) {
                if (&p == legs || (p.from != hips && !m_s.isBelow(p.from, hips) && !(stands(p) && lies(hips, p.from)))) continue;
                const auto fore = [&](const Pair& x) { return stands(x) && lies(hips, x.from); };
                // Whoever names legs names arms: what else hangs in pairs is hair.
                if (r.byNames && !fore(p)) continue;
                if (!arms || std::pair(fore(p), lengthOf(p.way[0])) > std::pair(fore(*arms), lengthOf(arms->way[0]))) arms = &p;
            }
        // The two longest links are thigh and shin, what comes after is the foot; forward is where the toes point.
        Limb leg[2], arm[2];
        for (std::size_t k : {0, 1}) {
            if (legs) leg[k] = shaped(longestTwo(legs->way[k]));
            if (arms) arm[k] = shaped(longestTwo(arms->way[k]));
        }
        if (legs && (!leg[0].found() || !leg[1].found())) return;
        const Limb& foot = legs ? leg[0] : r.legs[0];
        Vec3 forward = Vec3::UnitZ();
        if (foot.beyond != kNoJoint) {
            const Vec3 toes = place(foot.beyond) - place(foot.end);
            if (Vec3(toes.x(), 0, toes.z()).norm() > 0.2 * toes.norm()) forward = Vec3(toes.x(), 0, toes.z()).normalized();
        }
        const Vec3 left = Vec3::UnitY().cross(forward);
        if (legs) {
            const bool swapped = left.dot(place(leg[0].upper) - place(leg[1].upper)) < 0;
            for (std::size_t k : {0, 1}) r.legs[k] = leg[swapped ? 1 - k : k];
        }
        if (!arms || !arm[0].found() || !arm[1].found()) return;
        const bool other = left.dot(place(arm[0].upper) - place(arm[1].upper)) < 0;
        for (std::size_t k : {0, 1}) r.arms[k] = arm[other ? 1 - k : k];
    }

    void finish(Roles& r) const {
        if (r.hasLegs()) r.hips = commonAncestor(m_s, r.legs[0].upper, r.legs[1].upper);
        int top = kNoJoint;
        if (r.hasArms()) top = commonAncestor(m_s, r.arms[0].upper, r.arms[1].upper);
        if (r.hips == kNoJoint && top != kNoJoint) {
            r.hips = shallowest(-1, {"hips", "hip", "pelvis"});
            if (r.hips != kNoJoint && !m_s.isBelow(top, r.hips) && top != r.hips) r.hips = kNoJoint;
        }
        if (r.hips != kNoJoint && top != kNoJoint) r.spine = m_s.path(r.hips, top);
        if (r.hasArms()) {
            const double hand = 0.5 * (place(r.arms[0].end).y() + place(r.arms[1].end).y()) - m_low;
            r.fourLegged = r.hasLegs() && hand < 0.2 * m_height;
        }
        if (const int tail = tailOf(r); tail != kNoJoint) r.tail = wayDown(tail);
        for (int side : {0, 1})
            if (const int wing = shallowest(side, {"wing", "wings", "flipper"}); wing != kNoJoint)
                r.wings[static_cast<std::size_t>(side)] = wayDown(wing);
        r.head = headOf(r, top);
        if (r.head != kNoJoint && top != kNoJoint && r.head != top && m_s.isBelow(r.head, top)) {
            r.neck = m_s.path(top, r.head);
            r.neck.erase(r.neck.begin());
            r.neck.pop_back();
        }
    }

    /// Of what is called one the longest that hangs on the body: helpers beside it are called so too.
    int tailOf(const Roles& r) const {
        if (const int joint = toldTo("tail"); joint != kNoJoint) return joint;
        int best = kNoJoint;
        std::size_t longest = 0;
        const int body = r.hips == kNoJoint ? kNoJoint : m_s.joint(r.hips).parent;
        for (int j : m_s.order()) {
            const int up = m_s.joint(j).parent;
            if (!says(words(j), {"tail"}) || isControl(j) || told(j, kNotOfTheBody) ||
                (up != kNoJoint && says(words(up), {"tail"})))
                continue;
            if (r.hips != kNoJoint && !m_s.isBelow(j, r.hips) &&
                (body == kNoJoint || !m_s.isBelow(j, body) || m_s.joint(body).parent == kNoJoint))
                continue;
            if (const std::size_t n = wayDown(j).size(); n > longest) {
                longest = n;
                best = j;
            }
        }
        if (best == kNoJoint && r.fourLegged && !r.spine.empty()) return tailByShape(r);
        return best != kNoJoint || r.hips != kNoJoint ? best : shallowest(-1, {"tail"});
    }

    /// Of four legs: what hangs on the hips, in the middle, away from where the fore legs are.
    int tailByShape(const Roles& r) const {
        const Sides sides = sidesOf(m_actor);
        const Vec3 ahead = place(r.spine.back()) - place(r.hips);
        for (int c : m_s.joint(r.hips).children) {
            const int fellow = sides.fellow[static_cast<std::size_t>(c)];
            const std::vector<int> way = wayDown(c);
            const bool spine = std::find(r.spine.begin(), r.spine.end(), c) != r.spine.end();
            if (spine || (fellow != kNoJoint && fellow != c) || way.size() < 3) continue;
            if ((place(way.back()) - place(r.hips)).dot(ahead) < 0) return c;
        }
        return kNoJoint;
    }

    int headOf(const Roles& r, int top) const {
        if (const int joint = toldTo("head"); joint != kNoJoint) return joint;
        const auto carriesMesh = [&](int j) {
            return std::any_of(m_actor.instances.begin(), m_actor.instances.end(),
                               [&](const MeshInstance& in) { return in.joint == j && in.skin >= 0; });
        };
        int best = kNoJoint;
        for (int j = 0; j < m_s.size(); ++j)
            if (says(words(j), {"head", "skull"}) && !isControl(j) && !carriesMesh(j) && !told(j, kNotOfTheBody) &&
                (r.hips == kNoJoint || m_s.isBelow(j, r.hips)) && (best == kNoJoint || depthOf(m_s, j) < depthOf(m_s, best)))
                best = j;
        return best != kNoJoint ? best : headByShape(r, top);
    }

    /// Beyond the arms, or, without any, beyond the hips: the way that goes farthest up, of what lies on four legs also farthest
    /// to the front. The head is where that way parts last (ears, jaws, eyes), else the last but one of it. What carries no mesh,
    /// or is called hair, is none.
    int headByShape(const Roles& r, int top) const {
        const int from = top != kNoJoint ? top : r.hips;
        if (from == kNoJoint || !r.hasLegs()) return kNoJoint;
        Vec3 up = Vec3::UnitY();
        if (top != kNoJoint && r.fourLegged && r.hips != kNoJoint && lies(r.hips, top)) {
            const Vec3 along = place(top) - place(r.hips);
            up = (Vec3(along.x(), 0, along.z()).normalized() + 0.5 * Vec3(Vec3::UnitY())).normalized();
        }
        const bool meshed = std::any_of(m_carried->begin(), m_carried->end(), [](double c) { return c > 0; });
        std::vector<int> way;
        double most = 0.03 * m_height;
        for (int c : m_s.joint(from).children) {
            const auto holds = [&](int j) { return j != kNoJoint && (j == c || m_s.isBelow(j, c)); };
            bool other = told(c, kNotOfTheBody) || (!r.tail.empty() && holds(r.tail.front()));
            for (const auto* limbs : {&r.legs, &r.arms})
                for (const Limb& l : *limbs) other = other || (l.found() && (holds(l.upper) || l.chain.front() == c));
            for (const auto& wing : r.wings) other = other || (!wing.empty() && holds(wing.front()));
            if (other || says(words(c), {"hair", "cape", "cloak", "scarf", "strap", "ponytail", "braid", "mane"})) continue;
            if (meshed && !(carriedBelow(m_actor, *m_carried, c) > 0)) continue;
            for (int j : m_s.subtree(c)) {
                if (!m_s.joint(j).children.empty()) continue;
                const double far = up.dot(place(j) - place(from));
                if (far <= most || says(words(j), {"hair", "ponytail", "braid", "ear"})) continue;
                most = far;
                way = m_s.path(c, j);
            }
        }
        if (way.empty()) return kNoJoint;
        for (std::size_t k = way.size(); k-- > 0;)
            if (m_s.joint(way[k]).children.size() > 1) return way[k];
        return way.size() > 2 ? way[way.size() - 2] : way.back();
    }

    const Actor& m_actor;
    const Skeleton& m_s;
    std::vector<Words> m_words;
    std::shared_ptr<const std::vector<double>> m_carried;
    std::vector<Affine> m_worlds;
    double m_low = 0, m_height = 1;  // of the rest bounds, along what is taken for up
};

}  // namespace

std::vector<std::vector<std::string>> wordsOf(const Skeleton& s) {
    std::vector<Words> out(static_cast<std::size_t>(s.size()));
    std::map<std::string, int> count;
    int named = 0;
    for (int j = 0; j < s.size(); ++j) {
        const std::string& name = s.joint(j).name;
        if (name.empty()) continue;
        ++named;
        Words& words = out[static_cast<std::size_t>(j)];
        std::string word;
        const auto close = [&] {
            if (!word.empty()) words.push_back(word);
            word.clear();
        };
        for (std::size_t k = 0; k < name.size(); ++k) {
            const auto c = static_cast<unsigned char>(name[k]);
            if (!std::isalpha(c)) {
                close();
                continue;
            }
            // "LeftArm", "IKGoal": a capital begins a word, and so does the last of several before a small letter.
            const bool capital = std::isupper(c), before = k > 0 && std::islower(static_cast<unsigned char>(name[k - 1])),
                       after = k + 1 < name.size() && std::islower(static_cast<unsigned char>(name[k + 1])),
                       among = k > 0 && std::isupper(static_cast<unsigned char>(name[k - 1]));
            if (capital && (before || (among && after))) close();
            word += static_cast<char>(std::tolower(c));
        }
        close();
        Words once = words;
        std::sort(once.begin(), once.end());
        once.erase(std::unique(once.begin(), once.end()), once.end());
        for (const std::string& w : once) ++count[w];
    }
    for (Words& words : out)
        std::erase_if(words, [&](const std::string& w) { return named > 4 && count[w] > kNearlyAll * named; });
    return out;
}

Roles rolesOf(const Actor& actor) {
    static LastFew<Roles> known;
    return *known.of(actor, {}, [&] { return Finder(actor).find(); });
}

namespace {

/// What a body hangs together by: hips, head and the tops of its limbs.
std::vector<int> topsOf(const Roles& roles) {
    std::vector<int> joints;
    for (int j : {roles.hips, roles.head})
        if (j != kNoJoint) joints.push_back(j);
    for (const auto* limbs : {&roles.legs, &roles.arms})
        for (const Limb& l : *limbs)
            if (l.found()) joints.push_back(l.upper);
    return joints;
}

}  // namespace

int carrierOf(const Skeleton& s, const Roles& roles) {
    return carrierOf(s, topsOf(roles));
}

std::vector<int> carriersOf(const Skeleton& s, const Roles& roles) {
    const std::vector<int> tops = topsOf(roles);
    if (const int one = carrierOf(s, tops); one != kNoJoint) return {one};
    std::vector<int> out;
    for (int j : tops) {
        while (s.joint(j).parent != kNoJoint) j = s.joint(j).parent;
        if (std::find(out.begin(), out.end(), j) == out.end()) out.push_back(j);
    }
    return out;
}

int carrierOf(const Skeleton& s, const std::vector<int>& joints) {
    int at = kNoJoint;
    bool first = true;
    for (int joint : joints) {
        if (joint == kNoJoint) continue;
        if (first) at = joint;
        first = false;
        while (at != kNoJoint && at != joint && !s.isBelow(joint, at)) at = s.joint(at).parent;
    }
    return at;
}

}  // namespace nutatio::rig
