// What an edit changed, found by comparing what two scenes share.
#pragma once

#include <vector>

#include "scene/scene.h"

namespace nutatio::scene {

/// The difference between two scenes, as far as a view wants to know it.
struct Change {
    bool all = false;           // nothing that was known holds
    std::vector<Owner> things;  // that came, went, or are set otherwise
    std::vector<List> lists;    // whose members or order are others
    bool shot = false;          // what plays, or what is keyed and cut in it
    bool shots = false;         // which shots there are
    bool takes = false;         // takes that are kept: they move nothing

    bool moves() const { return all || !things.empty() || !lists.empty() || shot || shots; }
    bool none() const { return !moves() && !takes; }
    bool touches(const Owner& owner) const;
    bool touches(List list) const;
    bool reorders(List list) const;
};
/// Costs a comparison of pointers for each thing of the two scenes.
Change changeBetween(const Scene& before, const Scene& after);

}  // namespace nutatio::scene
