#include "layers/balance/balance_shown.h"

namespace nutatio::layers::balance {

namespace {

std::vector<Mark> marks(const OnShow& now) {
    const auto* w = now.told ? now.told->noted<Weighed>() : nullptr;
    if (!w) return {};
    const auto inWorld = [&](std::vector<Vec3> v) {
        for (Vec3& p : v) p = now.placement.toWorld(p);
        return v;
    };
    const std::vector<Vec3> above = inWorld(w->above);
    std::vector<Mark> out{lineMark(inWorld(w->below), Mark::Tone::Quiet, 1.4, 0.7), lineMark(above, Mark::Tone::Moved, 2.2)};
    out.front().dashed = true;
    // In the air it stands out, with a tick a frame.
    for (const Weighed::Flight& x : w->flights) {
        std::vector<Vec3> way;
        for (int f = std::max(0, x.from - 1); f <= x.to && f < static_cast<int>(above.size()); ++f)
            way.push_back(above[static_cast<std::size_t>(f)]);
        for (std::size_t k = x.from > 0 ? 1 : 0; k < way.size(); ++k) out.push_back(dotMark(way[k], Mark::Tone::Notable, 6));
        out.push_back(lineMark(std::move(way), Mark::Tone::Notable, 4));
    }
    const auto at = static_cast<std::size_t>(now.frame);
    if (at >= above.size()) return out;
    std::vector<Vec3> round = inWorld(w->support[at]);
    const bool stands = !round.empty();
    if (stands) round.push_back(round.front());
    out.push_back(lineMark(std::move(round), Mark::Tone::Standing, 2.4));
    const Vec3& c = above[at];
    const Vec3 shadow(c.x(), w->floor[at], c.z());
    const double size = 0.025 * now.size;
    out.push_back(lineMark({c, shadow}, Mark::Tone::Quiet, 1.2, 0.6));
    // The centre of mass: a ring that faces the eye, with a dot; its shadow lies on the floor.
    out.push_back(ringMark(c, size, Mark::Tone::Moved, 2.6));
    out.push_back(dotMark(c, Mark::Tone::Moved, 8));
    out.push_back(ringMark(shadow, size, Mark::Tone::Quiet, 1.8, Vec3::UnitY()));
    out.back().strength = 0.8;
    if (!stands) return out;
    const Vec3 press = now.placement.toWorld(w->pressure[at]), x(size, 0, 0), z(0, 0, size);
    out.push_back(lineMark({press + x, press + z, press - x, press - z, press + x}, Mark::Tone::Force, 2.4));
    out.push_back(dotMark(press, Mark::Tone::Force, 6));
    return out;
}

}  // namespace

const Showing kShowing{marks, nullptr, nullptr};

}  // namespace nutatio::layers::balance
