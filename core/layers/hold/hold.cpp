#include "layers/hold/hold.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <set>

#include "layers/anchors.h"
#include "layers/common_rows.h"
#include "layers/descent.h"
#include "layers/filter.h"
#include "layers/hold/hold_shown.h"
#include "layers/joint_worlds.h"
#include "layers/meeting.h"
#include "rig/contacts.h"
#include "rig/limb.h"
#include "rig/roles.h"
#include "rig/sole.h"
#include "rig/stride.h"

namespace nutatio::layers::hold {

// Of each point its way over what it stands on; where it stands (rig::standingOf, or the intervals of the layer) it is held at
// the median of its places there, the least change. Offset o = place - x, weight w = 1 inside and the quintic outside over some
// frames, no farther than to the point's next contact: O := (O W (1-w) + o w)/(W (1-w) + w) for the points of one limb, W := W
// (1-w) + w. The body's root takes a share of the feet's mean offset, and what a limb would have to reach beyond itself; then
// each limb is brought to its end's place by two bones (rig::reachWithLimb), and hand or foot keeps its turn. Where the clip
// walks in place the ground runs under it as fast as its feet tell (rig::strideOf).

namespace {

using scene::SettingSpec;
using scene::SettingType;
using scene::Unit;

constexpr SettingSpec spotRow(std::string_view id, std::string_view label) {
    return {.id = id,
            .label = label,
            .unit = Unit::Metres,
            .range = {-100, 100},
            .soft = {-0.3, 0.3},
            .help = "Where on what hangs on the joint the held point is, from the joint in its axes: drag it over the body.",
            .feel = false,
            .together = true,
            .each = scene::Each::Joint};
}

constexpr SettingSpec kSettings[] = {
    {.id = "joint",
     .label = "Points",
     .type = SettingType::Joints,
     .help = "What is held: feet, toes, hands. Each with the two bones above it.",
     .role = scene::Role::Target,
     .feel = false},
    {.id = "contacts",
     .label = "Contacts",
     .type = SettingType::Choice,
     .help = "Found where a point is near the ground and still; or the intervals of this layer, set by hand on the tape.",
     .feel = false,
     .together = true,
     .choices = "found|intervals",
     .group = "Contacts"},
    {.id = "on",
     .label = "Held to",
     .type = SettingType::Mount,
     .help =
         "The joint of any actor that points are held to, as they stand to it in the middle of the contact; none: the ground.",
     .feel = false,
     .together = true},
    {.id = "onto",
     .label = "On the surface of",
     .type = SettingType::Colliders,
     .help =
         "A collider or set piece on whose surface points are held where they are near it: hands on a rail, a strap on a back.",
     .feel = false},
    {.id = "at",
     .label = "Takes it",
     .type = SettingType::Choice,
     .help =
         "Where on that joint a point is held: as it stands to it in the middle of the contact, or right at it: a hand catches.",
     .feel = false,
     .together = true,
     .choices = "as it stands|right at it"},
    {.id = "slides",
     .label = "May slide",
     .type = SettingType::Choice,
     .help =
         "Ways that a held point may go all the same: over the ground or the surface, or along an axis of what it is held to.",
     .feel = false,
     .together = true,
     .choices = "no|over the ground|along x|along y|along z"},
    {.id = "near",
     .label = "Near",
     .unit = Unit::Share,
     .range = {0.001, 1},
     .soft = {0.005, 0.15},
     .start = 0.035,
     .help = "How near its lowest a point must be to stand, against the length of its limb.",
     .more = "More: contacts begin earlier. Less: only where it is right down.",
     .curved = true,
     .only = "contacts=found"},
    {.id = "still",
     .label = "Still",
     .unit = Unit::PerSecond,
     .range = {0.01, 20},
     .soft = {0.05, 2},
     .start = 0.35,
     .help = "How slow it must be to stand, in lengths of its limb a second.",
     .more = "More: sliding feet count. Less: only what stands still.",
     .curved = true,
     .only = "contacts=found"},
    {.id = "ease",
     .label = "Ease",
     .unit = Unit::Frames,
     .range = {0, 100},
     .soft = {0, 24},
     .start = 3,
     .help = "Frames before and after a contact over which a point is drawn to its place.",
     .more = "More: gentle. Less: exact to the frame.",
     .together = true,
     .group = "How"},
    {.id = "body",
     .label = "Body follows",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 1},
     .start = 0.35,
     .help = "How much of what feet are off the body as a whole takes over.",
     .more = "More: hips move, legs change little. 0: legs alone.",
     .together = true},
    {.id = "bend",
     .label = "Knees, elbows",
     .type = SettingType::Choice,
     .help = "Bend as the animation bends them, or the other way, where it leaves them straight.",
     .feel = false,
     .together = true,
     .choices = "as animated|the other way"},
    {.id = "towards",
     .label = "Bend towards",
     .type = SettingType::Joint,
     .help = "The joint that knees and elbows of held limbs point to; none: as they are bent.",
     .feel = false,
     .together = true},
    {.id = "sole",
     .label = "Feet",
     .type = SettingType::Choice,
     .help = "Keep the turn that they are animated with; or heel and ball stand, each by itself, and the foot turns with them.",
     .feel = false,
     .together = true,
     .choices = "keep their turn|heel and ball stand"},
    spotRow("spot_x", "Point x"),
    spotRow("spot_y", "Point y"),
    spotRow("spot_z", "Point z"),
    kMixRow,
};

/// A limb and the points at its end that are held.
struct HeldLimb {
    int upper = rig::kNoJoint, lower = rig::kNoJoint, end = rig::kNoJoint;
    bool foot = false;
    std::vector<int> points;                        // heel side first
    Vec3 heel = Vec3::Zero(), ball = Vec3::Zero();  // of a foot that stands on both, in its end's axes
    bool onSole = false;
};

/// What a layer turns: limbs, each once, and the joint that carries the body.
struct Build {
    std::vector<HeldLimb> limbs;
    int root = rig::kNoJoint;
    std::vector<int> joints;  // that it gives, the root first
};

Build buildOf(const rig::Actor& actor, const scene::Layer& layer) {
    const rig::Skeleton& s = actor.skeleton;
    const rig::Roles roles = rig::rolesOf(actor);
    std::vector<Affine> rest;
    rig::worldTransforms(s, actor.restPose(), rest);
    Build out;
    for (const std::string& name : layer.list("joint")) {
        const int point = s.find(name);
        if (point == rig::kNoJoint) continue;
        HeldLimb limb;
        for (const auto* limbs : {&roles.legs, &roles.arms})
            for (const rig::Limb& l : *limbs)
                if (l.found() && (point == l.end || s.isBelow(point, l.end)))
                    limb = {l.upper, l.lower, l.end, limbs == &roles.legs || roles.fourLegged, {}};
        if (limb.end == rig::kNoJoint) {
            // Any joint with two bones above it.
            const auto above = [&](int joint) {
                int up = joint == rig::kNoJoint ? joint : s.joint(joint).parent;
                while (up != rig::kNoJoint &&
                       (rest[static_cast<std::size_t>(up)].t - rest[static_cast<std::size_t>(joint)].t).norm() <
                           1e-4 * actor.height)
                    up = s.joint(up).parent;
                return up;
            };
            const int lower = above(point), upper = above(lower);
            if (upper == rig::kNoJoint) continue;
            limb = {upper, lower, point, !roles.hasLegs(), {}};
        }
        const auto known = std::find_if(out.limbs.begin(), out.limbs.end(), [&](const HeldLimb& l) { return l.end == limb.end; });
        HeldLimb& at = known == out.limbs.end() ? out.limbs.emplace_back(limb) : *known;
        if (std::find(at.points.begin(), at.points.end(), point) == at.points.end()) at.points.push_back(point);
    }
    // What carries all limbs and the spine: hips and spine may be brothers.
    std::vector<int> carried;
    for (const HeldLimb& l : out.limbs) carried.push_back(l.upper);
    if (!carried.empty()) carried.insert(carried.end(), {roles.hips, roles.head});
    int root = rig::carrierOf(s, carried);
    if (!out.limbs.empty() && root == out.limbs.front().upper) root = s.joint(root).parent;
    out.root = root;
    std::set<int> joints;
    if (root != rig::kNoJoint) joints.insert(root);
    for (const HeldLimb& l : out.limbs) joints.insert({l.upper, l.lower, l.end});
    for (int j : s.order())
        if (joints.count(j)) out.joints.push_back(j);
    return out;
}

std::optional<std::string> problem(const rig::Actor& actor, const scene::Layer& layer) {
    if (auto missing = missingJoint(actor.skeleton, layer.list("joint"))) return missing;
    if (buildOf(actor, layer).limbs.empty()) return "none of its points has two bones above it";
    return std::nullopt;
}

std::vector<Moved> moves(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<Moved> out;
    for (int j : buildOf(actor, layer).joints) out.push_back({j, 0});
    return out;
}

/// The place of a held point is said of that one.
std::vector<int> concerned(const rig::Actor& actor, const scene::Layer& layer, std::string_view) {
    std::vector<int> out;
    for (const std::string& p : layer.list("joint"))
        if (const int j = actor.skeleton.find(p); j != rig::kNoJoint) out.push_back(j);
    return out;
}

std::vector<std::string> onto(const scene::Resolved& settings) {
    return settings.list("onto");
}

/// Median, coordinate by coordinate.
Vec3 middleOf(const std::vector<Vec3>& points) {
    Vec3 out;
    for (Eigen::Index k = 0; k < 3; ++k) {
        std::vector<double> v;
        for (const Vec3& p : points) v.push_back(p[k]);
        std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
        out[k] = v[v.size() / 2];
    }
    return out;
}

/// Evened out over some frames on either side, ends held or going round.
std::vector<Vec3> evened(const std::vector<Vec3>& v, double frames, bool round) {
    if (frames < 0.3) return v;
    const int n = static_cast<int>(v.size()), reach = static_cast<int>(std::ceil(3 * frames));
    std::vector<Vec3> out(v.size());
    for (int f = 0; f < n; ++f) {
        Vec3 sum = Vec3::Zero();
        double all = 0;
        for (int k = -reach; k <= reach; ++k) {
            const double w = std::exp(-0.5 * k * k / (frames * frames));
            const int last = n - 1, at = round && last > 0 ? ((f + k) % last + last) % last : within(f + k, 0, last);
            sum += w * v[static_cast<std::size_t>(at)];
            all += w;
        }
        out[static_cast<std::size_t>(f)] = sum / all;
    }
    return out;
}

/// One point through the shot.
struct Point {
    int joint;
    Vec3 local;                // in its axes
    std::vector<Vec3> world;   // the actor's
    std::vector<Vec3> offset;  // that it is to move by
    std::vector<double> weight;
    std::vector<Held> held;
};

class Holding {
  public:
    Holding(const LayerContext& context, const rig::Track& below, const Cancel& cancel)
        : m_c(context),
          m_below(below),
          m_cancel(cancel),
          m_s(context.actor.skeleton),
          m_settings(*context.settings),
          m_build(buildOf(context.actor, context.layer)),
          m_n(below.frames()),
          m_level(scene::levelOf(context.placement)) {
        sample();
        readGround();
        readSoles();
        const std::string& slides = m_settings.text("slides");
        for (Eigen::Index k = 0; k < 3; ++k)
            m_free[static_cast<std::size_t>(k)] =
                slides == "over the ground" ? k != 1 : slides == std::string("along ") + "xyz"[k];
    }

