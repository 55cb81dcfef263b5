#include "app/document/aside.h"

#include <algorithm>

#include "scene/change.h"

namespace nutatio::app {

Aside::Aside(Document& document, QObject* parent) : QObject(parent), m_document(document), m_evaluator(document.evaluator()) {
    connect(&document, &Document::sceneChanged, this, [this](const scene::Change& change) {
        if (change.moves()) m_worker.stop();
    });
    connect(&document, &Document::resultsChanged, this, &Aside::next);
    connect(&document, &Document::simulating, this, [this](double share) {
        if (share < 0) next();
    });
    connect(&document, &Document::replaced, this, [this] {
        m_worker.stop();
        m_wanted.clear();
        m_got.clear();
        m_refused.clear();
    });
}

Aside::~Aside() = default;

void Aside::want(std::vector<Wanted> wanted) {
    m_wanted = std::move(wanted);
    m_refused.clear();
    std::erase_if(m_got, [&](const auto& got) {
        return std::none_of(m_wanted.begin(), m_wanted.end(), [&](const Wanted& w) { return w.id == got.first; });
    });
    next();
}

const Aside::Got* Aside::of(const std::string& id) const {
    const auto at = std::find_if(m_got.begin(), m_got.end(), [&](const auto& got) { return got.first == id; });
    return at == m_got.end() ? nullptr : &at->second;
}

bool Aside::done() const {
    return std::all_of(m_wanted.begin(), m_wanted.end(), [&](const Wanted& w) {
        const Got* got = of(w.id);
        return got && got->scene == w.scene;
    });
}

void Aside::next() {
    if (!m_document.upToDate()) return;
    std::vector<Wanted> missing;
    for (const Wanted& w : m_wanted) {
        const Got* got = of(w.id);
        if (!(got && got->scene == w.scene) && std::find(m_refused.begin(), m_refused.end(), w.id) == m_refused.end())
            missing.push_back(w);
    }
    if (missing.empty()) return;
    // One job for all: each result goes out as soon as it is there, and the next scene waits for no drawing.
    m_worker.ask([this, missing](const Cancel& cancel) -> NewestWins::Deliver {
        for (const Wanted& w : missing) {
            std::shared_ptr<const pipeline::Evaluation> made;
            QString why;
            try {
                made = std::make_shared<const pipeline::Evaluation>(m_evaluator.evaluate(*w.scene, cancel));
            } catch (const Failure& f) {
                why = QString::fromStdString(f.error().text());
            }
            QMetaObject::invokeMethod(
                this, [this, w, made, why] { put(w, made, why); }, Qt::QueuedConnection);
        }
        return {};
    });
}

void Aside::put(const Wanted& w, const std::shared_ptr<const pipeline::Evaluation>& made, const QString& why) {
    if (std::none_of(m_wanted.begin(), m_wanted.end(),
                     [&](const Wanted& each) { return each.id == w.id && each.scene == w.scene; }))
        return;
    if (!made) {
        m_refused.push_back(w.id);
        Q_EMIT failed(why);
        return;
    }
    const auto known = std::find_if(m_got.begin(), m_got.end(), [&](const auto& got) { return got.first == w.id; });
    if (known == m_got.end())
        m_got.push_back({w.id, {w.scene, made}});
    else
        known->second = {w.scene, made};
    Q_EMIT ready(w.id);
}

}  // namespace nutatio::app
