// What is drawn of whole bodies: segments, contacts, aims, and where their weight lies.
#include <algorithm>
#include "app/look/text.h"
#include "app/look/theme.h"
#include "app/stage/stage.h"

#include "layers/joint_worlds.h"
#include "layers/registry.h"
#include "scene/items.h"

namespace nutatio::app {

void Stage::markVolumes(std::vector<Mark>& marks) const {
    const auto part = m_session.partJoint();
    const Shown* s = part ? shown(part->actor->id) : nullptr;
    if (!s || !m_jointsShown || m_session.bodyHeld()) return;
    const layers::LayerKind& kind = *layers::findKind(part->layer->kind);
    if (!kind.volumes) return;
    const look::Theme& t = look::theme();
    const double unit = scene::placementOf(*part->actor).metres;
    for (const layers::Volume& v : kind.volumes(*part->actor->actor, *part->layer)) {
        const Affine& world = s->posed.worlds[static_cast<std::size_t>(v.joint)];
        const Quat turn = rotationOf(world.m);
        const bool chosen = v.joint == part->joint;
        const QColor c = look::faded(chosen ? t.lagoon : t.ink, chosen ? 1.0 : 0.4);
        const Vec3 a = world.t + turn * (unit * v.a), b = world.t + turn * (unit * v.b), way = b - a;
        if (!v.corners.empty()) {
            for (const Vec3& corner : v.corners) {
                const Vec3 p = world.t + turn * (unit * corner);
                addLine(marks, p, p, 6, c);
            }
            continue;
        }
        const Quat along = way.norm() > 1e-9 ? arc(Vec3::UnitY(), way.normalized()) : turn;
        markCapsule(marks, a, b, unit * v.radius, unit * v.radius, along, chosen ? 2.0 : 1.0, c);
    }
}

std::optional<Stage::PartHere> Stage::partHere() const {
    const auto part = m_session.partJoint();
    const Shown* s = part ? shown(part->actor->id) : nullptr;
    const layers::LayerKind* kind = s ? layers::findKind(part->layer->kind) : nullptr;
    // What cannot be made thicker has no handle for it.
    if (!kind || !kind->volumes || !kind->setting(scene::Role::Thickness)) return std::nullopt;
    const double unit = scene::placementOf(*part->actor).metres;
    for (const layers::Volume& v : kind->volumes(*part->actor->actor, *part->layer)) {
        if (v.joint != part->joint || !v.corners.empty()) continue;
        const Affine& world = s->posed.worlds[static_cast<std::size_t>(v.joint)];
        const Quat turn = rotationOf(world.m);
        return PartHere{world.t + turn * (unit * v.a), world.t + turn * (unit * v.b), unit * v.radius, part->reference()};
    }
    return std::nullopt;
}

void Stage::markHeld(std::vector<Mark>& marks) const {
    const std::string& layer = m_session.selection().layer;
    const scene::Layer* l = m_document.scene().layer(layer);
    const scene::ActorEntry* a = l ? m_document.scene().actor(l->actor) : nullptr;
    const Shown* s = a ? shown(a->id) : nullptr;
    const ResultsPtr& r = m_document.results();
    const pipeline::LayerResult* result = r ? r->evaluation.layer(layer) : nullptr;
    if (!s || !result || m_session.bodyHeld()) return;
    const look::Theme& t = look::theme();
    const auto placed = [&](const layers::Held& h) { return s->posed.worlds[static_cast<std::size_t>(h.joint)].apply(h.spot); };
    std::vector<const layers::Held*> seen;
    for (const layers::Held& h : result->held) {
        if (h.joint >= static_cast<int>(s->posed.worlds.size())) continue;
        const bool now = m_session.frame() >= h.from && m_session.frame() <= h.to;
        const auto same = [&](const layers::Held* o) { return o->joint == h.joint && o->spot == h.spot; };
        if (now) {
            // A square on the ground about what stands, filled with its cross.
            const Vec3 at = placed(h);
            const double size = 0.05 * m_size;
            std::vector<Vec3> square;
            for (const auto& [x, z] : {std::pair{1, 1}, {1, -1}, {-1, -1}, {-1, 1}, {1, 1}})
                square.push_back(at + Vec3(x * size, 0, z * size));
            addPolyline(marks, square, 2.4, t.lagoon);
            addLine(marks, square[0], square[2], 1.2, t.lagoon);
            addLine(marks, square[1], square[3], 1.2, t.lagoon);
        }
        if (std::any_of(seen.begin(), seen.end(), same)) continue;
        seen.push_back(&h);
        // How near it must be to where it stands: a ring about the point, whole while it does, in dashes while it is up.
        const bool stands = std::any_of(result->held.begin(), result->held.end(), [&](const layers::Held& o) {
            return same(&o) && m_session.frame() >= o.from && m_session.frame() <= o.to;
        });
        const double reach = h.near * scene::placementOf(*a).metres;
        if (reach <= 0) continue;
        const Vec3 at = placed(h), eye = (m_camera.eye() - at).normalized(), u = anySquareTo(eye), v = eye.cross(u);
        constexpr int kParts = 24;
        const auto on = [&](int k) -> Vec3 {
            return at + reach * (std::cos(2 * kPi * k / kParts) * u + std::sin(2 * kPi * k / kParts) * v);
        };
        for (int k = 0; k < kParts; ++k)
            if (stands || k % 2 == 0)
                addLine(marks, on(k), on(k + 1), stands ? 2.2 : 1.6, stands ? t.lagoon : look::faded(t.ink, 0.6));
    }
}

std::optional<Stage::ThrownHere> Stage::thrownHere() const {
    const scene::Layer* l = m_document.scene().layer(m_session.selection().layer);
    const ResultsPtr& r = m_document.results();
    const pipeline::LayerResult* result = l && r ? r->evaluation.layer(l->id) : nullptr;
    const layers::LayerKind* kind = l ? layers::findKind(l->kind) : nullptr;
    if (!result || !result->thrown || result->thrown->places.empty() || !kind || m_session.bodyHeld()) return std::nullopt;
    const scene::SettingSpec *speed = kind->setting(scene::Role::ThrowSpeed), *heading = kind->setting(scene::Role::ThrowHeading),
                             *rise = kind->setting(scene::Role::ThrowRise), *lift = kind->setting(scene::Role::Lift);
    if (!speed || !heading || !rise || !lift) return std::nullopt;
    const scene::Resolved settings = resolvedHere(*l, {scene::List::Layers, l->id});
    ThrownHere out{result->thrown, {}, {}};
    out.start = result->thrown->rests + Vec3(0, settings.at(lift->id), 0);
    out.tip =
        out.start + throwLength(settings.at(speed->id)) * scene::windDirection(settings.at(heading->id), settings.at(rise->id));
    return out;
}

void Stage::markThrown(std::vector<Mark>& marks) const {
    const auto thrown = thrownHere();
    if (!thrown) return;
    const look::Theme& t = look::theme();
    const layers::Thrown& way = *thrown->way;
    // How high it is lifted, the way that it goes with a dot a frame, a ring where it touches first, and which way it is thrown.
    addLine(marks, way.rests, thrown->start, 1.4, look::faded(t.ink, 0.7));
    addPolyline(marks, way.places, 2.4, t.persimmon);
    for (std::size_t k = 0; k < way.places.size(); ++k) {
        const bool now = way.from + static_cast<int>(k) == m_session.frame();
        addLine(marks, way.places[k], way.places[k], now ? 10 : 4, now ? t.ochre : t.persimmon);
    }
    const auto touch = static_cast<std::size_t>(std::max(0, way.touch - way.from));
    if (way.touch >= 0 && touch < way.places.size()) {
        std::vector<Vec3> ring;
        const double size = 0.04 * m_size;
        for (int k = 0; k <= 32; ++k)
            ring.push_back(way.places[touch] + size * Vec3(std::cos(2 * kPi * k / 32), 0, std::sin(2 * kPi * k / 32)));
        addPolyline(marks, ring, 2.4, t.lagoon);
    }
    const Vec3 along = thrown->tip - thrown->start, side = anySquareTo(along.normalized());
    addLine(marks, thrown->start, thrown->tip, 2.4, t.plum);
    for (const double s : {-0.12, 0.12})
        addLine(marks, thrown->tip, Vec3(thrown->tip - 0.2 * along + s * along.norm() * side), 2.4, t.plum);
}

std::optional<Stage::AimHere> Stage::aimHere() const {
    const scene::Layer* l = m_document.scene().layer(m_session.selection().layer);
    const layers::LayerKind* kind = l ? layers::findKind(l->kind) : nullptr;
    const scene::SettingSpec* aim = kind && kind->isAct ? kind->setting(scene::Role::Aim) : nullptr;
    const scene::ActorEntry* a = aim && counts(*aim, *l) ? m_document.scene().actor(l->actor) : nullptr;
    if (!a) return std::nullopt;
    AimHere out{};
    for (const scene::SettingSpec& row : kind->settings) {
        if (!row.anywhere || l->text(row.id).empty()) continue;
        const scene::JointIn named = scene::jointIn(a->actor->skeleton, l->text(row.id));
        const auto to = carrier(named.actor.empty() ? a->id : named.actor, named.joint);
        if (!to) return std::nullopt;
        out.carrier.t = to->t;
        out.carrier.m = rotationOf(to->m).toRotationMatrix();
    }
    const scene::Resolved r = resolvedHere(*l, {scene::List::Layers, l->id});
    const std::string stem(aim->id.substr(0, aim->id.rfind('_')));
    out.place = out.carrier.apply(r.vector(stem, m_session.frame()));
    const auto& joints = l->list(kind->target());
    const bool none = joints.empty() && a->actor->skeleton.size() == 0;
    const auto from = none ? std::nullopt : carrier(a->id, joints.empty() ? a->actor->skeleton.reference(0) : joints.front());
    out.from = from ? from->t : out.place;
    return out;
}

void Stage::markAim(std::vector<Mark>& marks) const {
    const auto aim = aimHere();
    if (!aim) return;
    const look::Theme& t = look::theme();
    const Vec3 way = aim->place - aim->from;
    // Dashes from what acts to where it aims.
    constexpr int kDashes = 12;
    for (int k = 0; k < kDashes; ++k)
        addLine(marks, aim->from + (k + 0.1) / kDashes * way, aim->from + (k + 0.6) / kDashes * way, 2, t.persimmon);
    const double r = 0.035 * m_size;
    std::vector<Vec3> ring;
    const Vec3 eye = (m_camera.eye() - aim->place).normalized(), u = anySquareTo(eye), v = eye.cross(u);
    for (int k = 0; k <= 32; ++k)
        ring.push_back(aim->place + r * (std::cos(2 * kPi * k / 32) * u + std::sin(2 * kPi * k / 32) * v));
    addPolyline(marks, ring, 2.2, t.persimmon);
    for (const Vec3& d : {Vec3(r, 0, 0), Vec3(0, r, 0), Vec3(0, 0, r)})
        addLine(marks, aim->place - 1.4 * d, aim->place + 1.4 * d, 1.2, t.persimmon);
}

void Stage::markWeight(std::vector<Mark>& marks) const {
    const std::string& layer = m_session.selection().layer;
    const scene::Layer* l = m_document.scene().layer(layer);
    const scene::ActorEntry* a = l ? m_document.scene().actor(l->actor) : nullptr;
    const ResultsPtr& r = m_document.results();
    const pipeline::LayerResult* result = r ? r->evaluation.layer(layer) : nullptr;
    if (!a || !result || !result->weighed || m_session.bodyHeld()) return;
    const layers::Weighed& w = *result->weighed;
    const look::Theme& t = look::theme();
    const scene::Placement stands = scene::placementOf(*a);
    const auto inWorld = [&](std::vector<Vec3> v) {
        for (Vec3& p : v) p = stands.toWorld(p);
        return v;
    };
    const std::vector<Vec3> below = inWorld(w.below), above = inWorld(w.above);
    // Below in dashes, above whole.
    for (std::size_t f = 1; f < above.size(); ++f) {
        if (f % 2 == 1) addLine(marks, below[f - 1], below[f], 1.4, look::faded(t.ink, 0.7));
        addLine(marks, above[f - 1], above[f], 2.2, t.persimmon);
    }
    // In the air it stands out, with a tick a frame.
    for (const layers::Weighed::Flight& x : w.flights)
        for (int f = x.from; f <= x.to && f < static_cast<int>(above.size()); ++f) {
            const auto at = static_cast<std::size_t>(f);
            if (f > 0) addLine(marks, above[at - 1], above[at], 4, t.ochre);
            addLine(marks, above[at], above[at], 6, t.ochre);
        }
    const auto now = static_cast<std::size_t>(m_session.frame());
    if (now >= above.size()) return;
    const auto& outline = w.support[now];
    std::vector<Vec3> round = inWorld(outline);
    if (!round.empty()) round.push_back(round.front());
    addPolyline(marks, round, 2.4, t.lagoon);
    const Vec3& c = above[now];
    const Vec3 shadow(c.x(), w.floor[now], c.z());
    addLine(marks, c, shadow, 1.2, look::faded(t.ink, 0.6));
    const double size = 0.025 * m_size;
    const auto ring = [&](const Vec3& at, double radius, const Vec3& u, const Vec3& v, double width, const QColor& colour) {
        std::vector<Vec3> line;
        for (int k = 0; k <= 32; ++k)
            line.push_back(at + radius * (std::cos(2 * kPi * k / 32) * u + std::sin(2 * kPi * k / 32) * v));
        addPolyline(marks, line, width, colour);
    };
    // The centre of mass: a ring that faces the eye, with a dot; its shadow lies on the floor.
    const Vec3 eye = (m_camera.eye() - c).normalized(), u = anySquareTo(eye), v = eye.cross(u);
    ring(c, size, u, v, 2.6, t.persimmon);
    addLine(marks, c, c, 8, t.persimmon);
    ring(shadow, size, Vec3::UnitX(), Vec3::UnitZ(), 1.8, look::faded(t.ink, 0.8));
    if (outline.empty()) return;
    const Vec3 press = stands.toWorld(w.pressure[now]);
    const Vec3 x(size, 0, 0), z(0, 0, size);
    std::vector<Vec3> diamond{press + x, press + z, press - x, press - z, press + x};
    addPolyline(marks, diamond, 2.4, t.plum);
    addLine(marks, press, press, 6, t.plum);
}

}  // namespace nutatio::app
