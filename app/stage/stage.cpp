#include "app/stage/stage.h"

#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>
#include <algorithm>

#include "app/look/theme.h"
#include "layers/joint_worlds.h"
#include "layers/registry.h"

namespace nutatio::app {

Stage::Stage(Document& document, Session& session, QWidget* parent)
    : QOpenGLWidget(parent), m_document(document), m_session(session) {
    setAccessibleName(tr("Stage"));
    setFocusPolicy(Qt::ClickFocus);
    setMinimumSize(240, 180);
    const auto refresh = [this] { update(); };
    connect(&document, &Document::sceneChanged, this, refresh);
    connect(&document, &Document::resultsChanged, this, refresh);
    connect(&session, &Session::frameChanged, this, refresh);
    connect(&session, &Session::selectionChanged, this, refresh);
    connect(&session, &Session::viewChanged, this, refresh);
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
    std::vector<const rig::Actor*> actors;
    std::vector<Xform> locals;
    for (const scene::ActorEntry& a : scene.actors) {
        actors.push_back(a.actor.get());
        Shown s{a.id, {}, {}};
        s.posed.actor = s.body.actor = a.actor.get();
        const pipeline::ActorResult* r = results ? results->evaluation.actor(a.id) : nullptr;
        const bool usable = r && r->result->joints() == a.actor->skeleton.size();
        const auto worldsOf = [&](const pipeline::TrackPtr& track, std::vector<Affine>& worlds) {
            if (track)
                track->pose(std::min(m_session.frame(), track->frames() - 1), locals);
            else
                locals = a.actor->restPose();
            rig::worldTransforms(a.actor->skeleton, locals, worlds);
        };
        const pipeline::TrackPtr none;
        worldsOf(usable ? (m_session.bodyHeld() ? r->body : r->result) : none, s.posed.worlds);
        if (usable && r->body != r->result) worldsOf(r->body, s.body.worlds);
        if (const int clip = a.clipIndex(); clip >= 0)
            for (const rig::MeshInstance& in : a.actor->instances) {
                auto w = rig::morphWeights(*a.actor, clip, in.joint, scene.grid(a).time(m_session.frame()));
                if (!w.empty()) s.posed.morphs[in.joint] = s.body.morphs[in.joint] = std::move(w);
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
    const auto boxOf = [](const scene::ActorEntry& a) {
        std::vector<Xform> pose = a.actor->restPose();
        if (const int c = a.clipIndex(); c >= 0)
            a.actor->clips[static_cast<std::size_t>(c)].pose(a.actor->clips[static_cast<std::size_t>(c)].start, pose);
        return a.actor->bounds(pose);
    };
    const std::vector<scene::ActorEntry>& actors = m_document.scene().actors;
    m_box = boxOf(actors.front());
    const double tall = actors.front().actor->height;
    m_size = std::max(tall, 0.6 * m_box.diagonal().norm());
    m_shadowFloor = std::abs(m_box.min().y()) < 0.1 * tall ? 0 : m_box.min().y();
    m_floor = m_shadowFloor;
    for (std::size_t i = 1; i < actors.size(); ++i)
        if (const double low = boxOf(actors[i]).min().y(); low < m_shadowFloor - 0.06 * tall) m_floor = std::min(m_floor, low);
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
    markTrail(marks);
    markJoints(marks);
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
    if (m_session.bodyHeld()) label(QPointF(4, 32), tr("Body without layers"), look::theme().plum);
    if (m_document.scene().actors.empty()) {
        p.setFont(look::textFont(12));
        p.setPen(look::theme().inkSoft);
        p.drawText(rect(), Qt::AlignCenter, tr("Drop a character here: .glb, .gltf or .bvh\nor open one with Ctrl+O"));
    }
}

std::vector<int> Stage::marked(const std::string& actor) const {
    const Selection& sel = m_session.selection();
    if (sel.actor != actor) return {};
    const scene::ActorEntry* entry = m_document.scene().actor(actor);
    if (!entry) return {};
    if (const scene::Layer* l = m_document.scene().layer(sel.layer)) {
        const layers::LayerKind* kind = layers::findKind(l->kind);
        if (!kind || kind->problem(*entry->actor, *l)) return {};
        std::vector<int> out;
        const std::vector<Xform> rest = entry->actor->restPose();
        for (const auto& part : kind->parts({*entry->actor, *l, {}}, layers::PoseView(rest)))
            out.insert(out.end(), part->joints().begin(), part->joints().end());
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
        const double wide = std::clamp(unit * std::min(0.028 * a.height, 0.25 * (to - from).norm()), 2.0, 60.0);
        addLine(marks, from, to, wide + 2.5, look::theme().ink);
        addLine(marks, from, to, wide, QColor(0xC9, 0xB8, 0x9A));
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
    const std::vector<Vec3f>& path = at->second.path;
    constexpr int kLong = 14;
    for (int k = std::max(1, m_session.frame() - kLong); k <= m_session.frame() && k < static_cast<int>(path.size()); ++k) {
        const double age = static_cast<double>(m_session.frame() - k) / kLong;
        const Vec3 a = path[static_cast<std::size_t>(k) - 1].cast<double>(), b = path[static_cast<std::size_t>(k)].cast<double>();
        addLine(marks, a, b, 2.2, look::faded(look::theme().persimmon, 0.75 * (1 - age)));
        addLine(marks, b, b, 4.2, look::faded(look::theme().persimmon, 0.85 * (1 - age)));
    }
}

void Stage::markColliders(std::vector<Mark>& marks) const {
    const look::Theme& t = look::theme();
    for (const scene::Collider& c : m_document.scene().colliders) {
        const Shown* s = shown(c.actor);
        const int joint = s ? s->posed.actor->skeleton.find(c.joint) : rig::kNoJoint;
        if (joint == rig::kNoJoint) continue;
        const bool chosen = m_session.selection().collider == c.id;
        if (!chosen && !m_jointsShown) continue;
        const QColor colour = look::faded(chosen ? t.lagoon : t.inkSoft, c.on ? (chosen ? 1.0 : 0.6) : 0.25);
        const double width = chosen ? 2.0 : 1.1;
        const layers::ColliderPlace at = layers::placeCollider(c, s->posed.worlds[static_cast<std::size_t>(joint)]);
        const Vec3 x = at.turn * Vec3::UnitX(), y = at.turn * Vec3::UnitY(), z = at.turn * Vec3::UnitZ();
        const auto ring = [&](const Vec3& centre, const Vec3& u, const Vec3& v, double from, double to) {
            std::vector<Vec3> points;
            for (int k = 0; k <= 28; ++k) {
                const double a = from + (to - from) * k / 28;
                points.push_back(centre + c.radius * (std::cos(a) * u + std::sin(a) * v));
            }
            addPolyline(marks, points, width, colour);
        };
        if (c.shape == scene::Shape::Plane) {
            const double r = 0.35 * m_size;
            addPolyline(marks,
                        {at.centre + r * (x + z), at.centre + r * (x - z), at.centre - r * (x + z), at.centre - r * (x - z),
                         at.centre + r * (x + z)},
                        width, colour);
            addLine(marks, at.centre, at.centre + 0.4 * r * y, width, colour);
            continue;
        }
        const Vec3 half = c.shape == scene::Shape::Capsule ? Vec3(0.5 * c.length * y) : Vec3(Vec3::Zero());
        ring(at.centre + half, x, z, 0, 2 * kPi);
        if (c.shape == scene::Shape::Capsule) ring(at.centre - half, x, z, 0, 2 * kPi);
        for (const Vec3& side : {x, z}) {
            ring(at.centre + half, side, y, 0, kPi);
            ring(at.centre - half, side, y, kPi, 2 * kPi);
            for (double sign : {-1.0, 1.0})
                addLine(marks, at.centre + half + sign * c.radius * side, at.centre - half + sign * c.radius * side, width,
                        colour);
        }
    }
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
        for (const rig::MeshInstance& in : s.posed.actor->instances)
            for (const rig::Primitive& p : s.posed.actor->meshes[static_cast<std::size_t>(in.mesh)].primitives) {
                rig::poseVertices(*s.posed.actor, in, p, s.posed.worlds, {}, posed);
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
    return best;
}

void Stage::mousePressEvent(QMouseEvent* e) {
    m_pressed = m_last = e->position();
    m_moved = false;
}

void Stage::mouseMoveEvent(QMouseEvent* e) {
    const QPointF by = e->position() - m_last;
    m_last = e->position();
    if ((e->position() - m_pressed).manhattanLength() > 3) m_moved = true;
    if (e->buttons() & Qt::RightButton) m_camera.orbit(by.x(), by.y());
    if (e->buttons() & Qt::MiddleButton) m_camera.pan(by.x(), by.y(), height());
    if (e->buttons()) update();
}

void Stage::mouseReleaseEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton || m_moved) return;
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
