#include "app/stage/stage.h"

#include <QMouseEvent>
#include <QPainter>
#include <QUuid>
#include <QWheelEvent>
#include <algorithm>

#include "app/look/theme.h"
#include "app/stage/paint_state.h"
#include "app/stage/posing.h"
#include "edit/edit.h"
#include "layers/joint_worlds.h"
#include "layers/registry.h"
#include "rig/parts.h"
#include "rig/surface.h"
#include "scene/items.h"

namespace nutatio::app {

namespace {

constexpr double kEdge = 3;  // pixels about what changed

bool moves(const rig::Track& track) {
    for (int j = 0; j < track.joints(); ++j)
        if (!track.holdsStill(j)) return true;
    return false;
}

}  // namespace

Stage::Stage(Document& document, Session& session, QWidget* parent)
    : Canvas(parent),
      m_document(document),
      m_session(session),
      m_tug(document, session),
      m_aside(document),
      m_ways(document, session),
      m_poseHand(document, session),
      m_gridHand(document, session) {
    setAccessibleName(tr("Stage"));
    setFocusPolicy(Qt::ClickFocus);
    setMinimumSize(240, 180);
    setMouseTracking(true);
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
    connect(&session, &Session::viewChanged, this, &Stage::wantOther);
    connect(&session, &Session::takeChanged, this, &Stage::wantOther);
    connect(&m_aside, &Aside::ready, this, refresh);
    connect(&m_aside, &Aside::failed, this, &Stage::said);
    connect(&m_ways, &Ways::changed, this, refresh);
    connect(&session, &Session::spotChanged, this, &Stage::showSpot);
    connect(&session, &Session::paintingChanged, this, &Stage::setPainting);
    connect(&session, &Session::selectionChanged, this, &Stage::preparePaint);
    connect(&document, &Document::sceneChanged, this, &Stage::preparePaint);
    connect(&m_swing.timer, &QTimer::timeout, this, &Stage::swingOn);
    connect(&m_tug, &Tug::moved, this, refresh);
}

Stage::~Stage() {
    withContext([this] { m_renderer.reset(); });
}

void Stage::prepare() {
    // Taking the stage out of its window and back makes a new context: everything is loaded anew.
    m_renderer = std::make_unique<Renderer>();
    m_renderer->initialise();
}

void Stage::resized() {
    m_whole = true;
}

void Stage::update() {
    m_whole = true;
    redraw();
}

void Stage::updateOnly(const QRectF& rect) {
    m_changed = m_changed ? m_changed->united(rect) : rect;
    redraw(rect.adjusted(-kEdge, -kEdge, kEdge, kEdge));
}

void Stage::setCamera(const Camera& c) {
    m_camera = c;
    update();
}

void Stage::setJointsShown(bool on) {
    m_jointsShown = on;
    update();
}

void Stage::lookBeside(const Stage& other, double turn) {
    m_framed = other.m_framed;
    m_box = other.m_box;
    m_size = other.m_size;
    m_floor = other.m_floor;
    m_shadowFloor = other.m_shadowFloor;
    Camera c = other.m_camera;
    c.heading += turn;
    setCamera(c);
}

void Stage::setLinesOnly(bool on) {
    m_linesOnly = on;
    update();
}

void Stage::setAlone(bool on) {
    m_alone = on;
    update();
}

void Stage::wantOther() {
    std::vector<Aside::Wanted> wanted;
    if (const scene::Take* take = m_session.other(); take && m_session.ghost()) wanted.push_back({take->id, take->scene});
    m_aside.want(std::move(wanted));
}

void Stage::pose() {
    m_shown.clear();
    const scene::Scene& scene = m_document.scene();
    const ResultsPtr& results = m_document.results();
    std::vector<std::string> actors;
    std::vector<Xform> locals;
    for (const scene::ActorEntry& a : scene.actors) {
        if (!a.isPiece()) actors.push_back(a.id + '\n' + a.actor->source.path);
        const std::string& chosen = m_session.selection().actor;
        if (a.hidden || (m_alone && !chosen.empty() && chosen != a.id)) continue;
        Shown s;
        s.id = a.id;
        s.piece = a.isPiece();
        s.actor = a.actor;
        s.posed.id = s.body.id = a.id;
        s.posed.actor = s.body.actor = a.actor.get();
        const pipeline::ActorResult* r = results ? results->evaluation.actor(a.id) : nullptr;
        const bool usable = r && r->result->joints() == a.actor->skeleton.size();
        // The stage is in metres, with every actor where it stands.
        const auto worldsFrom = [&](const std::vector<Xform>& pose, std::vector<Affine>& worlds) {
            worldsInScene(a, pose, worlds);
        };
        const auto worldsOf = [&](const pipeline::TrackPtr& track, Posed& posed) {
            posed.track = track;
            posed.frame = m_session.frame();
            if (track)
                track->pose(std::min(m_session.frame(), track->frames() - 1), locals);
            else
                locals = a.actor->restPose();
            swingSpot(a.id, locals);
            worldsFrom(locals, posed.worlds);
        };
        const pipeline::TrackPtr none;
        worldsOf(usable ? (m_session.bodyHeld() ? r->body : r->result) : none, s.posed);
        if (usable && r->body != r->result) worldsOf(r->body, s.body);
        if (m_tug.isLive() && m_tug.actor() == a.id &&
            m_tug.body().size() == static_cast<std::size_t>(a.actor->skeleton.size())) {
            worldsFrom(m_session.bodyHeld() ? m_tug.body() : m_tug.result(), s.posed.worlds);
            if (!m_session.bodyHeld()) s.posed.live = m_tug.surface();
            worldsFrom(m_tug.body(), s.body.worlds);
        }
        if ((m_session.spot() && m_session.spot()->actor == a.id) || (m_helper.proposed && m_helper.proposed->actor == a.id) ||
            (m_chain.proposed && m_chain.proposed->actor == a.id) || (m_paint && m_paint->id == a.id))
            s.posed.tint = m_tint;
        if (const scene::Take* take = m_session.other(); take && m_session.ghost()) {
            const Aside::Got* got = m_aside.of(take->id);
            const scene::ActorEntry* was = got ? got->scene->actor(a.id) : nullptr;
            if (const pipeline::ActorResult* other = was ? got->evaluation->actor(a.id) : nullptr) {
                s.other = posedAt(*was, other->result, m_session.frame());
                s.other->id = "other|" + a.id;
            }
        }
        if (const int every = m_session.trails().ghostEvery; every > 0 && usable && !s.piece && moves(*r->result))
            for (const int k : {-2, -1, 1, 2}) {
                const int frame = m_session.frame() + k * every;
                if (frame < 0 || frame >= r->result->frames()) continue;
                Posed& ghost = s.ghosts.emplace_back(posedAt(a, m_session.bodyHeld() ? r->body : r->result, frame));
                ghost.id = std::to_string(k) + "|" + a.id;
                ghost.ghost = k < 0 ? look::theme().inkSoft : look::theme().lagoon;
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

void Stage::follow() {
    if (!m_session.follows() && !m_tug.isWalking()) {
        m_follower.forget();
        return;
    }
    const Shown* s = shown(m_tug.isWalking() ? m_tug.actor() : m_session.selection().actor);
    for (auto at = m_shown.begin(); !s && at != m_shown.end(); ++at)
        if (!at->piece) s = &*at;
    if (!s || s->piece) return;
    m_camera.target += m_follower.step(s->posed);
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
    // An actor that begins in the air falls to the world's floor, not to the air below its feet.
    m_floor = m_shadowFloor > 0 && m_shadowFloor < 4 * tall ? 0 : m_shadowFloor;
    for (std::size_t i = 1; i < actors.size(); ++i)
        if (const double low = boxOf(actors[i]).min().y(); low < m_shadowFloor - 0.06 * tall) m_floor = std::min(m_floor, low);
}

const Stage::Shown* Stage::shown(const std::string& actor) const {
    const auto at = std::find_if(m_shown.begin(), m_shown.end(), [&](const Shown& s) { return s.id == actor; });
    return at == m_shown.end() ? nullptr : &*at;
}

Eigen::AlignedBox3d Stage::boxNow() const {
    Eigen::AlignedBox3d box;
    if (m_document.scene().actors.empty()) return box;
    const Shown* first = shown(m_document.scene().actors.front().id);
    if (!first) return box;
    const std::vector<bool>& carries = first->posed.actor->isSkinJoint;
    const bool any = std::find(carries.begin(), carries.end(), true) != carries.end();
    for (std::size_t j = 0; j < first->posed.worlds.size(); ++j)
        if (!any || carries[j]) box.extend(first->posed.worlds[j].t);
    return box;
}

void Stage::frameSelection() {
    Eigen::AlignedBox3d box;
    const Selection& sel = m_session.selection();
    if (const Shown* s = shown(sel.actor))
        for (int j : marked(sel.actor)) box.extend(s->posed.worlds[static_cast<std::size_t>(j)].t);
    if (box.isEmpty() && !m_framed.empty()) {
        // What has fallen, flown or gone from where it stands at first is framed where it is.
        const Vec3 about = Vec3::Constant(0.1 * m_size);
        const Eigen::AlignedBox3d now = boxNow(), stands(m_box.min() - about, m_box.max() + about);
        if (now.isEmpty() || stands.contains(now))
            m_camera.frame(m_box.min(), m_box.max());
        else
            m_camera.frame(now.min() - about, now.max() + about);
    } else if (!box.isEmpty()) {
        const Vec3 least = Vec3::Constant(0.16 * m_size);
        m_camera.frame(box.min() - least, box.max() + least);
    }
    update();
}

Renderer::Frame Stage::frameToDraw(double ratio) {
    Renderer::Frame f;
    f.camera = &m_camera;
    f.size = deviceSize();
    f.floor = m_floor;
    f.shadowFloor = m_shadowFloor;
    f.sceneSize = m_size;
    f.target = target();
    if (!m_whole && m_changed) {
        const QRectF r = m_changed->adjusted(-kEdge, -kEdge, kEdge, kEdge);
        f.only = QRectF(r.topLeft() * ratio, r.size() * ratio).toAlignedRect() & QRect(QPoint(), f.size);
        if (f.only.isEmpty()) f.only = QRect(0, 0, 1, 1);
    }
    m_whole = false;
    m_changed.reset();
    for (const Shown& s : m_shown) {
        if (m_linesOnly && !s.piece) continue;
        f.actors.push_back(&s.posed);
        for (const Posed& g : s.ghosts) f.ghosts.push_back(&g);
        if (!m_session.ghost() || m_session.bodyHeld()) continue;
        if (s.other)
            f.ghosts.push_back(&*s.other);
        else if (!m_session.other() && !s.body.worlds.empty())
            f.ghosts.push_back(&s.body);
    }
    return f;
}

std::vector<Mark> Stage::allMarks() {
    std::vector<Mark> marks;
    markColliders(marks);
    markLayer(marks);
    markWinds(marks);
    markPins(marks);
    markGauges(marks);
    if (!m_tug.isLive()) {
        markTrail(marks);
        markWays(marks);
    }
    markPath(marks);
    markJoints(marks);
    markHandles(marks);
    layPoseHand();
    markPoseHand(marks);
    markBrush(marks);
    markChain(marks);
    return marks;
}

QRect Stage::draw() {
    pose();
    follow();
    const double ratio = devicePixelRatioF();
    const Renderer::Frame f = frameToDraw(ratio);
    m_renderer->draw(f);
    m_renderer->drawMarks(allMarks(), f, ratio);
    return f.only;
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
        const int j = entry->actor->skeleton.find(c->mount.joint);
        return j == rig::kNoJoint ? std::vector<int>{} : std::vector<int>{j};
    }
    return sel.joints;
}

void Stage::setTugOn(bool on) {
    m_tugOn = on;
    if (!on && m_tug.isLive()) m_tug.stop();
    setCursor(on ? Qt::OpenHandCursor : Qt::ArrowCursor);
    update();
}

}  // namespace nutatio::app
