#include "layers/recorded.h"

#include "layers/run.h"

namespace nutatio::layers {

namespace {

/// Where a frame's offsets begin.
template <class Patch>
auto frameOf(Patch& p, std::size_t frame) {
    return p.offsets.begin() + static_cast<std::ptrdiff_t>(frame * p.vertices.size());
}

}  // namespace

Recorded::Recorded(const Mover& mover)
    : joints(mover.joints().size()),
      surfaces(mover.surfaces().begin(), mover.surfaces().end()),
      m_transforms(mover.joints().size()) {
    for (rig::Patch& p : surfaces) p.offsets.clear();
}

void Recorded::put(const Mover& mover, const PoseView& goal) {
    mover.write(goal, m_transforms);
    for (std::size_t k = 0; k < joints.size(); ++k) joints[k].push_back(m_transforms[k]);
    for (std::size_t k = 0; k < surfaces.size(); ++k) {
        std::vector<Vec3f>& offsets = surfaces[k].offsets;
        const std::size_t n = surfaces[k].vertices.size();
        offsets.resize(offsets.size() + n, Vec3f::Zero());
        mover.writeSurface(goal, k, std::span(offsets).last(n));
    }
}

void Recorded::put(const std::vector<rig::Column>& columns, const std::vector<rig::Patch>& patches, std::size_t frame) {
    for (std::size_t k = 0; k < joints.size(); ++k) joints[k].push_back(columns[k][frame]);
    for (std::size_t k = 0; k < surfaces.size(); ++k)
        surfaces[k].offsets.insert(surfaces[k].offsets.end(), frameOf(patches[k], frame), frameOf(patches[k], frame + 1));
}

std::vector<rig::Column> Recorded::columnsFrom(int from, int to) const {
    std::vector<rig::Column> out;
    for (const rig::Column& c : joints) out.emplace_back(c.begin() + from, c.begin() + to + 1);
    return out;
}

std::vector<rig::Patch> Recorded::surfacesFrom(int from, int to) const {
    std::vector<rig::Patch> out;
    for (const rig::Patch& p : surfaces)
        out.push_back({p.instance,
                       p.primitive,
                       p.vertices,
                       {frameOf(p, static_cast<std::size_t>(from)), frameOf(p, static_cast<std::size_t>(to) + 1)}});
    return out;
}

void Recorded::blendFrom(std::size_t later, std::size_t n) {
    for (std::size_t t = 0; t < n; ++t) {
        const double share = eased(static_cast<double>(t) / static_cast<double>(n));
        for (rig::Column& c : joints) c[t] = mixed(c[later + t], c[t], share);
        for (rig::Patch& p : surfaces)
            for (std::size_t v = 0; v < p.vertices.size(); ++v) {
                Vec3f& own = *(frameOf(p, t) + static_cast<std::ptrdiff_t>(v));
                const Vec3f& ahead = *(frameOf(p, later + t) + static_cast<std::ptrdiff_t>(v));
                own = ahead + static_cast<float>(share) * (own - ahead);
            }
    }
    for (rig::Column& c : joints) c.resize(later + 1);
    for (rig::Patch& p : surfaces) p.offsets.resize((later + 1) * p.vertices.size());
}

}  // namespace nutatio::layers
