#include "app/prepare/checker.h"

namespace nutatio::app {

Checker::Checker(Document& document, QObject* parent) : QObject(parent), m_document(document) {
    connect(&document, &Document::sceneChanged, this, [this](const scene::Change& change) {
        if (m_watched && (change.touches(scene::List::Actors) || change.touches(scene::List::Layers))) ask();
    });
    connect(&document, &Document::replaced, this, [this] {
        if (m_watched) ask();
    });
    connect(&m_worker, &NewestWins::failed, this, &Checker::failed);
}

void Checker::setWatched(bool on) {
    m_watched = on;
    if (on) ask();
}

std::string Checker::stateOf(const scene::Scene& scene) {
    Hasher h;
    for (const scene::ActorEntry& a : scene.actors) {
        const Vec3 turn = a.vector("turn");
        h.text(a.id)
            .bytes(&a.actor->content, sizeof(Key))
            .bytes(&a.actor->picture, sizeof(Key))
            .bytes(turn.data(), sizeof(double) * 3);
        for (const scene::Shot& shot : scene.shots)
            if (const rig::Line* line = shot.lineOf(a.id)) h.text(shot.id).real(line->closing).real(line->fade);
        for (const scene::Part& p : a.parts) {
            h.text(p.name).number(p.rigid);
            for (const std::string& j : p.joints) h.text(j);
        }
        // Maps count where they mark something.
        for (const rig::Map& m : a.maps)
            if (m.rigid) h.text(m.name).number(m.steps.size());
    }
    const Key key = h.done();
    return std::to_string(key.a) + ":" + std::to_string(key.b);
}

std::string Checker::layersOf(const scene::Scene& scene) {
    std::string out;
    for (const scene::Layer& l : scene.layers) {
        if (!scene.acts(l)) continue;
        out += l.kind + '\n' + l.actor + '\n';
        for (const auto& [id, value] : l.values)
            if (const auto* joints = std::get_if<std::vector<std::string>>(&value))
                for (const std::string& j : *joints) out += j + ',';
    }
    return out;
}

void Checker::ask() {
    m_wanted = stateOf(m_document.scene());
    const std::string layers = layersOf(m_document.scene());
    if (m_wanted == m_checked && layers == m_stiffOf) {
        m_worker.stop();   // what was asked meanwhile is of another state
        Q_EMIT changed();  // what was seen and left may be other than it was
        return;
    }
    const bool again = m_wanted != m_checked;
    m_worker.ask(
        [this, scene = m_document.scene(), state = m_wanted, layers, again](const Cancel& cancel) -> NewestWins::Deliver {
            auto found = std::make_shared<std::vector<measure::Finding>>();
            if (again) *found = measure::check(scene, cancel);
            auto stiff = std::make_shared<std::vector<measure::Stiff>>(measure::stillStiff(scene, cancel));
            return [this, found, stiff, state, layers, again] {
                if (again) m_findings = std::move(*found);
                m_stiff = std::move(*stiff);
                m_checked = state;
                m_stiffOf = layers;
                Q_EMIT changed();
            };
        });
    if (again) Q_EMIT changed();
}

}  // namespace nutatio::app
