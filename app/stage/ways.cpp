#include "app/stage/ways.h"

#include "measure/gauge.h"

namespace nutatio::app {

Ways::Ways(Document& document, Session& session, QObject* parent) : QObject(parent), m_document(document), m_session(session) {
    connect(&document, &Document::resultsChanged, this, &Ways::work);
    connect(&session, &Session::viewChanged, this, &Ways::work);
    connect(&document, &Document::replaced, this, [this] {
        m_worker.stop();
        m_ways.clear();
        m_worked = {};
    });
}

void Ways::work() {
    const Trails& asked = m_session.trails();
    const ResultsPtr& results = m_document.results();
    if (m_of == results && asked.of == m_worked.of && asked.from == m_worked.from && asked.joint == m_worked.joint) return;
    m_worked = asked;
    m_of = results;
    if (asked.of.empty() || !results) {
        m_worker.stop();
        const bool any = !m_ways.empty();
        m_ways.clear();
        if (any) Q_EMIT changed();
        return;
    }
    m_worker.ask([this, asked, results, scene = m_document.scene()](const Cancel& cancel) -> NewestWins::Deliver {
        std::vector<Way> ways;
        for (const scene::Mount& of : asked.of) {
            if (cancel.asked()) throw Cancelled{};
            const scene::ActorEntry* a = scene.actor(of.actor);
            const pipeline::ActorResult* r = results->evaluation.actor(of.actor);
            const auto on = a ? scene::found(*a->actor, of) : std::nullopt;
            if (!r || !on || r->result->joints() != a->actor->skeleton.size()) continue;
            const rig::Skeleton& s = a->actor->skeleton;
            const int carrier = asked.from == Trails::From::Joint ? s.find(asked.joint) : measure::bodyRoot(*a->actor, on->joint);
            Way way{of, measure::wayOf(*a->actor, *r->result, *on), {}};
            if (asked.from == Trails::From::World || carrier == rig::kNoJoint) {
                way.from.assign(way.seen.size(), Affine{});
            } else {
                way.from = measure::seenFrom(*a->actor, *r->result, carrier, asked.from == Trails::From::Actor);
                for (std::size_t f = 0; f < way.seen.size(); ++f) way.seen[f] = way.from[f].inverse().apply(way.seen[f]);
            }
            ways.push_back(std::move(way));
        }
        return [this, ways = std::move(ways)] {
            m_ways = ways;
            Q_EMIT changed();
        };
    });
}

}  // namespace nutatio::app
