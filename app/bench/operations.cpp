// What the bench's commands do to the scene: core/edit, told of the selection.
#include "app/bench/bench.h"
#include "app/look/text.h"
#include "edit/edit.h"
#include "edit/keys.h"
#include "edit/motions.h"
#include "layers/registry.h"

#include <QApplication>
#include <QCursor>

namespace nutatio::app {

void Bench::fitColliders() {
    const scene::Scene& now = m_document.scene();
    const scene::ActorEntry* a = now.actor(m_session.selection().actor);
    if (!a && !now.actors.empty()) a = &now.actors.front();
    if (!a) return;
    scene::Scene fitted = now;
    const int count = edit::fitColliders(fitted, a->id);
    if (count == 0) {
        const bool some =
            std::any_of(now.colliders.begin(), now.colliders.end(), [&](const auto& c) { return c.mount.actor == a->id; });
        say((some ? tr("Every joint of %1 that carries enough skin has a collider already.")
                  : tr("No joint of %1 carries enough skin for a collider."))
                .arg(QString::fromStdString(a->name)));
        return;
    }
    m_document.edit(tr("Fit colliders"), [&](scene::Scene& s) { s = fitted; });
    say(tr("Fitted %n collider(s) to the mesh.", nullptr, count));
}

void Bench::addPiece(const std::string& form) {
    std::string id;
    m_document.edit(tr("Make a %1").arg(qs(form)), [&](scene::Scene& s) { id = edit::addPiece(s, form); });
    m_session.selectActor(id);
}

void Bench::addWind() {
    if (m_document.scene().actors.empty()) return;
    std::string id;
    m_document.edit(tr("Add a wind"), [&](scene::Scene& s) {
        const std::string& actor = m_session.selection().actor;
        id = edit::addWind(s, std::as_const(s).actor(actor) ? actor : s.actors.front().id);
    });
    m_session.selectWind(id);
}

void Bench::addPin() {
    const Selection sel = m_session.selection();
    const scene::ActorEntry* a = m_document.scene().actor(sel.actor);
    if (!a || sel.joints.empty()) return;
    std::vector<Xform> pose = a->actor->restPose();
    const ResultsPtr& r = m_document.results();
    if (const pipeline::ActorResult* result = r ? r->evaluation.actor(sel.actor) : nullptr)
        result->result->pose(std::min(m_session.frame(), result->result->frames() - 1), pose);
    std::vector<Affine> worlds;
    rig::worldTransforms(a->actor->skeleton, pose, worlds);
    std::string id;
    m_document.edit(tr("Pin %1").arg(QString::fromStdString(a->actor->skeleton.label(sel.joints.front()))),
                    [&](scene::Scene& s) { id = edit::addPin(s, sel.actor, sel.joints.front(), worlds); });
    m_session.selectPin(id);
}

void Bench::standInWorld() {
    const scene::Collider* c = m_document.scene().collider(m_session.selection().collider);
    const scene::ActorEntry* a = c ? m_document.scene().actor(c->mount.actor) : nullptr;
    const ResultsPtr& r = m_document.results();
    const pipeline::ActorResult* result = r && a ? r->evaluation.actor(a->id) : nullptr;
    const int joint = a ? a->actor->skeleton.find(c->mount.joint) : rig::kNoJoint;
    if (!result || joint == rig::kNoJoint) return;
    std::vector<Xform> pose;
    std::vector<Affine> worlds;
    result->body->pose(std::min(m_session.frame(), result->body->frames() - 1), pose);
    rig::worldTransforms(a->actor->skeleton, pose, worlds);
    m_document.edit(tr("Leave the collider in the world"),
                    [&, id = c->id](scene::Scene& s) { edit::standInWorld(s, id, worlds[static_cast<std::size_t>(joint)]); });
}

void Bench::switchSelected() {
    if (const auto owner = m_session.selection().owner())
        m_document.edit(tr("Switch on or off"), [&](scene::Scene& s) { edit::turnOn(s, *owner, !edit::isOn(s, *owner)); });
}

SettingRow* Bench::rowInHand() const {
    SettingRow* row = nullptr;
    for (QWidget* w : {QApplication::focusWidget(), QApplication::widgetAt(QCursor::pos())})
        for (; w && !row; w = w->parentWidget()) row = qobject_cast<SettingRow*>(w);
    return row ? row : m_tuner->firstKeyable();
}

void Bench::keyHere() {
    SettingRow* row = rowInHand();
    if (row && row->keyButton() && row->isVisible()) row->keyButton()->click();
}

void Bench::markCut() {
    const int frame = m_session.frame();
    if (frame == 0) {
        say(tr("The first frame begins the shot; a cut is marked at a later one."));
        return;
    }
    m_document.edit(tr("Cut at frame %1").arg(frame + 1), [frame](scene::Scene& s) { edit::markCut(s, frame); });
}

void Bench::addLayer(const std::string& kind) {
    const Selection& s = m_session.selection();
    const layers::LayerKind* k = layers::findKind(kind);
    const scene::ActorEntry* a = m_document.scene().actor(s.actor);
    const bool body = k->takes == layers::Takes::Body;
    if (body && !a) a = chosenActor();
    if (!a || (s.joints.empty() && !body)) return;
    std::vector<std::string> joints;
    for (int j : s.joints) joints.push_back(a->actor->skeleton.reference(j));
    std::string id;
    m_document.edit(tr("Add %1").arg(qs(k->label)), [&](scene::Scene& scene) {
        id = edit::addLayer(scene, kind, a->id, joints);
        // An act begins at the play-head.
        if (k->act) {
            const int from = m_session.frame(), second = static_cast<int>(std::lround(scene.shot().fps));
            edit::addInterval(scene, id, from, std::min(from + second, scene.frames(scene.shot()) - 1), 0.25 * second, 0);
        }
    });
    const scene::ActorEntry* now = m_document.scene().actor(a->id);
    const scene::Layer* made = m_document.scene().layer(id);
    if (k->added && now && made) say(qs(k->added(*now->actor, *made)));
    m_session.selectLayer(id);
    m_session.setStep(StepId::Tune);
    m_stage->setFocus();  // Space plays, rather than pressing the button that is gone
}

void Bench::addLayerToParts(const std::string& kind, const std::vector<edit::Suited>& parts) {
    const scene::ActorEntry* a = chosenActor();
    const layers::LayerKind* k = layers::findKind(kind);
    if (!a || !k) return;
    std::string id;
    m_document.edit(tr("Add %1").arg(qs(k->label)),
                    [&](scene::Scene& scene) { id = edit::addLayerTo(scene, kind, a->id, parts); });
    m_session.selectLayer(id);
    m_session.setStep(StepId::Tune);
    m_stage->setFocus();
}

std::string Bench::nameOf(const std::string& actor) const {
    const scene::ActorEntry* a = m_document.scene().actor(actor);
    return a ? a->name : std::string();
}

std::string Bench::jointName(const Selection& s) const {
    const scene::ActorEntry* a = m_document.scene().actor(s.actor);
    return a && !s.joints.empty() ? a->actor->skeleton.reference(s.joints.front()) : std::string();
}

void Bench::addCollider(scene::Shape shape) {
    const Selection s = m_session.selection();
    if (s.joints.empty()) return;
    std::string id;
    m_document.edit(tr("Add a %1 collider").arg(qs(scene::shapeName(shape))),
                    [&](scene::Scene& scene) { id = edit::addCollider(scene, s.actor, jointName(s), shape); });
    m_session.selectCollider(id);
}

QString Bench::removalOf(const Selection& s) const {
    if (!s.clip.empty()) return tr("Remove the clip %1").arg(qs(s.clip));
    const auto owner = s.owner();
    const scene::Tuned* thing = owner ? m_document.scene().tuned(*owner) : nullptr;
    if (!thing) return {};
    const QString name = QString::fromStdString(thing->name);
    switch (owner->list) {
        case scene::List::Layers:
            return tr("Remove the layer %1").arg(name);
        case scene::List::Colliders:
            return tr("Remove the collider %1").arg(name);
        case scene::List::Winds:
            return tr("Remove the wind %1").arg(name);
        case scene::List::Pins:
            return tr("Remove the pin %1").arg(name);
        case scene::List::Gauges:
            return tr("Remove the gauge %1").arg(name);
        case scene::List::Actors:
            break;
    }
    const auto& layers = m_document.scene().layers;
    const auto its = std::count_if(layers.begin(), layers.end(), [&](const scene::Layer& l) { return l.actor == owner->id; });
    return its == 0 ? tr("Remove %1").arg(name) : tr("Remove %1 with its %n layer(s)", nullptr, static_cast<int>(its)).arg(name);
}

void Bench::removeSelected() {
    const Selection s = m_session.selection();
    if (!s.clip.empty()) {
        scene::Scene without = m_document.scene();
        if (const auto done = edit::removeClip(without, s.actor, s.clip); !done)
            say(QString::fromStdString(done.error().sentence) + u'.');
        else
            m_document.edit(removalOf(s), [&](scene::Scene& scene) { scene = without; });
    } else if (const auto owner = s.owner()) {
        m_document.edit(removalOf(s), [&](scene::Scene& scene) { edit::remove(scene, *owner); });
    }
}

void Bench::duplicateSelected() {
    const auto owner = m_session.selection().owner();
    if (!owner) return;
    std::string id;
    m_document.edit(tr("Duplicate"), [&](scene::Scene& scene) { id = edit::duplicate(scene, *owner); });
    if (!id.empty()) m_session.select(Selection::of(m_document.scene(), {owner->list, id}));
}

void Bench::mirrorSelected() {
    const auto owner = m_session.selection().owner();
    if (!owner) return;
    scene::Scene mirrored = m_document.scene();
    const auto made = edit::mirror(mirrored, *owner);
    if (!made) {
        say(QString::fromStdString(made.error().sentence));
        return;
    }
    m_document.edit(tr("Mirror"), [&](scene::Scene& scene) { scene = mirrored; });
    m_session.select(Selection::of(m_document.scene(), {owner->list, made.value()}));
}

void Bench::renameSelected() {
    const Selection sel = m_session.selection();
    const scene::ActorEntry* a = m_document.scene().actor(sel.actor);
    if (a && sel.joints.size() == 1) {
        const std::string joint = a->actor->skeleton.reference(sel.joints.front());
        m_tuner->askForName(QString::fromStdString(a->actor->skeleton.joint(sel.joints.front()).name), [this, id = a->id, joint](
                                                                                                           const QString& name) {
            prepare(tr("Rename a joint"), id, {rig::Preparation::What::Rename, joint, name.toStdString(), Vec3::Zero()});
        });
        return;
    }
    const auto owner = m_session.selection().owner();
    const scene::Tuned* t = owner ? m_document.scene().tuned(*owner) : nullptr;
    if (!t) return;
    m_tuner->askForName(QString::fromStdString(t->name), [this, owner = *owner](const QString& name) {
        m_document.edit(tr("Rename to %1").arg(name),
                        [&](scene::Scene& scene) { edit::rename(scene, owner, name.toStdString()); });
    });
}

void Bench::moveLayer(int by) {
    attempt(tr("Move layer"), [&](scene::Scene& scene) { return edit::moveLayer(scene, m_session.selection().layer, by); });
}

void Bench::toggleLayer(bool solo) {
    m_document.edit(solo ? tr("Solo") : tr("Mute"), [&](scene::Scene& scene) {
        if (scene::Layer* l = scene.layer(m_session.selection().layer)) (solo ? l->solo : l->muted) ^= true;
    });
}

}  // namespace nutatio::app
