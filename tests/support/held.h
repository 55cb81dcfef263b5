#pragma once

#include "layers/hold/hold_shown.h"
#include "pipeline/evaluate.h"

namespace nutatio::test {

/// Where a layer that holds joints holds them; empty of any other.
inline std::vector<layers::hold::Held> heldIn(const pipeline::Evaluation& e, const std::string& layer) {
    const pipeline::LayerResult* r = e.layer(layer);
    const auto* contacts = r ? r->noted<layers::hold::Contacts>() : nullptr;
    return contacts ? contacts->held : std::vector<layers::hold::Held>{};
}

}  // namespace nutatio::test
