// What is drawn over the scene: joints, trails, colliders, winds, pins, handles.
#include <set>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "app/stage/stage.h"
#include "layers/joint_worlds.h"
#include "layers/registry.h"
#include "scene/items.h"

namespace nutatio::app {

void Stage::addLine(std::vector<Mark>& marks, const Vec3& a, const Vec3& b, double width, const QColor& c) const {
    const auto pa = m_camera.pixel(a, size()), pb = m_camera.pixel(b, size());
    if (pa && pb) marks.push_back({*pa, *pb, width, c});
}

void Stage::addPolyline(std::vector<Mark>& marks, const std::vector<Vec3>& points, double width, const QColor& c) const {
    for (std::size_t i = 0; i + 1 < points.size(); ++i) addLine(marks, points[i], points[i + 1], width, c);
}

void Stage::markJoints(std::vector<Mark>& marks) const {
    const look::Theme& t = look::theme();
    const QColor halo = look::faded(t.sheet, 0.85);
    for (const Shown& s : m_shown) {
        if (s.piece) continue;
        const rig::Actor& a = *s.posed.actor;
        if (a.instances.empty() && !m_linesOnly)
            markBones(s.posed, m_camera, QRectF(QPointF(), size()), look::theme().bone, marks);
        if (m_linesOnly)
            for (int j = 0; j < a.skeleton.size(); ++j)
                if (const int p = a.skeleton.joint(j).parent; p != rig::kNoJoint)
                    addLine(marks, s.posed.worlds[static_cast<std::size_t>(p)].t, s.posed.worlds[static_cast<std::size_t>(j)].t,
                            1.8, t.ink);
        const std::vector<int> chosen = marked(s.id);
        std::vector<bool> on(static_cast<std::size_t>(a.skeleton.size()), false);
        for (int j : chosen) on[static_cast<std::size_t>(j)] = true;
        const bool layer = !m_session.selection().layer.empty();
        const QColor strong = layer ? t.persimmon : t.lagoon;
        if (m_jointsShown) {
            // A dot of ink in a ring of sheet shows on any ground. Where dots would cover one another some are left out.
            constexpr int kRoom = 7;
            std::set<std::pair<int, int>> taken;
            const auto cell = [&](const Vec3& p) -> std::optional<std::pair<int, int>> {
                const auto at = m_camera.pixel(p, size());
                if (!at) return std::nullopt;
                return std::pair{static_cast<int>(at->x()) / kRoom, static_cast<int>(at->y()) / kRoom};
            };
            for (int j = 0; j < a.skeleton.size(); ++j) {
                if (on[static_cast<std::size_t>(j)] || !(a.isSkinJoint[static_cast<std::size_t>(j)] || a.skins.empty())) continue;
                const Vec3& here = s.posed.worlds[static_cast<std::size_t>(j)].t;
                const auto at = cell(here);
                if (!at || !taken.insert(*at).second) continue;
                const int p = a.skeleton.joint(j).parent;
                if (p != rig::kNoJoint && !a.instances.empty())
                    addLine(marks, s.posed.worlds[static_cast<std::size_t>(p)].t, here, 1.0, look::faded(t.ink, 0.35));
                addLine(marks, here, here, 6.4, look::faded(t.sheet, 0.75));
                addLine(marks, here, here, 4.0, look::faded(t.ink, 0.85));
            }
        }
        for (int j : chosen) {
            const int p = a.skeleton.joint(j).parent;
            if (p == rig::kNoJoint || !on[static_cast<std::size_t>(p)]) continue;
            const Vec3 &from = s.posed.worlds[static_cast<std::size_t>(p)].t, &to = s.posed.worlds[static_cast<std::size_t>(j)].t;
            if (!s.body.worlds.empty() && layer && !m_session.bodyHeld())
                addLine(marks, s.body.worlds[static_cast<std::size_t>(p)].t, s.body.worlds[static_cast<std::size_t>(j)].t, 1.6,
                        look::faded(t.ink, 0.75));
            addLine(marks, from, to, 4.5, halo);
            addLine(marks, from, to, 2.5, strong);
        }
        for (int j : chosen) {
            const Vec3& here = s.posed.worlds[static_cast<std::size_t>(j)].t;
            addLine(marks, here, here, 9.5, halo);
            addLine(marks, here, here, 7, strong);
        }
    }
}

void Stage::markTrail(std::vector<Mark>& marks) const {
    const std::string& layer = m_session.selection().layer;
    const ResultsPtr& r = m_document.results();
    if (layer.empty() || !r || m_session.bodyHeld()) return;
    const auto at = r->traces.find(layer);
    if (at == r->traces.end()) return;
    const std::vector<Vec3f>& path = at->second->path;
    const scene::Layer* traced = m_document.scene().layer(layer);
    const scene::ActorEntry* actor = traced ? m_document.scene().actor(traced->actor) : nullptr;
    if (!actor) return;
    const scene::Placement stands = scene::placementOf(*actor);
    constexpr int kLong = 14;
    for (int k = std::max(1, m_session.frame() - kLong); k <= m_session.frame() && k < static_cast<int>(path.size()); ++k) {
        const double age = static_cast<double>(m_session.frame() - k) / kLong;
        const Vec3 a = stands.toWorld(path[static_cast<std::size_t>(k) - 1].cast<double>()),
                   b = stands.toWorld(path[static_cast<std::size_t>(k)].cast<double>());
        addLine(marks, a, b, 2.2, look::faded(look::theme().persimmon, 0.75 * (1 - age)));
        addLine(marks, b, b, 4.2, look::faded(look::theme().persimmon, 0.85 * (1 - age)));
    }
}

void Stage::markWays(std::vector<Mark>& marks) const {
    const look::Theme& t = look::theme();
    const QColor turn[] = {t.persimmon, t.lagoon, t.plum, t.ochre};
    std::size_t n = 0;
    for (const Ways::Way& way : m_ways.all()) {
        const QColor c = turn[n++ % 4];
        const scene::ActorEntry* actor = m_document.scene().actor(way.of.actor);
        const int now = std::min<int>(m_session.frame(), static_cast<int>(way.seen.size()) - 1);
        if (!actor || now < 0) continue;
        const scene::Placement stands = scene::placementOf(*actor);
        const Affine& from = way.from[static_cast<std::size_t>(now)];
        const auto at = [&](std::size_t f) { return stands.toWorld(from.apply(way.seen[f])); };
        for (std::size_t f = 0; f < way.seen.size(); ++f) {
            const Vec3 p = at(f);
            const bool ahead = static_cast<int>(f) > now;
            if (f > 0) addLine(marks, at(f - 1), p, 1.8, look::faded(c, ahead ? 0.4 : 0.95));
            // Every fifth frame, counted as people do, stands out.
            if (m_session.trails().ticks) addLine(marks, p, p, f % 5 == 4 ? 6.5 : 3.6, look::faded(c, ahead ? 0.5 : 1));
        }
        addLine(marks, at(static_cast<std::size_t>(now)), at(static_cast<std::size_t>(now)), 11, t.sheet);
        addLine(marks, at(static_cast<std::size_t>(now)), at(static_cast<std::size_t>(now)), 8, c);
    }
}

void Stage::markColliders(std::vector<Mark>& marks) const {
    const look::Theme& t = look::theme();
    for (const scene::Collider& c : m_document.scene().colliders) {
        if (c.hidden && c.id != m_session.selection().collider) continue;
        const auto world = carrier(c.mount);
        const bool chosen = m_session.selection().collider == c.id;
        if (!world || (!chosen && !m_jointsShown)) continue;
        const QColor colour = look::faded(chosen ? t.lagoon : t.inkSoft, c.on ? (chosen ? 1.0 : 0.6) : 0.25);
        const double width = chosen ? 2.0 : 1.1;
        const scene::ColliderNumbers n = numbersHere(c);
        const layers::ColliderPlace at = layers::placeCollider(n, *world);
        const Vec3 x = at.turn * Vec3::UnitX(), y = at.turn * Vec3::UnitY(), z = at.turn * Vec3::UnitZ();
        if (n.shape == scene::Shape::Plane) {
            const double r = 0.35 * m_size;
            addPolyline(marks,
                        {at.centre + r * (x + z), at.centre + r * (x - z), at.centre - r * (x + z), at.centre - r * (x - z),
                         at.centre + r * (x + z)},
                        width, colour);
            addLine(marks, at.centre, at.centre + 0.4 * r * y, width, colour);
            continue;
        }
        if (n.shape == scene::Shape::Box) {
            const Vec3 hx = 0.5 * n.size.x() * x, hy = 0.5 * n.size.y() * y, hz = 0.5 * n.size.z() * z;
            for (double sy : {-1.0, 1.0})
                addPolyline(marks,
                            {at.centre + sy * hy + hx + hz, at.centre + sy * hy + hx - hz, at.centre + sy * hy - hx - hz,
                             at.centre + sy * hy - hx + hz, at.centre + sy * hy + hx + hz},
                            width, colour);
            for (double sx : {-1.0, 1.0})
                for (double sz : {-1.0, 1.0})
                    addLine(marks, at.centre - hy + sx * hx + sz * hz, at.centre + hy + sx * hx + sz * hz, width, colour);
            continue;
        }
        const bool capsule = n.shape == scene::Shape::Capsule;
        const Vec3 half = capsule ? Vec3(0.5 * n.length * y) : Vec3(Vec3::Zero());
        const double ra = n.radius, rb = capsule ? n.radiusEnd : n.radius;
        for (const layers::Mark& m :
             layers::capsuleMarks(at.centre - half, at.centre + half, ra, rb, at.turn, layers::Mark::Tone::Quiet, width, 1))
            drawLine(marks, m, colour);
    }
}

double Stage::windLength(double speed) const {
    return m_size * (0.12 + 0.05 * std::min(speed, 10.0));
}

Vec3 Stage::windRoot(const WindHere& w) const {
    // An arrow that would lie inside the body is drawn beside it, as long as its speed says.
    if (w.reach > 0) return w.place;
    const Vec3 middle = m_box.center();
    const double clear = 0.5 * m_box.diagonal().norm() + 0.1 * m_size;
    const Vec3 off = w.place - middle;
    return off.norm() < clear ? Vec3(middle - (clear + windLength(w.speed)) * w.direction) : w.place;
}

void Stage::markWinds(std::vector<Mark>& marks) const {
    const look::Theme& t = look::theme();
    for (const scene::Wind& wind : m_document.scene().winds) {
        if (wind.hidden && wind.id != m_session.selection().wind) continue;
        const bool chosen = m_session.selection().wind == wind.id;
        if (!chosen && !m_jointsShown) continue;
        const WindHere w = windHere(wind);
        const QColor c = look::faded(chosen ? t.lagoon : t.inkSoft, wind.on ? (chosen ? 1.0 : 0.7) : 0.3);
        const Vec3 from = windRoot(w), side = anySquareTo(w.direction), up = w.direction.cross(side);
        const double length = windLength(w.speed);
        // Five streamlines, longer in the middle, with the arrow's head on the middle one.
        for (int k = -2; k <= 2; ++k) {
            const Vec3 off = 0.05 * m_size * k * up;
            const double reach = length * (k == 0 ? 1 : 0.72 - 0.08 * std::abs(k));
            std::vector<Vec3> line;
            for (int i = 0; i <= 12; ++i) {
                const double u = i / 12.0;
                line.push_back(from + off + u * reach * w.direction + 0.012 * m_size * std::sin(6 * u + k) * w.swirlShare * up);
            }
            addPolyline(marks, line, chosen ? 2.4 : 1.5, c);
        }
        const Vec3 tip = from + length * w.direction;
        for (double s : {-1.0, 1.0})
            addLine(marks, tip, tip - 0.05 * m_size * w.direction + s * 0.03 * m_size * up, chosen ? 2.4 : 1.5, c);
        if (w.reach > 0 && chosen) {
            std::vector<Vec3> ring;
            for (int k = 0; k <= 48; ++k)
                ring.push_back(from + w.reach * Vec3(std::cos(2 * kPi * k / 48), 0, std::sin(2 * kPi * k / 48)));
            addPolyline(marks, ring, 1.2, look::faded(c, 0.5));
        }
    }
}

void Stage::markPins(std::vector<Mark>& marks) const {
    const look::Theme& t = look::theme();
    for (const scene::Pin& p : m_document.scene().pins) {
        if (p.hidden && p.id != m_session.selection().pin) continue;
        const auto held = carrier({p.actor, p.joint}), to = carrier(p.to);
        const bool chosen = m_session.selection().pin == p.id;
        if (!held || !to || (!chosen && !m_jointsShown)) continue;
        const QColor c = look::faded(chosen ? t.lagoon : t.plum, p.on ? 1.0 : 0.3);
        const Vec3 at = pinPlace(p, *to);
        addLine(marks, held->t, at, 1.2, c);
        const double r = 0.02 * m_size;
        for (const Vec3& d : {Vec3(r, 0, 0), Vec3(0, r, 0), Vec3(0, 0, r)}) addLine(marks, at - d, at + d, 2, c);
    }
}

/// From what the chosen gauge is on to what it measures to.
void Stage::markGauges(std::vector<Mark>& marks) const {
    const scene::Gauge* g = m_document.scene().gauge(m_session.selection().gauge);
    if (!g) return;
    const look::Theme& t = look::theme();
    const auto on = carrier(g->of);
    if (!on) return;
    addLine(marks, on->t, on->t, 11, t.lagoon);
    addLine(marks, on->t, on->t, 7, t.sheet);
    if (const auto to = g->to ? carrier(*g->to) : std::nullopt) addLine(marks, on->t, to->t, 1.6, t.lagoon);
}

QString Stage::gaugeWords(const scene::Gauge& g) const {
    const ResultsPtr& r = m_document.results();
    const pipeline::GaugeReading* reading = r ? r->evaluation.gauge(g.id) : nullptr;
    if (!reading || reading->values.empty()) return {};
    const auto at = static_cast<std::size_t>(within(m_session.frame(), 0, static_cast<int>(reading->values.size()) - 1));
    const scene::Unit unit = scene::unitOf(g);
    const bool share = unit == scene::Unit::Share;
    return QString::number(share ? 100 * reading->values[at] : reading->values[at], 'f', 2) + u' ' +
           (share ? QStringLiteral("%") : qs(scene::unitText(unit)));
}

void Stage::markHandles(std::vector<Mark>& marks) const {
    const look::Theme& t = look::theme();
    for (const Handle& h : handles()) {
        const bool held = m_mouse.grabbed && m_mouse.grabbed->part == h.part && m_mouse.grabbed->ofLayer.id == h.ofLayer.id;
        const bool whole = h.part == Handle::Move || h.ofLayer.whole;
        addLine(marks, h.world, h.world, whole ? 14 : 12, t.lagoon);
        addLine(marks, h.world, h.world, whole ? 10 : 8, held ? t.persimmon : t.sheet);
    }
}

void Stage::layPoseHand() {
    m_poseHand.hide();
    m_gridHand.hide();
    const auto hand = m_tugOn || m_paint || m_tool != Tool::None ? std::nullopt : m_session.handJoint();
    const Shown* here = hand ? shown(hand->actor->id) : nullptr;
    if (!here || hand->joint >= static_cast<int>(here->posed.worlds.size())) return;
    m_gridHand.lay(here->posed.worlds, m_camera, size());
    // Rings and arrows would lie over the grid: they come when a joint is clicked.
    if (!m_gridHand.points().empty() && !m_session.handOnJoint()) return;
    const int up = hand->actor->actor->skeleton.joint(hand->joint).parent;
    m_poseHand.lay(here->posed.worlds[static_cast<std::size_t>(hand->joint)],
                   up == rig::kNoJoint ? Affine() : here->posed.worlds[static_cast<std::size_t>(up)], m_camera, size());
}

void Stage::markPoseHand(std::vector<Mark>& marks) const {
    const look::Theme& t = look::theme();
    const std::vector<GridHand::Point>& points = m_gridHand.points();
    for (const GridHand::Point& p : points)
        for (std::size_t n : p.at.next) addLine(marks, p.world, points[n].world, 1.4, look::faded(t.lagoon, 0.7));
    for (const GridHand::Point& p : points) {
        addLine(marks, p.world, p.world, 11, t.lagoon);
        addLine(marks, p.world, p.world, 7.5, p.at.of == m_session.handPoint() ? t.persimmon : t.sheet);
    }
    // Halos first, so that none cuts the line beside it.
    enum Pass { Faint, Halo, Whole };
    for (const Pass pass : {Faint, Halo, Whole})
        for (const PoseHand::Stroke& s : m_poseHand.strokes()) {
            if (s.faint != (pass == Faint)) continue;
            const bool held = m_poseHand.held() == s.grip, dot = s.points.size() == 1,
                       middle = s.grip.kind == PoseHand::Grip::Free;
            if (m_poseHand.held() && !held && !middle) continue;
            QColor c = middle ? t.sheet : look::axisColour(s.grip.axis);
            if (held) c = t.persimmon;
            if (pass == Faint) c = look::faded(c, 0.25);
            if (pass == Halo)
                addLine(marks, s.points.front(), s.points.back(), dot ? 14 : 5, look::faded(t.sheet, 0.8));
            else
                addLine(marks, s.points.front(), s.points.back(), dot ? 10 : held ? 3.2 : 2.4, c);
            if (pass == Whole && middle) addLine(marks, s.points.front(), s.points.front(), 5, t.lagoon);
        }
}

}  // namespace nutatio::app
