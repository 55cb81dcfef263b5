#include "rig/figure.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

#include "rig/beside.h"
#include "rig/capsule.h"
#include "rig/figure_limits.h"
#include "rig/last_few.h"
#include "rig/mass.h"
#include "rig/outer.h"
#include "rig/parts.h"
#include "rig/roles.h"
#include "rig/sides.h"
#include "rig/surface.h"

namespace nutatio::rig {

namespace {

constexpr double kShort = 0.04;  // heights, of a bone that is no segment's
constexpr std::size_t kMost = 25;
constexpr double kLeastShare = 1.0 / 300;
constexpr std::size_t kFew = 8;     // vertices, that a capsule is fitted to
constexpr std::size_t kTold = 3;    // vertices, that tell how thick it is
constexpr double kLeastHead = 0.4;  // of what is usual: thinner is no head, but what is left of one whose face is a mesh apart
constexpr float kCarries = 0.4f;    // of a vertex, that makes it a segment's

/// Which joints are segments, and what they are.
class Choice {
  public:
    Choice(const Actor& actor, const std::vector<int>& tops, const std::vector<Affine>& worlds, const Masses& masses)
        : m_actor(actor), m_s(actor.skeleton), m_worlds(worlds), m_masses(masses), m_tops(tops.empty() ? m_s.roots() : tops) {}

    std::vector<int> joints(const Roles& roles) {
        byRoles(roles);
        const bool told = m_chosen.size() > 2;
        if (!told) byMass();
        root();
        dropShort(told);
        std::vector<int> out;
        for (int j : m_s.order())
            if (m_chosen.count(j)) out.push_back(j);
        return out;
    }

  private:
    Vec3 place(int j) const { return m_worlds[static_cast<std::size_t>(j)].t; }
    bool within(int joint) const {
        return std::any_of(m_tops.begin(), m_tops.end(), [&](int t) { return t == joint || m_s.isBelow(joint, t); });
    }
    void choose(int joint) {
        if (joint != kNoJoint && within(joint)) m_chosen.insert(joint);
    }

    void byRoles(const Roles& r) {
        choose(r.hips);
        for (int j : r.spine) choose(j);
        for (int j : r.neck) choose(j);
        choose(r.head);
        for (int j : r.tail) choose(j);
        for (const auto* limbs : {&r.legs, &r.arms})
            for (const Limb& l : *limbs) {
                if (!l.found()) continue;
                for (int j : {l.upper, l.lower, l.end}) choose(j);
                // A collar bone or a hip that carries the limb, if it is long enough to be one.
                const int up = m_s.joint(l.upper).parent;
                if (up != kNoJoint && up != r.hips && !m_chosen.count(up) &&
                    (place(up) - place(l.upper)).norm() > kShort * m_actor.height &&
                    std::find(r.spine.begin(), r.spine.end(), up) == r.spine.end())
                    choose(up);
            }
    }

    /// Joints that hold a part of the whole, the heaviest first.
    void byMass() {
        m_chosen.clear();
        std::vector<std::pair<double, int>> heavy;
        const std::vector<char> beside = besideBody(m_actor);
        for (int j = 0; j < m_s.size(); ++j)
            if (within(j) && !beside[static_cast<std::size_t>(j)] && m_masses.share[static_cast<std::size_t>(j)] > kLeastShare)
                heavy.emplace_back(-m_masses.share[static_cast<std::size_t>(j)], j);
        if (heavy.size() <= kMost)
            for (const auto& [share, joint] : heavy) m_chosen.insert(joint);
        else
            pool(heavy);
        if (m_chosen.empty()) m_chosen.insert(m_tops.front());
    }

