#include "edit/across.h"

#include <cmath>
#include <map>
#include <tuple>
#include <utility>

#include "scene/items.h"

namespace nutatio::edit {

Across::Across(const scene::Scene& s, const scene::ActorEntry& e) : entry(e), sides(rig::sidesOf(*e.actor)) {
    rig::worldTransforms(e.actor->skeleton, scene::stand(s, s.shot(), e), standing);
}

int Across::fellow(const std::string& joint) const {
    const int j = entry.actor->skeleton.find(joint);
    return j == rig::kNoJoint ? rig::kNoJoint : sides.fellow[static_cast<std::size_t>(j)];
}

std::string Across::reference(const std::string& joint) const {
    const int o = fellow(joint);
    if (o == rig::kNoJoint) throw refused("\"" + joint + "\" has no joint of its kind on the other side");
    return entry.actor->skeleton.reference(o);
}

Vec3 Across::offset(int joint, const Vec3& v) const {
    return turnOf(sides.fellow[static_cast<std::size_t>(joint)]).conjugate() * sides.mirrored(turnOf(joint) * v);
}

/// A way in the actor's world as it stands, as its joint and its fellow stand to one another.
Vec3 Across::way(int joint, const Vec3& v) const {
    const auto there = static_cast<std::size_t>(sides.fellow[static_cast<std::size_t>(joint)]);
    return rotationOf(standing[there].m) * offset(joint, rotationOf(standing[static_cast<std::size_t>(joint)].m).conjugate() * v);
}

Vec3 Across::place(int joint, const Vec3& p) const {
    const scene::Placement at = scene::placementOf(entry);
    const auto there = static_cast<std::size_t>(sides.fellow[static_cast<std::size_t>(joint)]);
    return at.toWorld(standing[there].t + way(joint, at.toOwn(p) - standing[static_cast<std::size_t>(joint)].t));
}

Vec3 Across::turned(int joint, const Vec3& degreesIn) const {
    return turned(turnOf(joint), turnOf(sides.fellow[static_cast<std::size_t>(joint)]), degreesIn);
}

Vec3 Across::turned(const Quat& from, const Quat& to, const Vec3& degreesIn) const {
    const Mat3 world = (from * fromRotationVector(degreesIn * radians(1))).toRotationMatrix();
    Mat3 other;
    for (int k = 0; k < 3; ++k) other.col(k) = sides.mirrored(world.col(k));
    other.col(0) *= -1;
    return rotationVector(to.conjugate() * Quat(other)) / radians(1);
}

scene::Mount Across::mount(const scene::Mount& mount) const {
    if (mount.actor != entry.id) return mount;
    scene::Mount out = mount;
    const int joint = entry.actor->skeleton.find(mount.joint);
    if (!mount.spot || joint != rig::kNoJoint) out.joint = reference(mount.joint);
    if (!mount.spot) return out;
    std::vector<Affine> rest;
    rig::worldTransforms(entry.actor->skeleton, entry.actor->restPose(), rest);
    out.spot = joint == rig::kNoJoint ? sides.mirroredPlace(*mount.spot) : rig::mirroredInRest(sides, rest, joint, *mount.spot);
    return out;
}

Vec3 Across::offset(const scene::Mount& mount, const Vec3& v) const {
    return mount.spot ? sides.mirrored(v) : offset(entry.actor->skeleton.find(mount.joint), v);
}

Vec3 Across::turned(const scene::Mount& mount, const Vec3& degreesIn) const {
    return mount.spot ? turned(Quat::Identity(), Quat::Identity(), degreesIn)
                      : turned(entry.actor->skeleton.find(mount.joint), degreesIn);
}

double Across::heading(double deg) const {
    // The top joint is even itself: across it the world's ways are mirrored.
    const int top = entry.actor->skeleton.roots().front();
    const Quat turn = scene::placementOf(entry).turn;
    const Vec3 to = turn.conjugate() * Vec3(std::sin(radians(deg)), 0, std::cos(radians(deg)));
    const Quat toEven = turnOf(top) * rotationOf(standing[static_cast<std::size_t>(top)].m).conjugate();
    const Vec3 other = turn * (toEven.conjugate() * sides.mirrored(toEven * to));
    return Vec3(other.x(), 0, other.z()).norm() < 1e-9 ? deg : degrees(std::atan2(other.x(), other.z()));
}

Vec3 Across::channel(int joint, const std::string& axes, bool turn, const Vec3& v) const {
    // A rotation vector's picture looks the other way.
    const double sign = turn ? -1 : 1;
    if (axes == "own") return sign * offset(joint, v);
    const Quat placed = scene::placementOf(entry).turn;
    if (axes == "world") return sign * (placed * sides.mirrored(placed.conjugate() * v));
    const int above = entry.actor->skeleton.joint(joint).parent,
              other = entry.actor->skeleton.joint(sides.fellow[static_cast<std::size_t>(joint)]).parent;
    const Quat from = above == rig::kNoJoint ? Quat::Identity() : turnOf(above),
               to = other == rig::kNoJoint ? Quat::Identity() : turnOf(other);
    return sign * (to.conjugate() * sides.mirrored(from * v));
}

void mapVectorKeys(scene::Scene& s, const scene::Owner& owner, const std::array<std::string, 3>& settings, const Vec3& plain,
                   const std::function<Vec3(const Vec3&)>& map) {
    for (std::size_t i = 0; i < s.shots.size(); ++i) {
        const scene::Shot& shot = std::as_const(s).shots[i];
        const std::array<const scene::Keys*, 3> keys{shot.keysOf(owner, settings[0]), shot.keysOf(owner, settings[1]),
                                                     shot.keysOf(owner, settings[2])};
        if (!keys[0] && !keys[1] && !keys[2]) continue;
        std::array<scene::Keys, 3> mapped = mapKeys(keys, plain, map);
        for (std::size_t a = 0; a < 3; ++a) s.shots.edit(i).keys[owner][settings[a]] = std::move(mapped[a]);
    }
}

std::array<scene::Keys, 3> mapKeys(const std::array<const scene::Keys*, 3>& keys, const Vec3& plain,
                                   const std::function<Vec3(const Vec3&)>& map) {
    std::map<double, scene::Ease> times;
    for (const scene::Keys* each : keys)
        if (each)
            for (const scene::KeyAt& k : *each) {
                scene::Ease& ease = times.emplace(k.at, k.ease).first->second;
                if (k.ease == scene::Ease::Free) ease = scene::Ease::Free;
            }
    std::array<scene::Keys, 3> out;
    for (const auto& [at, ease] : times) {
        Vec3 value = plain, before = Vec3::Zero(), after = Vec3::Zero();
        for (int a = 0; a < 3; ++a) {
            const scene::Keys* each = keys[static_cast<std::size_t>(a)];
            if (!each || each->empty()) continue;
            value[a] = scene::keyedAt(*each, at);
            if (ease != scene::Ease::Free) continue;
            if (const auto here = scene::keyAt(*each, at); here != each->end()) {
                std::tie(before[a], after[a]) = scene::slopesAt(*each, static_cast<std::size_t>(here - each->begin()));
            } else {
                constexpr double kStep = 1e-5;  // [s]
                before[a] = after[a] = (scene::keyedAt(*each, at + kStep) - scene::keyedAt(*each, at - kStep)) / (2 * kStep);
            }
        }
        constexpr double kPart = 1e-3;  // of a slope: turns are mapped as what they are around the value
        const Vec3 to = map(value), arrives = (map(value + kPart * before) - to) / kPart,
                   leaves = (map(value + kPart * after) - to) / kPart;
        for (int a = 0; a < 3; ++a) {
            scene::Keys& made = out[static_cast<std::size_t>(a)];
            scene::putKey(made, at, to[a]);
            scene::KeyAt& key = *scene::keyAt(made, at);
            key.ease = ease;
            if (ease == scene::Ease::Free) {
                key.before = arrives[a];
                key.after = leaves[a];
            }
        }
    }
    return out;
}

}  // namespace nutatio::edit