    Filtered run() {
        for (std::size_t k = 0; k < m_build.limbs.size(); ++k) {
            const HeldLimb& limb = m_build.limbs[k];
            if (limb.onSole)
                for (const Vec3* edge : {&limb.heel, &limb.ball}) m_points.push_back({k, findContacts(k, limb.end, *edge)});
            else
                for (int joint : limb.points) m_points.push_back({k, findContacts(k, joint, spotOn(joint))});
        }
        combine();
        moveRoot();
        return solve();
    }

  private:
    struct OfLimb {
        std::size_t limb;
        Point point;
    };
    const Vec3& place(int joint, int f) const { return m_worlds[static_cast<std::size_t>(f)][static_cast<std::size_t>(joint)].t; }

    void sample() {
        std::vector<Xform> pose;
        m_worlds.resize(static_cast<std::size_t>(m_n));
        for (int f = 0; f < m_n; ++f) {
            if (m_cancel.asked()) throw Cancelled{};
            m_below.pose(f, pose);
            rig::worldTransforms(m_s, pose, m_worlds[static_cast<std::size_t>(f)]);
        }
    }

    /// A surface that points are held on: it goes along with what it rides on.
    bool readSurface() {
        const auto& onto = m_settings.list("onto");
        Anchors anchors(m_c);
        for (const LayerContext::Body& b : m_c.colliders) {
            if (onto.empty() || b.collider->id != onto.front()) continue;
            const int anchor = anchors.add(b.collider->mount);
            if (anchor < 0) return false;
            anchors.close();
            const scene::Placement& p = m_c.placement;
            for (int f = 0; f < m_n; ++f) {
                anchors.update(PoseView(m_below, f));
                const StandingBody stands = standingBody(*b.settings, f, anchors, anchor, p);
                m_surface.push_back(bodyOf(stands.numbers, stands.place));
                m_ground[static_cast<std::size_t>(f)] = {(p.turn.conjugate() * stands.place.turn).toRotationMatrix(),
                                                         p.toOwn(stands.place.centre)};
            }
            return true;
        }
        return false;
    }