    /// Of many joints, so many of which none holds much: from the tips up, whatever has gathered enough with what hangs on it and
    /// is no segment yet. What is enough is found by halving, so that segments are nearly as many as may be.
    void pool(const std::vector<std::pair<double, int>>& heavy) {
        double least = kLeastShare, enough = 1;
        std::vector<double> gathered;
        const auto gather = [&](double share) {
            std::vector<int> out;
            gathered.assign(static_cast<std::size_t>(m_s.size()), 0.0);
            for (const auto& [negative, joint] : heavy) gathered[static_cast<std::size_t>(joint)] = -negative;
            for (auto j = m_s.order().rbegin(); j != m_s.order().rend(); ++j) {
                const double here = gathered[static_cast<std::size_t>(*j)];
                const int up = m_s.joint(*j).parent;
                if (here >= share && within(*j))
                    out.push_back(*j);
                else if (up != kNoJoint)
                    gathered[static_cast<std::size_t>(up)] += here;
            }
            return out;
        };
        for (int k = 0; k < 20; ++k) {
            const double middle = 0.5 * (least + enough);
            (gather(middle).size() > kMost ? least : enough) = middle;
        }
        for (int j : gather(enough)) m_chosen.insert(j);
    }

    /// All segments of one top hang on one of them: where hips and spine are brothers, on what carries both.
    void root() {
        for (int top : m_tops) {
            std::vector<int> uppermost;
            for (int j : m_chosen) {
                if (j != top && !m_s.isBelow(j, top)) continue;
                int up = m_s.joint(j).parent;
                while (up != kNoJoint && !m_chosen.count(up)) up = m_s.joint(up).parent;
                if (up == kNoJoint || (up != top && !m_s.isBelow(up, top))) uppermost.push_back(j);
            }
            if (uppermost.size() < 2) continue;
            int common = uppermost.front();
            while (common != kNoJoint &&
                   !std::all_of(uppermost.begin(), uppermost.end(), [&](int j) { return j == common || m_s.isBelow(j, common); }))
                common = m_s.joint(common).parent;
            if (common != kNoJoint) choose(common);
        }
    }

    int parentOf(int joint) const {
        int up = m_s.joint(joint).parent;
        while (up != kNoJoint && !m_chosen.count(up)) up = m_s.joint(up).parent;
        return up;
    }
    std::vector<int> childrenOf(int joint) const {
        std::vector<int> out;
        for (int j : m_chosen)
            if (parentOf(j) == joint) out.push_back(j);
        return out;
    }

    /// A bone that is short rides on what it hangs on, unless it ends a limb; then the shortest of what is too many.
    void dropShort(bool told) {
        const auto bone = [&](int j) {
            double longest = -1;
            for (int c : childrenOf(j)) longest = std::max(longest, (place(c) - place(j)).norm());
            return longest;
        };
        for (int j : std::vector<int>(m_chosen.begin(), m_chosen.end())) {
            const double length = bone(j);
            if (parentOf(j) != kNoJoint && length >= 0 && length < kShort * m_actor.height) m_chosen.erase(j);
            if (!told && length < 0 && parentOf(j) != kNoJoint &&
                (place(j) - place(parentOf(j))).norm() < kShort * m_actor.height)
                m_chosen.erase(j);
        }
        while (m_chosen.size() > kMost) {
            int shortest = kNoJoint;
            double least = 1e300;
            for (int j : m_chosen)
                if (const double length = bone(j); parentOf(j) != kNoJoint && length >= 0 && length < least) {
                    least = length;
                    shortest = j;
                }
            if (shortest == kNoJoint) break;
            m_chosen.erase(shortest);
        }
    }

    const Actor& m_actor;
    const Skeleton& m_s;
    const std::vector<Affine>& m_worlds;
    const Masses& m_masses;
    std::vector<int> m_tops;
    std::set<int> m_chosen;
};

/// Radii of people, in heights.
double usualRadius(const Roles& r, int joint) {
    if (joint == r.head) return 0.055;
    if (std::find(r.neck.begin(), r.neck.end(), joint) != r.neck.end()) return 0.03;
    for (const Limb& l : r.arms) {
        if (joint == l.upper) return 0.027;
        if (joint == l.lower || joint == l.end) return 0.021;
    }
    for (const Limb& l : r.legs) {
        if (joint == l.upper) return 0.043;
        if (joint == l.lower) return 0.029;
        if (joint == l.end) return 0.021;
    }
    if (joint == r.hips || std::find(r.spine.begin(), r.spine.end(), joint) != r.spine.end()) return 0.065;
    return 0;
}

class FigureMaker {
  public:
    FigureMaker(const Actor& actor, const std::vector<int>& tops)
        : m_actor(actor), m_s(actor.skeleton), m_roles(rolesOf(actor)), m_sides(sidesOf(actor)), m_masses(massesOf(actor)) {
        worldTransforms(m_s, actor.restPose(), m_worlds);
        m_f.height = actor.height;
        const std::vector<int> joints = Choice(actor, tops, m_worlds, m_masses).joints(m_roles);
        m_f.segmentOf.assign(static_cast<std::size_t>(m_s.size()), -1);
        for (int j : joints) {
            FigureSegment g;
            g.joint = j;
            g.at = place(j);
            int up = m_s.joint(j).parent;
            while (up != kNoJoint && m_f.find(up) < 0) up = m_s.joint(up).parent;
            g.parent = up == kNoJoint ? -1 : m_f.find(up);
            m_f.segments.push_back(std::move(g));
        }
        for (int j : m_s.order()) {
            const int own = m_f.find(j), up = m_s.joint(j).parent;
            m_f.segmentOf[static_cast<std::size_t>(j)] = own >= 0         ? own
                                                         : up == kNoJoint ? -1
                                                                          : m_f.segmentOf[static_cast<std::size_t>(up)];
        }
    }

