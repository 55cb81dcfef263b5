#include "edit/kit.h"

#include <algorithm>
#include <map>
#include <set>

#include "edit/channels.h"
#include "edit/edit.h"
#include "edit/mounts.h"
#include "layers/registry.h"
#include "rig/roles.h"
#include "rig/sides.h"
#include "scene/items.h"

namespace nutatio::edit {

namespace {

/// By joint: "left foot", "spine 2", "tail 1" ... and nothing where it has no role.
std::vector<std::string> rolesOfJoints(const rig::Actor& a) {
    std::vector<std::string> out(static_cast<std::size_t>(a.skeleton.size()));
    const rig::Roles r = rig::rolesOf(a);
    const auto put = [&](int j, std::string role) {
        if (j != rig::kNoJoint && out[static_cast<std::size_t>(j)].empty()) out[static_cast<std::size_t>(j)] = std::move(role);
    };
    put(r.hips, "hips");
    put(r.head, "head");
    for (std::size_t side : {0, 1}) {
        const std::string s = side == 0 ? "left " : "right ";
        put(r.legs[side].upper, s + "thigh");
        put(r.legs[side].lower, s + "shin");
        put(r.legs[side].end, s + "foot");
        put(r.arms[side].upper, s + "upper arm");
        put(r.arms[side].lower, s + "forearm");
        put(r.arms[side].end, s + "hand");
        for (std::size_t k = 0; k < r.wings[side].size(); ++k) put(r.wings[side][k], s + "wing " + std::to_string(k + 1));
    }
    if (!r.spine.empty()) put(r.spine.back(), "chest");
    for (std::size_t k = 1; k < r.spine.size(); ++k) put(r.spine[k], "spine " + std::to_string(k));
    if (r.hips != rig::kNoJoint)
        for (int up = r.hips; up != rig::kNoJoint; up = a.skeleton.joint(up).parent)
            if (a.skeleton.joint(up).parent == rig::kNoJoint) put(up, "root");
    for (std::size_t k = 0; k < r.neck.size(); ++k) put(r.neck[k], "neck " + std::to_string(k + 1));
    for (std::size_t k = 0; k < r.tail.size(); ++k) put(r.tail[k], "tail " + std::to_string(k + 1));
    return out;
}

/// A name that two ways of writing it share: its words and its number, sides as one letter.
std::string plainKey(const std::vector<std::string>& words, const std::string& name) {
    std::vector<std::string> all;
    for (const std::string& w : words) all.push_back(w == "left" || w == "l" ? "<" : w == "right" || w == "r" ? ">" : w);
    std::sort(all.begin(), all.end());
    std::string key;
    for (const std::string& w : all) key += w + ' ';
    // All its numbers count, without leading zeros.
    std::string number;
    for (std::size_t k = 0; k <= name.size(); ++k) {
        const bool digit = k < name.size() && name[k] >= '0' && name[k] <= '9';
        if (digit && !(number.empty() && name[k] == '0')) number += name[k];
        if (!digit && !number.empty()) {
            key += '#' + number;
            number.clear();
        }
    }
    return key;
}

std::map<std::string, int> jointsByKey(const rig::Skeleton& s) {
    std::map<std::string, int> out;
    const auto words = rig::wordsOf(s);
    for (int j = 0; j < s.size(); ++j)
        if (!s.joint(j).name.empty()) out.emplace(plainKey(words[static_cast<std::size_t>(j)], s.joint(j).name), j);
    return out;
}

/// Every joint of its actor that a layer's settings name.
void eachJoint(const scene::Layer& l, const rig::Skeleton& own, const std::function<void(const std::string&)>& take) {
    const layers::LayerKind* kind = layers::findKind(l.kind);
    for (const auto& [id, value] : l.values) {
        const scene::SettingSpec* row = kind ? kind->setting(id) : nullptr;
        if (!row) continue;
        if (row->type == scene::SettingType::Joint && !std::get<std::string>(value).empty()) take(std::get<std::string>(value));
        if (row->type == scene::SettingType::Joints)
            for (const std::string& j : std::get<std::vector<std::string>>(value)) take(j);
    }
    for (const auto& [row, mount] : mountsOf(l, own))
        if (mount.actor == l.actor) take(mount.joint);
}

/// Puts one kit on one actor.
class Applier {
  public:
    Applier(scene::Scene& s, const scene::ActorEntry& a, const scene::Kit& kit, const std::vector<Fitted>& fitted)
        : m_s(s), m_entry(a), m_actor(*a.actor), m_kit(kit) {
        for (const Fitted& f : fitted)
            if (!f.to.empty() && m_actor.skeleton.find(f.to) != rig::kNoJoint) m_to[f.joint] = f.to;
        m_to[""] = "";
        const auto had = [&](const auto& list) {
            for (const auto& each : list) m_before.insert(each.id);
        };
        had(s.layers);
        had(s.colliders);
        had(s.winds);
        had(s.pins);
        rig::worldTransforms(m_actor.skeleton, m_actor.restPose(), m_worlds);
        // From units of the kit's character to units of this one, as large as it is.
        m_units = m_actor.height / (kit.height / kit.metres);
    }

