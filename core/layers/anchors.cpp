#include "layers/anchors.h"

#include <algorithm>

namespace nutatio::layers {

Anchors::Anchors(const LayerContext& context)
    : m_own(context.actor.skeleton), m_ownId(context.layer.actor), m_others(context.others) {}

int Anchors::add(std::string_view actorId, std::string_view joint) {
    Anchor a{kWorld, rig::kNoJoint};
    if (!actorId.empty()) {
        const rig::Skeleton* s = nullptr;
        if (actorId == m_ownId) {
            a.actor = kOwn;
            s = &m_own;
        }
        for (std::size_t k = 0; k < m_others.size(); ++k)
            if (m_others[k].id == actorId) {
                a.actor = static_cast<int>(k);
                s = &m_others[k].actor->skeleton;
            }
        if (!s) return -1;
        a.joint = s->find(joint);
        if (a.joint == rig::kNoJoint) return -1;
    }
    m_anchors.push_back(a);
    return static_cast<int>(m_anchors.size()) - 1;
}

void Anchors::close() {
    for (int k = kOwn; k < static_cast<int>(m_others.size()); ++k) {
        std::vector<int> wanted;
        for (const Anchor& a : m_anchors)
            if (a.actor == k) wanted.push_back(a.joint);
        m_places.emplace_back(k == kOwn ? m_own : m_others[static_cast<std::size_t>(k)].actor->skeleton, wanted);
    }
    m_worlds.resize(m_anchors.size());
}

void Anchors::update(const PoseView& pose) {
    m_places[0].update(pose);
    for (std::size_t k = 0; k < m_others.size(); ++k) {
        const rig::Track& track = *m_others[k].body;
        m_places[k + 1].update(PoseView(track, std::clamp(pose.frame(), 0, track.frames() - 1)));
    }
    for (std::size_t i = 0; i < m_anchors.size(); ++i)
        if (m_anchors[i].actor != kWorld)
            m_worlds[i] = m_places[static_cast<std::size_t>(m_anchors[i].actor + 1)].world(m_anchors[i].joint);
}

std::vector<physics::WindDef> windsOf(const LayerContext& context) {
    const double unit = 1 / context.actor.metresPerUnit;
    std::vector<physics::WindDef> out;
    for (const scene::Wind* w : context.winds)
        out.push_back({unit * w->place, w->direction, unit * w->speed, w->gustRate, w->gustShare, unit * w->swirlSize,
                       w->swirlShare, unit * w->reach, w->falloff, static_cast<std::uint64_t>(w->seed)});
    return out;
}

}  // namespace nutatio::layers
