#include "edit/channels.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "edit/across.h"
#include "edit/edit.h"
#include "layers/by_hand.h"
#include "layers/joint_worlds.h"
#include "layers/registry.h"
#include "layers/touchup/touchup.h"
#include "rig/morph_targets.h"
#include "rig/parts.h"

namespace nutatio::edit {

namespace {

using scene::Each;
using scene::List;
using scene::Owner;
using scene::SettingSpec;

const layers::LayerKind* posedKind(const scene::Layer& layer) {
    const layers::LayerKind* kind = layers::findKind(layer.kind);
    return kind && kind->byHand ? kind : nullptr;
}

using Triple = layers::ByHand::Triple;

std::string axisOf(const Triple& t, int axis, std::string_view joint) {
    return scene::channelId(std::string(t.stem) + '_' + "xyz"[axis], joint);
}

/// The vector that a channel's id belongs to, if it is one of three.
const Triple* tripleOf(std::span<const Triple> all, std::string_view setting) {
    const std::string_view row = scene::channelRow(setting);
    if (row.size() == setting.size() || row.size() < 3) return nullptr;
    const std::string_view stem = row.substr(0, row.size() - 2);
    const auto at = std::find_if(all.begin(), all.end(), [&](const Triple& t) { return t.stem == stem; });
    return at == all.end() ? nullptr : &*at;
}

/// Whose axes a layer keeps its channels in.
std::string axesOf(const scene::Layer& layer, const layers::LayerKind& kind) {
    return kind.byHand->axes.empty() ? std::string("own") : layer.text(kind.byHand->axes);
}

/// Renames settings, and takes away those that come out empty.
template <class Map>
void renameIn(Map& map, const std::function<std::optional<std::string>(const std::string&)>& become) {
    Map out;
    for (auto& [id, what] : map)
        if (auto is = become(id)) out.emplace(std::move(*is), std::move(what));
    map = std::move(out);
}

std::function<std::optional<std::string>(const std::string&)> becoming(const layers::LayerKind& kind, const Followed& followed) {
    return [&kind, followed](const std::string& id) -> std::optional<std::string> {
        const bool rests = scene::isResting(id);
        const std::string plain = rests ? scene::restingId(id) : id;
        const SettingSpec* row = scene::channelOf(plain).empty() ? nullptr : kind.setting(plain);
        if (!row || row->each == Each::Handle) return id;
        const std::string of(scene::channelOf(plain));
        // A morph target is called by the joint that its mesh hangs on, and its name.
        const std::size_t slash = row->each == Each::Morph ? of.rfind('/') : of.size();
        const auto is = followed(of.substr(0, slash));
        if (!is) return std::nullopt;
        const std::string now = scene::channelId(row->id, *is + of.substr(std::min(slash, of.size())));
        return rests ? scene::restingId(now) : now;
    };
}

bool hasChannels(const layers::LayerKind& kind) {
    return std::any_of(kind.settings.begin(), kind.settings.end(), [](const SettingSpec& row) { return row.each != Each::None; });
}

/// As few keys as keep the smooth curve through them within `most` of every frame: the worst frame gets the next key.
std::vector<int> fewest(const std::vector<Vec3>& values, double most) {
    const int n = static_cast<int>(values.size());
    std::vector<int> kept{0};
    if (n > 1) kept.push_back(n - 1);
    std::vector<double> off(values.size(), 0);
    const auto measure = [&](int from, int to) {
        scene::Keys keys[3];
        // A smooth key's slope comes from its neighbours; those outside shape the ends of the stretch.
        const auto low = std::lower_bound(kept.begin(), kept.end(), from), high = std::lower_bound(kept.begin(), kept.end(), to);
        const auto first = low - std::min<std::ptrdiff_t>(1, low - kept.begin()), last = high == kept.end() ? high : high + 1;
        for (auto k = first; k != (last == kept.end() ? last : last + 1); ++k)
            for (int a = 0; a < 3; ++a)
                keys[a].push_back({.at = static_cast<double>(*k), .value = values[static_cast<std::size_t>(*k)][a]});
        for (int f = from; f <= to; ++f) {
            Vec3 is;
            for (int a = 0; a < 3; ++a) is[a] = scene::keyedAt(keys[a], f);
            off[static_cast<std::size_t>(f)] = (is - values[static_cast<std::size_t>(f)]).norm();
        }
    };
    if (n > 1) measure(0, n - 1);
    while (n > 1) {
        const auto worst = std::max_element(off.begin(), off.end());
        if (*worst <= most) break;
        const int f = static_cast<int>(worst - off.begin());
        const auto at = kept.insert(std::lower_bound(kept.begin(), kept.end(), f), f);
        const std::ptrdiff_t place = at - kept.begin(), count = static_cast<std::ptrdiff_t>(kept.size());
        measure(kept[static_cast<std::size_t>(std::max<std::ptrdiff_t>(0, place - 2))],
                kept[static_cast<std::size_t>(std::min(count - 1, place + 2))]);
    }
    // A value that is the same at every frame needs one key only.
    if (kept.size() == 2 && (values.front() - values.back()).norm() <= most) kept.pop_back();
    return kept;
}

/// Puts three curves into a layer's channels: plain values where they hold throughout.
void putCurves(scene::Layer& layer, scene::KeysOf& keys, const std::string& stem, const std::string& of,
               const std::vector<Vec3>& values, double most, double fps, bool only) {
    double far = 0;
    for (const Vec3& v : values) far = std::max(far, v.norm());
    if (far <= 0.5 * most) return;
    const std::vector<int> frames = fewest(values, most);
    for (int a = 0; a < 3; ++a) {
        const std::string id = scene::channelId(stem + '_' + "xyz"[a], of);
        const bool still = std::all_of(values.begin(), values.end(), [&](const Vec3& v) { return std::abs(v[a]) < 0.1 * most; });
        if (still) continue;
        if (frames.size() == 1 && only) {
            layer.set(id, values.front()[a]);
            continue;
        }
        scene::Keys mine;
        for (int f : frames) scene::putKey(mine, f / fps, values[static_cast<std::size_t>(f)][a]);
        layer.set(id, 0.0);
        keys[id] = std::move(mine);
    }
}

}  // namespace

const layers::LayerKind* handKind() {
    return &layers::touchup::kKind;
}

bool isPosed(const scene::Layer& layer) {
    return posedKind(layer) != nullptr;
}

Result<Done> touch(scene::Scene& s, const std::string& id, const std::vector<std::string>& joints) {
    const scene::Layer* layer = std::as_const(s).layer(id);
    const layers::LayerKind* kind = layer ? posedKind(*layer) : nullptr;
    const scene::ActorEntry* actor = layer ? std::as_const(s).actor(layer->actor) : nullptr;
    if (!kind || !actor) return refused("\"" + id + "\" is no layer that is posed by hand");
    std::vector<std::string> all = layer->list(kind->target());
    const std::size_t had = all.size();
    for (const std::string& joint : joints) {
        const int j = actor->actor->skeleton.find(joint);
        if (j == rig::kNoJoint) return refused("there is no joint \"" + joint + "\"");
        const bool there =
            std::any_of(all.begin(), all.end(), [&](const std::string& o) { return actor->actor->skeleton.find(o) == j; });
        if (!there) all.push_back(actor->actor->skeleton.reference(j));
    }
    if (all.size() > had) s.layer(id)->set(kind->target(), std::move(all));
    return Done{};
}

void untouch(scene::Scene& s, const std::string& id, const std::vector<std::string>& joints) {
    const scene::Layer* layer = std::as_const(s).layer(id);
    const layers::LayerKind* kind = layer ? posedKind(*layer) : nullptr;
    if (!kind) return;
    const auto left = [&](const std::string& joint) { return std::find(joints.begin(), joints.end(), joint) != joints.end(); };
    std::vector<std::string> all = layer->list(kind->target());
    std::erase_if(all, left);
    if (all.empty() && !layer->list(kind->target()).empty()) all.push_back(layer->list(kind->target()).front());
    followChannels(s, id,
                   [&](const std::string& joint) { return left(joint) ? std::nullopt : std::optional<std::string>(joint); });
    s.layer(id)->set(kind->target(), std::move(all));
}

void pose(scene::Scene& s, const std::string& id, const std::vector<std::pair<std::string, double>>& values, int frame,
          bool key) {
    const scene::Layer* layer = std::as_const(s).layer(id);
    const layers::LayerKind* kind = layer ? posedKind(*layer) : nullptr;
    if (!kind) return;
    const Owner owner{List::Layers, id};
    for (const auto& [setting, value] : values) {
        const SettingSpec* row = kind->setting(setting);
        if (!row) continue;
        const double clamped = scene::clampTo(*row, value);
        if (key && row->keyable && !s.shot().keysOf(owner, setting)) {
            scene::Shot& shot = s.editShot();
            scene::putKey(shot.keys[owner][setting], shot.timeOf(frame), clamped);
        }
        set(s, owner, setting, clamped, frame);
    }
}

void keyPose(scene::Scene& s, const std::string& id, const std::vector<std::string>& joints, int frame) {
    const scene::Layer* layer = std::as_const(s).layer(id);
    const layers::LayerKind* kind = layer ? posedKind(*layer) : nullptr;
    if (!kind) return;
    const Owner owner{List::Layers, id};
    const std::span<const Triple> triples = kind->byHand->triples;
    std::set<std::string> wanted;
    for (const std::string& joint : joints)
        for (const SettingSpec& row : kind->settings) {
            const std::string mine = scene::channelId(row.id, joint);
            if (row.each != Each::Joint || !row.keyable) continue;
            if (s.numberAt(owner, mine, frame) == 0 && !s.shot().keysOf(owner, mine)) continue;
            wanted.insert(mine);
            // Of three numbers that are one turn or way all are keyed where one is.
            if (const Triple* triple = tripleOf(triples, mine))
                for (int axis = 0; axis < 3; ++axis) wanted.insert(axisOf(*triple, axis, joint));
        }
    std::vector<std::pair<std::string, double>> all;
    for (const std::string& setting : wanted) all.emplace_back(setting, s.numberAt(owner, setting, frame));
    pose(s, id, all, frame, true);
}

void holdPartBack(scene::Scene& s, const std::string& id, const std::string& joint) {
    const scene::Layer* layer = std::as_const(s).layer(id);
    const layers::LayerKind* kind = layer ? posedKind(*layer) : nullptr;
    const scene::ActorEntry* actor = layer ? std::as_const(s).actor(layer->actor) : nullptr;
    const std::string_view row = kind ? kind->byHand->heldBack : std::string_view();
    if (row.empty() || !actor) return;
    const rig::Skeleton& k = actor->actor->skeleton;
    std::set<std::string> part;
    const auto take = [&](const std::vector<std::string>& joints) {
        if (std::find(joints.begin(), joints.end(), joint) != joints.end()) part.insert(joints.begin(), joints.end());
    };
    for (const scene::Part& p : actor->parts) take(p.joints);
    // Roles that nobody has set are taken from names and the skeleton.
    if (part.empty())
        for (const rig::Part& guess : rig::suggestedParts(*actor->actor)) {
            std::vector<std::string> names;
            for (int j : guess.joints) names.push_back(k.reference(j));
            take(names);
        }
    const std::vector<std::string> touched = layer->list(kind->target());
    const std::string from = scene::channelId(row, joint);
    const Owner owner{List::Layers, id};
    for (const std::string& other : touched) {
        if (other == joint || part.count(other) == 0) continue;
        const std::string to = scene::channelId(row, other);
        scene::Layer& mine = *s.layer(id);
        mine.set(to, mine.number(from));
        if (const auto feed = mine.feeds.find(from); feed != mine.feeds.end())
            mine.feeds[to] = scene::Feed(feed->second);
        else
            mine.feeds.erase(to);
        for (std::size_t i = 0; i < s.shots.size(); ++i) {
            const scene::Keys* keys = s.shots[i].keysOf(owner, from);
            if (!keys && !s.shots[i].keysOf(owner, to)) continue;
            const scene::Keys copy = keys ? *keys : scene::Keys();
            auto& all = s.shots.edit(i).keys[owner];
            if (copy.empty())
                all.erase(to);
            else
                all[to] = copy;
        }
    }
}

Result<Done> restKeys(scene::Scene& s, const Owner& owner, const std::string& setting, int frame) {
    if (!s.shot().keysOf(owner, setting)) return refused("it has no keys in the shot on show");
    const double value = s.numberAt(owner, setting, frame);
    auto& all = s.editShot().keys[owner];
    auto keys = all.extract(setting);
    all.erase(scene::restingId(setting));
    keys.key() = scene::restingId(setting);
    all.insert(std::move(keys));
    setPlain(s, owner, setting, value);
    return Done{};
}

Result<Done> wakeKeys(scene::Scene& s, const Owner& owner, const std::string& setting) {
    if (!keysRest(s, owner, setting)) return refused("it has no keys that rest in the shot on show");
    auto& all = s.editShot().keys[owner];
    auto keys = all.extract(scene::restingId(setting));
    all.erase(setting);
    keys.key() = setting;
    all.insert(std::move(keys));
    return Done{};
}

bool keysRest(const scene::Scene& s, const Owner& owner, const std::string& setting) {
    return s.shot().keysOf(owner, scene::restingId(setting)) != nullptr;
}

Result<std::vector<KeyOf>> repeatHalf(scene::Scene& scene, const std::vector<KeyOf>& keys) {
    if (keys.empty()) return refused("no keys are selected");
    const scene::Shot& shot = scene.shot();
    const double length = (scene.frames(shot) - 1) / shot.fps;
    if (!(length > 0)) return refused("the shot has no length to go round in");
    scene::Scene s = scene;
    std::vector<KeyOf> out;
    const auto put = [&](const Owner& owner, const std::string& setting, double at, double value, const scene::KeyAt& like) {
        double t = std::fmod(at + 0.5 * length, length);
        if (length - t < scene::kSameMoment) t = 0;
        const SettingSpec* row = findRow(layers::tableOf(s, owner), setting);
        auto& mine = s.editShot().keys[owner][setting];
        const auto one = [&](double time) {
            scene::putKey(mine, time, row ? scene::clampTo(*row, value) : value);
            scene::KeyAt& k = *scene::keyAt(mine, time);
            k.ease = like.ease;
            k.before = like.before;
            k.after = like.after;
            out.push_back({owner, setting, time});
        };
        one(t);
        // The last frame of what goes round is the first again.
        if (t < scene::kSameMoment) one(length);
    };
    std::set<std::tuple<Owner, std::string, std::string>> done;
    for (const KeyOf& key : keys) {
        const scene::Keys* curve = shot.keysOf(key.owner, key.setting);
        const auto at = curve ? scene::keyAt(*curve, key.at) : scene::Keys::const_iterator{};
        if (!curve || at == curve->end()) continue;
        const scene::Layer* layer = key.owner.list == List::Layers ? std::as_const(s).layer(key.owner.id) : nullptr;
        const layers::LayerKind* kind = layer ? posedKind(*layer) : nullptr;
        const std::span<const Triple> triples = kind ? kind->byHand->triples : std::span<const Triple>();
        const Triple* triple = tripleOf(triples, key.setting);
        const scene::ActorEntry* entry = triple ? std::as_const(scene).actor(layer->actor) : nullptr;
        if (!triple || !entry) {
            put(key.owner, key.setting, key.at, at->value, *at);
            continue;
        }
        const std::string joint(scene::channelOf(key.setting));
        if (!done.emplace(key.owner, triple->stem, joint).second) continue;
        const Across across(scene, *entry);
        const int from = entry->actor->skeleton.find(joint), to = across.fellow(joint);
        if (to == rig::kNoJoint) return refused("\"" + joint + "\" has no joint of its kind on the other side");
        const std::string other = entry->actor->skeleton.reference(to);
        // All three together, at every time that one of them is selected.
        std::map<double, scene::KeyAt> times;
        for (const KeyOf& k : keys)
            if (k.owner == key.owner && tripleOf(triples, k.setting) == triple && scene::channelOf(k.setting) == joint)
                if (const scene::Keys* its = shot.keysOf(k.owner, k.setting))
                    if (const auto there = scene::keyAt(*its, k.at); there != its->end()) times.emplace(k.at, *there);
        const std::string axes = axesOf(*layer, *kind);
        for (auto& [time, like] : times) {
            Vec3 v, before, after;
            for (int a = 0; a < 3; ++a) {
                const std::string id = axisOf(*triple, a, joint);
                const scene::Keys* its = shot.keysOf(key.owner, id);
                v[a] = its ? scene::keyedAt(*its, time) : layer->number(id);
                const auto there = its ? scene::keyAt(*its, time) : scene::Keys::const_iterator{};
                before[a] = its && there != its->end() ? there->before : 0;
                after[a] = its && there != its->end() ? there->after : 0;
            }
            const auto picture = [&](const Vec3& w) { return across.channel(from, axes, triple->turn, w); };
            const Vec3 is = picture(v), in = picture(before), on = picture(after);
            for (int a = 0; a < 3; ++a) {
                const std::string id = axisOf(*triple, a, other);
                if (std::abs(is[a]) < 1e-9 && !shot.keysOf(key.owner, id) && !s.shot().keysOf(key.owner, id)) continue;
                scene::KeyAt mine = like;
                mine.before = in[a];
                mine.after = on[a];
                put(key.owner, id, time, is[a], mine);
            }
        }
        if (const auto made = touch(s, key.owner.id, {other}); !made) return made.error();
    }
    if (out.empty()) return refused("none of those keys is there");
    scene = std::move(s);
    return out;
}

void putMotion(scene::Layer& made, scene::KeysOf& keys, const std::set<int>& moved, const rig::Actor& actor,
               const rig::Track& below, const rig::Track& above, const HandTolerance& tolerance, double fps, bool only,
               const Cancel& cancel) {
    const layers::LayerKind& kind = *posedKind(made);
    layers::LayerContext context = layers::LayerContext::bare(actor, made);
    layers::JointWorlds worlds(actor.skeleton, {moved.begin(), moved.end()});
    std::map<int, std::map<std::string, std::vector<Vec3>>> curves;
    for (int f = 0; f < above.frames(); ++f) {
        if (cancel.asked()) throw Cancelled{};
        worlds.update(layers::PoseView(above, f));
        for (int j : moved) {
            const auto values = kind.byHand->values(context, {j, 0, worlds.above(j), below.at(j, f), above.at(j, f)});
            for (const auto& [id, value] : values) {
                const std::string_view row = scene::channelRow(id);
                auto& curve = curves[j][std::string(row.substr(0, row.size() - 2))];
                curve.resize(static_cast<std::size_t>(above.frames()), Vec3::Zero());
                curve[static_cast<std::size_t>(f)][row.back() - 'x'] = value;
            }
        }
    }
    for (auto& [joint, by] : curves)
        for (auto& [stem, curve] : by) {
            const bool turns = kind.setting(scene::channelId(stem + "_x", ""))->unit == scene::Unit::Degrees;
            // The same turn, by as many rounds as lead on from the frame before.
            for (std::size_t f = 1; turns && f < curve.size(); ++f)
                if (const double angle = curve[f].norm(); angle > 1e-9)
                    curve[f] *= (angle + 360 * std::round((curve[f].dot(curve[f - 1]) / angle - angle) / 360)) / angle;
            putCurves(made, keys, stem, actor.skeleton.reference(joint), curve,
                      turns ? tolerance.angleDeg : tolerance.heightShare, fps, only);
        }
}

Result<std::string> intoHand(scene::Scene& scene, const std::vector<std::string>& which, const HandTolerance& tolerance,
                             pipeline::Evaluator& evaluator, const Cancel& cancel, const Progress& progress) {
    const layers::LayerKind* kind = handKind();
    if (which.empty()) return refused("no layers are selected");
    const scene::Layer* first = std::as_const(scene).layer(which.front());
    const scene::ActorEntry* entry = first ? std::as_const(scene).actor(first->actor) : nullptr;
    if (!entry) return refused("there is no layer \"" + which.front() + "\"");
    // In the order of the stack, with nothing of the actor's between them.
    std::vector<std::string> ordered;
    bool begun = false;
    std::string between;
    for (const scene::Layer& l : std::as_const(scene).layers) {
        const bool wanted = std::find(which.begin(), which.end(), l.id) != which.end();
        if (wanted && l.actor != entry->id) return refused("\"" + l.name + "\" is of another actor");
        if (wanted && !between.empty()) return refused("\"" + between + "\" stands between them: it would read other motion");
        if (wanted) ordered.push_back(l.id);
        begun |= wanted;
        if (begun && !wanted && l.actor == entry->id && between.empty()) between = l.name;
    }
    scene::Scene s = scene;
    const rig::Actor& actor = *entry->actor;
    scene::Layer made = layers::newLayer(*kind, s, *entry, {});
    made.name = first->name + ", by hand";
    made.id = s.freshId(made.name);
    const std::vector<double> scales = rig::scalesAbove(actor);
    std::set<int> moved;
    std::set<std::pair<int, int>> weights;
    std::map<std::size_t, scene::KeysOf> keys;
    // A scene without a shot plays one that stands still.
    const std::size_t shots = std::max<std::size_t>(1, s.shots.size());
    for (std::size_t n = 0; n < shots; ++n) {
        const scene::Shot& shot = scene.shots.empty() ? scene.shot() : std::as_const(scene).shots[n];
        const pipeline::Evaluation e = evaluator.evaluate(scene::withoutTrials(scene), shot, cancel, [&](double share) {
            if (progress) progress((static_cast<double>(n) + share) / static_cast<double>(shots));
        });
        const pipeline::ActorResult* r = e.actor(entry->id);
        const auto place = [&](const std::string& id) {
            return static_cast<std::size_t>(
                std::find_if(r->layers.begin(), r->layers.end(), [&](const auto& l) { return l.id == id; }) - r->layers.begin());
        };
        const std::size_t from = place(ordered.front()), to = place(ordered.back()) + 1;
        for (std::size_t k = from; k < to; ++k) {
            if (!r->layers[k].problem.empty()) return refused("\"" + r->layers[k].id + "\": " + r->layers[k].problem);
            if (!r->layers[k].changed.patches.empty())
                return refused("\"" + r->layers[k].id + "\" moves vertices, which no layer that is posed by hand can keep");
            for (const auto& [joint, column] : r->layers[k].changed.joints) moved.insert(joint);
            for (const auto& morph : r->layers[k].changed.morphs) weights.emplace(morph->of.instance, morph->of.target);
        }
        const pipeline::TrackPtr below = r->below(from), above = r->below(to);
        putMotion(made, keys[n], moved, actor, *below, *above, tolerance, shot.fps, shots == 1, cancel);
        for (const auto& [name, target] : rig::morphTargets(actor)) {
            if (weights.count({target.instance, target.target}) == 0) continue;
            const rig::Morph was = rig::morphOf(actor, *below, target.instance),
                             is = rig::morphOf(actor, *above, target.instance);
            std::vector<Vec3> values;
            for (int f = 0; f < above->frames(); ++f)
                values.push_back({static_cast<double>(is.frame(f)[target.target] - was.frame(f)[target.target]), 0, 0});
            const std::vector<int> frames = fewest(values, 1e-3);
            const std::string id = scene::channelId(kind->byHand->weight, name);
            made.set(id, 0.0);
            for (int f : frames) scene::putKey(keys[n][id], f / shot.fps, values[static_cast<std::size_t>(f)].x());
        }
    }
    std::vector<std::string> joints;
    for (int j : actor.skeleton.order())
        if (moved.count(j) > 0) joints.push_back(actor.skeleton.reference(j));
    const bool any =
        std::any_of(keys.begin(), keys.end(), [](const auto& k) { return !k.second.empty(); }) ||
        std::any_of(made.values.begin(), made.values.end(), [](const auto& v) { return !scene::channelOf(v.first).empty(); });
    if (!any) return refused("they move nothing");
    made.set(kind->target(), std::move(joints));
    for (std::size_t i = 0; i < s.layers.size(); ++i)
        if (s.layers[i].id == ordered.back()) {
            s.layers.insert(i + 1, made);
            break;
        }
    for (auto& [shot, all] : keys)
        if (!all.empty()) (s.shots.empty() ? s.editShot() : s.shots.edit(shot)).keys[{List::Layers, made.id}] = std::move(all);
    for (const std::string& id : ordered) {
        // Gauges that read one of them read what takes its place.
        for (std::size_t g = 0; g < s.gauges.size(); ++g)
            if (s.gauges[g].after == id) s.gauges.edit(g).after = made.id;
        remove(s, {List::Layers, id});
    }
    scene = std::move(s);
    return made.id;
}

void followChannels(scene::Layer& layer, const Followed& followed) {
    const layers::LayerKind* kind = layers::findKind(layer.kind);
    if (!kind || !hasChannels(*kind)) return;
    const auto become = becoming(*kind, followed);
    renameIn(layer.values, become);
    renameIn(layer.feeds, become);
}

void followChannels(scene::Scene& s, const std::string& id, const Followed& followed) {
    const scene::Layer* layer = std::as_const(s).layer(id);
    const layers::LayerKind* kind = layer ? layers::findKind(layer->kind) : nullptr;
    if (!kind || !hasChannels(*kind)) return;
    const auto become = becoming(*kind, followed);
    const auto changes = [&](const auto& map) {
        return std::any_of(map.begin(), map.end(), [&](const auto& each) { return become(each.first) != each.first; });
    };
    if (changes(layer->values) || changes(layer->feeds)) followChannels(*s.layer(id), followed);
    for (std::size_t i = 0; i < s.shots.size(); ++i)
        if (const scene::KeysOf* keys = s.shots[i].keysOf({List::Layers, id}); keys && changes(*keys)) {
            auto& mine = s.shots.edit(i).keys;
            renameIn(mine[{List::Layers, id}], become);
            if (mine[{List::Layers, id}].empty()) mine.erase({List::Layers, id});
        }
}

void mirrorChannels(scene::Scene& s, const std::string& id, const Across& across) {
    const scene::Layer* layer = std::as_const(s).layer(id);
    const layers::LayerKind* kind = layer ? posedKind(*layer) : nullptr;
    if (!kind) return;
    const std::string axes = axesOf(*layer, *kind);
    const rig::Skeleton& skeleton = across.entry.actor->skeleton;
    const Owner owner{List::Layers, id};
    // As the picture first, where it stands; then under the name of the fellow.
    std::set<std::string> joints;
    const auto take = [&](const auto& map) {
        for (const auto& [setting, what] : map)
            if (const SettingSpec* row = scene::channelOf(setting).empty() ? nullptr : kind->setting(setting);
                row && row->each == Each::Joint)
                joints.insert(std::string(scene::channelOf(setting)));
    };
    take(layer->values);
    for (const scene::Shot& shot : std::as_const(s).shots)
        if (const scene::KeysOf* keys = shot.keysOf(owner)) take(*keys);
    for (const std::string& joint : joints) {
        const int from = skeleton.find(joint);
        if (from == rig::kNoJoint || across.fellow(joint) == rig::kNoJoint) continue;
        for (const Triple& t : kind->byHand->triples) {
            Vec3 plain;
            for (int a = 0; a < 3; ++a) plain[a] = s.layer(id)->number(axisOf(t, a, joint));
            const Vec3 seen = across.channel(from, axes, t.turn, plain);
            if (!plain.isZero())
                for (int a = 0; a < 3; ++a) s.layer(id)->set(axisOf(t, a, joint), seen[a]);
            mapVectorKeys(s, owner, {axisOf(t, 0, joint), axisOf(t, 1, joint), axisOf(t, 2, joint)}, plain,
                          [&](const Vec3& v) { return across.channel(from, axes, t.turn, v); });
        }
    }
    followChannels(s, id, [&](const std::string& joint) -> std::optional<std::string> {
        const int o = across.fellow(joint);
        return o == rig::kNoJoint ? joint : skeleton.reference(o);
    });
}

}  // namespace nutatio::edit
