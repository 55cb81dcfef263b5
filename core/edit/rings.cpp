#include "edit/rings.h"

#include <algorithm>
#include <tuple>

#include "edit/mounts.h"
#include "layers/registry.h"

namespace nutatio::edit {

namespace {

struct Follower {
    const scene::Layer* layer;
    const scene::ActorEntry* actor;
    scene::Mount followed;
    std::vector<layers::Moved> moves;
    std::vector<scene::Interval> spans;
};

std::vector<Follower> followersIn(const scene::Scene& s) {
    std::vector<Follower> out;
    for (const scene::Layer& l : s.layers) {
        const layers::LayerKind* kind = layers::findKind(l.kind);
        const scene::ActorEntry* actor = kind && kind->readsSpans ? s.actor(l.actor) : nullptr;
        if (!actor || kind->problem(*actor->actor, l)) continue;
        for (const auto& [row, mount] : mountsOf(l, actor->actor->skeleton)) {
            Follower f{&l, actor, mount, kind->moves(*actor->actor, l), {}};
            if (const auto at = s.shot().intervals.find(l.id); at != s.shot().intervals.end()) f.spans = at->second;
            out.push_back(std::move(f));
        }
    }
    return out;
}

bool together(const Follower& a, const Follower& b) {
    if (!a.layer->shot.empty() && !b.layer->shot.empty() && a.layer->shot != b.layer->shot) return false;
    if (a.spans.empty() || b.spans.empty()) return true;
    return std::any_of(a.spans.begin(), a.spans.end(), [&](const scene::Interval& x) {
        return std::any_of(b.spans.begin(), b.spans.end(),
                           [&](const scene::Interval& y) { return x.from < y.to && y.from < x.to; });
    });
}

bool follows(const Follower& a, const Follower& b) {
    if (a.followed.actor != b.layer->actor || !together(a, b)) return false;
    const rig::Skeleton& s = b.actor->actor->skeleton;
    const int named = s.find(a.followed.joint);
    if (named == rig::kNoJoint) return false;
    // A layer that minds what it names, where that hangs on what it moves, gives it too.
    const bool minds = &a == &b && std::any_of(b.moves.begin(), b.moves.end(), [&](const auto& m) { return m.joint == named; });
    return !minds && std::any_of(b.moves.begin(), b.moves.end(),
                                 [&](const layers::Moved& m) { return m.joint == named || s.isBelow(named, m.joint); });
}

}  // namespace

std::optional<std::string> followingRing(const scene::Scene& s) {
    const std::vector<Follower> all = followersIn(s);
    // The way that is gone from the first of them; a ring is a way back to it.
    std::vector<std::size_t> way;
    const auto search = [&](const auto& self, std::size_t at) -> bool {
        for (std::size_t next = 0; next < all.size(); ++next) {
            if (!follows(all[at], all[next])) continue;
            if (next == way.front()) return true;
            if (std::find(way.begin(), way.end(), next) != way.end()) continue;
            way.push_back(next);
            if (self(self, next)) return true;
            way.pop_back();
        }
        return false;
    };
    for (std::size_t first = 0; first < all.size(); ++first) {
        way.assign(1, first);
        if (!search(search, first)) continue;
        std::string out;
        for (std::size_t k : way)
            out += (out.empty() ? "" : ", ") +
                   ("\"" + all[k].layer->name + "\" follows " + all[k].followed.joint + "@" + all[k].followed.actor);
        return out + (way.size() > 1 ? ": they would follow one another in a ring" : ": it would follow itself");
    }
    return std::nullopt;
}

namespace {

/// All that rings are made of, as it stands in a scene.
using Said =
    std::tuple<std::string, std::string, std::string, std::vector<std::string>, std::string, std::vector<scene::Interval>>;
std::vector<Said> saidIn(const scene::Scene& s) {
    std::vector<Said> out;
    for (const scene::Layer& l : s.layers) {
        const layers::LayerKind* kind = layers::findKind(l.kind);
        if (!kind || !kind->readsSpans) continue;
        const auto spans = s.shot().intervals.find(l.id);
        for (const scene::SettingSpec& row : kind->settings)
            if (row.type == scene::SettingType::Mount && !l.text(row.id).empty())
                out.emplace_back(l.id, l.actor, l.text(row.id), l.list(kind->target()), l.shot,
                                 spans == s.shot().intervals.end() ? std::vector<scene::Interval>{} : spans->second);
    }
    return out;
}

}  // namespace

std::optional<std::string> madeRing(const scene::Scene& before, const scene::Scene& after) {
    // A slider that is drawn makes none.
    if (saidIn(before) == saidIn(after)) return std::nullopt;
    auto ring = followingRing(after);
    return ring && !followingRing(before) ? ring : std::nullopt;
}

}  // namespace nutatio::edit
