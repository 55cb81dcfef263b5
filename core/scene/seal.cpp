#include "scene/seal.h"

namespace nutatio::scene {

Key Seal::key() const {
    Hasher h;
    h.number(static_cast<std::uint64_t>(from)).number(static_cast<std::uint64_t>(to)).real(fps).number(parts.size());
    if (after) h.key(after->key());
    for (const Part& p : parts) {
        for (const std::string& j : p.joints) h.text(j);
        for (const rig::Column& c : p.columns)
            for (const Xform& x : c) {
                for (double v : x.t) h.real(v);
                for (double v : x.r.coeffs()) h.real(v);
                for (double v : x.s) h.real(v);
            }
        for (double v : p.state) h.real(v);
        for (const rig::Patch& s : p.surfaces) {
            h.number(static_cast<std::uint64_t>(s.instance)).number(static_cast<std::uint64_t>(s.primitive));
            h.bytes(s.vertices.data(), s.vertices.size() * sizeof(std::uint32_t));
            h.bytes(s.offsets.data(), s.offsets.size() * sizeof(Vec3f));
        }
    }
    return h.done();
}

}  // namespace nutatio::scene