    /// From a point, in the axes of the surface, to the nearest of that; nothing where it has no way out.
    Vec3 toSurface(int f, const Vec3& on) const {
        const scene::Placement& p = m_c.placement;
        const Affine& ground = m_ground[static_cast<std::size_t>(f)];
        const physics::Contact c =
            physics::nearest(m_surface[static_cast<std::size_t>(f)], p.toWorld(ground.apply(on)), Vec3::Zero());
        if (!c.normal.allFinite()) return Vec3::Zero();
        return ground.m.transpose() * (p.turn.conjugate() * (-c.distance / p.metres * c.normal));
    }

    /// What of the way from a point to the middle of its contact is to be made good, in the axes of what it stands on.
    Vec3 offOf(int f, const Vec3& on, const Vec3& middle) const {
        const bool slides = !m_surface.empty() && m_free[0] && m_free[2] && !m_free[1];
        return slides ? toSurface(f, on) : heldOf(middle - on);
    }

    /// What points stand on: frame by frame from its axes to the actor's.
    void readGround() {
        m_ground.assign(static_cast<std::size_t>(m_n), Affine{m_level.conjugate().toRotationMatrix(), Vec3::Zero()});
        if (readSurface()) return;
        const std::string& on = m_settings.text("on");
        if (!on.empty()) {
            Anchors anchors(m_c);
            const int number = anchors.add(*scene::mountIn(m_s, m_c.layer.actor, on));
            anchors.close();
            m_carried = number >= 0;
            for (int f = 0; f < m_n && number >= 0; ++f) {
                anchors.update(PoseView(m_below, f));
                const Affine& w = anchors.world(number);
                m_ground[static_cast<std::size_t>(f)] = {rotationOf(w.m).toRotationMatrix(), w.t};
            }
            return;
        }
        // A clip in place walks on ground that runs.
        const Vec3 runs = rig::runningGround(m_c.actor, m_below, m_build.root, m_level);
        const double fps = m_below.grid().fps;
        for (int f = 0; f < m_n; ++f) m_ground[static_cast<std::size_t>(f)].t = f / fps * runs;
        m_lapWay = m_level * (-(m_n - 1) / fps * runs);
    }

