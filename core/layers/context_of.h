// What a layer reads of itself, its actor and its shot, put together in one place.
#pragma once

#include <functional>
#include <string>

#include "layers/layer_kind.h"

namespace nutatio::layers {

/// Makes what the layers of one actor may read in a shot, wherever that is asked for: baked, live, measured, posed by hand. The
/// surroundings - bodies, wind, pins, acts - are given by who knows them. All that is given must outlive what it makes.
class ContextOf {
  public:
    /// Regions of the actor's surface, by the name of a part or map; null where there is none of that name.
    using Regions = std::function<RegionPtr(const std::string& name)>;

    ContextOf(const scene::Shot& shot, const scene::ActorEntry& actor, Regions regions = {})
        : m_shot(shot), m_actor(actor), m_regions(std::move(regions)) {}
    /// `settings`: what the layer's keys and feeds came to.
    LayerContext of(const scene::Layer& layer, ResolvedPtr settings) const;
    /// How long the shot is until it comes round, where the body does [s]; 0: it does not.
    double periodOf(const rig::Track& body) const;

  private:
    const scene::Shot& m_shot;
    const scene::ActorEntry& m_actor;
    Regions m_regions;
};

}  // namespace nutatio::layers
