#include "cli/segments.h"

#include <iomanip>
#include <nlohmann/json.hpp>

#include "rig/figure.h"
#include "rig/parts.h"

namespace nutatio::cli {

namespace {

using Json = nlohmann::ordered_json;

}  // namespace

void tellSegments(const scene::Scene& scene, bool json, std::ostream& out) {
    Json all = Json::array();
    for (const scene::ActorEntry& a : scene.actors) {
        const auto figure = rig::figureOf(*a.actor);
        const double metres = scene::placementOf(a).metres, kg = rig::usualMass(figure->height * metres);
        Json segments = Json::array();
        if (!json)
            out << a.name << ": " << figure->segments.size() << " segments, " << std::setprecision(3) << kg << " kg\n"
                << "  segment               hangs on              kg        radius  length  swings, twists (deg)\n";
        for (const rig::FigureSegment& g : figure->segments) {
            const std::string name = rig::plainName(a.actor->skeleton, g.joint);
            const std::string up =
                g.parent < 0 ? "" : rig::plainName(a.actor->skeleton, figure->segments[static_cast<std::size_t>(g.parent)].joint);
            const double length = metres * ((g.endB - g.endA).norm() + 2 * g.radius);
            segments.push_back({{"joint", a.actor->skeleton.reference(g.joint)},
                                {"on", up},
                                {"kg", g.share * kg},
                                {"radius", metres * g.radius},
                                {"length", length},
                                {"corners", g.corners.size()},
                                {"swings", {degrees(g.swingA), degrees(g.swingB)}},
                                {"twists", degrees(g.twist)}});
            if (json) continue;
            out << "  " << std::left << std::setw(22) << name.substr(0, 21) << std::setw(22) << up.substr(0, 21)
                << std::setprecision(3) << std::setw(9) << g.share * kg << ' ' << std::setw(7) << metres * g.radius << ' '
                << std::setw(7) << length << ' ';
            if (g.parent >= 0)
                out << std::lround(degrees(g.swingA)) << ", " << std::lround(degrees(g.swingB)) << ", "
                    << std::lround(degrees(g.twist));
            out << "\n";
        }
        for (const std::string& d : figure->doubts)
            if (!json) out << "  doubt: " << d << "\n";
        all.push_back({{"actor", a.id}, {"kg", kg}, {"segments", segments}, {"doubts", figure->doubts}});
    }
    if (json) out << Json{{"actors", all}}.dump(2, ' ', false, Json::error_handler_t::replace) << "\n";
}

}  // namespace nutatio::cli