    /// Heel and ball of feet that stand on both.
    void readSoles() {
        if (m_settings.text("sole") == "keep their turn") return;
        for (const rig::Sole& sole : rig::solesOf(m_c.actor, rig::rolesOf(m_c.actor), m_level))
            for (HeldLimb& l : m_build.limbs)
                if (l.end == sole.joint) {
                    l.onSole = true;
                    l.heel = sole.middleOfHeel();
                    l.ball = sole.middleOfBall();
                }
    }

    /// What of a way in the ground's axes is held.
    Vec3 heldOf(Vec3 way) const {
        for (Eigen::Index k = 0; k < 3; ++k)
            if (m_free[static_cast<std::size_t>(k)]) way[k] = 0;
        return way;
    }

    /// The point that is held of what hangs on a joint, in its axes.
    Vec3 spotOn(int joint) const {
        Vec3 out;
        for (int k = 0; k < 3; ++k) {
            const std::string id = scene::channelId(std::string("spot_") + "xyz"[k], m_s.reference(joint));
            out[k] = m_settings.at(id) / m_c.placement.metres;
        }
        if (out.isZero()) return out;
        // Lengths are the actor's, however its joints are scaled.
        const Mat3& m = m_worlds.front()[static_cast<std::size_t>(joint)].m;
        return m.inverse() * (rotationOf(m) * out);
    }

    double limbLength(const HeldLimb& l) const {
        return (place(l.lower, 0) - place(l.upper, 0)).norm() + (place(l.end, 0) - place(l.lower, 0)).norm();
    }

