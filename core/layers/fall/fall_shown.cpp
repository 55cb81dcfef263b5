#include "layers/fall/fall_shown.h"

#include <algorithm>
#include <cmath>

#include "scene/items.h"

namespace nutatio::layers::fall {

namespace {

/// The arrow of a throw is as long as it is fast, and long enough to be taken hold of when it is dropped.
double lengthOf(double speed, double size) {
    return size * (0.12 + 0.05 * speed);
}
double speedOf(double length, double size) {
    return std::max(0.0, (length / size - 0.12) / 0.05);
}

const Thrown* wayOf(const OnShow& now) {
    const auto* way = now.told ? now.told->noted<Thrown>() : nullptr;
    return way && !way->places.empty() ? way : nullptr;
}

Vec3 startOf(const OnShow& now, const Thrown& way) {
    return way.rests + Vec3(0, now.settings.at("lift"), 0);
}

Vec3 tipOf(const OnShow& now, const Thrown& way) {
    return startOf(now, way) + lengthOf(now.settings.at("speed"), now.size) *
                                   scene::windDirection(now.settings.at("heading"), now.settings.at("rise"));
}

std::vector<Mark> marks(const OnShow& now) {
    const Thrown* way = wayOf(now);
    if (!way) return {};
    // How high it is lifted, the way that it goes with a dot a frame, a ring where it touches first, and which way it is thrown.
    std::vector<Mark> out{lineMark({way->rests, startOf(now, *way)}, Mark::Tone::Quiet, 1.4, 0.7),
                          lineMark(way->places, Mark::Tone::Moved, 2.4)};
    for (std::size_t k = 0; k < way->places.size(); ++k) {
        const bool here = way->from + static_cast<int>(k) == now.frame;
        out.push_back(dotMark(way->places[k], here ? Mark::Tone::Notable : Mark::Tone::Moved, here ? 10 : 4));
    }
    const auto touch = static_cast<std::size_t>(std::max(0, way->touch - way->from));
    if (way->touch >= 0 && touch < way->places.size())
        out.push_back(ringMark(way->places[touch], 0.04 * now.size, Mark::Tone::Standing, 2.4, Vec3::UnitY()));
    Mark arrow = lineMark({startOf(now, *way), tipOf(now, *way)}, Mark::Tone::Force, 2.4);
    arrow.form = Mark::Form::Arrow;
    out.push_back(std::move(arrow));
    return out;
}

std::vector<Handle> handles(const OnShow& now) {
    const Thrown* way = wayOf(now);
    if (!way) return {};
    return {{"throw", tipOf(now, *way)}, {"lift", startOf(now, *way), true}};
}

Changes drag(const OnShow& now, const Handle& handle, const Vec3& to) {
    const Thrown* thrown = wayOf(now);
    if (!thrown) return {};
    if (handle.id == "lift") return {{"lift", to.y() - thrown->rests.y()}};
    const Vec3 way = to - startOf(now, *thrown);
    if (way.norm() < 1e-9) return {};
    scene::Wind aimed;
    scene::setWindDirection(aimed, way);
    return {{"heading", aimed.number("heading")}, {"rise", aimed.number("rise")}, {"speed", speedOf(way.norm(), now.size)}};
}

}  // namespace

const Showing kShowing{marks, handles, drag};

}  // namespace nutatio::layers::fall
