#include "layers/hold/hold_shown.h"

#include <algorithm>

namespace nutatio::layers::hold {

namespace {

const char* const kSpot[] = {"spot_x", "spot_y", "spot_z"};

std::vector<Mark> marks(const OnShow& now) {
    std::vector<Mark> out;
    const auto* contacts = now.told ? now.told->noted<Contacts>() : nullptr;
    if (!contacts) return out;
    const auto stands = [&](const Held& h) { return now.frame >= h.from && now.frame <= h.to; };
    std::vector<const Held*> seen;
    for (const Held& h : contacts->held) {
        if (h.joint >= static_cast<int>(now.worlds.size())) continue;
        const Vec3 at = now.worlds[static_cast<std::size_t>(h.joint)].apply(h.spot);
        const auto same = [&](const Held* o) { return o->joint == h.joint && o->spot == h.spot; };
        if (stands(h)) {
            // A square on the ground about what stands, filled with its cross.
            const double size = 0.05 * now.size;
            std::vector<Vec3> square;
            for (const auto& [x, z] : {std::pair{1, 1}, {1, -1}, {-1, -1}, {-1, 1}, {1, 1}})
                square.push_back(at + Vec3(x * size, 0, z * size));
            out.push_back(lineMark({square[0], square[2]}, Mark::Tone::Standing, 1.2));
            out.push_back(lineMark({square[1], square[3]}, Mark::Tone::Standing, 1.2));
            out.push_back(lineMark(std::move(square), Mark::Tone::Standing, 2.4));
        }
        if (std::any_of(seen.begin(), seen.end(), same)) continue;
        seen.push_back(&h);
        // How near it must be to where it stands: a ring about the point, whole while it does, in dashes while it is up.
        const bool holds =
            std::any_of(contacts->held.begin(), contacts->held.end(), [&](const Held& o) { return same(&o) && stands(o); });
        const double reach = h.near * now.placement.metres;
        if (reach <= 0) continue;
        Mark ring = ringMark(at, reach, holds ? Mark::Tone::Standing : Mark::Tone::Quiet, holds ? 2.2 : 1.6);
        ring.dashed = !holds;
        if (!holds) ring.strength = 0.6;
        out.push_back(std::move(ring));
    }
    return out;
}

std::vector<Handle> handles(const OnShow& now) {
    std::vector<Handle> out;
    const rig::Skeleton& skeleton = now.actor.skeleton;
    for (const std::string& name : now.layer.list("joint")) {
        const int j = skeleton.find(name);
        if (j == rig::kNoJoint || j >= static_cast<int>(now.worlds.size())) continue;
        Vec3 own;
        for (int k = 0; k < 3; ++k) own[k] = now.layer.number(scene::channelId(kSpot[k], skeleton.reference(j)));
        const Affine& world = now.worlds[static_cast<std::size_t>(j)];
        out.push_back({skeleton.reference(j), world.t + rotationOf(world.m) * own, false, true, j});
    }
    return out;
}

Changes drag(const OnShow& now, const Handle& handle, const Vec3& to) {
    const Affine& world = now.worlds[static_cast<std::size_t>(handle.over)];
    const Vec3 own = rotationOf(world.m).conjugate() * (to - world.t);
    Changes out;
    for (int k = 0; k < 3; ++k) out.emplace_back(scene::channelId(kSpot[k], handle.id), own[k]);
    return out;
}

}  // namespace

const Showing kShowing{marks, handles, drag};

}  // namespace nutatio::layers::hold