    Point findContacts(std::size_t limbNumber, int joint, const Vec3& local) const {
        const HeldLimb& limb = m_build.limbs[limbNumber];
        Point p{joint,
                local,
                {},
                std::vector<Vec3>(static_cast<std::size_t>(m_n), Vec3::Zero()),
                std::vector<double>(static_cast<std::size_t>(m_n), 0.0),
                {}};
        std::vector<Vec3> on;
        for (int f = 0; f < m_n; ++f) {
            p.world.push_back(m_worlds[static_cast<std::size_t>(f)][static_cast<std::size_t>(joint)].apply(local));
            on.push_back(m_ground[static_cast<std::size_t>(f)].inverse().apply(p.world.back()));
        }
        const double fps = m_below.grid().fps, length = limbLength(limb);
        double near = 0;
        std::vector<rig::Standing> spans;
        const bool set = m_settings.text("contacts") == "intervals";
        if (set) {
            for (const scene::Interval& i : m_c.spans)
                spans.push_back({within(static_cast<int>(std::lround(i.from * fps)), 0, m_n - 1),
                                 within(static_cast<int>(std::lround(i.to * fps)), 0, m_n - 1)});
        } else {
            const scene::Resolved& own = *m_c.settingsOf(m_s.reference(joint));
            rig::StandingRule rule;
            rule.near = own.at("near");
            rule.far = rule.near * 0.06 / 0.035;
            rule.still = own.at("still");
            near = rule.near * length;
            rule.quick = 2 * rule.still;
            std::vector<Vec3> seen = on;
            // Near a thing that it is held to: nearer than anywhere else.
            if (m_carried) {
                const Vec3 nearest = middleOf(on);
                for (Vec3& q : seen) q = Vec3(q.x(), (q - nearest).norm(), q.z());
            }
            // Near a surface by how far it is, still by how far it goes.
            const double touching = 0;
            double way = 0;
            for (int f = 0; f < m_n && !m_surface.empty(); ++f) {
                const auto at = static_cast<std::size_t>(f);
                if (f > 0) way += (on[at] - on[at - 1]).norm();
                seen[at] = Vec3(way, toSurface(f, on[at]).norm(), 0);
            }
            spans = rig::standingOf(seen, fps, length, rule, m_surface.empty() ? nullptr : &touching);
        }
        // A cut ends what stands.
        for (int cut : m_c.cuts) {
            std::vector<rig::Standing> parts;
            for (const rig::Standing& s : spans) {
                if (cut > s.from && cut <= s.to) {
                    parts.push_back({s.from, cut - 1});
                    parts.push_back({cut, s.to});
                } else {
                    parts.push_back(s);
                }
            }
            spans = std::move(parts);
        }
        const bool round = m_c.period > 0,
                   joins = round && spans.size() > 1 && spans.front().from <= 1 && spans.back().to >= m_n - 2;
        std::vector<Vec3> middles;
        for (const rig::Standing& s : spans) {
            std::vector<Vec3> stood(on.begin() + s.from, on.begin() + s.to + 1);
            middles.push_back(middleOf(stood));
        }
        if (joins) {
            // One contact goes over the seam: it stands on one place in both laps.
            std::vector<Vec3> stood(on.begin() + spans.front().from, on.begin() + spans.front().to + 1);
            for (int f = spans.back().from; f <= spans.back().to; ++f)
                stood.push_back(on[static_cast<std::size_t>(f)] - m_lapWay);
            middles.front() = middleOf(stood);
            middles.back() = middles.front() + m_lapWay;
        }
        // On the surface, in the middle of its contact.
        for (std::size_t k = 0; k < spans.size() && !m_surface.empty(); ++k)
            middles[k] += toSurface((spans[k].from + spans[k].to) / 2, middles[k]);
        if (m_carried && m_settings.text("at") == "right at it") std::fill(middles.begin(), middles.end(), Vec3::Zero());
        const auto ease = static_cast<int>(std::lround(m_settings.at("ease")));
        for (std::size_t k = 0; k < spans.size(); ++k) {
            const rig::Standing& s = spans[k];
            Held held{joint, s.from, s.to, m_ground[static_cast<std::size_t>(s.from)].apply(middles[k]), 0, 0, 0,
                      set,   local,  near};
            for (int f = s.from; f <= s.to; ++f) {
                const auto at = static_cast<std::size_t>(f);
                p.weight[at] = 1;
                const Vec3 off = offOf(f, on[at], middles[k]);
                p.offset[at] = m_ground[at].m * off;
                held.before = std::max(held.before, off.norm());
            }
            // Eases share the gap to the next contact, over the seam of what goes round; none goes on beyond a cut.
            const int last = m_n - 1;
            const std::size_t previous = k > 0 ? k - 1 : spans.size() - 1, next = k + 1 < spans.size() ? k + 1 : 0;
            const int before = k > 0   ? s.from - spans[k - 1].to
                               : round ? s.from + last - spans[previous].to
                                       : s.from,
                      after = k + 1 < spans.size() ? spans[k + 1].from - s.to
                              : round              ? spans[next].from + last - s.to
                                                   : last - s.to;
            const auto fade = [&](int gap, int from, int way) {
                const int frames = std::min(ease, (joins && (from == 0 || from == last)) ? 0 : gap / 2);
                // What it is off at the edge dies away: the swing itself stays.
                const Vec3 edge = p.offset[static_cast<std::size_t>(from)];
                for (int j = 1; j <= frames; ++j) {
                    int f = from + way * j;
                    if (round && last > 0) f = (f % last + last) % last;
                    if (f < 0 || f > last || std::binary_search(m_c.cuts.begin(), m_c.cuts.end(), way > 0 ? f : f + 1)) break;
                    const auto at = static_cast<std::size_t>(f);
                    const double w = eased(1 - static_cast<double>(j) / (frames + 1));
                    if (w <= p.weight[at]) break;
                    p.weight[at] = w;
                    p.offset[at] = edge;
                }
            };
            fade(before, s.from, -1);
            fade(after, s.to, 1);
            p.held.push_back(held);
        }
        if (round && m_n > 1) {
            p.weight.back() = p.weight.front();
            p.offset.back() = p.offset.front();
        }
        return p;
    }

