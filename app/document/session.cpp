#include "app/document/session.h"

#include <algorithm>

#include "app/document/sheets.h"
#include "edit/channels.h"
#include "layers/registry.h"

namespace nutatio::app {

Selection Selection::of(const scene::Scene& scene, const scene::Owner& owner) {
    Selection s;
    switch (owner.list) {
        case scene::List::Layers:
            s.layer = owner.id;
            if (const scene::Layer* l = scene.layer(owner.id)) s.actor = l->actor;
            break;
        case scene::List::Colliders:
            s.collider = owner.id;
            if (const scene::Collider* c = scene.collider(owner.id)) s.actor = c->mount.actor;
            break;
        case scene::List::Winds:
            s.wind = owner.id;
            break;
        case scene::List::Pins:
            s.pin = owner.id;
            if (const scene::Pin* p = scene.pin(owner.id)) s.actor = p->actor;
            break;
        case scene::List::Gauges:
            s.gauge = owner.id;
            if (const scene::Gauge* g = scene.gauge(owner.id)) s.actor = g->of.actor;
            break;
        case scene::List::Actors:
            s.actor = owner.id;
            break;
    }
    return s;
}

std::optional<scene::Owner> Selection::owner() const {
    if (!layer.empty()) return scene::Owner{scene::List::Layers, layer};
    if (!collider.empty()) return scene::Owner{scene::List::Colliders, collider};
    if (!wind.empty()) return scene::Owner{scene::List::Winds, wind};
    if (!pin.empty()) return scene::Owner{scene::List::Pins, pin};
    if (!gauge.empty()) return scene::Owner{scene::List::Gauges, gauge};
    if (!actor.empty() && joints.empty() && clip.empty()) return scene::Owner{scene::List::Actors, actor};
    return std::nullopt;
}

Session::Session(Document& document, QObject* parent)
    : QObject(parent), m_document(document), m_playback(document), m_sheets(std::make_unique<Sheets>()) {
    connect(&m_playback, &Playback::frameChanged, this, &Session::frameChanged);
    connect(&m_playback, &Playback::playingChanged, this, &Session::playingChanged);
    connect(&m_playback, &Playback::changed, this, &Session::viewChanged);
    connect(&document, &Document::sceneChanged, this, &Session::forgetWhatIsGone);
    connect(&document, &Document::replaced, this, [this] {
        m_lastActor.clear();
        m_lastJoint = -1;
        m_other.clear();
        setComparing({});
        setSpreading({});
        setTrails({});
        setPerforming({});
        *m_sheets = {};
        select({});
        setPlaying(false);
        setFrame(0);
        setRange({});
        Q_EMIT takeChanged();
    });
}

Session::~Session() = default;

void Session::select(Selection s) {
    if (s == m_selection) return;
    m_selection = std::move(s);
    if (!m_selection.joints.empty()) {
        m_lastActor = m_selection.actor;
        m_lastJoint = m_selection.joints.front();
    }
    const bool shows = m_spot && !m_spot->map.empty() && (m_selection.actor.empty() || m_selection.actor == m_spot->actor);
    if (m_spot && !shows && (m_spot->actor != m_selection.actor || m_spot->joints != m_selection.joints)) {
        // A bend test goes along; what a finding points out ends with another selection.
        std::optional<Spot> next;
        if (m_spot->follows && !m_selection.joints.empty()) {
            next = m_spot;
            next->actor = m_selection.actor;
            next->joints = m_selection.joints;
        }
        setSpot(std::move(next));
    }
    Q_EMIT selectionChanged();
}

void Session::selectJoint(const std::string& actor, int joint, bool add) {
    Selection s{actor, {}, {}, {}};
    if (add && m_selection.actor == actor && m_selection.layer.empty() && m_selection.collider.empty() &&
        m_selection.pin.empty() && m_selection.gauge.empty())
        s.joints = m_selection.joints;
    const auto at = std::find(s.joints.begin(), s.joints.end(), joint);
    if (at != s.joints.end())
        s.joints.erase(at);
    else if (joint >= 0)
        s.joints.push_back(joint);
    select(std::move(s));
}

void Session::pointAt(const std::string& actor, int joint) {
    if (m_lastActor == actor && m_lastJoint == joint && m_handOnJoint) return;
    m_lastActor = actor;
    m_lastJoint = joint;
    m_handOnJoint = true;
    Q_EMIT selectionChanged();
}

std::optional<HandJoint> Session::handJoint() const {
    const scene::Scene& s = m_document.scene();
    const scene::Layer* l = s.layer(m_selection.layer);
    const scene::ActorEntry* a = l && edit::isPosed(*l) ? s.actor(l->actor) : nullptr;
    if (!a) return std::nullopt;
    if (m_lastActor == a->id && m_lastJoint >= 0 && m_lastJoint < a->actor->skeleton.size()) return HandJoint{l, a, m_lastJoint};
    for (const std::string& name : l->list(layers::findKind(l->kind)->target()))
        if (const int j = a->actor->skeleton.find(name); j != rig::kNoJoint) return HandJoint{l, a, j};
    return std::nullopt;
}

std::optional<HandJoint> Session::partJoint() const {
    const scene::Scene& s = m_document.scene();
    const scene::Layer* l = s.layer(m_selection.layer);
    const layers::LayerKind* kind = l ? layers::findKind(l->kind) : nullptr;
    const scene::ActorEntry* a = kind ? s.actor(l->actor) : nullptr;
    if (!a || kind->problem(*a->actor, *l)) return std::nullopt;
    const std::vector<layers::JointRows> apart = layers::rowsByJoint(*kind, *a->actor, *l);
    // A joint that rides on a segment selects that segment.
    for (int j = m_lastActor == a->id && m_lastJoint < a->actor->skeleton.size() ? m_lastJoint : rig::kNoJoint;
         j != rig::kNoJoint; j = a->actor->skeleton.joint(j).parent)
        for (const layers::JointRows& r : apart)
            if (r.joint == j) return HandJoint{l, a, j};
    return apart.empty() ? std::nullopt : std::optional(HandJoint{l, a, apart.front().joint});
}

std::optional<HandJoint> Session::partNear(int joint) const {
    const auto part = partJoint();
    if (!part) return part;
    const layers::LayerKind& kind = *layers::findKind(part->layer->kind);
    if (kind.body) return part;
    const std::vector<layers::JointRows> apart = layers::rowsByJoint(kind, *part->actor->actor, *part->layer);
    for (int j = joint; j != rig::kNoJoint; j = part->actor->actor->skeleton.joint(j).parent)
        for (const layers::JointRows& r : apart)
            if (r.joint == j) return part;
    return std::nullopt;
}

void Session::setHandPoint(const std::string& of) {
    if (of == m_handPoint && !m_handOnJoint) return;
    m_handPoint = of;
    m_handOnJoint = false;
    Q_EMIT selectionChanged();
}

void Session::setPosing(const HandPosing& posing) {
    if (posing == m_posing) return;
    m_posing = posing;
    Q_EMIT selectionChanged();
}

void Session::choose(const scene::Owner& owner) {
    if (!m_document.scene().tuned(owner)) return;
    select(Selection::of(m_document.scene(), owner));
    m_handOnJoint = false;
    // What is posed by hand begins with a joint of its own.
    if (const auto hand = handJoint()) {
        const auto& own = hand->layer->list(layers::findKind(hand->layer->kind)->target());
        const int first = own.empty() ? rig::kNoJoint : hand->actor->actor->skeleton.find(own.front());
        if (first != rig::kNoJoint && std::find(own.begin(), own.end(), hand->reference()) == own.end()) {
            m_lastActor = hand->actor->id;
            m_lastJoint = first;
            Q_EMIT selectionChanged();
        }
    }
    if (m_step == StepId::Attach || m_step == StepId::Prepare) setStep(StepId::Tune);
}

void Session::selectLayer(const std::string& layer) {
    choose({scene::List::Layers, layer});
}

void Session::selectCollider(const std::string& collider) {
    choose({scene::List::Colliders, collider});
}

void Session::selectWind(const std::string& wind) {
    choose({scene::List::Winds, wind});
}

void Session::selectPin(const std::string& pin) {
    choose({scene::List::Pins, pin});
}

void Session::selectGauge(const std::string& gauge) {
    choose({scene::List::Gauges, gauge});
}

void Session::selectActor(const std::string& actor) {
    choose({scene::List::Actors, actor});
}

const scene::Take* Session::other() const {
    return m_document.scene().take(m_other);
}

void Session::setOther(const std::string& take) {
    if (take == m_other) return;
    m_other = take;
    Q_EMIT takeChanged();
    Q_EMIT viewChanged();
}

void Session::setComparing(const Comparing& comparing) {
    if (comparing == m_comparing) return;
    m_comparing = comparing;
    // Either stands in place of the stage.
    if (comparing.on && m_spreading.on) setSpreading({false, m_spreading.spread});
    Q_EMIT comparingChanged();
}

void Session::setTrails(const Trails& trails) {
    if (trails == m_trails) return;
    m_trails = trails;
    Q_EMIT viewChanged();
}

void Session::setPerforming(const Performing& performing) {
    if (performing == m_performing) return;
    m_performing = performing;
    Q_EMIT performingChanged();
}

void Session::setFollows(bool on) {
    if (on == m_follows) return;
    m_follows = on;
    Q_EMIT viewChanged();
}

void Session::setSpreading(const Spreading& spreading) {
    if (spreading == m_spreading) return;
    m_spreading = spreading;
    if (spreading.on && m_comparing.on) {
        Comparing c = m_comparing;
        c.on = false;
        setComparing(c);
    }
    Q_EMIT spreadingChanged();
}

void Session::setCheckFace(CheckFaceId face) {
    if (face == m_checkFace) return;
    m_checkFace = face;
    Q_EMIT faceChanged();
}

void Session::selectChain() {
    const scene::ActorEntry* a = m_document.scene().actor(m_selection.actor);
    if (!a || m_selection.joints.empty()) return;
    Selection s = m_selection;
    for (int root : m_selection.joints)
        for (int j : a->actor->skeleton.subtree(root))
            if (std::find(s.joints.begin(), s.joints.end(), j) == s.joints.end()) s.joints.push_back(j);
    select(std::move(s));
}

void Session::setBodyHeld(bool on) {
    if (on == m_bodyHeld) return;
    m_bodyHeld = on;
    Q_EMIT viewChanged();
}

void Session::setSplitsTraces(bool on) {
    m_splitsTraces = on;
    Q_EMIT viewChanged();
}

void Session::setGhost(bool on) {
    m_ghost = on;
    Q_EMIT viewChanged();
}

void Session::setSpot(std::optional<Spot> spot) {
    if (spot == m_spot) return;
    m_spot = std::move(spot);
    Q_EMIT spotChanged();
}

void Session::setPainting(const Painting& painting) {
    if (painting == m_painting) return;
    if (painting.on && !m_painting.on) setSpot({});
    m_painting = painting;
    Q_EMIT paintingChanged();
}

void Session::setFace(FaceId face) {
    if (face == m_face) return;
    m_face = face;
    setSpot({});
    Painting off = m_painting;
    off.on = false;
    setPainting(off);
    Q_EMIT faceChanged();
}

void Session::setStep(StepId step) {
    if (step == m_step) return;
    m_step = step;
    setSpot({});
    Painting off = m_painting;
    off.on = false;
    setPainting(off);
    Q_EMIT stepChanged();
}

void Session::forgetWhatIsGone() {
    Comparing comparing = m_comparing;
    std::erase_if(comparing.with,
                  [&](const std::string& id) { return !id.empty() && id != kBareBody && !m_document.scene().take(id); });
    setComparing(comparing);
    if (!m_other.empty() && !other()) setOther({});
    Trails trails = m_trails;
    std::erase_if(trails.of, [&](const scene::Mount& t) { return !m_document.scene().actor(t.actor); });
    setTrails(trails);
    const auto gone = [&](const edit::SpreadAxis& axis) { return !m_document.scene().tuned(axis.owner); };
    if (const auto& spread = m_spreading.spread; spread && (gone(spread->across) || (spread->down && gone(*spread->down))))
        setSpreading({});
    const scene::Scene& s = m_document.scene();
    Selection kept = m_selection;
    // When the selected thing is removed nothing is selected: its actor was never chosen by the user.
    const auto owner = kept.owner();
    const scene::ActorEntry* a = s.actor(kept.actor);
    const bool hadJoints = !kept.joints.empty();
    if (a) std::erase_if(kept.joints, [&](int j) { return j >= a->actor->skeleton.size(); });
    if ((owner && !s.tuned(*owner)) || (!a && !kept.actor.empty()) || (hadJoints && kept.joints.empty()) ||
        (a && !kept.clip.empty() && a->actor->findClip(kept.clip) < 0))
        kept = {};
    if (const scene::ActorEntry* last = s.actor(m_lastActor); !last || m_lastJoint >= last->actor->skeleton.size()) {
        m_lastActor.clear();
        m_lastJoint = -1;
    }
    if (m_spot && !s.actor(m_spot->actor)) setSpot({});
    select(std::move(kept));
    m_playback.keepWithin();
}

}  // namespace nutatio::app
