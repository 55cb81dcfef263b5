#include "app/prepare/checker.h"

namespace nutatio::app {

Checker::Checker(Document& document, QObject* parent) : QObject(parent), m_document(document) {
    connect(&document, &Document::sceneChanged, this, [this](const scene::Change& change) {
        if (m_watched && change.touches(scene::List::Actors)) ask();
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
    }
    const Key key = h.done();
    return std::to_string(key.a) + ":" + std::to_string(key.b);
}

void Checker::ask() {
    m_wanted = stateOf(m_document.scene());
    if (m_wanted == m_checked) {
        m_worker.stop();   // what was asked meanwhile is of another state
        Q_EMIT changed();  // what was seen and left may be other than it was
        return;
    }
    m_worker.ask([this, scene = m_document.scene(), state = m_wanted](const Cancel& cancel) -> NewestWins::Deliver {
        auto found = std::make_shared<std::vector<measure::Finding>>(measure::check(scene, cancel));
        return [this, found, state] {
            m_findings = std::move(*found);
            m_checked = state;
            Q_EMIT changed();
        };
    });
    Q_EMIT changed();
}

}  // namespace nutatio::app
