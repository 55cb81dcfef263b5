#include "physics/colliders.h"

#include "physics/pack_body.h"

namespace nutatio::physics {

Contact nearest(const Body& body, const Vec3& p, const Vec3& v) {
    lanes::Body<2> packed{};
    for (int lane = 0; lane < 2; ++lane) packBody(body, reinterpret_cast<double*>(&packed), 2, lane);
    const auto wide = [](const Vec3& a) {
        return lanes::V3<2>{lanes::all<2>(a.x()), lanes::all<2>(a.y()), lanes::all<2>(a.z())};
    };
    const auto narrow = [](const lanes::V3<2>& a) { return Vec3(a.x[0], a.y[0], a.z[0]); };
    const lanes::Touch<2> t = lanes::touch<2>(laneKind(body.kind), packed, wide(p), wide(v));
    return {t.lever[0], t.distance[0], narrow(t.normal), narrow(t.velocity)};
}

}  // namespace nutatio::physics
