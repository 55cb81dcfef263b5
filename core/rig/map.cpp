#include "rig/map.h"

#include <algorithm>

#include "rig/sides.h"

namespace nutatio::rig {

namespace {

constexpr std::string_view kFrom[] = {"weights", "height", "distance", "curvature", "colour",
                                      "piece",   "map",    "invert",   "blur",      "paint"};
constexpr std::string_view kJoin[] = {"set", "add", "take", "times", "most", "least"};
constexpr int kMostBlurs = 60;  // passes

template <std::size_t N, class Enum>
bool named(const std::string_view (&names)[N], std::string_view name, Enum& out) {
    const auto at = std::find(std::begin(names), std::end(names), name);
    if (at == std::end(names)) return false;
    out = static_cast<Enum>(at - std::begin(names));
    return true;
}

float between(double v, double low, double high) {
    if (low == high) return v >= low ? 1.0f : 0.0f;
    const double u = std::clamp((v - low) / (high - low), 0.0, 1.0);
    return static_cast<float>(u * u * (3 - 2 * u));
}

class MapMaker {
  public:
    MapMaker(const Actor& actor, const Surface& surface, const std::vector<Map>& others)
        : m_actor(actor), m_surface(surface), m_others(others), m_around(surface) {
        worldTransforms(actor.skeleton, actor.restPose(), m_worlds);
    }

    std::vector<float> make(const Map& map) {
        if (std::find(m_making.begin(), m_making.end(), map.name) != m_making.end())
            throw Failure("", "the map \"" + map.name + "\" leads back to itself");
        m_making.push_back(map.name);
        std::vector<float> values(m_surface.places.size(), 0.0f);
        for (std::size_t k = 0; k < map.steps.size(); ++k) {
            try {
                apply(map.steps[k], values);
            } catch (const Failure& f) {
                if (!f.error().place.empty()) throw;
                throw Failure("step " + std::to_string(k + 1), f.error().sentence);
            }
        }
        m_making.pop_back();
        return values;
    }

  private:
    void apply(const MapStep& s, std::vector<float>& values) {
        using From = MapStep::From;
        if (s.from == From::Invert) {
            for (float& v : values) v = 1 - v;
            return;
        }
        if (s.from == From::Blur) {
            blur(s.reach, values);
            return;
        }
        if (s.from == From::Paint) {
            MapPainter painter(m_actor, m_surface, std::move(values));
            painter.stroke(s.stroke);
            values = painter.values();
            return;
        }
        const std::vector<float> made = from(s);
        for (std::size_t v = 0; v < values.size(); ++v) values[v] = std::clamp(joined(s.join, values[v], made[v]), 0.0f, 1.0f);
    }

    static float joined(MapStep::Join join, float was, float made) {
        switch (join) {
            case MapStep::Join::Set:
                return made;
            case MapStep::Join::Add:
                return was + made;
            case MapStep::Join::Take:
                return was - made;
            case MapStep::Join::Times:
                return was * made;
            case MapStep::Join::Most:
                return std::max(was, made);
            case MapStep::Join::Least:
                return std::min(was, made);
        }
        return was;
    }

    std::vector<int> jointsOf(const MapStep& s) const {
        std::vector<int> out;
        for (const std::string& name : s.joints) {
            const int j = m_actor.skeleton.find(name);
            if (j == kNoJoint) throw Failure("", "there is no joint \"" + name + "\"");
            if (s.below)
                for (int b : m_actor.skeleton.subtree(j)) out.push_back(b);
            else
                out.push_back(j);
        }
        if (out.empty()) throw Failure("", "it wants a joint");
        return out;
    }

