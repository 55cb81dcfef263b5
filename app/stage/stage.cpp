#include "app/stage/stage.h"

#include <QMouseEvent>
#include <QPainter>
#include <QUuid>
#include <QWheelEvent>
#include <algorithm>

#include "app/look/theme.h"
#include "edit/edit.h"
#include "layers/joint_worlds.h"
#include "layers/registry.h"
#include "scene/items.h"

namespace nutatio::app {

Stage::Stage(Document& document, Session& session, QWidget* parent)
    : QOpenGLWidget(parent), m_document(document), m_session(session), m_tug(document, session) {
    setAccessibleName(tr("Stage"));
    setFocusPolicy(Qt::ClickFocus);
    setMinimumSize(240, 180);
    const auto refresh = [this] { update(); };
    const auto remark = [this] {
        m_marked.reset();
        update();
    };
    connect(&document, &Document::sceneChanged, this, remark);
    connect(&document, &Document::resultsChanged, this, refresh);
    connect(&session, &Session::frameChanged, this, refresh);
    connect(&session, &Session::selectionChanged, this, remark);
    connect(&session, &Session::viewChanged, this, refresh);
    connect(&m_tug, &Tug::moved, this, refresh);
}

Stage::~Stage() {
    makeCurrent();
    m_renderer.reset();
    doneCurrent();
}

void Stage::initializeGL() {
    // Taking the stage out of its window and back makes a new context: everything is loaded anew.
    m_renderer = std::make_unique<Renderer>();
    m_renderer->initialise();
}

void Stage::setCamera(const Camera& c) {
    m_camera = c;
    update();
}

void Stage::setJointsShown(bool on) {
    m_jointsShown = on;
    update();
}

void Stage::pose() {
    m_shown.clear();
    const scene::Scene& scene = m_document.scene();
    const ResultsPtr& results = m_document.results();
    std::vector<std::string> actors;
    std::vector<Xform> locals;
    for (const scene::ActorEntry& a : scene.actors) {
        actors.push_back(a.id + '\n' + a.actor->source.path);
        Shown s{a.id, {}, {}};
        s.posed.id = s.body.id = a.id;
        s.posed.actor = s.body.actor = a.actor.get();
        const pipeline::ActorResult* r = results ? results->evaluation.actor(a.id) : nullptr;
        const bool usable = r && r->result->joints() == a.actor->skeleton.size();
        // The stage is in metres, with every actor where it stands.
        const scene::Placement stands = scene::placementOf(a);
        const Affine lift{stands.metres * stands.turn.toRotationMatrix(), stands.place};
        const bool lifted = !stands.stands({});
        const auto worldsFrom = [&](const std::vector<Xform>& pose, std::vector<Affine>& worlds) {
            rig::worldTransforms(a.actor->skeleton, pose, worlds);
            if (lifted)
                for (Affine& w : worlds) w = lift * w;
        };
        const auto worldsOf = [&](const pipeline::TrackPtr& track, Posed& posed) {
            posed.track = track;
            posed.frame = m_session.frame();
            if (track)
                track->pose(std::min(m_session.frame(), track->frames() - 1), locals);
            else
                locals = a.actor->restPose();
            worldsFrom(locals, posed.worlds);
        };
        const pipeline::TrackPtr none;
        worldsOf(usable ? (m_session.bodyHeld() ? r->body : r->result) : none, s.posed);
        if (usable && r->body != r->result) worldsOf(r->body, s.body);
        if (m_tug.isLive() && m_tug.actor() == a.id &&
            m_tug.body().size() == static_cast<std::size_t>(a.actor->skeleton.size())) {
            worldsFrom(m_session.bodyHeld() ? m_tug.body() : m_tug.result(), s.posed.worlds);
            worldsFrom(m_tug.body(), s.body.worlds);
        }
        m_shown.push_back(std::move(s));
    }
    if (actors != m_framed && !actors.empty()) {
        const bool first = m_framed.empty() || actors.front() != m_framed.front();
        m_framed = actors;
        layOut();
        if (first) {
            m_camera.heading = radians(34);
            m_camera.height = radians(11);
            m_camera.frame(m_box.min(), m_box.max());
        }
    }
}

void Stage::layOut() {
    // The first actor sets the scale, as it stands when its clip begins; the lowest thing about carries the ground.
    const scene::Scene& scene = m_document.scene();
    const auto boxOf = [&](const scene::ActorEntry& a) {
        const Eigen::AlignedBox3d own = a.actor->bounds(scene::stand(scene, scene.shot(), a));
        const scene::Placement stands = scene::placementOf(a);
        if (stands.stands({})) return own;
        Eigen::AlignedBox3d out;
        for (int k = 0; k < 8; ++k) out.extend(stands.toWorld(own.corner(static_cast<Eigen::AlignedBox3d::CornerType>(k))));
        return out;
    };
    const auto& actors = scene.actors;
    m_box = boxOf(actors.front());
    const double tall = actors.front().actor->height * actors.front().actor->metresPerUnit;
    m_size = std::max(tall, 0.6 * m_box.diagonal().norm());
    m_shadowFloor = std::abs(m_box.min().y()) < 0.1 * tall ? 0 : m_box.min().y();
    m_floor = m_shadowFloor;
    for (std::size_t i = 1; i < actors.size(); ++i)
        if (const double low = boxOf(actors[i]).min().y(); low < m_shadowFloor - 0.06 * tall) m_floor = std::min(m_floor, low);
}

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
    const double unit = unitOf(c.actor);
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
    return to.t + rotationOf(to.m) * (unitOf(p.toActor) * r.vector("offset", m_session.frame()));
}

