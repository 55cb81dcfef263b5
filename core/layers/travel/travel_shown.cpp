#include "layers/travel/travel_shown.h"

#include <algorithm>
#include <cmath>

#include "rig/stride.h"

namespace nutatio::layers::travel {

namespace {

std::vector<Mark> marks(const OnShow& now) {
    const auto below = now.below(), above = now.above();
    if (!below || !above || above->joints() == 0 || above->joints() != now.actor.skeleton.size()) return {};
    const int root = now.actor.skeleton.roots().front(), frames = above->frames();
    const Vec3 stand = rig::standOf(now.actor, scene::levelOf(now.placement));
    std::vector<Vec3> way;
    for (int f = 0; f < frames; ++f) {
        const Affine by = above->at(root, f).affine() * below->at(root, f).affine().inverse();
        Vec3 p = now.placement.toWorld(by.apply(stand));
        p.y() = now.ground;
        way.push_back(p);
    }
    std::vector<Mark> out;
    // Eight ticks a second tell where it is fast.
    Mark ticks = lineMark({}, Mark::Tone::Standing, 5);
    ticks.form = Mark::Form::Dots;
    const int every = std::max(1, static_cast<int>(std::lround(above->grid().fps / 8)));
    for (int f = 0; f < frames; f += every) ticks.points.push_back(way[static_cast<std::size_t>(f)]);
    out.push_back(dotMark(way[static_cast<std::size_t>(within(now.frame, 0, frames - 1))], Mark::Tone::Moved, 9));
    Mark line = lineMark(std::move(way), Mark::Tone::Standing, 1.8);
    line.haloed = true;
    out.insert(out.begin(), {std::move(line), std::move(ticks)});
    return out;
}

}  // namespace

const Showing kShowing{marks, nullptr, nullptr};

}  // namespace nutatio::layers::travel
