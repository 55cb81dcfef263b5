// What can be dragged on the stage.
#include <algorithm>

#include "app/stage/stage.h"
#include "edit/edit.h"
#include "layers/joint_worlds.h"
#include "layers/registry.h"
#include "scene/items.h"

namespace nutatio::app {

double Stage::unitOf(const std::string& actor) const {
    const scene::ActorEntry* a = m_document.scene().actor(actor);
    return a ? a->actor->metresPerUnit : 1;
}

scene::Resolved Stage::resolvedHere(const scene::Tuned& t, const scene::Owner& owner) const {
    const scene::Shot& shot = m_document.scene().shot();
    const scene::KeysOf* keys = shot.keysOf(owner);
    return scene::Resolved(t, layers::tableOf(m_document.scene(), owner), keys, shot.fps, keys ? m_session.frame() + 1 : 1);
}

scene::ColliderNumbers Stage::numbersHere(const scene::Collider& c) const {
    scene::ColliderNumbers n = scene::numbersOf(resolvedHere(c, {scene::List::Colliders, c.id}), m_session.frame());
    const double unit = unitOf(c.mount.actor);
    for (double* length : {&n.radius, &n.radiusEnd, &n.length}) *length *= unit;
    n.size *= unit;
    n.offset *= unit;
    return n;
}

Stage::WindHere Stage::windHere(const scene::Wind& w) const {
    const scene::Resolved r = resolvedHere(w, {scene::List::Winds, w.id});
    const int f = m_session.frame();
    return {r.vector("place", f), scene::windDirection(r.at("heading", f), r.at("rise", f)), r.at("speed", f), r.at("reach", f),
            r.at("swirl_share", f)};
}

Vec3 Stage::pinPlace(const scene::Pin& p, const Affine& to) const {
    const scene::Resolved r = resolvedHere(p, {scene::List::Pins, p.id});
    return to.t + rotationOf(to.m) * (unitOf(p.to.actor) * r.vector("offset", m_session.frame()));
}

std::optional<Affine> Stage::carrier(const scene::Mount& mount) const {
    if (mount.world()) return Affine{};
    const Shown* s = shown(mount.actor);
    if (!s) return std::nullopt;
    if (!mount.spot && mount.turns) {
        const int j = s->posed.actor->skeleton.find(mount.joint);
        return j == rig::kNoJoint ? std::nullopt : std::optional(s->posed.worlds[static_cast<std::size_t>(j)]);
    }
    const scene::ActorEntry* a = m_document.scene().actor(mount.actor);
    const auto on = a ? scene::found(*s->posed.actor, mount) : std::nullopt;
    if (!on) return std::nullopt;
    // Joints stand in the world [m], spots are placed in the actor's own units.
    const scene::Placement stands = scene::placementOf(*a);
    const Affine toWorld{stands.metres * stands.turn.toRotationMatrix(), stands.place}, toOwn = toWorld.inverse();
    const Posed& posed = s->posed;
    return toWorld * on->at([&](int j) { return toOwn * posed.worlds[static_cast<std::size_t>(j)]; },
                            posed.live ? posed.live.get() : posed.track.get(), posed.frame);
}

std::vector<Stage::Handle> Stage::handles() const {
    std::vector<Handle> out;
    const scene::Scene& s = m_document.scene();
    const Selection& sel = m_session.selection();
    if (s.layer(sel.layer)) {
        layerHandles(out);
    } else if (const scene::Wind* w = s.wind(sel.wind)) {
        const WindHere here = windHere(*w);
        const Vec3 at = windRoot(here);
        out = {{Handle::Move, at}, {Handle::Tip, at + windLength(here.speed) * here.direction}};
    } else if (const scene::Pin* p = s.pin(sel.pin)) {
        if (const auto to = carrier(p->to)) out = {{Handle::Move, pinPlace(*p, *to)}};
    } else if (const scene::Collider* c = s.collider(sel.collider)) {
        const auto world = carrier(c->mount);
        if (!world) return out;
        const scene::ColliderNumbers n = numbersHere(*c);
        const layers::ColliderPlace at = layers::placeCollider(n, *world);
        const Vec3 x = at.turn * Vec3::UnitX(), y = at.turn * Vec3::UnitY(), z = at.turn * Vec3::UnitZ();
        out.push_back({Handle::Move, at.centre});
        // Radii are pulled across the capsule, on the side that is seen best.
        const Vec3 eye = (m_camera.eye() - at.centre).normalized();
        Vec3 across = y.cross(eye);
        across = across.norm() > 1e-6 ? Vec3(across.normalized()) : x;
        switch (n.shape) {
            case scene::Shape::Sphere:
                out.push_back({Handle::RadiusA, at.centre + n.radius * across});
                break;
            case scene::Shape::Capsule: {
                const Vec3 a = at.centre - 0.5 * n.length * y, b = at.centre + 0.5 * n.length * y;
                out.insert(out.end(), {{Handle::EndA, a},
                                       {Handle::EndB, b},
                                       {Handle::RadiusA, a + n.radius * across},
                                       {Handle::RadiusB, b + n.radiusEnd * across}});
                break;
            }
            case scene::Shape::Box:
                out.insert(out.end(), {{Handle::SizeX, at.centre + 0.5 * n.size.x() * x},
                                       {Handle::SizeY, at.centre + 0.5 * n.size.y() * y},
                                       {Handle::SizeZ, at.centre + 0.5 * n.size.z() * z}});
                break;
            case scene::Shape::Plane:
                out.push_back({Handle::Tip, at.centre + 0.14 * m_size * y});
                break;
        }
    } else if (m_tool == Tool::Pivot && sel.joints.size() == 1) {
        if (const Shown* at = shown(sel.actor); at && sel.joints.front() < static_cast<int>(at->posed.worlds.size()))
            out = {{Handle::Pivot, at->posed.worlds[static_cast<std::size_t>(sel.joints.front())].t}};
    } else if (const scene::ActorEntry* a = s.actor(sel.actor); a && a->isPiece() && sel.joints.empty() && !a->hidden) {
        pieceHandles(*a, out);
    }
    return out;
}

void Stage::pieceHandles(const scene::ActorEntry& piece, std::vector<Handle>& out) const {
    const Shown* here = shown(piece.id);
    if (!here) return;
    const Affine& world = here->posed.worlds.front();
    const auto at = [&](double x, double y, double z) { return Vec3(world.t + world.m * Vec3(x, y, z)); };
    out.push_back({Handle::Move, world.t});
    const std::string& form = piece.text("form");
    if (form == "ball" || form == "bar") out.push_back({Handle::RadiusA, at(0.5 * piece.number("across"), 0, 0)});
    if (form == "bar") out.push_back({Handle::EndB, at(0, 0.5 * piece.number("length"), 0)});
    if (form == "ball" || form == "bar") return;
    out.push_back({Handle::SizeX, at(0.5 * piece.number("size_x"), 0, 0)});
    out.push_back({Handle::SizeZ, at(0, 0, 0.5 * piece.number("size_z"))});
    if (form != "floor") out.push_back({Handle::SizeY, at(0, piece.number("size_y"), 0)});
}

void Stage::dragPiece(scene::Scene& scene, const scene::ActorEntry& piece, const Vec3& to) const {
    const Shown* here = shown(piece.id);
    if (!here) return;
    const scene::Owner owner{scene::List::Actors, piece.id};
    const Affine& world = here->posed.worlds.front();
    const Vec3 own = rotationOf(world.m).conjugate() * (to - world.t);
    const auto put = [&](std::string_view id, double v) {
        edit::set(scene, owner, id, scene::clampTo(*findRow(scene::actorTable(piece), id), v), m_session.frame());
    };
    switch (m_mouse.grabbed->part) {
        case Handle::RadiusA:
            put("across", 2 * std::abs(own.x()));
            break;
        case Handle::EndB:
            put("length", 2 * std::abs(own.y()));
            break;
        case Handle::SizeX:
            put("size_x", 2 * std::abs(own.x()));
            break;
        case Handle::SizeY:
            put("size_y", own.y());
            break;
        case Handle::SizeZ:
            put("size_z", 2 * std::abs(own.z()));
            break;
        default:
            put("place_x", to.x());
            put("place_y", to.y());
            put("place_z", to.z());
    }
}

std::optional<QPointF> Stage::handlePixel(Handle::Part part, std::string_view ofLayer) const {
    for (const Handle& h : handles())
        if (h.part == part && (ofLayer.empty() || h.ofLayer.id == ofLayer)) return m_camera.pixel(h.world, size());
    return std::nullopt;
}

Vec3 Stage::unproject(const QPointF& at, const Vec3& like) const {
    const Vec3 eye = m_camera.eye(), way = m_camera.ray(at, size()), ahead = (m_camera.target - eye).normalized();
    return eye + way * ((like - eye).dot(ahead) / std::max(1e-9, way.dot(ahead)));
}

void Stage::dragCollider(scene::Scene& scene, const scene::Collider& c, const Vec3& to) const {
    const auto world = carrier(c.mount);
    if (!world) return;
    const scene::Owner owner{scene::List::Colliders, c.id};
    const double unit = unitOf(c.mount.actor);
    const scene::ColliderNumbers n = numbersHere(c);
    const layers::ColliderPlace at = layers::placeCollider(n, *world);
    const Quat back = rotationOf(world->m).conjugate();
    const Vec3 y = at.turn * Vec3::UnitY();
    const double least = 1e-3 * m_size;
    const auto put = [&](const std::string& id, double v) {
        edit::set(scene, owner, id, scene::clampTo(*findRow(scene::colliderTable(), id), v), m_session.frame());
    };
    const auto putVector = [&](const std::string& stem, const Vec3& v) {
        for (int k = 0; k < 3; ++k) put(stem + "_" + "xyz"[k], v[k]);
    };
    const auto layAlong = [&](const Vec3& a, const Vec3& b) {
        const double length = (b - a).norm();
        put("length", length / unit);
        putVector("offset", back * (0.5 * (a + b) - world->t) / unit);
        if (length > 1e-9) putVector("turn", rotationVector(arc(Vec3::UnitY(), back * (b - a) / length)) * degrees(1));
    };
    const Vec3 a = at.centre - 0.5 * n.length * y, b = at.centre + 0.5 * n.length * y;
    switch (m_mouse.grabbed->part) {
        case Handle::Move:
            putVector("offset", back * (to - world->t) / unit);
            break;
        case Handle::EndA:
            layAlong(to, b);
            break;
        case Handle::EndB:
            layAlong(a, to);
            break;
        case Handle::RadiusA:
            put("radius", std::max(least, (to - (n.shape == scene::Shape::Sphere ? at.centre : a)).norm()) / unit);
            break;
        case Handle::RadiusB:
            put("radius_end", std::max(least, (to - b).norm()) / unit);
            break;
        case Handle::SizeX:
        case Handle::SizeY:
        case Handle::SizeZ: {
            const int k = m_mouse.grabbed->part - Handle::SizeX;
            put(std::string("size_") + "xyz"[k], std::max(least, 2 * (to - at.centre).dot(at.turn * Vec3::Unit(k))) / unit);
            break;
        }
        case Handle::Tip:
            if ((to - at.centre).norm() > 1e-9)
                putVector("turn", rotationVector(arc(Vec3::UnitY(), back * (to - at.centre).normalized())) * degrees(1));
            break;
        case Handle::Pivot:
        case Handle::OfLayer:
            break;
    }
}

void Stage::dragPivot(const Vec3& to) {
    const Selection& sel = m_session.selection();
    const Shown* s = shown(sel.actor);
    if (!s || sel.joints.size() != 1) return;
    const int joint = sel.joints.front();
    if (m_pivot.gesture != m_mouse.gesture) {
        // As it lies in the joint's own axes now, it lies there in the rest pose. The same all through a drag, whatever the
        // motion on show is of meanwhile.
        std::vector<Affine> rest;
        rig::worldTransforms(s->actor->skeleton, s->actor->restPose(), rest);
        m_pivot.gesture = m_mouse.gesture;
        m_pivot.toRest = rest[static_cast<std::size_t>(joint)] * s->posed.worlds[static_cast<std::size_t>(joint)].inverse();
    }
    Q_EMIT pivotWanted(sel.actor, joint, m_pivot.toRest.apply(to), m_mouse.gesture);
}

void Stage::dragHandle(const Vec3& to) {
    if (m_mouse.grabbed->part == Handle::Pivot) return dragPivot(to);
    const Selection sel = m_session.selection();
    const scene::Scene& now = m_document.scene();
    const auto put = [&](scene::Scene& s, const scene::Owner& owner, const char* stem, const Vec3& v) {
        for (int k = 0; k < 3; ++k) edit::set(s, owner, std::string(stem) + "_" + "xyz"[k], v[k], m_session.frame());
    };
    m_document.edit(
        tr("Drag on the stage"),
        [&](scene::Scene& s) {
            if (const scene::Layer* layer = now.layer(sel.layer)) {
                dragLayer(s, *layer, to);
            } else if (const scene::Wind* w = now.wind(sel.wind)) {
                const scene::Owner owner{scene::List::Winds, w->id};
                if (m_mouse.grabbed->part == Handle::Move) {
                    put(s, owner, "place", to);
                } else if (const Vec3 way = to - windRoot(windHere(*w)); way.norm() > 1e-9) {
                    scene::Wind turned = *w;
                    scene::setWindDirection(turned, way);
                    for (const char* id : {"heading", "rise"}) edit::set(s, owner, id, turned.number(id), m_session.frame());
                }
            } else if (const scene::Pin* p = now.pin(sel.pin)) {
                if (const auto world = carrier(p->to))
                    put(s, {scene::List::Pins, p->id}, "offset",
                        rotationOf(world->m).conjugate() * (to - world->t) / unitOf(p->to.actor));
            } else if (const scene::Collider* c = now.collider(sel.collider)) {
                dragCollider(s, *c, to);
            } else if (const scene::ActorEntry* a = now.actor(sel.actor); a && a->isPiece()) {
                dragPiece(s, *a, to);
            }
        },
        m_mouse.gesture);
}

Vec3 Stage::tugPlace() const {
    const scene::ActorEntry* a = m_document.scene().actor(m_tug.actor());
    return a ? scene::placementOf(*a).toWorld(m_tug.place()) : m_tug.place();
}

void Stage::pullTo(const Vec3& to) {
    if (const scene::ActorEntry* a = m_document.scene().actor(m_tug.actor())) m_tug.pull(scene::placementOf(*a).toOwn(to));
}

}  // namespace nutatio::app
