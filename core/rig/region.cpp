#include "rig/region.h"

#include <algorithm>

namespace nutatio::rig {

std::shared_ptr<const Region> regionOf(const Actor& actor, const std::vector<MapStep>& steps, const std::vector<Map>& maps) {
    if (steps.empty()) return nullptr;
    auto out = std::make_shared<Region>();
    out->surface = Surface::of(actor);
    auto values = mapValues(actor, out->surface, {"", steps, false}, maps);
    if (!values) return nullptr;
    out->values = std::move(values.value());
    if (std::all_of(out->values.begin(), out->values.end(), [](float v) { return v <= 0; })) return nullptr;
    out->key = Hasher().bytes(out->values.data(), out->values.size() * sizeof(float)).done();
    return out;
}

}  // namespace nutatio::rig
