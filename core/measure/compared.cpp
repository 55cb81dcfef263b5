#include "measure/compared.h"

#include <algorithm>

#include "measure/trace.h"

namespace nutatio::measure {

namespace {

double degreesBetween(const Vec3& a, const Vec3& b) {
    return degrees(std::atan2(a.cross(b).norm(), a.dot(b)));
}

constexpr Watched kWatches[] = {
    {"swing", "Swing off the body", scene::Unit::Degrees,
     [](const Vec3& p, const Vec3& root, const Vec3& b, const Vec3& bodyRoot) { return degreesBetween(p - root, b - bodyRoot); }},
    {"side", "Way to its left", scene::Unit::Metres, [](const Vec3& p, const Vec3&, const Vec3&, const Vec3&) { return p.x(); }},
    {"up", "Height", scene::Unit::Metres, [](const Vec3& p, const Vec3&, const Vec3&, const Vec3&) { return p.y(); }},
    {"ahead", "Way ahead", scene::Unit::Metres, [](const Vec3& p, const Vec3&, const Vec3&, const Vec3&) { return p.z(); }},
    {"off", "Way off the body", scene::Unit::Metres,
     [](const Vec3& p, const Vec3&, const Vec3& b, const Vec3&) { return (p - b).norm(); }},
};

}  // namespace

std::span<const Watched> watches() {
    return kWatches;
}

const Watched& watchOf(std::string_view id) {
    const auto at = std::find_if(std::begin(kWatches), std::end(kWatches), [&](const Watched& w) { return w.id == id; });
    return at == std::end(kWatches) ? kWatches[0] : *at;
}

std::vector<float> watched(const rig::Actor& actor, const rig::Track& body, const rig::Track& result, int joint,
                           const Watched& what) {
    const rig::Skeleton& s = actor.skeleton;
    const Vec3 end = rig::endOf(s, joint);
    const std::vector<Vec3> place = placesOf(s, result, joint, end), root = placesOf(s, result, joint, Vec3::Zero()),
                            b = placesOf(s, body, joint, end), bodyRoot = placesOf(s, body, joint, Vec3::Zero());
    std::vector<float> out;
    for (std::size_t f = 0; f < place.size() && f < b.size(); ++f)
        out.push_back(static_cast<float>(what.at(actor.metresPerUnit * place[f], actor.metresPerUnit * root[f],
                                                 actor.metresPerUnit * b[f], actor.metresPerUnit * bodyRoot[f])));
    return out;
}

int differsMost(const rig::Actor& actor, const rig::Track& a, const rig::Track& b) {
    return a.joints() == b.joints() && a.joints() == actor.skeleton.size() ? watchedJoint(actor, a, b) : rig::kNoJoint;
}

}  // namespace nutatio::measure