    Figure make() {
        weigh();
        gatherPoints();
        for (std::size_t i = 0; i < m_f.segments.size(); ++i) shape(i);
        if (m_f.segments.size() == 1) edges();
        for (std::size_t i = 0; i < m_f.segments.size() && m_f.segments.size() > 1; ++i) corners(i);
        pair();
        keepApart();
        findLimits(m_actor, m_roles, m_sides, m_worlds, m_f);
        evenOut();
        doubt();
        return std::move(m_f);
    }

  private:
    Vec3 place(int j) const { return m_worlds[static_cast<std::size_t>(j)].t; }

    void weigh() {
        double all = 0;
        std::vector<Vec3> moment(m_f.segments.size(), Vec3::Zero());
        for (int j = 0; j < m_s.size(); ++j) {
            const auto k = static_cast<std::size_t>(j);
            const int own = m_f.segmentOf[k];
            if (own < 0) continue;
            m_f.segments[static_cast<std::size_t>(own)].share += m_masses.share[k];
            moment[static_cast<std::size_t>(own)] += m_masses.share[k] * m_worlds[k].apply(m_masses.centre[k]);
        }
        for (std::size_t i = 0; i < m_f.segments.size(); ++i) {
            FigureSegment& g = m_f.segments[i];
            g.centre = g.share > 0 ? Vec3(moment[i] / g.share) : g.at;
            g.share = std::max(g.share, kLeastShare);
            all += g.share;
        }
        for (FigureSegment& g : m_f.segments) g.share /= all;
    }

    /// Joints whose vertices say nothing of the body: what hangs, and what one side alone holds.
    std::vector<char> aside() const {
        std::vector<char> out(static_cast<std::size_t>(m_s.size()), false);
        for (const Part& p : suggestedParts(m_actor))
            if (p.sort == Sort::Tail || p.sort == Sort::Ear || p.sort == Sort::Hair || p.sort == Sort::Strap ||
                p.sort == Sort::Cloth)
                for (int j : p.joints) out[static_cast<std::size_t>(j)] = true;
        int paired = 0;
        for (int j = 0; j < m_s.size(); ++j) paired += m_sides.fellow[static_cast<std::size_t>(j)] != kNoJoint;
        const bool even = 2 * paired > m_s.size();
        for (int j : m_s.order()) {
            const auto k = static_cast<std::size_t>(j);
            if (m_f.find(j) >= 0) {
                out[k] = false;
                continue;
            }
            const int up = m_s.joint(j).parent;
            if (even && m_sides.fellow[k] == kNoJoint) out[k] = true;
            if (up != kNoJoint && out[static_cast<std::size_t>(up)]) out[k] = true;
        }
        return out;
    }

