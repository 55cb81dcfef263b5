#include "cli/loops.h"

#include <nlohmann/json.hpp>

#include "measure/seam.h"
#include "pipeline/evaluate.h"
#include "rig/mapping.h"
#include "rig/surface.h"

namespace nutatio::cli {

namespace {

using Json = nlohmann::ordered_json;

Json clipsOf(const scene::ActorEntry& a, std::ostream* out, const Cancel& cancel) {
    Json all = Json::array();
    if (a.actor->clips.empty()) return all;
    const std::vector<double> reach = measure::reachesOf(*a.actor, rig::Surface::of(*a.actor));
    for (std::size_t c = 0; c < a.actor->clips.size(); ++c) {
        const rig::Clip& clip = a.actor->clips[c];
        const std::string name = a.actor->clipLabel(static_cast<int>(c));
        const auto grid = rig::FrameGrid::covering(clip, rig::ownRate(clip));
        const auto ends = measure::endsOf(*a.actor, rig::bodyTrack(*a.actor, static_cast<int>(c), grid, cancel), reach);
        all.push_back(
            {{"actor", a.id}, {"clip", name}, {"is", measure::className(ends.is)}, {"missing", ends.missing}, {"gap", ends.gap}, {"apart", ends.apart}});
        if (out) {
            const bool more = ends.is == measure::ClipEnds::Class::OneMore;
            *out << a.name << ", " << name << ": "
                 << (more ? "goes round a frame after its last one" : std::string(measure::className(ends.is)));
            if (ends.missing > 0 && !more) *out << " by " << ends.missing;
            *out << ", ends " << 100 * ends.apart << " % of the height apart\n";
        }
    }
    return all;
}

Json layersOf(const scene::Scene& scene, const scene::Shot& shot, std::ostream* out, const Cancel& cancel) {
    Json all = Json::array();
    pipeline::Evaluator evaluator;
    const pipeline::Evaluation e = evaluator.evaluate(scene, shot, cancel);
    for (const scene::Layer& l : scene.layers) {
        const pipeline::LayerResult* r = e.layer(l.id);
        if (!r || r->closure.laps == 0) continue;
        const layers::Closure& c = r->closure;
        all.push_back({{"shot", shot.id},
                       {"layer", l.id},
                       {"laps", c.laps},
                       {"before", c.before},
                       {"after", c.after},
                       {"returns", c.returns},
                       {"blended", c.blended},
                       {"milliseconds", e.milliseconds}});
        if (!out) continue;
        *out << shot.name << ", " << l.name << ": " << c.laps << " laps, seam " << c.before << " -> " << c.after
             << " of its length";
        if (c.blended > 0) *out << ", " << r->remarks.back();
        *out << " (the shot in " << e.milliseconds << " ms)\n";
    }
    return all;
}

}  // namespace

void tellLoops(scene::Scene scene, bool json, std::ostream& out, const Cancel& cancel) {
    Json clips = Json::array(), closed = Json::array();
    std::ostream* lines = json ? nullptr : &out;
    for (const scene::ActorEntry& a : scene.actors)
        for (Json& each : clipsOf(a, lines, cancel)) clips.push_back(std::move(each));
    for (std::size_t k = 0; k < scene.shots.size(); ++k) {
        scene.shots.edit(k).loop = scene::Loop::Closed;
        for (Json& each : layersOf(scene, scene.shots[k], lines, cancel)) closed.push_back(std::move(each));
    }
    if (json) out << Json{{"clips", clips}, {"closed", closed}}.dump(2, ' ', false, Json::error_handler_t::replace) << "\n";
}

}  // namespace nutatio::cli
