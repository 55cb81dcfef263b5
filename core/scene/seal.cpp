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
    }
    return h.done();
}

}  // namespace nutatio::scene
