#include "rig/carried.h"

#include "rig/last_few.h"
#include "rig/surface.h"

namespace nutatio::rig {

std::shared_ptr<const std::vector<double>> carriedBy(const Actor& actor) {
    static LastFew<std::vector<double>> known;
    return known.of(actor, {}, [&] {
        std::vector<double> out(static_cast<std::size_t>(actor.skeleton.size()), 0.0);
        const Surface surface = Surface::of(actor);
        for (std::uint32_t v = 0; v < surface.places.size(); ++v)
            for (const Surface::Pull& p : surface.pulls(v)) out[static_cast<std::size_t>(p.joint)] += p.weight;
        return out;
    });
}

double carriedBelow(const Actor& actor, const std::vector<double>& carried, int joint) {
    double sum = 0;
    for (int j : actor.skeleton.subtree(joint)) sum += carried[static_cast<std::size_t>(j)];
    return sum;
}

}  // namespace nutatio::rig
