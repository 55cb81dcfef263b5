// An actor on its way up the stack, and the keys of its columns.
#pragma once

#include <map>
#include <set>
#include <vector>

#include "base/hash.h"
#include "rig/morph_targets.h"
#include "rig/track.h"
#include "scene/scene.h"

namespace nutatio::pipeline {

/// Of one column of all that has a key.
inline Key columnKey(const Key& layer, std::uint64_t column) {
    return Hasher().key(layer).number(column).done();
}

/// An actor on its way up the stack.
struct Climber {
    const scene::ActorEntry* entry = nullptr;
    scene::Placement placement;
    rig::Track track;
    std::vector<Key> keys, bodyKeys;  // by joint: now, and below all layers
    Key bodyKey;
    std::map<rig::MorphId, Key> morphKeys;  // of weights that a layer made
    int lap = 0;                            // [frames] after which its body comes round; 0: it does not
    bool goes = false;                      // a layer carries it over the ground
    std::size_t allowed = 0, held = 0;
    std::vector<char> read, written;  // by joint: by layers that wait to be run
    std::set<rig::MorphId> made;      // whose weights such layers make

    Key keyOf(const rig::MorphId& morph) const {
        const auto at = morphKeys.find(morph);
        return at == morphKeys.end() ? bodyKey : at->second;
    }
};

inline void add(Hasher& h, const Vec3& v) {
    h.bytes(v.data(), 3 * sizeof(double));
}

inline void add(Hasher& h, const scene::Placement& p) {
    h.bytes(p.turn.coeffs().data(), 4 * sizeof(double)).real(p.metres);
    add(h, p.place);
}

}  // namespace nutatio::pipeline
