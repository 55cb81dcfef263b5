#include "rig/paint.h"

#include <algorithm>

#include "base/error.h"
#include "rig/sides.h"

namespace nutatio::rig {

namespace {

constexpr std::string_view kBrushNames[] = {"add", "take", "smooth", "set", "sharpen"};
constexpr std::size_t kMostInfluences = 4;  // a vertex, unless its mesh has more
constexpr float kLeastWeight = 1e-3f;       // a weight that counts

}  // namespace

std::string_view brushName(Brush brush) {
    return kBrushNames[static_cast<std::size_t>(brush)];
}

bool brushFromName(std::string_view name, Brush& brush) {
    for (const Brush b : kBrushes)
        if (brushName(b) == name) {
            brush = b;
            return true;
        }
    return false;
}

Dabs::Dabs(const Surface& surface) : m_surface(surface), m_around(surface), m_mark(surface.places.size(), 0) {}

const std::vector<Dabs::Met>& Dabs::meet(const Vec3& place, double radius) {
    m_met.clear();
    if (m_surface.places.empty()) return m_met;
    const Vec3f at = place.cast<float>();
    const auto r = static_cast<float>(radius);
    const std::uint32_t nearest = m_surface.nearest(place);
    const auto take = [&](std::uint32_t v) {
        m_mark[v] = m_dabs;
        const float u = 1 - std::min(1.0f, (m_surface.places[v] - at).norm() / r);
        m_met.push_back({v, u * u * (3 - 2 * u)});
    };
    ++m_dabs;
    if ((m_surface.places[nearest] - at).squaredNorm() > r * r) return m_met;
    take(nearest);
    for (std::size_t k = 0; k < m_met.size(); ++k)
        for (const std::uint32_t o : m_around.of(m_met[k].point))
            if (m_mark[o] != m_dabs && (m_surface.places[o] - at).squaredNorm() < r * r) take(o);
    return m_met;
}

float Dabs::dabbed(Brush brush, float was, float mean, float fall, float strength) {
    switch (brush) {
        case Brush::Add:
            return was + strength * fall * (1 - was);
        case Brush::Take:
            return was - strength * fall * was;
        case Brush::Set:
            return was + fall * (strength - was);
        case Brush::Smooth:
            return was + strength * fall * (mean - was);
        case Brush::Sharpen:
            return was + strength * fall * (was - mean);
    }
    return was;
}

Painter::Painter(const Actor& actor) : m_actor(actor), m_surface(Surface::of(actor)), m_dabs(m_surface) {
    worldTransforms(actor.skeleton, actor.restPose(), m_worlds);
    const std::size_t n = m_surface.places.size();
    m_pulls.resize(n);
    for (std::uint32_t v = 0; v < n; ++v) {
        const auto pulls = m_surface.pulls(v);
        m_pulls[v].assign(pulls.begin(), pulls.end());
    }
    m_touched.assign(n, false);
    m_most.assign(n, 0);
    m_locked.assign(static_cast<std::size_t>(actor.skeleton.size()), false);
    for (std::size_t i = 0; i < actor.instances.size(); ++i) {
        const auto& primitives = actor.meshes[static_cast<std::size_t>(actor.instances[i].mesh)].primitives;
        for (std::size_t p = 0; p < primitives.size() && actor.instances[i].skin >= 0; ++p) {
            std::size_t most = kMostInfluences;
            for (const Influence& f : primitives[p].influences)
                most = std::max(most, static_cast<std::size_t>(
                                          std::count_if(f.weight.begin(), f.weight.end(), [](float w) { return w > 0; })));
            for (std::size_t v = 0; v < primitives[p].influences.size(); ++v)
                m_most[m_surface.pointOf(i, p, v)] = static_cast<std::uint8_t>(most);
        }
    }
}

float Painter::share(std::uint32_t point, int joint) const {
    for (const Surface::Pull& p : m_pulls[point])
        if (p.joint == joint) return p.weight;
    return 0;
}

void Painter::lock(const std::vector<std::string>& joints) {
    std::fill(m_locked.begin(), m_locked.end(), false);
    for (const std::string& name : joints)
        if (const int j = m_actor.skeleton.find(name); j != kNoJoint) m_locked[static_cast<std::size_t>(j)] = true;
}

void Painter::give(std::uint32_t point, int joint, float weight) {
    if (m_most[point] == 0 || m_locked[static_cast<std::size_t>(joint)]) return;
    Pulls& pulls = m_pulls[point];
    float locked = 0;
    for (const Surface::Pull& p : pulls)
        if (m_locked[static_cast<std::size_t>(p.joint)]) locked += p.weight;
    const float room = 1 - locked, was = share(point, joint);
    const Pulls before = pulls;
    weight = within(weight, 0.0f, room);
    if (weight < kLeastWeight) weight = 0;
    if (was >= room - kLeastWeight && weight < was) {
        // No other unlocked joint has weight here: the weight that is taken goes to the parent joint.
        const int up = m_actor.skeleton.joint(joint).parent;
        if (up == kNoJoint || m_locked[static_cast<std::size_t>(up)]) return;
        std::erase_if(pulls, [&](const Surface::Pull& p) { return !m_locked[static_cast<std::size_t>(p.joint)]; });
        pulls.push_back({joint, weight});
        pulls.push_back({up, room - weight});
    } else {
        const float rest = room - was > 0 ? (room - weight) / (room - was) : 0;
        bool known = false;
        for (Surface::Pull& p : pulls) {
            known = known || p.joint == joint;
            if (p.joint == joint)
                p.weight = weight;
            else if (!m_locked[static_cast<std::size_t>(p.joint)])
                p.weight *= rest;
        }
        if (!known && weight > 0) pulls.push_back({joint, weight});
    }
    std::erase_if(pulls, [](const Surface::Pull& p) { return p.weight < kLeastWeight; });
    // Of too many the least ones go, and never one that is locked.
    std::stable_sort(pulls.begin(), pulls.end(), [&](const auto& a, const auto& b) {
        const bool la = m_locked[static_cast<std::size_t>(a.joint)], lb = m_locked[static_cast<std::size_t>(b.joint)];
        return la != lb ? la : a.weight > b.weight;
    });
    if (pulls.size() > m_most[point]) pulls.resize(m_most[point]);
    float open = 0;
    for (const Surface::Pull& p : pulls)
        if (!m_locked[static_cast<std::size_t>(p.joint)]) open += p.weight;
    if (open < kLeastWeight && room > kLeastWeight) {
        // Locked joints take all the places there are.
        pulls = before;
        return;
    }
    for (Surface::Pull& p : pulls)
        if (!m_locked[static_cast<std::size_t>(p.joint)]) p.weight *= room / open;
    std::stable_sort(pulls.begin(), pulls.end(), [](const auto& a, const auto& b) { return a.weight > b.weight; });
    m_touched[point] = true;
}

bool Painter::dab(int joint, Brush brush, const Vec3& place, double radius, double strength) {
    const std::vector<Dabs::Met>& met = m_dabs.meet(place, radius);
    const bool blends = brush == Brush::Smooth || brush == Brush::Sharpen;
    std::vector<float> weights;
    for (const auto& [v, fall] : met) {
        const float was = share(v, joint);
        const auto around = m_dabs.around().of(v);
        float mean = was;
        if (blends && !around.empty()) {
            mean = 0;
            for (const std::uint32_t o : around) mean += share(o, joint);
            mean /= static_cast<float>(around.size());
        }
        weights.push_back(Dabs::dabbed(brush, was, mean, fall, static_cast<float>(strength)));
    }
    for (std::size_t k = 0; k < met.size(); ++k)
        if (weights[k] != share(met[k].point, joint)) give(met[k].point, joint, weights[k]);
    return !met.empty();
}

bool Painter::stroke(int joint, const Stroke& stroke) {
    lock(stroke.locked);
    const double radius = stroke.radius * m_actor.height;
    bool met = false;
    for (const Vec3& d : stroke.dabs) met |= dab(joint, stroke.brush, d, radius, stroke.strength);
    if (!stroke.mirrored) return met;
    const Sides sides = sidesOf(m_actor);
    const int other = sides.fellow[static_cast<std::size_t>(joint)];
    if (other == kNoJoint) return met;
    for (const Vec3& d : stroke.dabs)
        met |= dab(other, stroke.brush, mirroredInRest(sides, m_worlds, joint, d), radius, stroke.strength);
    return met;
}

bool Painter::touchedSkin() const {
    for (std::size_t v = 0; v < m_touched.size(); ++v)
        if (m_touched[v] && m_most[v] > 0) return true;
    return false;
}

std::shared_ptr<const Actor> Painter::painted() const {
    auto out = std::make_shared<Actor>(m_actor);
    std::vector<Mesh> meshes = m_actor.meshes;
    std::vector<Skin> skins = m_actor.skins;
    std::vector<char> seen(meshes.size(), false);
    for (std::size_t i = 0; i < m_actor.instances.size(); ++i) {
        const MeshInstance& in = m_actor.instances[i];
        if (in.skin < 0 || seen[static_cast<std::size_t>(in.mesh)]) continue;
        seen[static_cast<std::size_t>(in.mesh)] = true;
        Skin& skin = skins[static_cast<std::size_t>(in.skin)];
        // Its joints' numbers; those that it lacks are added.
        std::vector<int> numbers(static_cast<std::size_t>(m_actor.skeleton.size()), -1);
        for (std::size_t k = 0; k < skin.joints.size(); ++k)
            numbers[static_cast<std::size_t>(skin.joints[k])] = static_cast<int>(k);
        std::vector<Primitive>& primitives = meshes[static_cast<std::size_t>(in.mesh)].primitives;
        for (std::size_t n = 0; n < primitives.size(); ++n) {
            Primitive& p = primitives[n];
            std::vector<Influence>* influences = nullptr;
            for (std::size_t v = 0; v < p.influences.size(); ++v) {
                const std::uint32_t point = m_surface.pointOf(i, n, v);
                if (!m_touched[point]) continue;
                if (!influences) influences = &p.influences.edit();
                for (const MeshInstance& other : m_actor.instances)
                    if (other.mesh == in.mesh && other.skin != in.skin)
                        throw Failure("", "a mesh that two skins move cannot be painted");
                Influence f;
                for (std::size_t k = 0; k < m_pulls[point].size(); ++k) {
                    const int joint = m_pulls[point][k].joint;
                    int& number = numbers[static_cast<std::size_t>(joint)];
                    if (number < 0) {
                        // A joint without skin of its own gets that of its parent.
                        const auto host = std::find(skin.joints.begin(), skin.joints.end(), m_actor.skeleton.joint(joint).parent);
                        const std::size_t like = host != skin.joints.end() ? static_cast<std::size_t>(host - skin.joints.begin())
                                                                           : p.influences[v].joint[0];
                        const Affine moved = m_worlds[static_cast<std::size_t>(skin.joints[like])] * skin.inverseBind[like];
                        number = static_cast<int>(skin.joints.size());
                        skin.joints.push_back(joint);
                        skin.rebound = true;
                        skin.inverseBind.push_back(m_worlds[static_cast<std::size_t>(joint)].inverse() * moved);
                    }
                    f.joint[k] = static_cast<std::uint16_t>(number);
                    f.weight[k] = m_pulls[point][k].weight;
                }
                (*influences)[v] = f;
                p.weighed = true;
            }
        }
    }
    out->meshes = std::move(meshes);
    out->skins = std::move(skins);
    out->finish();
    return out;
}

}  // namespace nutatio::rig
