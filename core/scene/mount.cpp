#include "scene/mount.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <deque>
#include <locale>
#include <mutex>
#include <sstream>

namespace nutatio::scene {

namespace {

constexpr std::string_view kAt = " at ", kUnturned = " unturned";

/// Three numbers and nothing behind them.
std::optional<Vec3> placeIn(const std::string& text) {
    std::istringstream in(text);
    in.imbue(std::locale::classic());
    Vec3 v;
    if (!(in >> v.x() >> v.y() >> v.z()) || !v.allFinite()) return std::nullopt;
    in >> std::ws;
    return in.eof() ? std::optional(v) : std::nullopt;
}

}  // namespace

std::optional<Mount> mountIn(const rig::Skeleton& own, const std::string& ownId, const std::string& text) {
    if (text.empty()) return std::nullopt;
    Mount out{ownId, text};
    if (own.find(text) != rig::kNoJoint) return out;
    if (out.joint.ends_with(kUnturned)) {
        out.turns = false;
        out.joint.resize(out.joint.size() - kUnturned.size());
    }
    if (const std::size_t at = out.joint.rfind(kAt); at != std::string::npos)
        if ((out.spot = placeIn(out.joint.substr(at + kAt.size())))) out.joint.resize(at);
    if (const std::size_t at = out.joint.rfind('@'); at != std::string::npos && own.find(out.joint) == rig::kNoJoint) {
        out.actor = out.joint.substr(at + 1);
        out.joint.resize(at);
    }
    return out;
}

std::vector<int> MountOn::joints() const {
    if (spot) return spot->joints();
    return joint == rig::kNoJoint ? std::vector<int>{} : std::vector<int>{joint};
}

namespace {

std::optional<MountOn> search(const rig::Actor& actor, const Mount& mount) {
    MountOn out;
    out.joint = actor.skeleton.find(mount.joint);
    if (mount.spot) {
        const auto spot = rig::spotNear(actor, *mount.spot, out.joint);
        if (!spot) return std::nullopt;
        out.joint = rig::mainJointOf(actor, *spot);
        out.spot = std::make_shared<const rig::SpotRider>(actor, *spot);
    }
    if (out.joint == rig::kNoJoint) return std::nullopt;
    if (!mount.turns) {
        std::vector<Affine> rest;
        rig::worldTransforms(actor.skeleton, actor.restPose(), rest);
        out.turn = mount.spot ? Mat3(Mat3::Identity()) : rest[static_cast<std::size_t>(out.joint)].m;
    }
    return out;
}

}  // namespace

std::optional<MountOn> found(const rig::Actor& actor, const Mount& mount) {
    if (!mount.spot) return search(actor, mount);
    struct Kept {
        Key content, picture;
        Mount mount;
        std::optional<MountOn> on;
    };
    constexpr std::size_t kMost = 64;
    static std::mutex lock;
    static std::deque<Kept> kept;
    const std::lock_guard guard(lock);
    const auto at = std::find_if(kept.begin(), kept.end(), [&](const Kept& k) {
        return k.content == actor.content && k.picture == actor.picture && k.mount == mount;
    });
    if (at != kept.end()) return at->on;
    if (kept.size() >= kMost) kept.pop_front();
    return kept.emplace_back(Kept{actor.content, actor.picture, mount, search(actor, mount)}).on;
}

std::string mountText(const Mount& mount, const std::string& ownId) {
    std::string out = mount.joint;
    if (mount.actor != ownId) out += '@' + mount.actor;
    if (mount.spot) {
        out += kAt.substr(0, kAt.size() - 1);
        for (const double v : *mount.spot) {
            std::array<char, 32> digits{};
            out += ' ';
            out.append(digits.data(), std::to_chars(digits.data(), digits.data() + digits.size(), v).ptr);
        }
    }
    if (!mount.turns) out += kUnturned;
    return out;
}

}  // namespace nutatio::scene