const Stage::Shown* Stage::shown(const std::string& actor) const {
    const auto at = std::find_if(m_shown.begin(), m_shown.end(), [&](const Shown& s) { return s.id == actor; });
    return at == m_shown.end() ? nullptr : &*at;
}

void Stage::frameSelection() {
    Eigen::AlignedBox3d box;
    const Selection& sel = m_session.selection();
    if (const Shown* s = shown(sel.actor))
        for (int j : marked(sel.actor)) box.extend(s->posed.worlds[static_cast<std::size_t>(j)].t);
    if (box.isEmpty() && !m_framed.empty()) {
        m_camera.frame(m_box.min(), m_box.max());
    } else if (!box.isEmpty()) {
        const Vec3 least = Vec3::Constant(0.16 * m_size);
        m_camera.frame(box.min() - least, box.max() + least);
    }
    update();
}

void Stage::paintGL() {
    pose();
    const double ratio = devicePixelRatioF();
    Renderer::Frame f;
    f.camera = &m_camera;
    f.size = QSize(static_cast<int>(width() * ratio), static_cast<int>(height() * ratio));
    f.floor = m_floor;
    f.shadowFloor = m_shadowFloor;
    f.sceneSize = m_size;
    f.target = defaultFramebufferObject();
    for (const Shown& s : m_shown) {
        f.actors.push_back(&s.posed);
        if (m_session.ghost() && !m_session.bodyHeld() && !s.body.worlds.empty()) f.ghosts.push_back(&s.body);
    }
    m_renderer->draw(f);
    std::vector<Mark> marks;
    markColliders(marks);
    markWinds(marks);
    markPins(marks);
    if (!m_tug.isLive()) markTrail(marks);
    markJoints(marks);
    markHandles(marks);
    m_renderer->drawMarks(marks, f.size, ratio);

    const Selection& sel = m_session.selection();
    const Shown* s = shown(sel.actor);
    QPainter p(this);
    p.setRenderHint(QPainter::TextAntialiasing);
    const auto label = [&](const QPointF& at, const QString& text, const QColor& c) {
        p.setFont(look::textFont(9, QFont::Bold));
        const QRectF box = QFontMetricsF(p.font()).boundingRect(text).adjusted(-5, -3, 5, 3).translated(at + QPointF(12, -10));
        p.fillRect(box, look::faded(look::theme().sheet, 0.9));
        p.setPen(c);
        p.drawText(box, Qt::AlignCenter, text);
    };
    if (s && !sel.joints.empty())
        if (const auto at = jointPixel(sel.actor, sel.joints.front()))
            label(*at, QString::fromStdString(s->posed.actor->skeleton.label(sel.joints.front())), look::theme().lagoon);
    if (m_tugOn && !m_document.scene().actors.empty()) {
        const QString text = m_tug.isRecording() ? tr("Tug: recording") : tr("Tug: drag a joint; Ctrl drags the whole actor");
        label(QPointF(4, height() - 22.0), text, m_tug.isRecording() ? look::theme().brick : look::theme().lagoon);
    }
    if (m_session.bodyHeld()) label(QPointF(4, 32), tr("Body without layers"), look::theme().plum);
    if (m_document.scene().actors.empty()) {
        p.setFont(look::textFont(12));
        p.setPen(look::theme().inkSoft);
        p.drawText(rect(), Qt::AlignCenter, tr("Drop a character here: .glb, .gltf or .bvh\nor open one with Ctrl+O"));
    }
}