    void parts() {
        std::vector<scene::Part> all = m_entry.parts;
        for (scene::Part p : m_kit.parts) {
            p.joints = mapped(p.joints);
            if (p.joints.empty()) {
                leave("part \"" + p.name + "\": none of its joints is there");
                continue;
            }
            if (std::any_of(all.begin(), all.end(), [&](const scene::Part& o) { return o.name == p.name; })) continue;
            all.push_back(std::move(p));
        }
        if (all != m_entry.parts) m_s.actor(m_entry.id)->parts = std::move(all);
    }

    void maps() {
        for (const rig::Map& m : m_kit.maps) {
            std::vector<rig::MapStep> steps = m.steps;
            bool whole = true;
            for (rig::MapStep& step : steps) {
                const std::size_t had = step.joints.size();
                step.joints = mapped(step.joints);
                whole = whole && step.joints.size() == had;
            }
            if (!whole || steps.empty()) {
                leave("map \"" + m.name + "\": a joint of it is not there");
                continue;
            }
            if (const auto done = addMap(m_s, m_entry.id, m.name, std::move(steps)); !done)
                leave("map \"" + m.name + "\": " + done.error().sentence);
            else if (m.rigid)
                (void)markRigid(m_s, m_entry.id, m.name, true).ok();
        }
    }

    /// A mount of the kit's actor on this one; the joint that lacks is left in m_lacks.
    Remounted here() {
        m_lacks.clear();
        return [this](const scene::Mount& was) -> std::optional<scene::Mount> {
            if (const auto to = m_to.find(was.joint); to != m_to.end())
                return scene::Mount{m_entry.id, to->second, {}, was.turns};
            m_lacks = was.joint;
            return std::nullopt;
        };
    }

    void colliders() {
        for (const scene::Collider& theirs : m_kit.colliders) {
            const std::string joint = theirs.mount.joint;
            auto fits = remounted(theirs, here());
            if (!fits) {
                leave("collider \"" + theirs.name + "\": there is no " + m_lacks);
                continue;
            }
            scene::Collider& c = *fits;
            const std::string was = c.id;
            c.id = m_s.freshId(c.id);
            for (const scene::SettingSpec& row : scene::colliderTable())
                if (row.sized) c.set(row.id, scene::clampTo(row, m_units * c.number(row.id)));
            const Quat turn = axesFrom(joint);
            c.setVector("offset", turn * c.vector("offset"));
            c.setVector("turn", rotationVector(turn * fromRotationVector(c.vector("turn") * radians(1))) * degrees(1));
            m_ids[was] = c.id;
            m_s.colliders.push_back(std::move(c));
        }
    }