    std::vector<float> from(const MapStep& s) {
        std::vector<float> out(m_surface.places.size(), 0.0f);
        const auto count = static_cast<std::uint32_t>(out.size());
        switch (s.from) {
            case MapStep::From::Weights: {
                std::vector<char> mine(static_cast<std::size_t>(m_actor.skeleton.size()), false);
                for (int j : jointsOf(s)) mine[static_cast<std::size_t>(j)] = true;
                for (std::uint32_t v = 0; v < count; ++v)
                    for (const Surface::Pull& p : m_surface.pulls(v))
                        if (mine[static_cast<std::size_t>(p.joint)]) out[v] += p.weight;
                break;
            }
            case MapStep::From::Height:
                for (std::uint32_t v = 0; v < count; ++v)
                    out[v] = between((m_surface.places[v].y() - m_actor.low.y()) / m_actor.height, s.low, s.high);
                break;
            case MapStep::From::Distance: {
                const std::vector<int> joints = jointsOf(s);
                for (std::uint32_t v = 0; v < count; ++v) {
                    double away = 1e300;
                    for (int j : joints)
                        away = std::min(away, distanceToBone(m_actor.skeleton, m_worlds, j, m_surface.places[v].cast<double>()));
                    out[v] = between(away / m_actor.height, s.low, s.high);
                }
                break;
            }
            case MapStep::From::Curvature:
                curvature(s.reach, out);
                break;
            case MapStep::From::Colour:
                colour(s.channel, out);
                break;
            case MapStep::From::Piece:
                if (count > 0) {
                    const int shell = m_surface.shell[m_surface.nearest(s.place)];
                    for (std::uint32_t v = 0; v < count; ++v) out[v] = m_surface.shell[v] == shell;
                }
                break;
            case MapStep::From::Map: {
                const auto other = std::find_if(m_others.begin(), m_others.end(), [&](const Map& m) { return m.name == s.map; });
                if (other == m_others.end()) throw Failure("", "there is no map \"" + s.map + "\"");
                return make(*other);
            }
            default:
                break;
        }
        return out;
    }

    /// Means over neighbours, as often as makes their spread as wide as the reach.
    void blur(double reach, std::vector<float>& values) const {
        double edge = 0;
        for (const auto& e : m_surface.edges) edge += (m_surface.places[e[0]] - m_surface.places[e[1]]).norm();
        edge = m_surface.edges.empty() ? 1 : edge / static_cast<double>(m_surface.edges.size());
        const double wide = reach * m_actor.height / std::max(edge, 1e-12);
        const int passes = within(static_cast<int>(std::lround(wide * wide)), 1, kMostBlurs);
        for (int k = 0; k < passes; ++k) {
            std::vector<float> next = values;
            for (std::uint32_t v = 0; v < values.size(); ++v) {
                const auto around = m_around.of(v);
                if (around.empty()) continue;
                float mean = 0;
                for (std::uint32_t o : around) mean += values[o];
                next[v] = 0.5f * values[v] + 0.5f * mean / static_cast<float>(around.size());
            }
            values = std::move(next);
        }
    }

    /// By how much a point stands out from the mean of those around it, over the reach: the umbrella operator's share along the
    /// normal (Taubin, SIGGRAPH 1995). A half where it is flat.
    void curvature(double reach, std::vector<float>& out) const {
        std::vector<Vec3f> normals(out.size(), Vec3f::Zero());
        for (const auto& t : m_surface.triangles) {
            const Vec3f n =
                (m_surface.places[t[1]] - m_surface.places[t[0]]).cross(m_surface.places[t[2]] - m_surface.places[t[0]]);
            for (std::uint32_t v : t) normals[v] += n;
        }
        for (std::uint32_t v = 0; v < out.size(); ++v) {
            const auto around = m_around.of(v);
            Vec3f mean = Vec3f::Zero();
            float apart = 0;
            for (std::uint32_t o : around) {
                mean += m_surface.places[o];
                apart += (m_surface.places[o] - m_surface.places[v]).norm();
            }
            out[v] = 0.5f;
            if (around.empty() || !(normals[v].norm() > 0) || !(apart > 0)) continue;
            mean /= static_cast<float>(around.size());
            apart /= static_cast<float>(around.size());
            // 2 x height over the square of the ring's radius is the curvature; a ball of the reach's radius has 1.
            const float bend = 2 * normals[v].normalized().dot(m_surface.places[v] - mean) / (apart * apart);
            out[v] = 0.5f + 0.5f * std::clamp(bend * static_cast<float>(reach * m_actor.height), -1.0f, 1.0f);
        }
    }

