#include "rig/paint.h"

#include <algorithm>
#include <limits>

#include "base/error.h"
#include "rig/sides.h"

namespace nutatio::rig {

namespace {

constexpr std::string_view kNames[] = {"add", "take", "smooth", "set", "sharpen"};
constexpr std::size_t kMostInfluences = 4;  // a vertex, unless its mesh has more
constexpr float kLeast = 1e-3f;             // a weight that counts

}  // namespace

std::string_view brushName(Brush brush) {
    return kNames[static_cast<std::size_t>(brush)];
}

bool brushFromName(std::string_view name, Brush& brush) {
    for (const Brush b : kBrushes)
        if (brushName(b) == name) {
            brush = b;
            return true;
        }
    return false;
}

Painter::Painter(const Actor& actor) : m_actor(actor), m_surface(Surface::of(actor)) {
    worldTransforms(actor.skeleton, actor.restPose(), m_worlds);
    const std::size_t n = m_surface.places.size();
    m_pulls.resize(n);
    for (std::uint32_t v = 0; v < n; ++v) {
        const auto pulls = m_surface.pulls(v);
        m_pulls[v].assign(pulls.begin(), pulls.end());
    }
    m_touched.assign(n, false);
    m_mark.assign(n, 0);
    m_most.assign(n, kMostInfluences);
    for (std::size_t i = 0; i < actor.instances.size(); ++i) {
        const auto& primitives = actor.meshes[static_cast<std::size_t>(actor.instances[i].mesh)].primitives;
        for (std::size_t p = 0; p < primitives.size(); ++p) {
            std::size_t most = kMostInfluences;
            for (const Influence& f : primitives[p].influences)
                most = std::max(most, static_cast<std::size_t>(
                                          std::count_if(f.weight.begin(), f.weight.end(), [](float w) { return w > 0; })));
            for (std::size_t v = 0; v < primitives[p].influences.size(); ++v)
                m_most[m_surface.pointOf(i, p, v)] = static_cast<std::uint8_t>(most);
        }
    }
    m_first.assign(n + 1, 0);
    for (const auto& e : m_surface.edges) {
        ++m_first[e[0] + 1];
        ++m_first[e[1] + 1];
    }
    for (std::size_t v = 0; v < n; ++v) m_first[v + 1] += m_first[v];
    m_neighbours.resize(m_first[n]);
    std::vector<std::size_t> at(m_first.begin(), m_first.end() - 1);
    for (const auto& e : m_surface.edges) {
        m_neighbours[at[e[0]]++] = e[1];
        m_neighbours[at[e[1]]++] = e[0];
    }
}

float Painter::share(std::uint32_t point, int joint) const {
    for (const Surface::Pull& p : m_pulls[point])
        if (p.joint == joint) return p.weight;
    return 0;
}

void Painter::put(Pulls& pulls, int joint, float weight, std::uint32_t point) {
    const float was = share(point, joint);
    weight = std::clamp(weight, 0.0f, 1.0f);
    if (weight < kLeast) weight = 0;
    if (was >= 1 - kLeast && weight < 1) {
        // It was the only one: what it loses goes to what carries it.
        const int up = m_actor.skeleton.joint(joint).parent;
        if (up == kNoJoint) return;
        pulls = {{joint, weight}, {up, 1 - weight}};
    } else {
        const float rest = (1 - weight) / (1 - was);
        bool known = false;
        for (Surface::Pull& p : pulls) {
            known = known || p.joint == joint;
            p.weight = p.joint == joint ? weight : p.weight * rest;
        }
        if (!known && weight > 0) pulls.push_back({joint, weight});
    }
    std::erase_if(pulls, [](const Surface::Pull& p) { return p.weight < kLeast; });
    std::stable_sort(pulls.begin(), pulls.end(), [](const auto& a, const auto& b) { return a.weight > b.weight; });
    if (pulls.size() > m_most[point]) pulls.resize(m_most[point]);
    float sum = 0;
    for (const Surface::Pull& p : pulls) sum += p.weight;
    for (Surface::Pull& p : pulls) p.weight /= sum;
    m_touched[point] = true;
}

void Painter::dab(int joint, Brush brush, const Vec3& place, double radius, double strength) {
    const Vec3f at = place.cast<float>();
    const auto r = static_cast<float>(radius), s = static_cast<float>(strength);
    std::uint32_t nearest = 0;
    float least = std::numeric_limits<float>::max();
    for (std::uint32_t v = 0; v < m_surface.places.size(); ++v)
        if (const float d = (m_surface.places[v] - at).squaredNorm(); d < least) {
            least = d;
            nearest = v;
        }
    if (least > r * r) return;
    ++m_dabs;
    std::vector<std::uint32_t> met{nearest};
    m_mark[nearest] = m_dabs;
    for (std::size_t k = 0; k < met.size(); ++k)
        for (std::size_t e = m_first[met[k]]; e < m_first[met[k] + 1]; ++e) {
            const std::uint32_t o = m_neighbours[e];
            if (m_mark[o] == m_dabs || (m_surface.places[o] - at).squaredNorm() >= r * r) continue;
            m_mark[o] = m_dabs;
            met.push_back(o);
        }
    std::vector<float> weights;
    for (std::uint32_t v : met) {
        const float u = 1 - std::min(1.0f, (m_surface.places[v] - at).norm() / r), f = u * u * (3 - 2 * u), was = share(v, joint);
        float w = was;
        if (brush == Brush::Add) {
            w = was + s * f * (1 - was);
        } else if (brush == Brush::Take) {
            w = was - s * f * was;
        } else if (brush == Brush::Set) {
            w = was + f * (s - was);
        } else if (m_first[v] < m_first[v + 1]) {
            float mean = 0;
            for (std::size_t e = m_first[v]; e < m_first[v + 1]; ++e) mean += share(m_neighbours[e], joint);
            mean /= static_cast<float>(m_first[v + 1] - m_first[v]);
            w = was + s * f * (brush == Brush::Smooth ? mean - was : was - mean);
        }
        weights.push_back(w);
    }
    for (std::size_t k = 0; k < met.size(); ++k)
        if (weights[k] != share(met[k], joint)) put(m_pulls[met[k]], joint, weights[k], met[k]);
}

void Painter::stroke(int joint, const Stroke& stroke) {
    const double radius = stroke.radius * m_actor.height;
    for (const Vec3& d : stroke.dabs) dab(joint, stroke.brush, d, radius, stroke.strength);
    if (!stroke.mirrored) return;
    const Sides sides = sidesOf(m_actor);
    const int other = sides.fellow[static_cast<std::size_t>(joint)];
    if (other == kNoJoint) return;
    for (const Vec3& d : stroke.dabs)
        dab(other, stroke.brush, mirroredInRest(sides, m_worlds, joint, d), radius, stroke.strength);
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
            for (std::size_t v = 0; v < p.influences.size(); ++v) {
                const std::uint32_t point = m_surface.pointOf(i, n, v);
                if (!m_touched[point]) continue;
                for (const MeshInstance& other : m_actor.instances)
                    if (other.mesh == in.mesh && other.skin != in.skin)
                        throw Failure("", "a mesh that two skins move cannot be painted");
                Influence f;
                for (std::size_t k = 0; k < m_pulls[point].size(); ++k) {
                    const int joint = m_pulls[point][k].joint;
                    int& number = numbers[static_cast<std::size_t>(joint)];
                    if (number < 0) {
                        const std::size_t like = p.influences[v].joint[0];
                        const Affine moved = m_worlds[static_cast<std::size_t>(skin.joints[like])] * skin.inverseBind[like];
                        number = static_cast<int>(skin.joints.size());
                        skin.joints.push_back(joint);
                        skin.inverseBind.push_back(m_worlds[static_cast<std::size_t>(joint)].inverse() * moved);
                    }
                    f.joint[k] = static_cast<std::uint16_t>(number);
                    f.weight[k] = m_pulls[point][k].weight;
                }
                p.influences[v] = f;
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
