#include "edit/line.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "rig/mapping.h"

namespace nutatio::edit {

namespace {

constexpr double kNothing = 1e-6;  // [s]

/// The line to be changed; says why there is none.
Result<rig::Line> lineToEdit(const scene::Scene& s, const std::string& actor) {
    if (!s.actor(actor)) return refused("there is no actor \"" + actor + "\"");
    rig::Line line = lineOf(s, actor);
    if (line.empty()) return refused("\"" + s.actor(actor)->name + "\" plays no clip in this shot");
    return line;
}

void put(scene::Scene& s, const std::string& actor, rig::Line line) {
    s.editShot().lines[actor] = std::move(line);
}

/// Cuts at a time; the number of the stretch that begins there then.
std::size_t cut(rig::Line& line, double time) {
    const rig::InLine at = rig::placeIn(line, time);
    rig::Stretch& s = line.stretches[at.stretch];
    if (at.time < kNothing) return at.stretch;
    if (at.time > s.seconds() - kNothing) return at.stretch + 1;
    rig::Stretch after = s;
    after.blend = 0;
    if (s.hold > 0) {
        after.hold = s.hold - at.time;
        s.hold = at.time;
    } else {
        after.from = s.from + at.time;
        s.to = after.from;
    }
    line.stretches.insert(line.stretches.begin() + static_cast<std::ptrdiff_t>(at.stretch) + 1, after);
    return at.stretch + 1;
}

/// Says why it cannot be cut at a time: two clips are blended there, and a cut would lose one of them.
std::optional<Error> blendedAt(const scene::Scene& s, const rig::Line& line, double time) {
    const rig::InLine at = rig::placeIn(line, time);
    const rig::Stretch& shown = line.stretches[at.stretch];
    if (at.stretch == 0 || at.time < kNothing || at.time > shown.blend - kNothing) return std::nullopt;
    const scene::Shot& shot = s.shot();
    const double from = line.startOf(at.stretch);
    return refused("\"" + line.stretches[at.stretch - 1].clip + "\" is blended into \"" + shown.clip + "\" there: cut at frame " +
                   std::to_string(shot.frameOf(from) + 1) + " or from frame " +
                   std::to_string(shot.frameOf(from + shown.blend) + 1) + " on");
}

/// What is of the actor and stands at a time of the shot or after it goes on by so much; what is of the whole shot does where the
/// actor leads it.
void shiftAfter(scene::Scene& s, const std::string& actor, double time, double by) {
    const scene::Scene& was = s;
    const bool leads = was.shot().lead.empty() || was.shot().lead == actor;
    const auto isOf = [&](const scene::Owner& o) {
        const auto of = [&](const auto* x) { return x ? x->actor == actor : leads; };
        const auto on = [&](const scene::Mount* m) { return m ? m->actor == actor || (leads && m->world()) : leads; };
        switch (o.list) {
            case scene::List::Actors:
                return o.id == actor;
            case scene::List::Layers:
                return of(was.layer(o.id));
            case scene::List::Colliders:
                return on(was.collider(o.id) ? &was.collider(o.id)->mount : nullptr);
            case scene::List::Pins:
                return of(was.pin(o.id));
            case scene::List::Gauges:
                return on(was.gauge(o.id) ? &was.gauge(o.id)->of : nullptr);
            case scene::List::Winds:
                return leads;
        }
        return leads;
    };
    scene::Shot& shot = s.editShot();
    const auto later = [&](double& t) {
        if (t >= time - kNothing) t = std::max(time, t + by);
    };
    if (leads) {
        for (double& t : shot.cuts) later(t);
        for (scene::Mark& m : shot.marks) later(m.at);
    }
    for (auto& [owner, all] : shot.keys)
        for (auto& [setting, keys] : all) {
            if (!isOf(owner)) break;
            for (scene::KeyAt& k : keys) later(k.at);
            keys.erase(std::unique(keys.begin(), keys.end(),
                                   [](const scene::KeyAt& a, const scene::KeyAt& b) { return b.at - a.at < scene::kSameMoment; }),
                       keys.end());
        }
    for (auto& [layer, all] : shot.intervals)
        for (scene::Interval& i : all) {
            if (!isOf({scene::List::Layers, layer})) break;
            later(i.from);
            later(i.to);
        }
    std::erase_if(shot.cuts, [&](double t) { return t <= kNothing; });
}

}  // namespace

rig::Line lineOf(const scene::Scene& s, const std::string& actor) {
    const scene::ActorEntry* a = s.actor(actor);
    if (!a) return {};
    if (const rig::Line* line = s.shot().lineOf(actor)) return *line;
    const int clip = s.clipOf(s.shot(), *a);
    if (clip < 0) return {};
    const double seconds = a->actor->clips[static_cast<std::size_t>(clip)].seconds();
    if (!(seconds > 0)) return {};
    rig::Line line;
    line.stretches.push_back({scene::clipReference(*a->actor, clip), 0, seconds, 0, 0});
    return line;
}

Result<Done> splitAt(scene::Scene& s, const std::string& actor, int frame) {
    auto line = lineToEdit(s, actor);
    if (!line) return line.error();
    const double time = s.shot().timeOf(frame);
    const std::size_t before = line.value().stretches.size();
    if (time < kNothing || time > line.value().seconds() - kNothing)
        return refused("it is cut between its first and its last frame");
    if (const auto why = blendedAt(s, line.value(), time)) return *why;
    cut(line.value(), time);
    if (line.value().stretches.size() == before) return refused("it is cut there already");
    put(s, actor, std::move(line.value()));
    return Done{};
}

Result<Done> holdPose(scene::Scene& s, const std::string& actor, int frame, int frames) {
    auto line = lineToEdit(s, actor);
    if (!line) return line.error();
    if (frames < 1) return refused("a pose is held for a frame at least");
    const double time = s.shot().timeOf(frame), longer = frames / s.shot().fps;
    if (time < 0 || time > line.value().seconds() + kNothing) return refused("the shot has no such frame");
    if (const auto why = blendedAt(s, line.value(), time)) return *why;
    const rig::InLine at = rig::placeIn(line.value(), time);
    const rig::Stretch shown = line.value().stretches[at.stretch];
    rig::Stretch held{shown.clip, shown.hold > 0 ? shown.from : std::min(shown.from + at.time, shown.to), 0, longer, 0};
    const std::size_t after = cut(line.value(), time);
    line.value().stretches.insert(line.value().stretches.begin() + static_cast<std::ptrdiff_t>(after), held);
    put(s, actor, std::move(line.value()));
    // The frame itself stays where it is.
    shiftAfter(s, actor, time + 0.5 / s.shot().fps, longer);
    return Done{};
}

Result<Done> repeatFrames(scene::Scene& s, const std::string& actor, int from, int to, int times) {
    auto line = lineToEdit(s, actor);
    if (!line) return line.error();
    // The shot's last frame may lie beyond the end of what plays, by less than a frame.
    const double end = line.value().seconds() - line.value().closing, a = s.shot().timeOf(from),
                 b = std::min(s.shot().timeOf(to), end);
    if (times < 1 || times > 1000) return refused("a stretch is repeated once to a thousand times");
    if (!(from >= 0 && to > from && b > a) || s.shot().timeOf(to) > end + 1 / s.shot().fps - kNothing)
        return refused("what is repeated lies within the shot, the first frame before the last");
    for (const double t : {a, b})
        if (const auto why = blendedAt(s, line.value(), t)) return *why;
    const std::size_t first = cut(line.value(), a), behind = cut(line.value(), b);
    const std::vector<rig::Stretch> once(line.value().stretches.begin() + static_cast<std::ptrdiff_t>(first),
                                         line.value().stretches.begin() + static_cast<std::ptrdiff_t>(behind));
    for (int n = 0; n < times; ++n)
        for (std::size_t k = 0; k < once.size(); ++k) {
            rig::Stretch again = once[k];
            if (k == 0) again.blend = 0;
            line.value().stretches.insert(line.value().stretches.begin() +
                                              static_cast<std::ptrdiff_t>(behind + static_cast<std::size_t>(n) * once.size() + k),
                                          again);
        }
    put(s, actor, std::move(line.value()));
    shiftAfter(s, actor, b + 0.5 / s.shot().fps, times * (b - a));
    return Done{};
}

Result<Done> playAfter(scene::Scene& s, const std::string& actor, const std::string& clip, int blendFrames) {
    auto line = lineToEdit(s, actor);
    if (!line) return line.error();
    const rig::Actor& a = *std::as_const(s).actor(actor)->actor;
    const int number = a.findClip(clip);
    if (number < 0) return refused("there is no clip \"" + clip + "\"");
    rig::Stretch next{scene::clipReference(a, number), 0, a.clips[static_cast<std::size_t>(number)].seconds(), 0, 0};
    if (!(next.seconds() > 0)) return refused("the clip \"" + clip + "\" does not last");
    next.blend = within(blendFrames / s.shot().fps, 0.0, 0.9 * std::min(next.seconds(), line.value().stretches.back().seconds()));
    line.value().stretches.push_back(next);
    put(s, actor, std::move(line.value()));
    return Done{};
}

Result<Done> removeStretch(scene::Scene& s, const std::string& actor, std::size_t which) {
    auto line = lineToEdit(s, actor);
    if (!line) return line.error();
    auto& all = line.value().stretches;
    if (which >= all.size()) return refused("there is no such stretch");
    if (all.size() == 1) return refused("it is all that plays");
    const double from = line.value().startOf(which), before = line.value().seconds();
    all.erase(all.begin() + static_cast<std::ptrdiff_t>(which));
    all.front().blend = 0;
    if (which < all.size() && which > 0)
        all[which].blend = std::min(all[which].blend, 0.9 * std::min(all[which].seconds(), all[which - 1].seconds()));
    const double shorter = before - line.value().seconds();
    put(s, actor, std::move(line.value()));
    shiftAfter(s, actor, from, -shorter);
    return Done{};
}

Result<Done> closeLine(scene::Scene& s, const std::string& actor, int missing, int fade) {
    auto line = lineToEdit(s, actor);
    if (!line) return line.error();
    if (missing < 0 || fade < 0 || (missing > 0 && fade > 0)) return refused("it closes by frames more or by a fade");
    line.value().closing = missing / s.shot().fps;
    const double plays = line.value().seconds() - line.value().closing;
    line.value().fade = std::min(fade / s.shot().fps, 0.5 * plays);
    put(s, actor, std::move(line.value()));
    return Done{};
}

Result<Done> closeClip(scene::Scene& s, const std::string& actor, const std::string& clip, int missing, int fade) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return refused("there is no actor \"" + actor + "\"");
    const int number = a->actor->findClip(clip);
    if (number < 0) return refused("there is no clip \"" + clip + "\"");
    const double own = rig::ownRate(a->actor->clips[static_cast<std::size_t>(number)]);
    scene::Scene next = s;
    bool any = false;
    for (std::size_t k = 0; k < s.shots.size(); ++k) {
        if (s.clipOf(s.shots[k], *a) != number || s.shots[k].lineOf(actor)) continue;
        next.shown = s.shots[k].id;
        const auto frames = [&](int n) { return static_cast<int>(std::lround(n * s.shots[k].fps / own)); };
        if (const auto done = closeLine(next, actor, frames(missing), frames(fade)); !done) return done;
        any = true;
    }
    if (!any) return refused("no shot plays the clip \"" + clip + "\" as it is");
    next.shown = s.shown;
    s = std::move(next);
    return Done{};
}

void clearLine(scene::Scene& s, const std::string& actor) {
    if (s.shot().lineOf(actor)) s.editShot().lines.erase(actor);
}

}  // namespace nutatio::edit