    /// The offset of each limb's end: of its points, the later ones win.
    void combine() {
        m_offset.assign(m_build.limbs.size(), std::vector<Vec3>(static_cast<std::size_t>(m_n), Vec3::Zero()));
        m_weight.assign(m_build.limbs.size(), std::vector<double>(static_cast<std::size_t>(m_n), 0.0));
        for (const OfLimb& o : m_points)
            for (std::size_t f = 0; f < o.point.offset.size(); ++f) {
                const double w = o.point.weight[f];
                double& W = m_weight[o.limb][f];
                Vec3& O = m_offset[o.limb][f];
                const double all = W * (1 - w) + w;
                if (all > 0) O = (O * W * (1 - w) + o.point.offset[f] * w) / all;
                W = all;
            }
        for (std::size_t k = 0; k < m_offset.size(); ++k)
            for (std::size_t f = 0; f < m_offset[k].size(); ++f) m_offset[k][f] *= m_weight[k][f];
        m_turn.assign(m_build.limbs.size(), {});
        for (std::size_t k = 0; k < m_build.limbs.size(); ++k)
            if (m_build.limbs[k].onSole) standOnSole(k);
    }

    /// A foot of which heel and ball stand: it turns from the one towards the other, and its joint goes where that leaves it.
    void standOnSole(std::size_t limb) {
        const Point *heel = nullptr, *ball = nullptr;
        for (const OfLimb& o : m_points)
            if (o.limb == limb) (heel ? ball : heel) = &o.point;
        m_turn[limb].assign(static_cast<std::size_t>(m_n), Quat::Identity());
        for (std::size_t f = 0; f < m_turn[limb].size(); ++f) {
            const double wh = heel->weight[f], wb = ball->weight[f], all = wh * (1 - wb) + wb;
            m_weight[limb][f] = all;
            m_offset[limb][f] = Vec3::Zero();
            if (all <= 0) continue;
            const Vec3 ankle = place(m_build.limbs[limb].end, static_cast<int>(f));
            const Vec3 from = ball->world[f] - heel->world[f], to = from + ball->offset[f] - heel->offset[f];
            if (from.norm() > 0 && to.norm() > 0)
                m_turn[limb][f] = blend(Quat::Identity(), arc(from.normalized(), to.normalized()), std::min(wh, wb));
            const auto wanted = [&](const Point& p) -> Vec3 {
                return p.world[f] + p.offset[f] - ankle - m_turn[limb][f] * (p.world[f] - ankle);
            };
            m_offset[limb][f] = wanted(*heel) * wh * (1 - wb) + wanted(*ball) * wb;
        }
    }

    /// Knee or elbow turned about the line from hip to foot until it points to a joint.
    void bendTowards(rig::LimbTurn& turn, const Vec3& a, const Vec3& b, const Vec3& c, int joint, int f, double share) const {
        const Vec3 knee = turn.upper * (b - a), line = knee + turn.lower * (c - b);
        if (!(line.norm() > 0)) return;
        const Vec3 n = line.normalized(), to = place(joint, f) - a;
        const Vec3 is = knee - n.dot(knee) * n, wanted = to - n.dot(to) * n;
        if (is.norm() < 1e-9 * line.norm() || wanted.norm() < 1e-9 * line.norm()) return;
        const double angle = std::atan2(n.dot(is.cross(wanted)), is.dot(wanted));
        const Quat by = fromRotationVector(share * angle * n);
        turn.upper = (by * turn.upper).normalized();
        turn.lower = (by * turn.lower).normalized();
    }

