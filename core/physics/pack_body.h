// How a Body is written into a lane of the kernel's arrays.
#pragma once

#include <cstddef>

#include "physics/colliders.h"
#include "physics/contact_lanes.h"

namespace nutatio::physics {

/// Puts `body` into lane `lane` of `into`, an array of lanes::Body<width>.
inline void packBody(const Body& body, double* into, int width, int lane) {
    using Fields = lanes::Body<2>;
    constexpr std::size_t kPack = 2 * sizeof(double);
    const auto put = [&](std::size_t at, double v) {
        into[at / kPack * static_cast<std::size_t>(width) + static_cast<std::size_t>(lane)] = v;
    };
    const auto put3 = [&](std::size_t at, const Vec3& v) {
        for (int k = 0; k < 3; ++k) put(at + static_cast<std::size_t>(k) * kPack, v[k]);
    };
    put3(offsetof(Fields, a), body.a);
    put3(offsetof(Fields, b), body.b);
    put3(offsetof(Fields, velocity), body.velocity);
    put3(offsetof(Fields, spin), body.spin);
    put(offsetof(Fields, radiusA), body.radiusA);
    put(offsetof(Fields, radiusB), body.radiusB);
    put3(offsetof(Fields, axisX), body.turn * Vec3::UnitX());
    put3(offsetof(Fields, axisY), body.turn * Vec3::UnitY());
    put3(offsetof(Fields, half), body.half);
    put(offsetof(Fields, friction), body.friction);
    put(offsetof(Fields, apart), 0);
}

inline lanes::BodyKind laneKind(Body::Kind kind) {
    return kind == Body::Kind::Plane ? lanes::kPlane : kind == Body::Kind::Box ? lanes::kBox : lanes::kRound;
}

}  // namespace nutatio::physics