    void gatherPoints() {
        const std::vector<char> skip = aside();
        const Surface surface = Surface::of(m_actor);
        const std::vector<char> worn = besideBody(m_actor);
        m_points.resize(m_f.segments.size());
        m_skin.resize(m_f.segments.size());
        std::vector<float> held(m_f.segments.size()), carried(m_f.segments.size());
        for (std::uint32_t p = 0; p < surface.places.size(); ++p) {
            std::fill(held.begin(), held.end(), 0.0f);
            std::fill(carried.begin(), carried.end(), 0.0f);
            for (const Surface::Pull& pull : surface.pulls(p)) {
                const auto joint = static_cast<std::size_t>(pull.joint);
                if (m_f.segmentOf[joint] < 0) continue;
                const auto segment = static_cast<std::size_t>(m_f.segmentOf[joint]);
                if (!skip[joint]) held[segment] += pull.weight;
                if (!worn[joint]) carried[segment] += pull.weight;
            }
            const auto carries = std::max_element(carried.begin(), carried.end());
            if (carries != carried.end() && *carries > kCarries)
                m_skin[static_cast<std::size_t>(carries - carried.begin())].push_back(
                    {surface.places[p].cast<double>(), sharesOf(surface.pulls(p), worn)});
            const auto most = std::max_element(held.begin(), held.end());
            if (most != held.end() && *most > 0.5f)
                m_points[static_cast<std::size_t>(most - held.begin())].push_back(surface.places[p].cast<double>());
        }
    }

    std::vector<FigureSegment::Share> sharesOf(std::span<const Surface::Pull> pulls, const std::vector<char>& worn) const {
        std::vector<FigureSegment::Share> out;
        double all = 0;
        for (const Surface::Pull& pull : pulls) {
            const auto joint = static_cast<std::size_t>(pull.joint);
            if (m_f.segmentOf[joint] < 0 || worn[joint]) continue;
            out.push_back({pull.joint, pull.weight});
            all += pull.weight;
        }
        for (FigureSegment::Share& s : out) s.share /= all;
        return out;
    }

    /// To the segment that goes on from this one: the trunk's next, or the farthest.
    Vec3 boneOf(std::size_t i) const {
        const FigureSegment& g = m_f.segments[i];
        Vec3 best = Vec3::Zero();
        for (const FigureSegment& c : m_f.segments) {
            if (c.parent != static_cast<int>(i)) continue;
            const bool onward = std::find(m_roles.spine.begin(), m_roles.spine.end(), c.joint) != m_roles.spine.end() ||
                                std::find(m_roles.neck.begin(), m_roles.neck.end(), c.joint) != m_roles.neck.end() ||
                                c.joint == m_roles.head;
            if (onward) return c.at - g.at;
            if ((c.at - g.at).norm() > best.norm()) best = c.at - g.at;
        }
        if (best.isZero()) best = m_worlds[static_cast<std::size_t>(g.joint)].apply(endOf(m_s, g.joint)) - g.at;
        return best;
    }

    void shape(std::size_t i) {
        FigureSegment& g = m_f.segments[i];
        const Vec3 bone = boneOf(i);
        g.axis = bone.norm() > 1e-9 * m_f.height ? Vec3(bone.normalized()) : Vec3(Vec3::UnitY());
        const double usual = usualRadius(m_roles, g.joint) * m_f.height;
        if (m_points[i].size() >= kFew) {
            const Capsule c = fitCapsule(m_points[i], bone);
            g.radius = 0.5 * (c.ra + c.rb);
            // Ends pulled in for either radius are put back for the mean of both.
            const Vec3 way = c.b - c.a;
            const double length = way.norm();
            if (length > 1e-9 * m_f.height) {
                g.endA = c.a + (g.radius - c.ra) / length * way;
                g.endB = c.b - (g.radius - c.rb) / length * way;
            } else {
                g.endA = g.endB = c.a;
            }
        } else {
            const double length = std::max(bone.norm(), 0.02 * m_f.height);
            g.radius = std::min(usual > 0 ? usual : 0.12 * length, 0.5 * length + 0.01 * m_f.height);
            // Of a few vertices half lie farther from the bone.
            if (m_skin[i].size() >= kTold) {
                std::vector<double> away;
                for (const SkinPoint& p : m_skin[i])
                    away.push_back((p.at - g.at - within((p.at - g.at).dot(g.axis), 0.0, length) * g.axis).norm());
                g.radius = quantile(std::move(away), 0.5);
            }
            const double in = std::min(g.radius, 0.5 * length);
            g.endA = g.at + in * g.axis;
            g.endB = g.at + (length - in) * g.axis;
            if (m_f.segments.size() > 1 && m_skin[i].size() < kTold && hasMesh()) m_bare.push_back(i);
        }
        if (g.joint == m_roles.head && g.radius < kLeastHead * usual) roundHead(g, usual);
        g.radius = within(g.radius, 0.003 * m_f.height, 0.5 * m_f.height);
        // A lantern or a coat on a segment adds to its mass, but never pulls its centre of mass out of its own capsule.
        if (m_f.segments.size() > 1) {
            const Vec3 way = g.endB - g.endA, middle = 0.5 * (g.endA + g.endB);
            const double along = way.norm();
            Vec3 off = g.centre - middle;
            if (off.norm() > 0.5 * along + g.radius) off *= (0.5 * along + g.radius) / off.norm();
            g.centre = middle + off;
        }
    }

