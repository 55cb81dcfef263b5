#include "layers/anchors.h"

#include <algorithm>

#include "scene/items.h"

namespace nutatio::layers {

namespace {

/// What stands at `world` in one actor's units and axes, in another's.
Affine carried(const Affine& world, const scene::Placement& from, const scene::Placement& to) {
    if (from.stands(to)) return world;
    const Mat3 turn = (to.turn.conjugate() * from.turn).toRotationMatrix();
    return {turn * world.m, to.toOwn(from.toWorld(world.t))};
}

}  // namespace

Anchors::Anchors(const LayerContext& context)
    : m_own(context.actor),
      m_ownId(context.layer.actor),
      m_surface(context.surface),
      m_others(context.others),
      m_placement(context.placement) {}

int Anchors::add(const scene::Mount& mount) {
    Anchor a{kWorld, {}};
    if (!mount.world()) {
        const rig::Actor* actor = nullptr;
        if (mount.actor == m_ownId) {
            a.actor = kOwn;
            actor = &m_own;
        }
        for (std::size_t k = 0; k < m_others.size(); ++k)
            if (m_others[k].id == mount.actor) {
                a.actor = static_cast<int>(k);
                actor = m_others[k].actor;
            }
        auto on = actor ? scene::found(*actor, mount) : std::nullopt;
        if (!on) return -1;
        a.on = std::move(*on);
    }
    m_anchors.push_back(a);
    const double theirs = a.actor == kOwn     ? m_placement.metres
                          : a.actor == kWorld ? 1.0
                                              : m_others[static_cast<std::size_t>(a.actor)].placement.metres;
    m_units.push_back(theirs == m_placement.metres ? 1.0 : theirs / m_placement.metres);
    return static_cast<int>(m_anchors.size()) - 1;
}

void Anchors::close() {
    for (int k = kOwn; k < static_cast<int>(m_others.size()); ++k) {
        std::vector<int> wanted;
        for (const Anchor& a : m_anchors)
            if (a.actor == k)
                for (int j : a.on.joints()) wanted.push_back(j);
        m_places.emplace_back(k == kOwn ? m_own.skeleton : m_others[static_cast<std::size_t>(k)].actor->skeleton, wanted);
    }
    m_worlds.resize(m_anchors.size());
    const Affine origin = carried({}, scene::Placement{}, m_placement);
    for (std::size_t i = 0; i < m_anchors.size(); ++i)
        if (m_anchors[i].actor == kWorld) m_worlds[i] = origin;
}

void Anchors::update(const PoseView& pose) {
    m_places[0].update(pose);
    for (std::size_t k = 0; k < m_others.size(); ++k) {
        const rig::Track& track = *m_others[k].track;
        m_places[k + 1].update(PoseView(track, within(pose.frame(), 0, track.frames() - 1)));
    }
    for (std::size_t i = 0; i < m_anchors.size(); ++i) {
        const Anchor& a = m_anchors[i];
        const int actor = a.actor;
        if (actor == kWorld) continue;
        const JointWorlds& places = m_places[static_cast<std::size_t>(actor + 1)];
        m_worlds[i] = a.on.at([&](int j) -> const Affine& { return places.world(j); },
                              actor == kOwn ? m_surface : m_others[static_cast<std::size_t>(actor)].track, pose.frame());
        if (actor != kOwn) m_worlds[i] = carried(m_worlds[i], m_others[static_cast<std::size_t>(actor)].placement, m_placement);
    }
}

FeltSource::FeltSource(const LayerContext& context) : m_anchors(context), m_text(context.settings->text("felt_from")) {
    if (const auto mount = scene::mountIn(context.actor.skeleton, context.layer.actor, m_text)) m_number = m_anchors.add(*mount);
    m_anchors.close();
}

FeltSource::Stand FeltSource::at(const PoseView& pose) {
    m_anchors.update(pose);
    const Affine& world = m_anchors.world(m_number);
    return {world.t, rotationOf(world.m)};
}

std::vector<std::string> FeltSource::remarks() const {
    if (m_text.empty() || m_number >= 0) return {};
    return {"there is no joint \"" + m_text + "\" to feel; it feels what it hangs on"};
}

Air::Air(const LayerContext& context) : m_placement(context.placement), m_period(context.period) {
    for (const LayerContext::Blow& w : context.winds) m_winds.push_back(w.settings);
    m_now.resize(m_winds.size());
    setFrame(0);
}

void Air::setFrame(int frame) {
    for (std::size_t i = 0; i < m_winds.size(); ++i) {
        const scene::Resolved& w = *m_winds[i];
        m_now[i] = {w.vector("place", frame),   scene::windDirection(w.at("heading", frame), w.at("rise", frame)),
                    w.at("speed", frame),       w.at("gust_rate", frame),
                    w.at("gust_share", frame),  w.at("swirl_size", frame),
                    w.at("swirl_share", frame), w.at("reach", frame),
                    w.at("falloff", frame),     static_cast<std::uint64_t>(w.at("seed", frame))};
    }
}

Vec3 Air::at(const Vec3& p, double time) const {
    const Vec3 there = m_placement.toWorld(p);
    Vec3 v = Vec3::Zero();
    for (const physics::WindDef& w : m_now) v += physics::windAt(w, there, time, m_period);
    return m_placement.turn.conjugate() * v / m_placement.metres;
}

Vec3 pullWay(const scene::Placement& placement, double tiltDeg, double headingDeg) {
    const double tilt = radians(tiltDeg), heading = radians(headingDeg);
    return placement.turn.conjugate() *
           Vec3(std::sin(tilt) * std::sin(heading), -std::cos(tilt), std::sin(tilt) * std::cos(heading));
}

StandingBody standingBody(const scene::Resolved& settings, int frame, const Anchors& anchors, int anchor,
                          const scene::Placement& placement) {
    StandingBody out{scene::numbersOf(settings, frame), {}};
    const double unit = anchors.unit(anchor);
    out.numbers.offset *= unit;
    out.place = placeCollider(out.numbers, anchors.world(anchor));
    out.place.centre = placement.toWorld(out.place.centre);
    out.place.turn = (placement.turn * out.place.turn).normalized();
    for (double* length : {&out.numbers.radius, &out.numbers.radiusEnd, &out.numbers.length}) *length *= unit * placement.metres;
    out.numbers.size *= unit * placement.metres;
    return out;
}

}  // namespace nutatio::layers