    void colour(int channel, std::vector<float>& out) const {
        bool any = false;
        for (std::size_t i = 0; i < m_actor.instances.size(); ++i) {
            const auto& primitives = m_actor.meshes[static_cast<std::size_t>(m_actor.instances[i].mesh)].primitives;
            for (std::size_t n = 0; n < primitives.size(); ++n)
                for (std::size_t v = 0; v < primitives[n].colours.size(); ++v) {
                    any = true;
                    out[m_surface.pointOf(i, n, v)] = std::clamp(primitives[n].colours[v][channel], 0.0f, 1.0f);
                }
        }
        if (!any) throw Failure("", "its vertices have no colours");
    }

    const Actor& m_actor;
    const Surface& m_surface;
    const std::vector<Map>& m_others;
    Neighbours m_around;
    std::vector<Affine> m_worlds;
    std::vector<std::string> m_making;
};

/// Empty when a step's numbers can be used.
std::string problemOf(const MapStep& s) {
    if (s.channel < 0 || s.channel > 3) return "a colour's channel is 0 to 3";
    if (!std::isfinite(s.low) || !std::isfinite(s.high) || !s.place.allFinite()) return "a number of it is not finite";
    if (!(s.reach > 0 && s.reach <= 1)) return "a reach lies between 0 and 1 heights";
    if (s.from == MapStep::From::Paint &&
        !(s.stroke.radius > 0 && s.stroke.radius <= 1 && s.stroke.strength >= 0 && s.stroke.strength <= 1))
        return "a brush's radius and strength lie between 0 and 1";
    return {};
}

}  // namespace

std::string_view fromName(MapStep::From from) {
    return kFrom[static_cast<std::size_t>(from)];
}
bool fromFromName(std::string_view name, MapStep::From& from) {
    return named(kFrom, name, from);
}
std::string_view joinName(MapStep::Join join) {
    return kJoin[static_cast<std::size_t>(join)];
}
bool joinFromName(std::string_view name, MapStep::Join& join) {
    return named(kJoin, name, join);
}

Result<std::vector<float>> mapValues(const Actor& actor, const Surface& surface, const Map& map, const std::vector<Map>& others) {
    for (std::size_t k = 0; k < map.steps.size(); ++k)
        if (const std::string why = problemOf(map.steps[k]); !why.empty()) return Error{"", "step " + std::to_string(k + 1), why};
    try {
        return MapMaker(actor, surface, others).make(map);
    } catch (const Failure& f) {
        return f.error();
    }
}

MapPainter::MapPainter(const Actor& actor, const Surface& surface, std::vector<float> values)
    : m_actor(actor), m_surface(surface), m_dabs(surface), m_values(std::move(values)) {}

void MapPainter::dab(Brush brush, const Vec3& place, double radius, double strength) {
    const std::vector<Dabs::Met>& met = m_dabs.meet(place, radius);
    std::vector<float> now;
    for (const auto& [v, fall] : met) {
        const auto around = m_dabs.around().of(v);
        float mean = m_values[v];
        if (!around.empty()) {
            mean = 0;
            for (std::uint32_t o : around) mean += m_values[o];
            mean /= static_cast<float>(around.size());
        }
        now.push_back(std::clamp(Dabs::dabbed(brush, m_values[v], mean, fall, static_cast<float>(strength)), 0.0f, 1.0f));
    }
    for (std::size_t k = 0; k < met.size(); ++k) m_values[met[k].point] = now[k];
}

void MapPainter::stroke(const Stroke& stroke) {
    const double radius = stroke.radius * m_actor.height;
    for (const Vec3& d : stroke.dabs) dab(stroke.brush, d, radius, stroke.strength);
    if (!stroke.mirrored) return;
    const Sides sides = sidesOf(m_actor);
    std::vector<Affine> worlds;
    worldTransforms(m_actor.skeleton, m_actor.restPose(), worlds);
    for (const Vec3& d : stroke.dabs) {
        const int joint = m_surface.places.empty() ? kNoJoint : m_surface.mainJoint(m_surface.nearest(d));
        if (joint == kNoJoint || sides.fellow[static_cast<std::size_t>(joint)] == kNoJoint) continue;
        dab(stroke.brush, mirroredInRest(sides, worlds, joint, d), radius, stroke.strength);
    }
}

}  // namespace nutatio::rig
