// Picking, and the mouse.
#include <QMouseEvent>
#include <QUuid>
#include <QWheelEvent>
#include <algorithm>

#include "app/stage/stage.h"
#include "rig/surface.h"

namespace nutatio::app {

std::optional<QPointF> Stage::jointPixel(const std::string& actor, int joint) const {
    const Shown* s = shown(actor);
    if (!s || joint < 0 || joint >= static_cast<int>(s->posed.worlds.size())) return std::nullopt;
    return m_camera.pixel(s->posed.worlds[static_cast<std::size_t>(joint)].t, size());
}

std::vector<Stage::Hit> Stage::jointsNear(const QPointF& at) const {
    constexpr double kNear = 9;
    std::vector<std::pair<double, Hit>> found;
    if (m_jointsShown)
        for (const Shown& s : m_shown) {
            const rig::Actor& a = *s.posed.actor;
            if (s.piece) continue;
            for (int j = 0; j < a.skeleton.size(); ++j) {
                if (!(a.isSkinJoint[static_cast<std::size_t>(j)] || a.skins.empty())) continue;
                const auto p = jointPixel(s.id, j);
                if (const double d = p ? std::hypot(p->x() - at.x(), p->y() - at.y()) : 1e9; d < kNear)
                    found.push_back({d, {s.id, j}});
            }
        }
    std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<Hit> out;
    for (auto& f : found) out.push_back(std::move(f.second));
    return out;
}

std::optional<Stage::Hit> Stage::pick(const QPointF& at) const {
    const std::vector<Hit> near = jointsNear(at);
    return near.empty() ? pickMesh(at) : near.front();
}

std::optional<Stage::Hit> Stage::pickBeneath(const QPointF& at) {
    constexpr double kSamePlace = 3;
    const bool again = (at - m_mouse.clicked).manhattanLength() <= kSamePlace && m_mouse.clicks > 0;
    m_mouse.clicked = at;
    m_mouse.clicks = again ? m_mouse.clicks + 1 : 1;
    std::vector<Hit> near = jointsNear(at);
    // Beneath the last joint that is near comes the one that moves the skin there.
    if (const auto skin = near.empty() || again ? pickMesh(at) : std::nullopt;
        skin &&
        std::none_of(near.begin(), near.end(), [&](const Hit& h) { return h.actor == skin->actor && h.joint == skin->joint; }))
        near.push_back(*skin);
    if (near.empty()) return std::nullopt;
    return near[static_cast<std::size_t>(m_mouse.clicks - 1) % near.size()];
}

std::optional<Stage::MeshHit> Stage::hitMesh(const QPointF& at) const {
    const Eigen::Vector3f eye = m_camera.eye().cast<float>(), way = m_camera.ray(at, size()).cast<float>();
    float nearest = 1e30f;
    std::optional<MeshHit> best;
    std::erase_if(m_hittable, [&](const auto& each) { return !shown(each.first); });
    for (const Shown& s : m_shown) {
        const auto same = [](const Affine& a, const Affine& b) { return a.m == b.m && a.t == b.t; };
        Hittable& known = m_hittable[s.id];
        const bool fresh =
            known.actor != s.actor || known.track != s.posed.track || known.frame != s.posed.frame ||
            !std::equal(known.worlds.begin(), known.worlds.end(), s.posed.worlds.begin(), s.posed.worlds.end(), same);
        if (fresh) known = {s.actor, s.posed.worlds, s.posed.track, s.posed.frame, {}};
        known.vertices.resize(s.actor->instances.size());
        for (std::size_t i = 0; i < s.posed.actor->instances.size(); ++i) {
            const rig::MeshInstance& in = s.posed.actor->instances[i];
            const auto& primitives = s.posed.actor->meshes[static_cast<std::size_t>(in.mesh)].primitives;
            known.vertices[i].resize(primitives.size());
            for (std::size_t n = 0; n < primitives.size(); ++n) {
                const rig::Primitive& p = primitives[n];
                rig::PosedVertices& posed = known.vertices[i][n];
                if (fresh)
                    rig::poseVertices(*s.posed.actor, in, p, s.posed.worlds, s.posed.weights(i), posed, s.posed.moved(i, n));
                for (std::size_t k = 0; k + 2 < p.triangles.size(); k += 3) {
                    // Moeller, Trumbore: Fast, minimum storage ray-triangle intersection (1997).
                    const Vec3f &a = posed.positions[p.triangles[k]], e1 = posed.positions[p.triangles[k + 1]] - a,
                                e2 = posed.positions[p.triangles[k + 2]] - a;
                    const Vec3f h = way.cross(e2);
                    const float det = e1.dot(h);
                    if (std::abs(det) < 1e-14f) continue;
                    const Vec3f from = eye - a, q = from.cross(e1);
                    const float u = from.dot(h) / det, v = way.dot(q) / det, d = e2.dot(q) / det;
                    if (u < 0 || v < 0 || u + v > 1 || d <= 0 || d >= nearest) continue;
                    nearest = d;
                    best = MeshHit{s.id, i, n, k, {1.0 - u - v, u, v}, d};
                }
            }
        }
    }
    return best;
}

std::optional<scene::Mount> Stage::spotUnderMouse() {
    const QPointF at = mapFromGlobal(QCursor::pos());
    const std::optional<MeshHit> hit = rect().contains(at.toPoint()) ? hitMesh(at) : std::nullopt;
    const auto joint = hit ? pickMesh(at) : std::nullopt;
    if (!joint) return std::nullopt;
    const rig::Actor& actor = *shown(hit->actor)->posed.actor;
    return scene::Mount{hit->actor, actor.skeleton.reference(joint->joint), restPlace(actor, surfaceOf(actor), *hit)};
}

Vec3 Stage::restPlace(const rig::Actor& actor, const rig::Surface& surface, const MeshHit& hit) {
    const rig::Primitive& p =
        actor.meshes[static_cast<std::size_t>(actor.instances[hit.instance].mesh)].primitives[hit.primitive];
    Vec3 place = Vec3::Zero();
    for (std::size_t k = 0; k < 3; ++k)
        place += hit.weight[k] *
                 surface.places[surface.pointOf(hit.instance, hit.primitive, p.triangles[hit.triangle + k])].cast<double>();
    return place;
}

const rig::Surface& Stage::surfaceOf(const rig::Actor& actor) {
    if (!m_surface.surface || !(m_surface.key == actor.picture)) {
        m_surface.surface = std::make_unique<rig::Surface>(rig::Surface::of(actor));
        m_surface.key = actor.picture;
        m_chain.pieceAndJoints = {-1, 0};
    }
    return *m_surface.surface;
}

std::optional<Stage::Hit> Stage::pickMesh(const QPointF& at) const {
    const std::optional<MeshHit> hit = hitMesh(at);
    if (!hit) return std::nullopt;
    const rig::Actor& actor = *shown(hit->actor)->posed.actor;
    const rig::MeshInstance& in = actor.instances[hit->instance];
    const rig::Primitive& p = actor.meshes[static_cast<std::size_t>(in.mesh)].primitives[hit->primitive];
    if (in.skin < 0 || p.influences.empty()) return Hit{hit->actor, in.joint};
    return Hit{hit->actor,
               actor.skins[static_cast<std::size_t>(in.skin)].joints[p.influences[p.triangles[hit->triangle]].joint[0]]};
}

void Stage::mousePressEvent(QMouseEvent* e) {
    m_mouse.pressed = m_mouse.last = e->position();
    m_mouse.moved = false;
    if (e->button() != Qt::LeftButton) return;
    if (m_tool == Tool::Helper || m_tool == Tool::Chain || m_paint) {
        m_chain.drawn.clear();
        m_mouse.orbits = !(m_paint ? beginStroke(e) : hitMesh(e->position()).has_value());
        return;
    }
    if (m_tool == Tool::Path) {
        m_chain.drawn.clear();
        m_mouse.orbits = false;
        if (const auto p = onGround(e->position())) m_chain.drawn.push_back(*p);
        return;
    }
    layPoseHand();
    if (m_gridHand.take(e->position()) || m_poseHand.take(e->position())) {
        m_mouse.orbits = false;
        return;
    }
    for (const Handle& h : handles())
        if (const auto at = m_camera.pixel(h.world, size());
            at && std::hypot(at->x() - e->position().x(), at->y() - e->position().y()) < 10) {
            // The nearest to the front comes last in the list; radii lie over the middle.
            m_mouse.grabbed = h;
            m_mouse.grabOffset = h.world - unproject(e->position(), h.world);
            m_mouse.gesture = QUuid::createUuid().toString();
        }
    m_mouse.orbits = !m_mouse.grabbed && !m_tugOn && !pick(e->position());
    if (m_mouse.grabbed || !m_tugOn) return;
    auto hit = pick(e->position());
    // The joint that is performed is taken, even where another joint lies nearer to the pointer.
    if (m_session.performing().on)
        for (const Hit& near : jointsNear(e->position())) {
            const Selection& sel = m_session.selection();
            if (near.actor == sel.actor && std::find(sel.joints.begin(), sel.joints.end(), near.joint) != sel.joints.end())
                hit = near;
        }
    if (hit) {
        m_tug.grab(hit->actor, hit->joint, e->modifiers() & Qt::ControlModifier);
        if (!m_tug.isHolding()) return;
        m_mouse.grabOffset = tugPlace() - unproject(e->position(), tugPlace());
        setCursor(Qt::ClosedHandCursor);
    }
}

void Stage::mouseMoveEvent(QMouseEvent* e) {
    const QPointF by = e->position() - m_mouse.last;
    m_mouse.last = e->position();
    if ((e->position() - m_mouse.pressed).manhattanLength() > 3) m_mouse.moved = true;
    if (m_gridHand.holds() && (e->buttons() & Qt::LeftButton)) {
        if (m_mouse.moved) m_gridHand.drag(e->position(), e->modifiers());
        update();
        return;
    }
    if (m_poseHand.held() && (e->buttons() & Qt::LeftButton)) {
        if (m_mouse.moved) m_poseHand.drag(e->position(), e->modifiers());
        update();
        return;
    }
    if (m_mouse.grabbed && (e->buttons() & Qt::LeftButton) && m_mouse.moved) {
        Vec3 to = unproject(e->position(), m_mouse.grabbed->world) + m_mouse.grabOffset;
        if (e->modifiers() & Qt::ControlModifier) to = snapped(to);
        dragHandle(to);
    }
    if (m_paint && !(e->buttons() & Qt::LeftButton)) aimBrush(e->position());
    if (m_paint && m_brush.strokes && (e->buttons() & Qt::LeftButton)) {
        goOnWithStroke(e->position());
        return;
    }
    if (m_tool == Tool::Path && (e->buttons() & Qt::LeftButton)) {
        if (const auto p = onGround(e->position());
            p && (m_chain.drawn.empty() || (*p - m_chain.drawn.back()).norm() > 0.01 * m_size))
            m_chain.drawn.push_back(*p);
        update();
        return;
    }
    if (!e->buttons() && m_tool == Tool::Helper) {
        proposeHelper(e->position());
        return;
    }
    if (!e->buttons() && m_tool == Tool::Chain) {
        proposeChain(e->position());
        return;
    }
    if (m_tool == Tool::Chain && !m_mouse.orbits && m_mouse.moved && (e->buttons() & Qt::LeftButton)) {
        drawChain(e->position());
        return;
    }
    if (!e->buttons()) {
        const std::vector<Hit> near = jointsNear(e->position());
        const std::optional<Hit> now = near.empty() ? std::nullopt : std::optional(near.front());
        if (now != m_hover) {
            m_hover = now;
            update();
        }
        return;
    }
    if (m_tug.isHolding() && (e->buttons() & Qt::LeftButton)) pullTo(unproject(e->position(), tugPlace()) + m_mouse.grabOffset);
    if (e->buttons() & Qt::RightButton || (m_mouse.orbits && m_mouse.moved && (e->buttons() & Qt::LeftButton)))
        m_camera.orbit(by.x(), by.y());
    if (e->buttons() & Qt::MiddleButton) m_camera.pan(by.x(), by.y(), height());
    if (e->buttons()) update();
}

void Stage::mouseReleaseEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    if (m_gridHand.holds() || m_poseHand.held()) {
        m_gridHand.letGo();
        m_poseHand.letGo();
        update();
        return;
    }
    if (m_mouse.grabbed) {
        m_mouse.grabbed.reset();
        update();
        return;
    }
    if (m_paint && m_brush.strokes) {
        endStroke();
        return;
    }
    if (m_tugOn) {
        m_tug.letGo();
        setCursor(Qt::OpenHandCursor);
        return;
    }
    if (m_tool == Tool::Path) {
        const std::vector<Vec3> drawn = std::move(m_chain.drawn);
        m_chain.drawn.clear();
        update();
        if (drawn.size() > 1) Q_EMIT pathWanted(drawn);
        return;
    }
    if (m_tool == Tool::Chain) {
        // A click makes the chain that was shown; where none was, it shows the one that the next click makes.
        const bool seen = m_chain.proposed.has_value();
        if (!m_mouse.moved) proposeChain(e->position());
        m_chain.drawn.clear();
        // A copy: what hears of it may end the mode.
        if (m_chain.proposed && seen && !m_mouse.orbits) Q_EMIT chainWanted(Chain(*m_chain.proposed));
        return;
    }
    if (m_mouse.moved) return;
    if (m_tool == Tool::Helper) {
        proposeHelper(e->position());
        // A copy: what hears of it may end the mode.
        if (m_helper.proposed) Q_EMIT helperWanted(Helper(*m_helper.proposed), e->modifiers() & Qt::ShiftModifier);
        return;
    }
    const bool adds = e->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier);
    const auto hit = adds ? pick(e->position()) : pickBeneath(e->position());
    const Shown* what = hit ? shown(hit->actor) : nullptr;
    const auto hand = m_session.handJoint() ? m_session.handJoint() : m_session.partNear(hit ? hit->joint : rig::kNoJoint);
    if (what && what->piece)
        m_session.selectActor(hit->actor);
    else if (hit && hand && hand->actor->id == hit->actor)
        m_session.pointAt(hit->actor, hit->joint);  // the layer stays in the hand
    else if (hit)
        m_session.selectJoint(hit->actor, hit->joint, e->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier));
    else if (!(e->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier)))
        m_session.select({});
}

Vec3 Stage::snapped(const Vec3& p) const {
    // A round length that is seen: about a fiftieth of the actor.
    const double step = std::pow(10.0, std::floor(std::log10(0.05 * m_size)));
    return (p / step).array().round().matrix() * step;
}

void Stage::leaveEvent(QEvent*) {
    m_hover.reset();
    update();
}

void Stage::wheelEvent(QWheelEvent* e) {
    if (wheelBrush(e)) return;
    if (wheelChain(e)) return;
    if (m_tool == Tool::Helper && m_helper.proposed) {
        widenHelper(e->angleDelta().y() / 120.0);
        return;
    }
    m_camera.zoom(e->angleDelta().y() / 120.0);
    update();
}

}  // namespace nutatio::app