std::vector<int> Stage::marked(const std::string& actor) const {
    if (m_session.selection().actor != actor) return {};
    // Laying out a layer's parts is too much for every drawing of a large actor.
    if (!m_marked) m_marked = findMarked();
    return *m_marked;
}

std::vector<int> Stage::findMarked() const {
    const Selection& sel = m_session.selection();
    const scene::ActorEntry* entry = m_document.scene().actor(sel.actor);
    if (!entry) return {};
    if (const scene::Layer* l = m_document.scene().layer(sel.layer)) {
        const layers::LayerKind* kind = layers::findKind(l->kind);
        if (!kind || kind->problem(*entry->actor, *l)) return {};
        std::vector<int> out;
        for (const layers::Moved& m : kind->moves(*entry->actor, *l)) out.push_back(m.joint);
        return out;
    }
    if (const scene::Collider* c = m_document.scene().collider(sel.collider)) {
        const int j = entry->actor->skeleton.find(c->joint);
        return j == rig::kNoJoint ? std::vector<int>{} : std::vector<int>{j};
    }
    return sel.joints;
}

void Stage::addLine(std::vector<Mark>& marks, const Vec3& a, const Vec3& b, double width, const QColor& c) const {
    const auto pa = m_camera.pixel(a, size()), pb = m_camera.pixel(b, size());
    if (pa && pb) marks.push_back({*pa, *pb, width, c});
}

void Stage::addPolyline(std::vector<Mark>& marks, const std::vector<Vec3>& points, double width, const QColor& c) const {
    for (std::size_t i = 0; i + 1 < points.size(); ++i) addLine(marks, points[i], points[i + 1], width, c);
}

void Stage::markBones(const Shown& s, std::vector<Mark>& marks) const {
    // A stick figure is all there is to see of an actor without meshes.
    const rig::Actor& a = *s.posed.actor;
    for (int j = 0; j < a.skeleton.size(); ++j) {
        const int p = a.skeleton.joint(j).parent;
        if (p == rig::kNoJoint) continue;
        const Vec3 &from = s.posed.worlds[static_cast<std::size_t>(p)].t, &to = s.posed.worlds[static_cast<std::size_t>(j)].t;
        const double unit = height() / (2 * m_camera.distance * std::tan(0.5 * m_camera.fieldOfView));
        const double wide = std::clamp(unit * std::min(0.028 * a.height * a.metresPerUnit, 0.25 * (to - from).norm()), 2.0, 60.0);
        addLine(marks, from, to, wide + 2.5, look::theme().ink);
        addLine(marks, from, to, wide, look::theme().bone);
    }
}

