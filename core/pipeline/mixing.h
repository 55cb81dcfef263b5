// How much of a layer shows: what it made, mixed over what is below it.
#pragma once

#include "layers/run.h"
#include "pipeline/memory.h"
#include "scene/seal.h"

namespace nutatio::pipeline {

/// `sealed`: frames that were mixed when they were sealed, and stay as they are; null: none.
Changed mixedOver(const rig::Track& below, const Changed& made, const rig::Actor& actor, const layers::Shares& shares,
                  const std::vector<layers::Moved>& moves, const scene::Seal* sealed);

}  // namespace nutatio::pipeline