    void layers(const std::vector<std::string>& wanted) {
        for (scene::Layer l : m_kit.layers) {
            if (!wanted.empty() && std::find(wanted.begin(), wanted.end(), l.name) == wanted.end()) continue;
            const nutatio::layers::LayerKind* kind = nutatio::layers::findKind(l.kind);
            if (!kind) {
                leave("layer \"" + l.name + "\": this version has no layer kind \"" + l.kind + "\"");
                continue;
            }
            const std::string was = l.id;
            if (!fit(l, *kind)) continue;
            l.id = m_s.freshId(l.id);
            l.actor = m_entry.id;
            l.shot.clear();
            m_ids[was] = l.id;
            m_s.layers.push_back(std::move(l));
        }
    }

    void pins() {
        for (const scene::Pin& theirs : m_kit.pins) {
            auto fits = remounted(theirs, here());
            if (!fits) {
                leave("pin \"" + theirs.name + "\": there is no " + m_lacks);
                continue;
            }
            scene::Pin& p = *fits;
            const Quat turn = axesFrom(theirs.to.joint);
            p.id = m_s.freshId(p.id);
            p.setVector("offset", turn * (m_units * p.vector("offset")));
            m_s.pins.push_back(std::move(p));
        }
    }

    void winds() {
        for (scene::Wind w : m_kit.winds) {
            std::vector<std::string> on;
            for (const std::string& id : w.layers)
                if (m_ids.count(id) > 0) on.push_back(m_ids[id]);
            if (!w.layers.empty() && on.empty()) continue;
            w.id = m_s.freshId(w.id);
            w.layers = std::move(on);
            m_s.winds.push_back(std::move(w));
        }
    }

    /// What things of the kit follow, as large as this character; a feed whose gauge has no joint to go to is left out.
    void gauges() {
        std::map<std::string, std::string> became;
        std::set<std::string> wanted;
        const auto want = [&](const auto& list) {
            for (const auto& each : list)
                if (m_before.count(each.id) == 0)
                    for (const auto& [setting, feed] : each.feeds) wanted.insert(feed.gauge);
        };
        want(m_s.layers);
        want(m_s.colliders);
        want(m_s.winds);
        want(m_s.pins);
        for (const scene::Gauge& theirs : m_kit.gauges) {
            if (wanted.count(theirs.id) == 0) continue;
            auto fits = remounted(theirs, here());
            if (!fits) {
                leave("gauge \"" + theirs.name + "\": there is no " + m_lacks + "; what follows it rests at its plain value");
                continue;
            }
            scene::Gauge& g = *fits;
            const std::string was = g.id;
            g.id = became[was] = m_s.freshId(g.id);
            g.after = m_ids.count(g.after) > 0 ? m_ids[g.after] : std::string();
            std::vector<std::string> over;
            for (const std::string& c : g.over)
                if (m_ids.count(c) > 0) over.push_back(m_ids[c]);
            g.over = std::move(over);
            m_s.gauges.push_back(std::move(g));
        }
        const auto follow = [&](auto& list) {
            for (std::size_t i = 0; i < list.size(); ++i) {
                if (m_before.count(list[i].id) > 0 || list[i].feeds.empty()) continue;
                auto& feeds = list.edit(i).feeds;
                std::erase_if(feeds, [&](const auto& f) { return became.count(f.second.gauge) == 0; });
                for (auto& [setting, feed] : feeds) {
                    const auto of = std::find_if(m_kit.gauges.begin(), m_kit.gauges.end(),
                                                 [&, &feed = feed](const scene::Gauge& g) { return g.id == feed.gauge; });
                    // A larger character goes farther and faster in metres, and answers alike.
                    switch (scene::unitOf(*of)) {
                        case scene::Unit::Metres:
                        case scene::Unit::MetresPerSecond:
                        case scene::Unit::MetresPerSecond2:
                            feed.times *= m_kit.height / (m_actor.height * m_actor.metresPerUnit);
                            break;
                        default:
                            break;
                    }
                    feed.gauge = became[feed.gauge];
                }
            }
        };
        follow(m_s.layers);
        follow(m_s.colliders);
        follow(m_s.winds);
        follow(m_s.pins);
    }

    std::vector<std::string> left() { return std::move(m_left); }

  private:
    void leave(std::string sentence) { m_left.push_back(std::move(sentence)); }

