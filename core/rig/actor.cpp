#include "rig/actor.h"

#include <algorithm>
#include <charconv>

namespace nutatio::rig {

std::vector<Xform> Actor::restPose() const {
    std::vector<Xform> locals;
    locals.reserve(static_cast<std::size_t>(skeleton.size()));
    for (const Joint& j : skeleton.joints()) locals.push_back(j.rest);
    return locals;
}

int Actor::findClip(std::string_view wanted) const {
    for (std::size_t i = 0; i < clips.size(); ++i)
        if (clips[i].name == wanted && !wanted.empty()) return static_cast<int>(i);
    if (wanted.size() > 1 && wanted.front() == '#') {
        std::size_t index = 0;
        const char* end = wanted.data() + wanted.size();
        const auto [at, bad] = std::from_chars(wanted.data() + 1, end, index);
        if (bad == std::errc() && at == end && index < clips.size()) return static_cast<int>(index);
    }
    return -1;
}

std::string Actor::clipLabel(int clip) const {
    const std::string& n = clips[static_cast<std::size_t>(clip)].name;
    return n.empty() ? "#" + std::to_string(clip) : n;
}

Eigen::AlignedBox3d Actor::bounds(const std::vector<Xform>& pose) const {
    std::vector<Affine> worlds;
    worldTransforms(skeleton, pose, worlds);
    Eigen::AlignedBox3d box;
    PosedVertices posed;
    for (const MeshInstance& i : instances)
        for (const Primitive& p : meshes[static_cast<std::size_t>(i.mesh)].primitives) {
            poseVertices(*this, i, p, worlds, {}, posed);
            for (const Vec3f& v : posed.positions) box.extend(v.cast<double>());
        }
    if (box.isEmpty())
        for (const Affine& w : worlds) box.extend(w.t);
    if (box.isEmpty()) box.extend(Vec3::Zero());
    return box;
}

namespace {

Key motionKey(const Actor& a) {
    Hasher h;
    h.number(static_cast<std::uint64_t>(a.skeleton.size())).real(a.metresPerUnit);
    for (const Joint& j : a.skeleton.joints()) {
        h.text(j.name).number(static_cast<std::uint64_t>(j.parent));
        h.bytes(j.rest.t.data(), sizeof(double) * 3).bytes(j.rest.r.coeffs().data(), sizeof(double) * 4);
        h.bytes(j.rest.s.data(), sizeof(double) * 3);
    }
    for (const ToldRole& t : a.told) h.number(static_cast<std::uint64_t>(t.joint)).text(t.role);
    for (const Clip& c : a.clips) {
        h.text(c.name).real(c.start).real(c.end);
        for (const Channel& ch : c.channels) {
            h.number(static_cast<std::uint64_t>(ch.joint)).number(static_cast<std::uint64_t>(ch.path));
            h.number(static_cast<std::uint64_t>(ch.interpolation));
            h.bytes(ch.times.data(), ch.times.size() * sizeof(float)).bytes(ch.values.data(), ch.values.size() * sizeof(float));
        }
    }
    return h.done();
}

template <class List>
void addAll(Hasher& h, const List& v) {
    h.number(v.size()).bytes(v.data(), v.size() * sizeof(*v.data()));
}

Key pictureKey(const Actor& a) {
    Hasher h;
    for (const Mesh& m : a.meshes)
        for (const Primitive& p : m.primitives) {
            addAll(h, p.positions);
            addAll(h, p.normals);
            addAll(h, p.uvs);
            addAll(h, p.colours);
            addAll(h, p.influences);
            addAll(h, p.triangles);
            h.number(static_cast<std::uint64_t>(p.material));
            for (const MorphTarget& t : p.morphs) {
                addAll(h, t.positions);
                addAll(h, t.normals);
            }
        }
    for (const Skin& s : a.skins) {
        addAll(h, s.joints);
        for (const Affine& bind : s.inverseBind)
            h.bytes(bind.m.data(), sizeof(double) * 9).bytes(bind.t.data(), sizeof(double) * 3);
    }
    for (const MeshInstance& i : a.instances)
        h.number(static_cast<std::uint64_t>(i.joint))
            .number(static_cast<std::uint64_t>(i.mesh))
            .number(static_cast<std::uint64_t>(i.skin));
    for (const Material& m : a.materials) {
        h.bytes(m.colour.data(), 4 * sizeof(float)).number(static_cast<std::uint64_t>(m.image)).real(m.alphaCutoff);
        h.number(m.blend).number(m.doubleSided);
    }
    for (const PackedImage& im : a.images) {
        h.number(im.bytes ? im.bytes->size() : 0);
        if (im.bytes) h.bytes(im.bytes->data(), im.bytes->size());
    }
    return h.done();
}

}  // namespace

void Actor::finish() {
    isSkinJoint.assign(static_cast<std::size_t>(skeleton.size()), false);
    for (const Skin& s : skins)
        for (int j : s.joints) isSkinJoint[static_cast<std::size_t>(j)] = true;

    const Eigen::AlignedBox3d box = bounds(restPose());
    low = box.min();
    high = box.max();
    height = high.y() - low.y();
    if (!(height > 1e-9 * box.diagonal().norm())) height = box.diagonal().norm();
    if (!(height > 0) || !std::isfinite(height)) height = 1;
    keyMotion();
    picture = pictureKey(*this);
}

void Actor::keyMotion() {
    content = motionKey(*this);
}

std::vector<double> scalesAbove(const Actor& actor) {
    std::vector<Affine> worlds;
    worldTransforms(actor.skeleton, actor.restPose(), worlds);
    std::vector<double> out(worlds.size(), 1.0);
    for (std::size_t j = 0; j < out.size(); ++j)
        if (const int p = actor.skeleton.joint(static_cast<int>(j)).parent; p != kNoJoint)
            out[j] = std::max(1e-9, std::cbrt(std::abs(worlds[static_cast<std::size_t>(p)].m.determinant())));
    return out;
}

}  // namespace nutatio::rig
