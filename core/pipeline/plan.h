// What can be said of a layer before it runs: which columns it reads and writes, and the key of its settings.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <unordered_map>
#include <vector>

#include "base/hash.h"
#include "layers/run.h"

namespace nutatio::pipeline {

/// Of one layer, for as long as layer, shot and actor are the very same.
struct Plan {
    std::shared_ptr<const scene::Layer> layer;
    std::shared_ptr<const scene::Shot> shot;
    std::shared_ptr<const rig::Actor> actor;
    int frames = 0;
    const layers::LayerKind* kind = nullptr;
    std::string problem;
    std::vector<layers::Moved> moves;
    std::vector<int> roots, reads, writes, swings;  // joints; reads and writes in order
    std::vector<rig::MorphId> morphs;               // whose weights it makes of those below
    std::vector<scene::Mount> elsewhere;            // on other actors, and spots of its own, that its settings name
    double reach = 0;
    layers::ResolvedPtr settings;
    std::optional<layers::Shares> shares;
    Key key;  // of the settings but mix and amount

    /// Works out what the shot makes of the settings, some of them fed.
    void resolve(const scene::FedCurves* fed);
};

class Plans {
  public:
    /// Where a layer cannot run its plan says why, and no more.
    const Plan& of(const std::shared_ptr<const scene::Layer>& layer, const std::shared_ptr<const scene::Shot>& shot,
                   const scene::ActorEntry& actor, int frames);
    /// Forgets all where they are more than `most`.
    void thin(std::size_t most) {
        if (m_plans.size() > most) m_plans.clear();
    }

  private:
    std::unordered_map<std::string, Plan> m_plans;  // by layer
};

}  // namespace nutatio::pipeline