    /// A head that next to no vertex tells of, as one whose face is a mesh of its own: by proportion, beyond the neck.
    void roundHead(FigureSegment& g, double radius) const {
        if (g.parent >= 0 && boneOf(static_cast<std::size_t>(m_f.find(g.joint))).norm() < radius) {
            const Vec3 neck = g.at - m_f.segments[static_cast<std::size_t>(g.parent)].at;
            if (neck.norm() > 1e-9 * m_f.height) g.axis = neck.normalized();
        }
        g.radius = radius;
        g.endA = g.endB = g.at + radius * g.axis;
    }

    bool hasMesh() const { return !m_actor.instances.empty(); }

    /// A prop's corners, where it is no ball: those of its points that reach farthest some way, round about the axis it is
    /// evenest about.
    void edges() {
        FigureSegment& g = m_f.segments[0];
        const std::vector<Vec3>& points = m_points[0];
        if (points.size() < 4) return;
        const auto farthest = [&](const Vec3& way) {
            std::size_t best = 0;
            for (std::size_t p = 1; p < points.size(); ++p)
                if (points[p].dot(way) > points[best].dot(way) + 1e-9 * m_f.height) best = p;
            return best;
        };
        // A ball is as wide whichever way it is measured.
        double least = 1e300, most = 0;
        for (int k = 0; k < 27; ++k) {
            const Vec3 way(k % 3 - 1, k / 3 % 3 - 1, k / 9 - 1);
            if (way.isZero()) continue;
            const Vec3 d = way.normalized();
            const double width = points[farthest(d)].dot(d) - points[farthest(-d)].dot(d);
            least = std::min(least, width);
            most = std::max(most, width);
        }
        if (least > 0.9 * most) return;
        const Spread spread = spreadOf(points);
        const bool tall = spread.variance[1] - spread.variance[0] < spread.variance[2] - spread.variance[1];
        const Vec3 axis = spread.axes.col(tall ? 2 : 0), side = spread.axes.col(1), across = axis.cross(side);
        constexpr int kRound = 16;
        std::set<std::size_t> corners;
        for (int turn = 0; turn < kRound; ++turn)
            for (double up : {-1.0, 1.0}) {
                const double a = 2 * kPi * (turn + 0.5) / kRound;
                const Vec3 way = std::cos(a) * side + std::sin(a) * across + up * axis;
                corners.insert(farthest(way));
            }
        for (std::size_t p : corners) g.corners.push_back(points[p]);
        g.edged = true;
    }

    /// What of its skin reaches farthest: with its ears, toes and hooves.
    void corners(std::size_t i) {
        constexpr std::size_t kMostCorners = 20;
        constexpr double kSlack = 0.004;  // heights
        std::vector<Vec3> places;
        for (const SkinPoint& p : m_skin[i]) places.push_back(p.at);
        std::vector<std::size_t> chosen(places.size());
        std::iota(chosen.begin(), chosen.end(), std::size_t{0});
        if (places.size() >= kFew) chosen = outermost(places, kMostCorners, kSlack * m_f.height);
        for (std::size_t p : chosen) {
            m_f.segments[i].corners.push_back(places[p]);
            m_f.segments[i].skin.push_back(m_skin[i][p].shares);
        }
    }