    void moveRoot() {
        m_root.assign(static_cast<std::size_t>(m_n), Vec3::Zero());
        const double share = m_settings.at("body"), spread = 0.05 * m_below.grid().fps;
        if (m_build.root == rig::kNoJoint) return;
        const bool round = m_c.period > 0;
        for (int f = 0; f < m_n; ++f) {
            const auto at = static_cast<std::size_t>(f);
            Vec3 sum = Vec3::Zero();
            double all = 0;
            for (std::size_t k = 0; k < m_build.limbs.size(); ++k)
                if (m_build.limbs[k].foot) {
                    sum += m_offset[k][at];
                    all += m_weight[k][at];
                }
            if (all > 0) m_root[at] = share * sum / std::max(1.0, all);
        }
        m_root = evened(m_root, spread, round);
        // What a limb would have to reach beyond itself, the body comes nearer.
        for (int turn = 0; turn < 3 && share > 0; ++turn) {
            std::vector<Vec3> more(static_cast<std::size_t>(m_n), Vec3::Zero());
            for (int f = 0; f < m_n; ++f) {
                const auto at = static_cast<std::size_t>(f);
                for (std::size_t k = 0; k < m_build.limbs.size(); ++k) {
                    const HeldLimb& l = m_build.limbs[k];
                    if (!l.foot || m_weight[k][at] <= 0) continue;
                    const Vec3 hip = place(l.upper, f) + m_root[at], way = place(l.end, f) + m_offset[k][at] - hip;
                    const double reach = std::max(0.97 * limbLength(l), (place(l.end, f) - place(l.upper, f)).norm());
                    if (const double over = way.norm() - reach; over > 0) more[at] += over * way.normalized();
                }
            }
            more = evened(more, spread, round);
            for (std::size_t f = 0; f < more.size(); ++f) m_root[f] += more[f];
        }
    }

    Filtered solve() {
        Filtered out;
        for (int j : m_build.joints) out.joints.emplace_back(j, rig::Column(static_cast<std::size_t>(m_n)));
        // The hinge of each limb over the shot, in its upper bone's axes.
        std::vector<Vec3> hinge(m_build.limbs.size(), Vec3::Zero());
        for (std::size_t k = 0; k < hinge.size(); ++k) {
            const HeldLimb& l = m_build.limbs[k];
            for (int f = 0; f < m_n; ++f)
                hinge[k] += rotationOf(m_worlds[static_cast<std::size_t>(f)][static_cast<std::size_t>(l.upper)].m).conjugate() *
                            rig::hingeOf(place(l.upper, f), place(l.lower, f), place(l.end, f));
            if (hinge[k].norm() > 1e-9)
                hinge[k].normalize();
            else
                hinge[k] = Vec3::UnitX();
            if (m_settings.text("bend") != "as animated") hinge[k] = -hinge[k];
        }
        const int towards = m_settings.text("towards").empty() ? rig::kNoJoint : m_s.find(m_settings.text("towards"));
        Descent descent(m_s, m_build.joints);
        std::vector<Xform> made(m_build.joints.size());
        for (int f = 0; f < m_n; ++f) {
            if (m_cancel.asked()) throw Cancelled{};
            const auto at = static_cast<std::size_t>(f);
            std::vector<rig::LimbTurn> turns(m_build.limbs.size());
            for (std::size_t k = 0; k < turns.size(); ++k) {
                const HeldLimb& l = m_build.limbs[k];
                const Vec3 a = place(l.upper, f) + m_root[at], b = place(l.lower, f) + m_root[at],
                           c = place(l.end, f) + m_root[at], target = place(l.end, f) + m_offset[k][at];
                // A limb that is neither held nor carried along stays as it is.
                if ((target - c).norm() >= 1e-12 * m_c.actor.height)
                    turns[k] = rig::reachWithLimb(a, b, c, target,
                                                  rotationOf(m_worlds[at][static_cast<std::size_t>(l.upper)].m) * hinge[k]);
                if (towards != rig::kNoJoint && m_weight[k][at] > 0) bendTowards(turns[k], a, b, c, towards, f, m_weight[k][at]);
            }
            descent.go(
                PoseView(m_below, f),
                [&](std::size_t number, const Affine& above, const Xform& local) {
                    const int joint = m_build.joints[number];
                    Xform x = local;
                    if (joint == m_build.root) x.t = above.inverse().apply(above.apply(local.t) + m_root[at]);
                    const Quat was = rotationOf(m_worlds[at][static_cast<std::size_t>(joint)].m);
                    for (std::size_t k = 0; k < turns.size(); ++k) {
                        const HeldLimb& l = m_build.limbs[k];
                        if (joint != l.upper && joint != l.lower && joint != l.end) continue;
                        const Quat wanted = joint == l.upper   ? Quat(turns[k].upper * was)
                                            : joint == l.lower ? Quat(turns[k].lower * was)
                                            : l.onSole         ? Quat(m_turn[k][at] * was)
                                                               : was;
                        const Quat is = rotationOf((above * x.affine()).m);
                        x = turnedInWorld(x, above, (wanted * is.conjugate()).normalized());
                    }
                    return x;
                },
                made);
            for (std::size_t k = 0; k < made.size(); ++k) out.joints[k].second[at] = made[k];
        }
        report(out);
        return out;
    }