    std::vector<std::string> mapped(const std::vector<std::string>& joints) {
        std::vector<std::string> out;
        for (const std::string& j : joints)
            if (m_to.count(j) > 0) out.push_back(m_to[j]);
        return out;
    }

    /// A way in the kit's joint's axes, in those of the joint it goes to.
    Quat axesFrom(const std::string& joint) {
        const auto at =
            std::find_if(m_kit.joints.begin(), m_kit.joints.end(), [&](const scene::Kit::Joint& j) { return j.name == joint; });
        if (at == m_kit.joints.end() || m_to.count(joint) == 0) return Quat::Identity();
        const int j = m_actor.skeleton.find(m_to[joint]);
        return rotationOf(m_worlds[static_cast<std::size_t>(j)].m).conjugate() * at->turn;
    }

    bool fit(scene::Layer& l, const nutatio::layers::LayerKind& kind) {
        const std::string name = l.name;
        for (const scene::SettingSpec& row : kind.settings) {
            const std::string id(row.id);
            if (row.type == scene::SettingType::Joints) {
                const std::vector<std::string> was = l.list(id);
                std::vector<std::string> now = mapped(was);
                if (row.role == scene::Role::Target) {
                    for (const std::string& j : was)
                        if (m_to.count(j) == 0) leave("layer \"" + name + "\": there is no " + j);
                    if (now.empty()) return false;
                }
                l.set(id, std::move(now));
            } else if (row.type == scene::SettingType::Joint && !l.text(id).empty()) {
                const std::string was = l.text(id);
                // Nobody else comes along with a kit.
                l.set(id, m_to.count(was) > 0 ? m_to[was] : std::string());
                if (m_to.count(was) == 0)
                    leave("layer \"" + name + "\": there is no " + was + "; it goes to the end of its chain");
            } else if (row.type == scene::SettingType::Colliders) {
                std::vector<std::string> bodies;
                for (const std::string& b : l.list(id))
                    if (m_ids.count(b) > 0) bodies.push_back(m_ids[b]);
                l.set(id, std::move(bodies));
            } else if (row.type == scene::SettingType::Number && row.sized) {
                l.set(id, scene::clampTo(row, m_units * l.number(id)));
            }
        }
        // Nobody else comes along with a kit.
        for (const auto& [label, was] : remount(l, {}, [&](const scene::Mount& m) -> std::optional<scene::Mount> {
                 const auto to = m_to.find(m.joint);
                 if (m.actor != l.actor || to == m_to.end()) return std::nullopt;
                 return scene::Mount{m.actor, to->second, {}, m.turns};
             }))
            leave("layer \"" + name + "\": there is no " + was.joint + " for \"" + label + "\"");
        followChannels(l, [&](const std::string& joint) {
            const auto to = m_to.find(joint);
            return to == m_to.end() ? std::nullopt : std::optional<std::string>(to->second);
        });
        auto apart = l.apart;
        l.apart.clear();
        for (auto& [joint, own] : apart)
            if (m_to.count(joint) > 0) l.apart[m_to[joint]] = std::move(own);
        return true;
    }

