#include "layers/figure_parts.h"

namespace nutatio::layers {

PartChannels partsOf(const rig::Figure& figure, const rig::Skeleton& skeleton, const scene::Resolved& settings,
                     std::string_view row) {
    PartChannels out(figure.segments.size());
    for (const std::string& of : settings.channels(row)) {
        const int joint = skeleton.find(of);
        const int segment = joint == rig::kNoJoint ? -1 : figure.segmentOf[static_cast<std::size_t>(joint)];
        if (segment >= 0) out[static_cast<std::size_t>(segment)] = scene::channelId(row, of);
    }
    for (std::size_t i = 0; i < out.size(); ++i)
        if (const int p = figure.segments[i].parent; out[i].empty() && p >= 0) out[i] = out[static_cast<std::size_t>(p)];
    return out;
}

std::vector<int> topsOf(const rig::Actor& actor, const scene::Layer& layer) {
    std::vector<int> out;
    for (const std::string& name : layer.list("joint"))
        if (const int j = actor.skeleton.find(name); j != rig::kNoJoint) out.push_back(j);
    return out;
}

std::vector<int> jointsOf(const rig::Figure& figure) {
    std::vector<int> out;
    for (const rig::FigureSegment& g : figure.segments) out.push_back(g.joint);
    return out;
}

std::vector<Volume> volumesOf(const rig::Actor& actor, const rig::Figure& figure) {
    std::vector<Affine> rest;
    rig::worldTransforms(actor.skeleton, actor.restPose(), rest);
    std::vector<Volume> out;
    for (const rig::FigureSegment& g : figure.segments) {
        const Quat back = rotationOf(rest[static_cast<std::size_t>(g.joint)].m).conjugate();
        Volume v{g.joint, back * (g.endA - g.at), back * (g.endB - g.at), g.radius, {}};
        // Others have corners for flat ground alone.
        for (const Vec3& c : g.corners)
            if (g.edged) v.corners.push_back(back * (c - g.at));
        out.push_back(std::move(v));
    }
    return out;
}

}  // namespace nutatio::layers