void Stage::markJoints(std::vector<Mark>& marks) const {
    const look::Theme& t = look::theme();
    const QColor halo = look::faded(t.sheet, 0.85);
    for (const Shown& s : m_shown) {
        const rig::Actor& a = *s.posed.actor;
        if (a.instances.empty()) markBones(s, marks);
        const std::vector<int> chosen = marked(s.id);
        std::vector<bool> on(static_cast<std::size_t>(a.skeleton.size()), false);
        for (int j : chosen) on[static_cast<std::size_t>(j)] = true;
        const bool layer = !m_session.selection().layer.empty();
        const QColor strong = layer ? t.persimmon : t.lagoon;
        if (m_jointsShown)
            for (int j = 0; j < a.skeleton.size(); ++j) {
                if (on[static_cast<std::size_t>(j)] || !(a.isSkinJoint[static_cast<std::size_t>(j)] || a.skins.empty())) continue;
                const Vec3& here = s.posed.worlds[static_cast<std::size_t>(j)].t;
                const int p = a.skeleton.joint(j).parent;
                if (p != rig::kNoJoint && !a.instances.empty())
                    addLine(marks, s.posed.worlds[static_cast<std::size_t>(p)].t, here, 1.0, look::faded(t.ink, 0.28));
                addLine(marks, here, here, 4.5, look::faded(t.ink, 0.55));
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

std::optional<Affine> Stage::carrier(const std::string& actor, const std::string& joint) const {
    if (actor.empty()) return Affine{};
    const Shown* s = shown(actor);
    const int j = s ? s->posed.actor->skeleton.find(joint) : rig::kNoJoint;
    if (j == rig::kNoJoint) return std::nullopt;
    return s->posed.worlds[static_cast<std::size_t>(j)];
}

void Stage::markColliders(std::vector<Mark>& marks) const {
    const look::Theme& t = look::theme();
    for (const scene::Collider& c : m_document.scene().colliders) {
        const auto world = carrier(c.actor, c.joint);
        const bool chosen = m_session.selection().collider == c.id;
        if (!world || (!chosen && !m_jointsShown)) continue;
        const QColor colour = look::faded(chosen ? t.lagoon : t.inkSoft, c.on ? (chosen ? 1.0 : 0.6) : 0.25);
        const double width = chosen ? 2.0 : 1.1;
        const scene::ColliderNumbers n = numbersHere(c);
        const layers::ColliderPlace at = layers::placeCollider(n, *world);
        const Vec3 x = at.turn * Vec3::UnitX(), y = at.turn * Vec3::UnitY(), z = at.turn * Vec3::UnitZ();
        const auto ring = [&](const Vec3& centre, const Vec3& u, const Vec3& v, double r, double from, double to) {
            std::vector<Vec3> points;
            for (int k = 0; k <= 28; ++k) {
                const double a = from + (to - from) * k / 28;
                points.push_back(centre + r * (std::cos(a) * u + std::sin(a) * v));
            }
            addPolyline(marks, points, width, colour);
        };
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
        ring(at.centre + half, x, z, rb, 0, 2 * kPi);
        if (capsule) ring(at.centre - half, x, z, ra, 0, 2 * kPi);
        for (const Vec3& side : {x, z}) {
            ring(at.centre + half, side, y, rb, 0, kPi);
            ring(at.centre - half, side, y, ra, kPi, 2 * kPi);
            for (double sign : {-1.0, 1.0})
                addLine(marks, at.centre + half + sign * rb * side, at.centre - half + sign * ra * side, width, colour);
        }
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
        const auto held = carrier(p.actor, p.joint), to = carrier(p.toActor, p.toJoint);
        const bool chosen = m_session.selection().pin == p.id;
        if (!held || !to || (!chosen && !m_jointsShown)) continue;
        const QColor c = look::faded(chosen ? t.lagoon : t.plum, p.on ? 1.0 : 0.3);
        const Vec3 at = pinPlace(p, *to);
        addLine(marks, held->t, at, 1.2, c);
        const double r = 0.02 * m_size;
        for (const Vec3& d : {Vec3(r, 0, 0), Vec3(0, r, 0), Vec3(0, 0, r)}) addLine(marks, at - d, at + d, 2, c);
    }
}

std::vector<Stage::Handle> Stage::handles() const {
    std::vector<Handle> out;
    const scene::Scene& s = m_document.scene();
    const Selection& sel = m_session.selection();
    if (const scene::Wind* w = s.wind(sel.wind)) {
        const WindHere here = windHere(*w);
        const Vec3 at = windRoot(here);
        out = {{Handle::Move, at}, {Handle::Tip, at + windLength(here.speed) * here.direction}};
    } else if (const scene::Pin* p = s.pin(sel.pin)) {
        if (const auto to = carrier(p->toActor, p->toJoint)) out = {{Handle::Move, pinPlace(*p, *to)}};
    } else if (const scene::Collider* c = s.collider(sel.collider)) {
        const auto world = carrier(c->actor, c->joint);
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
    }
    return out;
}

std::optional<QPointF> Stage::handlePixel(Handle::Part part) const {
    for (const Handle& h : handles())
        if (h.part == part) return m_camera.pixel(h.world, size());
    return std::nullopt;
}

void Stage::markHandles(std::vector<Mark>& marks) const {
    const look::Theme& t = look::theme();
    for (const Handle& h : handles()) {
        const bool held = m_grabbed && m_grabbed->part == h.part;
        addLine(marks, h.world, h.world, h.part == Handle::Move ? 14 : 12, t.lagoon);
        addLine(marks, h.world, h.world, h.part == Handle::Move ? 10 : 8, held ? t.persimmon : t.sheet);
    }
}

Vec3 Stage::unproject(const QPointF& at, const Vec3& like) const {
    const Vec3 eye = m_camera.eye(), way = m_camera.ray(at, size()), ahead = (m_camera.target - eye).normalized();
    return eye + way * ((like - eye).dot(ahead) / std::max(1e-9, way.dot(ahead)));
}

void Stage::dragCollider(scene::Scene& scene, const scene::Collider& c, const Vec3& to) const {
    const auto world = carrier(c.actor, c.joint);
    if (!world) return;
    const scene::Owner owner{scene::List::Colliders, c.id};
    const double unit = unitOf(c.actor);
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
    switch (m_grabbed->part) {
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
            const int k = m_grabbed->part - Handle::SizeX;
            put(std::string("size_") + "xyz"[k], std::max(least, 2 * (to - at.centre).dot(at.turn * Vec3::Unit(k))) / unit);
            break;
        }
        case Handle::Tip:
            if ((to - at.centre).norm() > 1e-9)
                putVector("turn", rotationVector(arc(Vec3::UnitY(), back * (to - at.centre).normalized())) * degrees(1));
            break;
    }
}

void Stage::dragHandle(const Vec3& to) {
    const Selection sel = m_session.selection();
    const scene::Scene& now = m_document.scene();
    const auto put = [&](scene::Scene& s, const scene::Owner& owner, const char* stem, const Vec3& v) {
        for (int k = 0; k < 3; ++k) edit::set(s, owner, std::string(stem) + "_" + "xyz"[k], v[k], m_session.frame());
    };
    m_document.edit(
        tr("Drag on the stage"),
        [&](scene::Scene& s) {
            if (const scene::Wind* w = now.wind(sel.wind)) {
                const scene::Owner owner{scene::List::Winds, w->id};
                if (m_grabbed->part == Handle::Move) {
                    put(s, owner, "place", to);
                } else if (const Vec3 way = to - windRoot(windHere(*w)); way.norm() > 1e-9) {
                    scene::Wind turned = *w;
                    scene::setWindDirection(turned, way);
                    for (const char* id : {"heading", "rise"}) edit::set(s, owner, id, turned.number(id), m_session.frame());
                }
            } else if (const scene::Pin* p = now.pin(sel.pin)) {
                if (const auto world = carrier(p->toActor, p->toJoint))
                    put(s, {scene::List::Pins, p->id}, "offset",
                        rotationOf(world->m).conjugate() * (to - world->t) / unitOf(p->toActor));
            } else if (const scene::Collider* c = now.collider(sel.collider)) {
                dragCollider(s, *c, to);
            }
        },
        m_gesture);
}

void Stage::setTugOn(bool on) {
    m_tugOn = on;
    if (!on && m_tug.isLive()) m_tug.stop();
    setCursor(on ? Qt::OpenHandCursor : Qt::ArrowCursor);
    update();
}

std::optional<QPointF> Stage::jointPixel(const std::string& actor, int joint) const {
    const Shown* s = shown(actor);
    if (!s || joint < 0 || joint >= static_cast<int>(s->posed.worlds.size())) return std::nullopt;
    return m_camera.pixel(s->posed.worlds[static_cast<std::size_t>(joint)].t, size());
}

std::optional<Stage::Hit> Stage::pick(const QPointF& at) const {
    constexpr double kNear = 9;
    std::optional<Hit> best;
    double nearest = kNear;
    if (m_jointsShown)
        for (const Shown& s : m_shown) {
            const rig::Actor& a = *s.posed.actor;
            for (int j = 0; j < a.skeleton.size(); ++j) {
                if (!(a.isSkinJoint[static_cast<std::size_t>(j)] || a.skins.empty())) continue;
                const auto p = jointPixel(s.id, j);
                const double d = p ? std::hypot(p->x() - at.x(), p->y() - at.y()) : 1e9;
                if (d < nearest) {
                    nearest = d;
                    best = Hit{s.id, j};
                }
            }
        }
    return best ? best : pickMesh(at);
}

std::optional<Stage::Hit> Stage::pickMesh(const QPointF& at) const {
    const Eigen::Vector3f eye = m_camera.eye().cast<float>(), way = m_camera.ray(at, size()).cast<float>();
    float nearest = 1e30f;
    std::optional<Hit> best;
    rig::PosedVertices posed;
    for (const Shown& s : m_shown)
        for (std::size_t i = 0; i < s.posed.actor->instances.size(); ++i) {
            const rig::MeshInstance& in = s.posed.actor->instances[i];
            const auto& primitives = s.posed.actor->meshes[static_cast<std::size_t>(in.mesh)].primitives;
            for (std::size_t n = 0; n < primitives.size(); ++n) {
                const rig::Primitive& p = primitives[n];
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
                    int joint = in.joint;
                    if (in.skin >= 0 && !p.influences.empty())
                        joint =
                            s.posed.actor->skins[static_cast<std::size_t>(in.skin)].joints[p.influences[p.triangles[k]].joint[0]];
                    best = Hit{s.id, joint};
                }
            }
        }
    return best;
}

Vec3 Stage::tugPlace() const {
    const scene::ActorEntry* a = m_document.scene().actor(m_tug.actor());
    return a ? scene::placementOf(*a).toWorld(m_tug.place()) : m_tug.place();
}

void Stage::pullTo(const Vec3& to) {
    if (const scene::ActorEntry* a = m_document.scene().actor(m_tug.actor())) m_tug.pull(scene::placementOf(*a).toOwn(to));
}

void Stage::mousePressEvent(QMouseEvent* e) {
    m_pressed = m_last = e->position();
    m_moved = false;
    if (e->button() != Qt::LeftButton) return;
    for (const Handle& h : handles())
        if (const auto at = m_camera.pixel(h.world, size());
            at && std::hypot(at->x() - e->position().x(), at->y() - e->position().y()) < 10) {
            // The nearest to the front comes last in the list; radii lie over the middle.
            m_grabbed = h;
            m_grabOffset = h.world - unproject(e->position(), h.world);
            m_gesture = QUuid::createUuid().toString();
        }
    if (m_grabbed || !m_tugOn) return;
    if (const auto hit = pick(e->position())) {
        m_tug.grab(hit->actor, hit->joint, e->modifiers() & Qt::ControlModifier);
        if (!m_tug.isHolding()) return;
        m_grabOffset = tugPlace() - unproject(e->position(), tugPlace());
        setCursor(Qt::ClosedHandCursor);
    }
}

void Stage::mouseMoveEvent(QMouseEvent* e) {
    const QPointF by = e->position() - m_last;
    m_last = e->position();
    if ((e->position() - m_pressed).manhattanLength() > 3) m_moved = true;
    if (m_grabbed && (e->buttons() & Qt::LeftButton) && m_moved)
        dragHandle(unproject(e->position(), m_grabbed->world) + m_grabOffset);
    if (m_tug.isHolding() && (e->buttons() & Qt::LeftButton)) pullTo(unproject(e->position(), tugPlace()) + m_grabOffset);
    if (e->buttons() & Qt::RightButton) m_camera.orbit(by.x(), by.y());
    if (e->buttons() & Qt::MiddleButton) m_camera.pan(by.x(), by.y(), height());
    if (e->buttons()) update();
}

void Stage::mouseReleaseEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    if (m_grabbed) {
        m_grabbed.reset();
        update();
        return;
    }
    if (m_tugOn) {
        m_tug.letGo();
        setCursor(Qt::OpenHandCursor);
        return;
    }
    if (m_moved) return;
    if (const auto hit = pick(e->position()))
        m_session.selectJoint(hit->actor, hit->joint, e->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier));
    else if (!(e->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier)))
        m_session.select({});
}

void Stage::wheelEvent(QWheelEvent* e) {
    m_camera.zoom(e->angleDelta().y() / 120.0);
    update();
}

}  // namespace nutatio::app
