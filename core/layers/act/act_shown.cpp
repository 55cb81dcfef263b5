#include "layers/act/act_shown.h"

namespace nutatio::layers::act {

namespace {

struct Aim {
    Vec3 place, from;  // in the world
    Affine carrier;    // that the place is given from
};

std::optional<Aim> aimOf(const OnShow& now) {
    const std::string& does = now.layer.text("act");
    if (does != "reach" && does != "look" && does != "leap") return std::nullopt;
    Aim out{};
    const std::string own = now.layer.actor;
    if (const auto to = scene::mountIn(now.actor.skeleton, own, now.layer.text("to"))) {
        const auto world = now.carrier(*to);
        if (!world) return std::nullopt;
        out.carrier.t = world->t;
        out.carrier.m = rotationOf(world->m).toRotationMatrix();
    }
    out.place = out.carrier.apply(now.settings.vector("place", now.frame));
    const auto& joints = now.layer.list("joint");
    const bool none = joints.empty() && now.actor.skeleton.size() == 0;
    const auto from = none ? std::nullopt : now.carrier({own, joints.empty() ? now.actor.skeleton.reference(0) : joints.front()});
    out.from = from ? from->t : out.place;
    return out;
}

std::vector<Mark> marks(const OnShow& now) {
    const auto aim = aimOf(now);
    if (!aim) return {};
    const double r = 0.035 * now.size;
    std::vector<Mark> out{lineMark({aim->from, aim->place}, Mark::Tone::Moved, 2),
                          ringMark(aim->place, r, Mark::Tone::Moved, 2.2)};
    out.front().dashed = true;
    for (const Vec3& d : {Vec3(r, 0, 0), Vec3(0, r, 0), Vec3(0, 0, r)})
        out.push_back(lineMark({aim->place - 1.4 * d, aim->place + 1.4 * d}, Mark::Tone::Moved, 1.2));
    return out;
}

std::vector<Handle> handles(const OnShow& now) {
    const auto aim = aimOf(now);
    if (!aim) return {};
    return {{"aim", aim->place, true}};
}

Changes drag(const OnShow& now, const Handle&, const Vec3& to) {
    const auto aim = aimOf(now);
    if (!aim) return {};
    const Vec3 own = aim->carrier.inverse().apply(to);
    return {{"place_x", own.x()}, {"place_y", own.y()}, {"place_z", own.z()}};
}

}  // namespace

const Showing kShowing{marks, handles, drag};

}  // namespace nutatio::layers::act
