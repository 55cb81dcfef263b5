#include "rig/line.h"

#include <algorithm>
#include <cmath>

#include "rig/roles.h"

namespace nutatio::rig {

namespace {

constexpr double kElsewhere = 0.15;  // heights over the ground that are a step on, not a sway
constexpr double kFacesElsewhere = radians(25);

Quat headingOf(const Quat& q) {
    const Quat twist(q.w(), 0, q.y(), 0);
    return twist.norm() > 1e-9 ? twist.normalized() : Quat::Identity();
}

/// Turn and way from one transform to another, as one goes on from the first.
struct Gap {
    Vec3 turn, move, size;
    static Gap between(const Xform& a, const Xform& b, bool travels) {
        Gap g{rotationVector(a.r.conjugate() * b.r), b.t - a.t, b.s - a.s};
        if (travels) g.move = Vec3(0, g.move.y(), 0);
        return g;
    }
};

Xform moved(const Xform& x, const Vec3& turn, const Vec3& move, const Vec3& size) {
    return {x.t + move, (x.r * fromRotationVector(turn)).normalized(), x.s + size};
}

}  // namespace

LinePlayer::LinePlayer(const Actor& actor, const Line& line) : m_actor(actor), m_line(line) {
    const Roles roles = rolesOf(actor);
    m_carrier = roles.hips != kNoJoint ? roles.hips : actor.skeleton.roots().empty() ? kNoJoint : actor.skeleton.roots().front();
    for (std::size_t k = 0; k < line.stretches.size(); ++k) {
        m_start.push_back(line.startOf(k));
        m_carry.push_back(k == 0 ? Carry{} : carryOnto(k));
    }
}

void LinePlayer::pose(double time, std::vector<Xform>& out) const {
    const InLine at = placeIn(m_line, time);
    poseOf(at.stretch, at.time, out);
    const double blend = m_line.stretches[at.stretch].blend;
    if (at.stretch == 0 || at.time >= blend) return;
    std::vector<Xform> before;
    poseOf(at.stretch - 1, time - m_start[at.stretch - 1], before);
    const double share = eased(at.time / blend);
    for (std::size_t j = 0; j < out.size(); ++j)
        out[j] = {before[j].t + share * (out[j].t - before[j].t), nutatio::blend(before[j].r, out[j].r, share),
                  before[j].s + share * (out[j].s - before[j].s)};
}

bool LinePlayer::weights(int joint, double time, std::vector<double>& out) const {
    const InLine at = placeIn(m_line, time);
    if (!weightsOf(at.stretch, at.time, joint, out)) return false;
    const double blend = m_line.stretches[at.stretch].blend;
    std::vector<double> before(out.size(), 0.0);
    if (at.stretch == 0 || at.time >= blend || !weightsOf(at.stretch - 1, time - m_start[at.stretch - 1], joint, before))
        return true;
    for (std::size_t k = 0; k < out.size(); ++k) out[k] = before[k] + eased(at.time / blend) * (out[k] - before[k]);
    return true;
}

const Clip* LinePlayer::clipOf(std::size_t k) const {
    const int clip = m_actor.findClip(m_line.stretches[k].clip);
    return clip < 0 ? nullptr : &m_actor.clips[static_cast<std::size_t>(clip)];
}

double LinePlayer::timeIn(std::size_t k, double time) const {
    const Stretch& s = m_line.stretches[k];
    const Clip& c = *clipOf(k);
    return std::min(c.start + s.from + (s.hold > 0 ? 0 : time), c.end);
}

bool LinePlayer::weightsOf(std::size_t k, double time, int joint, std::vector<double>& out) const {
    const Clip* c = clipOf(k);
    for (const Channel& each : c ? c->channels : std::vector<Channel>{})
        if (each.path == Path::Weights && each.joint == joint && static_cast<std::size_t>(each.width) == out.size()) {
            each.sample(timeIn(k, time), out.data());
            return true;
        }
    return false;
}

void LinePlayer::clipPose(std::size_t k, double time, std::vector<Xform>& out) const {
    out = m_actor.restPose();
    if (const Clip* c = clipOf(k)) c->pose(timeIn(k, time), out);
}

void LinePlayer::poseOf(std::size_t k, double time, std::vector<Xform>& out) const {
    clipPose(k, time, out);
    const Carry& c = m_carry[k];
    for (int root : m_actor.skeleton.roots()) {
        Xform& x = out[static_cast<std::size_t>(root)];
        x.t = c.turn * x.t + c.way;
        x.r = (c.turn * x.r).normalized();
    }
}

Affine LinePlayer::carrierOf(const std::vector<Xform>& pose) const {
    Affine out;
    for (int j = m_carrier; j != kNoJoint; j = m_actor.skeleton.joint(j).parent)
        out = pose[static_cast<std::size_t>(j)].affine() * out;
    return out;
}

LinePlayer::Carry LinePlayer::carryOnto(std::size_t k) const {
    const Stretch &now = m_line.stretches[k], &before = m_line.stretches[k - 1];
    // A stretch that goes on in the same clip where the one before ended is carried as that one.
    const double ended = before.hold > 0 ? before.from : before.to;
    if (now.clip == before.clip && now.blend == 0 && std::abs(now.from - ended) < 1e-6) return m_carry[k - 1];
    if (m_carrier == kNoJoint) return {};
    std::vector<Xform> last, first;
    poseOf(k - 1, m_start[k] - m_start[k - 1], last);
    clipPose(k, 0, first);
    const Affine is = carrierOf(last), wants = carrierOf(first);
    const Quat turn = headingOf(rotationOf(is.m) * rotationOf(wants.m).conjugate());
    Vec3 way = is.t - wants.t;
    way.y() = 0;
    const bool turned = Quat::Identity().angularDistance(turn) > kFacesElsewhere;
    if (!turned && way.norm() < kElsewhere * m_actor.height) return {};
    Carry out;
    if (turned) out.turn = turn;
    out.way = is.t - out.turn * wants.t;
    out.way.y() = 0;
    return out;
}

double Line::startOf(std::size_t stretch) const {
    double at = 0;
    for (std::size_t k = 0; k < stretch; ++k) at += stretches[k].seconds() - stretches[k + 1].blend;
    return at;
}

double Line::seconds() const {
    return stretches.empty() ? 0 : startOf(stretches.size() - 1) + stretches.back().seconds() + closing;
}

InLine placeIn(const Line& line, double time) {
    InLine out;
    double start = 0;
    for (std::size_t k = 0; k < line.stretches.size(); ++k) {
        if (k > 0) start += line.stretches[k - 1].seconds() - line.stretches[k].blend;
        if (k > 0 && time < start - 1e-9) break;
        out = {k, std::max(0.0, time - start)};
    }
    return out;
}

Track lineTrack(const Actor& actor, const Line& line, const FrameGrid& grid, const Cancel& cancel) {
    const auto n = static_cast<std::size_t>(actor.skeleton.size());
    const LinePlayer playing(actor, line);
    const double plays = line.seconds() - line.closing, dt = grid.dt();
    std::vector<Xform> pose, first, second, last, nearly;
    const bool closes = (line.closing > 0 || line.fade > 0) && !line.empty();
    if (closes) {
        playing.pose(0, first);
        playing.pose(dt, second);
        playing.pose(plays, last);
        playing.pose(std::max(0.0, plays - dt), nearly);
    }
    const auto travels = [&](std::size_t j) { return actor.skeleton.joint(static_cast<int>(j)).parent == kNoJoint; };
    std::vector<Column> columns(n);
    for (int f = 0; f < grid.frames; ++f) {
        if (cancel.asked()) throw Cancelled{};
        const double t = f * dt;
        if (line.empty())
            pose = actor.restPose();
        else
            playing.pose(std::min(t, plays), pose);
        for (std::size_t j = 0; j < n && closes; ++j) {
            if (t > plays && line.closing > 0) {
                // A cubic from the last pose to the first one, with the speeds that both are left and met with.
                const Hermite h(std::min(1.0, (t - plays) / line.closing));
                const double wide = line.closing / dt;
                const Gap e = Gap::between(last[j], first[j], travels(j)), s1 = Gap::between(nearly[j], last[j], false),
                          s0 = Gap::between(first[j], second[j], false);
                pose[j] = moved(last[j], h.p1 * e.turn + h.m0 * wide * s1.turn + h.m1 * wide * s0.turn,
                                h.p1 * e.move + h.m0 * wide * s1.move + h.m1 * wide * s0.move, h.p1 * e.size);
            } else if (line.fade > 0) {
                const Gap e = Gap::between(last[j], first[j], travels(j));
                // Half the gap at either end.
                const double end = plays, share = 0.5 * eased(1 - (end - t) / line.fade) - 0.5 * eased(1 - t / line.fade);
                pose[j] = moved(pose[j], share * e.turn, share * e.move, share * e.size);
            }
        }
        for (std::size_t j = 0; j < n; ++j) columns[j].push_back(pose[j]);
    }
    std::vector<ColumnPtr> shared;
    for (Column& c : columns) {
        if (std::all_of(c.begin(), c.end(), [&](const Xform& x) { return x == c.front(); })) c.resize(1);
        shared.push_back(std::make_shared<const Column>(std::move(c)));
    }
    Track out(grid, std::move(shared));
    for (std::size_t i = 0; i < actor.instances.size() && !line.empty(); ++i) {
        const MeshInstance& in = actor.instances[i];
        const std::size_t targets = actor.meshes[static_cast<std::size_t>(in.mesh)].weights.size();
        Morph morph{static_cast<int>(i), static_cast<int>(targets), {}};
        bool any = false;
        std::vector<double> rest(actor.meshes[static_cast<std::size_t>(in.mesh)].weights.begin(),
                                 actor.meshes[static_cast<std::size_t>(in.mesh)].weights.end());
        for (int f = 0; f < grid.frames && targets > 0; ++f) {
            std::vector<double> now = rest;
            any |= playing.weights(in.joint, std::min(f * dt, plays), now);
            morph.weights.insert(morph.weights.end(), now.begin(), now.end());
        }
        if (any) out.replace(std::make_shared<const Morph>(std::move(morph)));
    }
    return out;
}

}  // namespace nutatio::rig
