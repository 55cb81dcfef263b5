// The bench's commands on what is set by hand.
#include "app/bench/bench.h"
#include "app/look/text.h"
#include "edit/channels.h"
#include "edit/edit.h"
#include "layers/registry.h"
#include "scene/change.h"

namespace nutatio::app {

void Bench::makeHandCommands() {
    add("pose-key", tr("Key the pose of the joint in the hand"), {}, {}, [this] {
        const auto hand = m_session.handJoint();
        if (!hand) return;
        m_document.edit(tr("Key a pose"),
                        [&](scene::Scene& s) { edit::keyPose(s, hand->layer->id, {hand->reference()}, m_session.frame()); });
    });
    add("untouch", tr("Leave the joint in the hand as it is below"), {}, {}, [this] {
        const auto hand = m_session.handJoint();
        if (!hand) return;
        m_document.edit(tr("Leave a joint as below"),
                        [&](scene::Scene& s) { edit::untouch(s, hand->layer->id, {hand->reference()}); });
    });
    add("weight-part", tr("Hold the whole part of the joint in the hand back alike"), {}, {}, [this] {
        const auto hand = m_session.handJoint();
        if (!hand) return;
        m_document.edit(tr("Hold a part back"),
                        [&](scene::Scene& s) { edit::holdPartBack(s, hand->layer->id, hand->reference()); });
    });
    add("touch-clip", tr("Touch up the clip itself: a layer under all others"), {}, "pencil", [this] { touchClip(); });
    connect(&m_setter, &NewestWins::failed, this, [this](const QString& sentence) {
        showProgress(-1);
        say(sentence);
    });
    add("set-down", tr("Set the layer down as one that is posed by hand, with keys"), {}, {},
        [this] { setDown({m_session.selection().layer}); });
    add("set-down-group", tr("Set the layer's group down as one that is posed by hand"), {}, {}, [this] {
        const scene::Layer* l = m_document.scene().layer(m_session.selection().layer);
        std::vector<std::string> all;
        for (const scene::Layer& o : m_document.scene().layers)
            if (l && o.group == l->group && o.actor == l->actor) all.push_back(o.id);
        setDown(std::move(all));
    });
    add("keys-half", tr("Selected keys: again half of the shot later, sideways reversed"), {}, "repeat", [this] {
        const std::vector<edit::KeyOf> keys = m_tape->keys().keys();
        std::vector<edit::KeyOf> made;
        const bool done = attempt(tr("Repeat keys"), [&](scene::Scene& s) -> Result<Done> {
            auto now = edit::repeatHalf(s, keys);
            if (!now) return now.error();
            made = std::move(now.value());
            return Done{};
        });
        if (done) m_tape->keys().set(made);
    });
    add("keys-rest", tr("Let the keys of this row rest at the value of this frame, or count again"), {}, {}, [this] {
        SettingRow* row = rowInHand();
        const auto owner = m_session.selection().owner();
        if (!row || !owner) return;
        const std::string setting(row->spec().id);
        if (edit::keysRest(m_document.scene(), *owner, setting))
            attempt(tr("Wake keys"), [&](scene::Scene& s) { return edit::wakeKeys(s, *owner, setting); });
        else
            attempt(tr("Rest keys"), [&](scene::Scene& s) { return edit::restKeys(s, *owner, setting, m_session.frame()); });
    });
}

/// A layer that is posed, below every layer of the actor: it changes the clip's own channels.
void Bench::touchClip() {
    const Selection& s = m_session.selection();
    const scene::ActorEntry* a = m_document.scene().actor(s.actor);
    const layers::LayerKind* kind = edit::handKind();
    if (!a || s.joints.empty() || !kind) return;
    std::vector<std::string> joints;
    for (int j : s.joints) joints.push_back(a->actor->skeleton.reference(j));
    std::string id;
    m_document.edit(tr("Touch up the clip"), [&](scene::Scene& scene) {
        id = edit::addLayer(scene, kind->id, a->id, joints);
        if (id.empty()) return;
        scene.layer(id)->name += tr(", clip").toStdString();
        const std::size_t at = scene.layers.find([&](const scene::Layer& l) { return l.id == id; });
        scene.layers.move(at, 0);
    });
    m_session.selectLayer(id);
    m_session.setStep(StepId::Tune);
    m_stage->setFocus();
}

/// Layers become one that is posed by hand. Every shot is simulated for it, so it is done aside.
void Bench::setDown(std::vector<std::string> layers) {
    if (layers.empty() || layers.front().empty()) return;
    showProgress(0);
    m_setter.ask([this, scene = m_document.scene(), layers = std::move(layers)](const Cancel& cancel) -> NewestWins::Deliver {
        auto made = std::make_shared<scene::Scene>(scene);
        pipeline::Evaluator evaluator;
        const auto tell = [this](double share) {
            QMetaObject::invokeMethod(
                this, [this, share] { showProgress(share); }, Qt::QueuedConnection);
        };
        const Result<std::string> id = edit::intoHand(*made, layers, {}, evaluator, cancel, tell);
        return [this, made, id, scene] {
            showProgress(-1);
            if (!id) {
                say(QString::fromStdString(id.error().sentence));
            } else if (scene::changeBetween(scene, m_document.scene()).moves()) {
                say(tr("The scene was changed meanwhile: nothing was set down."));
            } else {
                m_document.edit(tr("Set down by hand"), [&](scene::Scene& s) { s = *made; });
                m_session.selectLayer(id.value());
                int keys = 0;
                for (const scene::Shot& shot : made->shots)
                    if (const scene::KeysOf* all = shot.keysOf({scene::List::Layers, id.value()}))
                        for (const auto& [setting, its] : *all) keys += static_cast<int>(its.size());
                say(tr("Set down with %1 keys over %2 shots.").arg(keys).arg(made->shots.size()));
            }
        };
    });
}

}  // namespace nutatio::app