    /// How far each contact slides now, as it has become.
    void report(Filtered& out) {
        rig::Track above = m_below;
        for (const auto& [joint, made] : out.joints) above.replace(joint, made);
        std::vector<int> joints;
        for (const OfLimb& o : m_points) joints.push_back(o.point.joint);
        JointWorlds worlds(m_s, joints);
        std::vector<std::vector<Vec3>> now(m_points.size());
        for (int f = 0; f < m_n; ++f) {
            worlds.update(PoseView(above, f));
            for (std::size_t k = 0; k < m_points.size(); ++k)
                now[k].push_back(m_ground[static_cast<std::size_t>(f)].inverse().apply(
                    worlds.world(m_points[k].point.joint).apply(m_points[k].point.local)));
        }
        double before = 0, after = 0;
        auto contacts = std::make_shared<Contacts>();
        for (std::size_t k = 0; k < m_points.size(); ++k)
            for (Held held : m_points[k].point.held) {
                const std::vector<Vec3> stood(now[k].begin() + held.from, now[k].begin() + held.to + 1);
                const Vec3 middle = middleOf(stood);
                for (int f = held.from; f <= held.to; ++f)
                    held.after = std::max(held.after, offOf(f, now[k][static_cast<std::size_t>(f)], middle).norm());
                before = std::max(before, held.before);
                after = std::max(after, held.after);
                out.lane.push_back({held.from, held.to, LaneSpan::Form::Bar, static_cast<int>(k), held.set});
                contacts->held.push_back(held);
            }
        char said[120];
        const double mm = 1000 * m_c.placement.metres;
        const auto many = static_cast<int>(contacts->held.size());
        std::snprintf(said, sizeof said, "holds %d contact%s: %s %.3g mm below, %.2g mm now", many, many == 1 ? "" : "s",
                      many == 1 ? "it slides" : "they slide", mm * before, mm * after);
        if (many > 0) out.said = said;
        out.notes = std::move(contacts);
        if (many == 0) out.remarks.push_back("no contact is found: set Near and Still wider, or set intervals by hand");
        if (after > 0.02 * m_c.actor.height) {
            char text[120];
            std::snprintf(text, sizeof text, "a contact still slides by %.1f %% of the height: it is out of reach",
                          100 * after / m_c.actor.height);
            out.remarks.emplace_back(text);
        }
    }

    const LayerContext& m_c;
    const rig::Track& m_below;
    const Cancel& m_cancel;
    const rig::Skeleton& m_s;
    const scene::Resolved& m_settings;
    Build m_build;
    int m_n;
    Quat m_level;
    std::vector<std::vector<Affine>> m_worlds;  // by frame
    std::vector<Affine> m_ground;               // by frame
    std::vector<physics::Body> m_surface;       // by frame, in the world [m]; none: they stand on the ground or on a joint
    bool m_carried = false;
    Vec3 m_lapWay = Vec3::Zero();
    std::vector<OfLimb> m_points;
    std::vector<std::vector<Vec3>> m_offset;  // by limb, of its end
    std::vector<std::vector<double>> m_weight;
    std::vector<std::vector<Quat>> m_turn;  // by limb that stands on its sole
    std::array<bool, 3> m_free{};           // axes of the ground along which it may slide
    std::vector<Vec3> m_root;
};

Filtered filter(const LayerContext& context, const rig::Track& below, const Cancel& cancel) {
    return Holding(context, below, cancel).run();
}

}  // namespace

const Filter kFilter{.run = filter};
const Meeting kMeeting{.bodies = true, .onto = onto};

const LayerKind kKind{.id = "hold",
                      .label = "Hold",
                      .help =
                          "Keeps feet, hands or any point on its place while it is in contact, found or set by hand; the "
                          "pose changes as little as it can.",
                      .glyph = "M5 20h14 M8 20v-6l4 -3v-7 M12 11l4 3v6 M9 4h6",
                      .takes = Takes::Joints,
                      .settings = kSettings,
                      .problem = problem,
                      .moves = moves,
                      .filter = &kFilter,
                      .meets = &kMeeting,
                      .showing = &kShowing,
                      .part = {"One point", "Point that is held", "Its dot on the stage can be dragged over the body."},
                      .concerned = concerned,
                      .readsSpans = true};

}  // namespace nutatio::layers::hold