    /// Limbs of flesh are not in one another at rest: what is fitted to a skirt or a sleeve over them is made thinner.
    void keepApart() {
        for (std::size_t i = 0; i < m_f.segments.size(); ++i) {
            const auto o = static_cast<std::size_t>(m_f.fellow[i]);
            if (o <= i) continue;
            FigureSegment &a = m_f.segments[i], &b = m_f.segments[o];
            const double most = 0.5 * (0.5 * (a.at + a.at + boneOf(i)) - 0.5 * (b.at + b.at + boneOf(o))).norm();
            if (most < 0.01 * m_f.height) continue;
            for (FigureSegment* g : {&a, &b}) {
                if (g->radius <= most) continue;
                // About the bone itself, as the skirt's own middle lies elsewhere.
                const Vec3 bone = boneOf(g == &a ? i : o);
                const double in = std::min(most, 0.5 * bone.norm());
                g->radius = most;
                g->endA = g->at + in * g->axis;
                g->endB = g->at + (bone.norm() - in) * g->axis;
            }
        }
    }

    void pair() {
        for (std::size_t i = 0; i < m_f.segments.size(); ++i) {
            const int o = m_sides.fellow[static_cast<std::size_t>(m_f.segments[i].joint)];
            const int found = o == kNoJoint ? -1 : m_f.find(o);
            m_f.fellow.push_back(found < 0 ? static_cast<int>(i) : found);
        }
    }

    /// Left and right weigh, measure and turn alike.
    void evenOut() {
        for (std::size_t i = 0; i < m_f.segments.size(); ++i) {
            const auto o = static_cast<std::size_t>(m_f.fellow[i]);
            if (o <= i) continue;
            FigureSegment &a = m_f.segments[i], &b = m_f.segments[o];
            a.share = b.share = 0.5 * (a.share + b.share);
            a.radius = b.radius = 0.5 * (a.radius + b.radius);
            a.swingA = b.swingA = std::max(a.swingA, b.swingA);
            a.swingB = b.swingB = std::max(a.swingB, b.swingB);
            a.twist = b.twist = std::max(a.twist, b.twist);
        }
    }

    void doubt() {
        const auto name = [&](std::size_t i) { return "\"" + plainName(m_s, m_f.segments[i].joint) + "\""; };
        const auto listed = [&](const std::vector<std::size_t>& which) {
            std::string out;
            for (std::size_t k = 0; k < which.size() && k < 3; ++k) out += (k ? ", " : "") + name(which[k]);
            return which.size() > 3 ? out + " and " + std::to_string(which.size() - 3) + " more" : out;
        };
        if (!m_bare.empty()) m_f.doubts.push_back("no vertices tell how thick " + listed(m_bare) + " is");
        if (!hasMesh()) m_f.doubts.push_back("there is no mesh: how thick and heavy its segments are goes by people");
        if (m_f.segments.size() == 1) return;
        double least = 1, most = 0;
        for (const FigureSegment& g : m_f.segments) {
            least = std::min(least, g.share);
            most = std::max(most, g.share);
        }
        if (most > 100 * least)
            m_f.doubts.push_back("one segment weighs " + std::to_string(static_cast<int>(most / least)) +
                                 " times as much as another");
        if (!m_roles.hasLegs() && !m_roles.hasArms())
            m_f.doubts.push_back("no limbs were told by names or shape: segments are the joints that carry most");
    }

    const Actor& m_actor;
    const Skeleton& m_s;
    Roles m_roles;
    Sides m_sides;
    Masses m_masses;
    std::vector<Affine> m_worlds;
    Figure m_f;
    struct SkinPoint {
        Vec3 at;
        std::vector<FigureSegment::Share> shares;
    };
    std::vector<std::vector<Vec3>> m_points;     // by segment: what its capsule is fitted to
    std::vector<std::vector<SkinPoint>> m_skin;  // by segment: all that it carries
    std::vector<std::size_t> m_bare;
};

}  // namespace

int Figure::find(int joint) const {
    for (std::size_t i = 0; i < segments.size(); ++i)
        if (segments[i].joint == joint) return static_cast<int>(i);
    return -1;
}

double usualMass(double height) {
    return 73 * std::pow(std::max(height, 1e-3) / 1.75, 3);
}

std::shared_ptr<const Figure> figureOf(const Actor& actor, const std::vector<int>& tops) {
    static LastFew<Figure> known;
    return known.of(actor, tops, [&] { return actor.skeleton.size() == 0 ? Figure() : FigureMaker(actor, tops).make(); });
}

}  // namespace nutatio::rig
