// What the bench's commands do to the scene: core/edit, told of the selection.
#include "app/bench/bench.h"
#include "edit/edit.h"
#include "layers/registry.h"

#include <QApplication>
#include <QCursor>

namespace nutatio::app {

namespace {
QString qs(std::string_view s) {
    return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size()));
}
}  // namespace

void Bench::fitColliders() {
    const scene::Scene& now = m_document.scene();
    const scene::ActorEntry* a = now.actor(m_session.selection().actor);
    if (!a && !now.actors.empty()) a = &now.actors.front();
    if (!a) return;
    scene::Scene fitted = now;
    const int count = edit::fitColliders(fitted, a->id);
    if (count == 0) {
        const bool some =
            std::any_of(now.colliders.begin(), now.colliders.end(), [&](const auto& c) { return c.actor == a->id; });
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
    const scene::ActorEntry* a = c ? m_document.scene().actor(c->actor) : nullptr;
    const ResultsPtr& r = m_document.results();
    const pipeline::ActorResult* result = r && a ? r->evaluation.actor(a->id) : nullptr;
    const int joint = a ? a->actor->skeleton.find(c->joint) : rig::kNoJoint;
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

void Bench::keyHere() {
    // The row under the mouse or with the focus; the swing rate when a layer is merely selected.
    SettingRow* row = nullptr;
    for (QWidget* w : {QApplication::focusWidget(), QApplication::widgetAt(QCursor::pos())})
        for (; w && !row; w = w->parentWidget()) row = qobject_cast<SettingRow*>(w);
    if (!row) row = m_tuner->firstKeyable();
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
    if (!a || s.joints.empty()) return;
    std::vector<std::string> joints;
    for (int j : s.joints) joints.push_back(a->actor->skeleton.reference(j));
    std::string id;
    m_document.edit(tr("Add %1").arg(qs(k->label)),
                    [&](scene::Scene& scene) { id = edit::addLayer(scene, kind, a->id, joints); });
    m_session.selectLayer(id);
    m_session.setStep(StepId::Tune);
    m_stage->setFocus();  // Space plays, rather than pressing the button that is gone
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

void Bench::removeSelected() {
    const Selection s = m_session.selection();
    const QString what = !s.layer.empty()      ? tr("Remove layer")
                         : !s.collider.empty() ? tr("Remove collider")
                         : !s.wind.empty()     ? tr("Remove wind")
                         : !s.pin.empty()      ? tr("Remove pin")
                                               : tr("Remove %1").arg(QString::fromStdString(nameOf(s.actor)));
    if (const auto owner = s.owner()) m_document.edit(what, [&](scene::Scene& scene) { edit::remove(scene, *owner); });
}

void Bench::duplicateSelected() {
    const auto owner = m_session.selection().owner();
    if (!owner) return;
    std::string id;
    m_document.edit(tr("Duplicate"), [&](scene::Scene& scene) { id = edit::duplicate(scene, *owner); });
    if (!id.empty()) m_session.select(Selection::of(m_document.scene(), {owner->list, id}));
}

void Bench::paintWeights(bool on) {
    if (on && m_session.selection().joints.empty()) {
        m_actions["paint"]->setChecked(false);
        say(tr("Select the joint whose weights are to be painted first."));
        return;
    }
    if (on && m_stage->helperOn()) placeHelpers(false);
    if (on) m_session.setStep(StepId::Prepare);
    Painting tool = m_session.painting();
    tool.on = on;
    m_session.setPainting(tool);
    say(on ? tr("Drag on the mesh. Ctrl: take. Shift: smooth. Wheel: radius. Ctrl and wheel: strength. Esc: enough.")
           : QString());
}

void Bench::keepStroke(const std::string& actor, const std::string& joint, const rig::Stroke& stroke) {
    rig::Preparation edit{rig::Preparation::What::Paint, joint, {}, Vec3::Zero()};
    edit.stroke = stroke;
    scene::Scene painted = m_document.scene();
    if (const auto done = edit::prepare(painted, actor, edit); !done) {
        say(QString::fromStdString(done.error().sentence));
        return;
    }
    m_document.edit(tr("Paint weights of %1").arg(QString::fromStdString(joint)), [&](scene::Scene& s) { s = painted; });
}

void Bench::placeHelpers(bool on) {
    if (m_session.painting().on) paintWeights(false);
    m_session.setSpot({});
    m_stage->setHelperOn(on);
    m_actions["helper"]->setChecked(on);
    say(on ? tr("Click where the joint is to be. Wheel: how far its skin reaches. Shift: on the other side too. Esc: enough.")
           : QString());
}

void Bench::addHelper(const Stage::Helper& h, bool both) {
    const scene::ActorEntry* a = m_document.scene().actor(h.actor);
    if (!a) return;
    // A name of its own, after what it hangs on.
    const int on = a->actor->skeleton.find(h.joint);
    const std::string stem = a->actor->skeleton.label(on) + "_soft";
    std::string name = stem;
    const auto taken = [&](const std::string& n) {
        return a->actor->skeleton.find(n) != rig::kNoJoint || a->actor->skeleton.find(n + "_L") != rig::kNoJoint;
    };
    for (int k = 2; taken(name); ++k) name = stem + "_" + std::to_string(k);
    scene::Scene with = m_document.scene();
    const auto made = edit::addHelper(with, h.actor, h.joint, name, h.place, h.reach, both);
    if (!made) {
        say(QString::fromStdString(made.error().sentence));
        return;
    }
    m_document.edit(tr("Add a helper joint"), [&](scene::Scene& s) { s = with; });
    placeHelpers(false);
    Selection selection;
    selection.actor = h.actor;
    for (const std::string& n : made.value())
        selection.joints.push_back(m_document.scene().actor(h.actor)->actor->skeleton.find(n));
    m_session.select(std::move(selection));
    say(tr("Made %1. Shift+B swings it; F2 renames it.").arg(QString::fromStdString(made.value().front())));
}

void Bench::bendTest(bool on) {
    if (on && m_session.painting().on) paintWeights(false);
    const Selection& s = m_session.selection();
    if (!on || s.joints.empty()) {
        m_session.setSpot({});
        m_actions["bend-test"]->setChecked(false);
        if (on) say(tr("Select the joints to swing first."));
        return;
    }
    Spot spot;
    spot.actor = s.actor;
    spot.joints = s.joints;
    spot.swings = spot.follows = true;
    m_session.setSpot(std::move(spot));
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

void Bench::prepare(const QString& name, const std::string& actor, const rig::Preparation& edit) {
    scene::Scene next = m_document.scene();
    if (const auto done = edit::prepare(next, actor, edit); !done) {
        say(QString::fromStdString(done.error().sentence));
        return;
    }
    m_document.edit(name, [&](scene::Scene& s) { s = next; });
}

void Bench::addEndJoint() {
    const Selection sel = m_session.selection();
    const scene::ActorEntry* a = m_document.scene().actor(sel.actor);
    if (!a || sel.joints.empty()) return;
    const rig::Skeleton& s = a->actor->skeleton;
    // Beyond the last joint of the selection, as far on as that one stands from its parent.
    const int last = sel.joints.back();
    const Xform& rest = s.joint(last).rest;
    Vec3 on = rest.r.conjugate() * rest.t;
    if (on.norm() < 1e-9) on = Vec3(0, 0.1 * a->actor->height, 0);
    std::string name = s.label(last) + "_end";
    for (int n = 2; s.find(name) != rig::kNoJoint; ++n) name = s.label(last) + "_end_" + std::to_string(n);
    const int fresh = s.size();
    prepare(tr("Add an end joint"), a->id, {rig::Preparation::What::AddEnd, s.reference(last), name, on});
    if (const scene::ActorEntry* now = m_document.scene().actor(sel.actor); now && now->actor->skeleton.size() > fresh)
        m_session.selectJoint(sel.actor, fresh);
}

void Bench::moveLayer(int by) {
    m_document.edit(tr("Move layer"), [&](scene::Scene& scene) { edit::moveLayer(scene, m_session.selection().layer, by); });
}

void Bench::toggleLayer(bool solo) {
    m_document.edit(solo ? tr("Solo") : tr("Mute"), [&](scene::Scene& scene) {
        if (scene::Layer* l = scene.layer(m_session.selection().layer)) (solo ? l->solo : l->muted) ^= true;
    });
}

}  // namespace nutatio::app
