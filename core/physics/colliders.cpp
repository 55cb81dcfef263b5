#include "physics/colliders.h"

#include "physics/pack_body.h"

namespace nutatio::physics {

Contact nearest(const Body& body, const Vec3& p, const Vec3& v) {
    lanes::Body<1> packed{};
    packBody(body, reinterpret_cast<double*>(&packed), 1, 0);
    const auto wide = [](const Vec3& a) {
        return lanes::V3<1>{lanes::all<1>(a.x()), lanes::all<1>(a.y()), lanes::all<1>(a.z())};
    };
    const auto narrow = [](const lanes::V3<1>& a) { return Vec3(a.x[0], a.y[0], a.z[0]); };
    const lanes::Touch<1> t = lanes::touch<1>(laneKind(body.kind), packed, wide(p), wide(v));
    return {t.lever[0], t.distance[0], narrow(t.normal), narrow(t.velocity)};
}

}  // namespace nutatio::physics
