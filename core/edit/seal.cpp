#include "edit/seal.h"

#include <algorithm>
#include <cstdio>

#include "layers/registry.h"
#include "pipeline/evaluate.h"
#include "scene/seal.h"

namespace nutatio::edit {

namespace {

std::shared_ptr<const scene::Seal> sealOn(const scene::Scene& s, const std::string& layer) {
    const auto at = s.shot().seals.find(layer);
    return at == s.shot().seals.end() ? nullptr : at->second;
}

Result<Done> noSeal(const std::string& layer) {
    return refused("\"" + layer + "\" has no sealed frames in this shot");
}

/// How far the joints of a layer's actor are apart in two results, over some frames.
struct Apart {
    double place = 0, turn = 0;  // [m, rad]
};
Apart apartOver(const rig::Actor& actor, double metres, const rig::Track& a, const rig::Track& b, int from, int to) {
    Apart out;
    std::vector<Xform> pose;
    std::vector<Affine> one, other;
    for (int f = from; f <= to; ++f) {
        a.pose(f, pose);
        rig::worldTransforms(actor.skeleton, pose, one);
        b.pose(f, pose);
        rig::worldTransforms(actor.skeleton, pose, other);
        for (std::size_t j = 0; j < one.size(); ++j) {
            out.place = std::max(out.place, metres * (one[j].t - other[j].t).norm());
            out.turn = std::max(out.turn, rotationOf(one[j].m).angularDistance(rotationOf(other[j].m)));
        }
    }
    for (const rig::Patch& p : a.addedTo(b))
        for (const Vec3f* v = p.frame(from); v != p.frame(to + 1); ++v)
            out.place = std::max(out.place, metres * static_cast<double>(v->norm()));
    return out;
}

}  // namespace

Result<Done> seal(scene::Scene& s, const std::string& id, int from, int to, const Cancel& cancel) {
    const scene::Layer* layer = std::as_const(s).layer(id);
    if (!layer) return refused("there is no layer \"" + id + "\"");
    const layers::LayerKind* kind = layers::findKind(layer->kind);
    if (!kind || !kind->simulated) return refused("\"" + layer->name + "\" is not simulated: there is nothing to seal");
    const int frames = s.frames(s.shot());
    if (from < 0 || to < from || to >= frames)
        return refused("the shot has frames 1 to " + std::to_string(frames) + ", not " + std::to_string(from + 1) + " to " +
                       std::to_string(to + 1));
    auto asked = std::make_shared<scene::Seal>();
    asked->from = from;
    asked->to = to;
    if ((asked->after = sealOn(s, id))) {
        if (to <= asked->after->to)
            return refused("frames " + std::to_string(asked->after->from + 1) + " to " + std::to_string(asked->after->to + 1) +
                           " of \"" + layer->name + "\" are sealed already");
        asked->from = std::min(from, asked->after->from);
    }
    scene::Scene trial = s;
    trial.editShot().seals[id] = asked;
    pipeline::Evaluator evaluator;
    const pipeline::Evaluation e = evaluator.evaluate(trial, cancel);
    const pipeline::LayerResult* r = e.layer(id);
    if (!r || r->changed.empty())
        return refused("\"" + layer->name + "\" does nothing in this shot" +
                       (r && !(r->problem + r->idle).empty() ? ": " + r->problem + r->idle : std::string()));
    if (!r->sealed) return refused("a loop that is closed goes round as a whole: open it before a part of it is sealed");
    // Motion is sealed as it shows, mixed.
    auto made = std::make_shared<scene::Seal>(*r->sealed);
    const rig::Skeleton& skeleton = s.actor(layer->actor)->actor->skeleton;
    for (scene::Seal::Part& part : made->parts)
        for (std::size_t k = 0; k < part.joints.size(); ++k)
            for (const auto& [joint, column] : r->changed.joints)
                if (joint == skeleton.find(part.joints[k]))
                    for (int f = made->from; f <= made->to; ++f)
                        part.columns[k][static_cast<std::size_t>(f - made->from)] =
                            column->size() == 1 ? column->front() : (*column)[static_cast<std::size_t>(f)];
    // Patches come in the order of the movers, as their parts do.
    std::size_t next = 0;
    for (scene::Seal::Part& part : made->parts)
        for (rig::Patch& surface : part.surfaces) {
            const rig::Patch& shown = *r->changed.patches[next++];
            surface.offsets.assign(shown.frame(made->from), shown.frame(made->to + 1));
        }
    s.editShot().seals[id] = std::move(made);
    return Done{};
}

Result<Done> breakSeal(scene::Scene& s, const std::string& layer) {
    if (!sealOn(s, layer)) return noSeal(layer);
    auto& seals = s.editShot().seals;
    seals.erase(seals.find(layer));
    return Done{};
}

Result<std::string> whatBreaking(const scene::Scene& s, const std::string& id, const Cancel& cancel) {
    const auto kept = sealOn(s, id);
    const scene::Layer* layer = s.layer(id);
    const scene::ActorEntry* actor = layer ? s.actor(layer->actor) : nullptr;
    if (!kept || !actor) return noSeal(id).error();
    scene::Scene trial = s;
    if (const auto done = breakSeal(trial, id); !done) return done.error();
    pipeline::Evaluator evaluator;
    const pipeline::Evaluation with = evaluator.evaluate(s, cancel), without = evaluator.evaluate(trial, cancel);
    const rig::Track &a = *with.actor(actor->id)->result, &b = *without.actor(actor->id)->result;
    const double metres = scene::placementOf(*actor).metres;
    const int last = a.frames() - 1, to = std::min(kept->to, last);
    const Apart in = apartOver(*actor->actor, metres, a, b, kept->from, to);
    char text[240];
    std::snprintf(text, sizeof text, "Frames %d to %d will move by up to %.3g mm and %.2g deg", kept->from + 1, to + 1,
                  1000 * in.place, degrees(in.turn));
    std::string out = text;
    if (to < last) {
        const Apart on = apartOver(*actor->actor, metres, a, b, to + 1, last);
        std::snprintf(text, sizeof text, ", the %d after them by up to %.3g mm and %.2g deg", last - to, 1000 * on.place,
                      degrees(on.turn));
        out += text;
    }
    return out + ".";
}

}  // namespace nutatio::edit