    scene::Scene& m_s;
    const scene::ActorEntry m_entry;
    const rig::Actor& m_actor;
    const scene::Kit& m_kit;
    std::string m_lacks;                       // the joint for which the last thing did not fit
    std::map<std::string, std::string> m_to;   // by joint of the kit
    std::map<std::string, std::string> m_ids;  // of what was added
    std::set<std::string> m_before;            // ids that were there
    std::vector<Affine> m_worlds;
    double m_units = 1;
    std::vector<std::string> m_left;
};

/// Values that fit their tables: a kit may come from a file that somebody wrote.
scene::Kit settled(scene::Kit kit, const scene::ActorEntry& a) {
    scene::Scene s;
    s.actors.push_back(a);
    for (auto& c : kit.colliders) s.colliders.push_back(c);
    for (auto& w : kit.winds) s.winds.push_back(w);
    for (auto& p : kit.pins) s.pins.push_back(p);
    for (auto& g : kit.gauges) s.gauges.push_back(g);
    for (auto& l : kit.layers) s.layers.push_back(l);
    (void)layers::settle(s);
    kit.colliders.assign(s.colliders.begin(), s.colliders.end());
    kit.winds.assign(s.winds.begin(), s.winds.end());
    kit.pins.assign(s.pins.begin(), s.pins.end());
    kit.gauges.assign(s.gauges.begin(), s.gauges.end());
    kit.layers.assign(s.layers.begin(), s.layers.end());
    return kit;
}

/// Gauges that something of the kit follows go along, where they look at this actor alone; else what follows them does without.
void takeGauges(const scene::Scene& s, const std::string& actor, const std::set<std::string>& layers, scene::Kit& kit,
                const std::function<void(const std::string&)>& refers) {
    std::set<std::string> taken;
    const auto isHere = [&](const scene::Mount& m) { return m.actor == actor && !m.spot; };
    const auto of = [&](auto& list) {
        for (auto& each : list)
            std::erase_if(each.feeds, [&](const auto& f) {
                const scene::Gauge* g = s.gauge(f.second.gauge);
                const bool fits =
                    g && isHere(g->of) && (!g->to || isHere(*g->to)) && (g->after.empty() || layers.count(g->after) > 0);
                if (!fits) {
                    kit.without.push_back("the gauge that " + f.first + " of \"" + each.name +
                                          "\" follows, which looks at other things");
                    return true;
                }
                if (taken.insert(g->id).second) {
                    kit.gauges.push_back(*g);
                    refers(g->of.joint);
                    if (g->to) refers(g->to->joint);
                }
                return false;
            });
    };
    of(kit.layers);
    of(kit.colliders);
    of(kit.winds);
    of(kit.pins);
}

}  // namespace

scene::Kit kitOf(const scene::Scene& s, const std::string& actor, const std::vector<std::string>& layerIds) {
    scene::Kit kit;
    const scene::ActorEntry* a = s.actor(actor);
    if (!a) return kit;
    kit.name = a->name;
    kit.metres = a->actor->metresPerUnit;
    kit.height = a->actor->height * kit.metres;
    std::set<std::string> joints, kept;
    const auto refers = [&](const std::string& j) { joints.insert(j); };
    for (const scene::Layer& l : s.layers) {
        if (l.actor != actor || (!layerIds.empty() && std::find(layerIds.begin(), layerIds.end(), l.id) == layerIds.end()))
            continue;
        kit.layers.push_back(l);
        for (const auto& [label, was] : remount(kit.layers.back(), a->actor->skeleton,
                                                [](const scene::Mount& m) { return m.spot ? std::nullopt : std::optional(m); }))
            kit.without.push_back("\"" + label + "\" of \"" + l.name + "\", a spot of one mesh alone");
        eachJoint(kit.layers.back(), a->actor->skeleton, refers);
        kit.layers.back().shot.clear();  // where it is put on there are other shots
        kept.insert(l.id);
    }
    const auto leftOut = [&](const scene::Mount& mount, const std::string& what, const std::string& name) {
        if (mount.spot) kit.without.push_back(what + " \"" + name + "\", on a spot of one mesh alone");
        return mount.spot.has_value();
    };
    for (const scene::Collider& c : s.colliders)
        if (c.mount.actor == actor && !leftOut(c.mount, "collider", c.name)) {
            refers(c.mount.joint);
            kit.colliders.push_back(c);
        }
    for (const scene::Pin& p : s.pins)
        if (p.actor == actor && p.to.actor == actor && !leftOut(p.to, "pin", p.name)) {
            refers(p.joint);
            refers(p.to.joint);
            kit.pins.push_back(p);
        }
    for (const scene::Wind& w : s.winds) {
        const bool blows = w.layers.empty() || std::any_of(w.layers.begin(), w.layers.end(),
                                                           [&](const std::string& id) { return kept.count(id) > 0; });
        if (blows) kit.winds.push_back(w);
    }
    kit.parts = a->parts;
    for (const scene::Part& p : kit.parts)
        for (const std::string& j : p.joints) refers(j);
    for (rig::Map m : a->maps) {
        const std::size_t left = std::erase_if(m.steps, [](const rig::MapStep& step) {
            return step.from == rig::MapStep::From::Paint || step.from == rig::MapStep::From::Piece;
        });
        if (left > 0)
            kit.without.push_back("map \"" + m.name + "\"" + (m.steps.empty() ? "" : ": its steps") +
                                  " by brush and by piece, which fit one mesh alone");
        if (m.steps.empty()) continue;
        for (const rig::MapStep& step : m.steps)
            for (const std::string& j : step.joints) refers(j);
        kit.maps.push_back(std::move(m));
    }
    takeGauges(s, actor, kept, kit, refers);
    const std::vector<std::string> roles = rolesOfJoints(*a->actor);
    std::vector<Affine> worlds;
    rig::worldTransforms(a->actor->skeleton, a->actor->restPose(), worlds);
    for (const std::string& name : joints) {
        const int j = a->actor->skeleton.find(name);
        if (j == rig::kNoJoint) continue;
        const auto at = static_cast<std::size_t>(j);
        kit.joints.push_back({name, roles[at], rotationOf(worlds[at].m)});
    }
    return kit;
}

std::vector<Fitted> fitKit(const scene::Kit& kit, const rig::Actor& actor) {
    const rig::Skeleton& s = actor.skeleton;
    const std::map<std::string, int> byKey = jointsByKey(s);
    const std::vector<std::string> roles = rolesOfJoints(actor);
    // The kit's names as a skeleton of their own: words that all of them share say nothing.
    std::vector<rig::Joint> named(kit.joints.size());
    for (std::size_t k = 0; k < named.size(); ++k) named[k].name = kit.joints[k].name;
    const auto words = rig::wordsOf(rig::Skeleton(named));
    std::vector<Fitted> out;
    const auto give = [&](const std::string& joint, int to, Fitted::By by) {
        out.push_back(
            {joint, to == rig::kNoJoint ? std::string() : s.reference(to), to == rig::kNoJoint ? Fitted::By::Nothing : by});
    };
    for (std::size_t k = 0; k < kit.joints.size(); ++k) {
        const scene::Kit::Joint& j = kit.joints[k];
        if (const int same = s.find(j.name); same != rig::kNoJoint && j.name.front() != '#') {
            give(j.name, same, Fitted::By::Name);
            continue;
        }
        if (const auto at = byKey.find(plainKey(words[k], j.name)); at != byKey.end()) {
            give(j.name, at->second, Fitted::By::Name);
            continue;
        }
        if (const auto at = std::find(roles.begin(), roles.end(), j.role); !j.role.empty() && at != roles.end()) {
            give(j.name, static_cast<int>(at - roles.begin()), Fitted::By::Role);
            continue;
        }
        const std::string other = rig::otherSideOf(j.name);
        if (const int there = other == j.name ? rig::kNoJoint : s.find(other); there != rig::kNoJoint)
            give(j.name, there, Fitted::By::OtherSide);
        else
            give(j.name, rig::kNoJoint, Fitted::By::Nothing);
    }
    // A joint that is matched by name already is not matched again from the other side.
    for (Fitted& f : out)
        if (f.by == Fitted::By::OtherSide &&
            std::count_if(out.begin(), out.end(), [&](const Fitted& o) { return o.to == f.to; }) > 1) {
            f.to.clear();
            f.by = Fitted::By::Nothing;
        }
    return out;
}

Result<std::vector<std::string>> applyKit(scene::Scene& scene, const std::string& actor, const scene::Kit& kit,
                                          const std::vector<Fitted>& fitted, const std::vector<std::string>& layers) {
    const scene::ActorEntry* a = std::as_const(scene).actor(actor);
    if (!a || a->isPiece()) return refused("there is no character \"" + actor + "\"");
    scene::Scene s = scene;
    const scene::Kit sound = settled(kit, *a);
    Applier on(s, *a, sound, fitted);
    on.parts();
    on.maps();
    on.colliders();
    on.layers(layers);
    on.pins();
    on.winds();
    on.gauges();
    scene = std::move(s);
    return on.left();
}

}  // namespace nutatio::edit
