#include "pipeline/trials.h"

#include <algorithm>
#include <set>

#include "files/gltf_writer.h"
#include "files/scene_file.h"
#include "rig/mapping.h"

namespace nutatio::pipeline {

namespace {

constexpr double kAlike = 1e-3;  // [rad] between two rest poses of one joint

/// The same joints by name: of the target, by joint of the source; empty where a joint that moves, or what it hangs on, is not
/// there or rests otherwise.
std::vector<int> sameJoints(const rig::Actor& source, const rig::Clip& clip, const rig::Actor& target) {
    std::vector<int> to(static_cast<std::size_t>(source.skeleton.size()), rig::kNoJoint);
    std::set<int> wanted;
    for (const rig::Channel& c : clip.channels)
        for (int j = c.joint; c.path != rig::Path::Weights && j != rig::kNoJoint; j = source.skeleton.joint(j).parent)
            wanted.insert(j);
    for (int j : wanted) {
        const rig::Joint& own = source.skeleton.joint(j);
        const int there = own.name.empty() ? rig::kNoJoint : target.skeleton.find(own.name);
        if (there == rig::kNoJoint) return {};
        const rig::Joint& other = target.skeleton.joint(there);
        const std::string on = own.parent == rig::kNoJoint ? "" : source.skeleton.joint(own.parent).name,
                          otherOn = other.parent == rig::kNoJoint ? "" : target.skeleton.joint(other.parent).name;
        if (on != otherOn || own.rest.r.angularDistance(other.rest.r) > kAlike) return {};
        to[static_cast<std::size_t>(j)] = there;
    }
    return to;
}

/// How much longer the target's bones are than those of the same joints of the source.
double largerBy(const rig::Actor& source, const rig::Actor& target, const std::vector<int>& to) {
    double own = 0, other = 0;
    for (std::size_t j = 0; j < to.size(); ++j) {
        const rig::Joint& joint = source.skeleton.joint(static_cast<int>(j));
        if (to[j] == rig::kNoJoint || joint.parent == rig::kNoJoint) continue;
        own += joint.rest.t.norm();
        other += target.skeleton.joint(to[j]).rest.t.norm();
    }
    return own > 0 && other > 0 ? other / own : source.metresPerUnit / target.metresPerUnit;
}

/// Places go as far from where the joint rests as the target is larger.
rig::Clip moved(const rig::Actor& source, const rig::Clip& clip, const rig::Actor& target, const std::vector<int>& to) {
    rig::Clip out = clip;
    std::erase_if(out.channels, [](const rig::Channel& c) { return c.path == rig::Path::Weights; });
    const double larger = largerBy(source, target, to);
    for (rig::Channel& c : out.channels) {
        const Vec3& from = source.skeleton.joint(c.joint).rest.t;
        c.joint = to[static_cast<std::size_t>(c.joint)];
        if (c.path != rig::Path::Move) continue;
        const Vec3& at = target.skeleton.joint(c.joint).rest.t;
        const bool cubic = c.interpolation == rig::Interpolation::Cubic;
        for (std::size_t k = 0; k < c.values.size(); ++k) {
            const auto axis = static_cast<Eigen::Index>(k % 3);
            const bool slope = cubic && k / 3 % 3 != 1;
            c.values[k] = static_cast<float>(slope ? larger * c.values[k] : at[axis] + larger * (c.values[k] - from[axis]));
        }
    }
    return out;
}

Key keyOf(const rig::Clip& clip) {
    Hasher h;
    h.real(clip.start).real(clip.end);
    for (const rig::Channel& c : clip.channels)
        h.number(static_cast<std::uint64_t>(c.joint))
            .number(static_cast<std::uint64_t>(c.path))
            .number(static_cast<std::uint64_t>(c.interpolation))
            .bytes(c.times.data(), c.times.size() * sizeof(float))
            .bytes(c.values.data(), c.values.size() * sizeof(float));
    return h.done();
}

}  // namespace

Result<Done> keepTrial(const rig::Actor& actor, int clip, const std::string& name, const std::filesystem::path& file) {
    if (clip < 0 || clip >= static_cast<int>(actor.clips.size())) return refused("there is no such clip");
    rig::Actor bare;
    bare.name = name;
    std::vector<rig::Joint> joints = actor.skeleton.joints();
    for (rig::Joint& j : joints) {
        j.children.clear();
        j.rest.t *= actor.metresPerUnit;
    }
    bare.skeleton = rig::Skeleton(std::move(joints));
    files::NewClip kept;
    kept.beside = name;
    for (const rig::Channel& from : actor.clips[static_cast<std::size_t>(clip)].channels) {
        if (from.path == rig::Path::Weights) continue;
        rig::Channel& c = kept.channels.emplace_back(from);
        if (c.path == rig::Path::Move)
            for (float& v : c.values) v = static_cast<float>(v * actor.metresPerUnit);
    }
    return files::writeGltf(bare, {kept}, file);
}

Result<std::shared_ptr<const rig::KeptMotion>> keptTrial(const std::filesystem::path& file, const rig::Actor& actor) {
    const auto read = files::readActor(file);
    if (!read) return read.error();
    const rig::Actor& source = *read.value();
    if (source.clips.empty()) return Error{file.string(), "", "there is no clip in it"};
    return ofFile(file.string(), [&] {
        auto out = std::make_shared<rig::KeptMotion>();
        out->name = file.stem().string();
        const rig::Clip& clip = source.clips.front();
        const std::vector<int> to = sameJoints(source, clip, actor);
        out->clip = to.empty() ? rig::mappedClip(source, 0, actor, rig::suggestMapping(source, actor), clip.name)
                               : moved(source, clip, actor, to);
        out->key = keyOf(out->clip);
        out->of = actor.content;
        out->joints = actor.skeleton.size();
        return std::shared_ptr<const rig::KeptMotion>(std::move(out));
    });
}

}  // namespace nutatio::pipeline
