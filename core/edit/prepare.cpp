// What Prepare does to an actor, and what becomes of what refers to its joints.
#include <algorithm>
#include <numeric>
#include <set>

#include "edit/edit.h"
#include "edit/references.h"
#include "rig/helper.h"
#include "rig/record.h"
#include "rig/roles.h"
#include "rig/sides.h"

namespace nutatio::edit {

namespace {

using What = rig::Preparation::What;

constexpr double kMiddle = 0.01;  // heights within which a place and its picture are one

Error noActor(const std::string& actor) {
    return refused("there is no actor \"" + actor + "\"");
}

std::vector<Affine> restWorlds(const rig::Actor& actor) {
    std::vector<Affine> worlds;
    rig::worldTransforms(actor.skeleton, actor.restPose(), worlds);
    return worlds;
}

Vec3 under(const std::vector<Affine>& worlds, int joint, const Vec3& place) {
    return worlds[static_cast<std::size_t>(joint)].inverse().apply(place);
}

/// Names of the joints that an edit makes.
std::vector<std::string> madeBy(const rig::Preparation& edit) {
    if (edit.what == What::AddEnd || edit.what == What::AddHelper) return {edit.name};
    std::vector<std::string> out;
    if (edit.what == What::AddChain)
        for (std::size_t k = 0; k < edit.row.size(); ++k) out.push_back(rig::chainJoint(edit.name, k, edit.row.size() - 1));
    return out;
}

/// Clips that were made here go over to the actor as it is now; `of` gives a joint's new number.
template <class Of>
std::shared_ptr<const rig::Actor> withRecorded(std::shared_ptr<const rig::Actor> now, const rig::Actor& was, const Of& of) {
    for (rig::Clip clip : was.clips) {
        if (!clip.recorded || now->findClip(clip.name) >= 0) continue;
        for (rig::Channel& c : clip.channels) c.joint = of(c.joint);
        std::erase_if(clip.channels, [](const rig::Channel& c) { return c.joint == rig::kNoJoint; });
        now = rig::withClip(*now, std::move(clip));
    }
    return now;
}

}  // namespace

Result<Done> prepare(scene::Scene& s, const std::string& actor, const rig::Preparation& edit) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return noActor(actor);
    const auto with = rig::prepared(*a->actor, edit);
    if (!with) return with.error();
    // By number, as names may be shared: what meant this joint means it still.
    const rig::Skeleton before = a->actor->skeleton;
    const rig::Skeleton& after = with.value()->skeleton;
    scene::ActorEntry& mine = *s.actor(actor);
    if (mine.preparations.empty()) mine.source = mine.actor;
    mine.actor = with.value();
    mine.undone.resize(mine.preparations.size());
    mine.preparations.push_back(edit);
    mine.undone.emplace_back();
    if (edit.what == What::Paint || edit.what == What::Release || edit.what == What::Height || edit.what == What::Role)
        return Done{};
    followJoints(s, actor, [&](const std::string& reference) -> std::optional<std::string> {
        const int j = before.find(reference);
        return j == rig::kNoJoint ? reference : after.reference(j);
    });
    return Done{};
}

Result<Done> unprepare(scene::Scene& scene, const std::string& actor, std::size_t which) {
    const scene::ActorEntry* a = std::as_const(scene).actor(actor);
    if (!a) return noActor(actor);
    if (which >= a->preparations.size()) return refused("there is no such step");
    // What it made is gone, with all that was done to that since; what it named has its old name again.
    std::vector<std::string> gone = madeBy(a->preparations[which]);
    const rig::Preparation taken = a->preparations[which];
    std::vector<rig::Preparation> left(a->preparations.begin(), a->preparations.begin() + static_cast<std::ptrdiff_t>(which));
    std::vector<std::size_t> from(which);  // of those that are left, where they stood
    std::iota(from.begin(), from.end(), std::size_t{0});
    const auto isGone = [&](const std::string& joint) { return std::find(gone.begin(), gone.end(), joint) != gone.end(); };
    std::string renamed = taken.what == What::Rename ? taken.name : std::string();
    const auto named = [&](std::string& joint) {
        if (!renamed.empty() && joint == renamed) joint = taken.joint;
    };
    for (std::size_t k = which + 1; k < a->preparations.size(); ++k) {
        rig::Preparation e = a->preparations[k];
        if (isGone(e.joint) || isGone(e.onto)) {
            for (std::string& made : madeBy(e)) gone.push_back(std::move(made));
            if (e.what == What::Rename) gone.push_back(e.name);
            continue;
        }
        const bool again = e.what == What::Rename && !renamed.empty() && e.joint == renamed;
        named(e.joint);
        named(e.onto);
        std::erase_if(e.stroke.locked, isGone);
        for (std::string& l : e.stroke.locked) named(l);
        for (rig::MapStep& step : e.region) {
            std::erase_if(step.joints, isGone);
            for (std::string& j : step.joints) named(j);
        }
        if (again) renamed.clear();
        left.push_back(std::move(e));
        from.push_back(k);
    }
    rig::Prepared with = rig::prepared(a->source ? a->source : a->actor, left);
    for (std::size_t k = 0; k < left.size(); ++k)
        if (!with.problems[k].empty() && (from[k] >= a->undone.size() || a->undone[from[k]].empty()))
            return refused("what was done after it needs it: " + with.problems[k]);
    // The file's own joints keep their numbers, those made here their names.
    const std::shared_ptr<const rig::Actor> was = a->actor;
    const rig::Skeleton &before = was->skeleton, &after = with.actor->skeleton;
    const int own = (a->source ? a->source : a->actor)->skeleton.size();
    const auto number = [&](int j) { return j < own ? j : after.find(before.joint(j).name); };
    scene::Scene s = scene;
    scene::ActorEntry& mine = *s.actor(actor);
    mine.preparations = std::move(left);
    mine.undone = std::move(with.problems);
    mine.actor = withRecorded(with.actor, *was, number);
    if (mine.preparations.empty()) mine.source.reset();
    followJoints(s, actor, [&](const std::string& reference) -> std::optional<std::string> {
        const int j = before.find(reference);
        if (j == rig::kNoJoint) return reference;
        const int now = number(j);
        return now == rig::kNoJoint ? std::nullopt : std::optional(after.reference(now));
    });
    scene = std::move(s);
    return Done{};
}

Result<Done> standTall(scene::Scene& scene, const std::string& actor, double metres) {
    const scene::ActorEntry* a = std::as_const(scene).actor(actor);
    if (!a) return noActor(actor);
    if (a->isPiece()) return refused("a set piece is as large as its settings say");
    scene::Scene s = scene;
    const auto said = std::find_if(a->preparations.begin(), a->preparations.end(),
                                   [](const rig::Preparation& e) { return e.what == What::Height; });
    if (said != a->preparations.end())
        if (auto done = unprepare(s, actor, static_cast<std::size_t>(said - a->preparations.begin())); !done) return done;
    if (metres != 0) {
        rig::Preparation edit;
        edit.what = What::Height;
        edit.metres = metres;
        if (auto done = prepare(s, actor, edit); !done) return done;
    }
    scene = std::move(s);
    return Done{};
}

Result<Done> tellRole(scene::Scene& scene, const std::string& actor, const std::string& joint, const std::string& role) {
    const scene::ActorEntry* a = std::as_const(scene).actor(actor);
    if (!a) return noActor(actor);
    scene::Scene s = scene;
    // What was said of this joint, and whom it was said of before, where there is one of a kind alone.
    for (std::size_t k = std::as_const(s).actor(actor)->preparations.size(); k-- > 0;) {
        const rig::Preparation& e = std::as_const(s).actor(actor)->preparations[k];
        if (e.what == What::Role && (e.joint == joint || (e.name == role && role != rig::kNotOfTheBody)))
            if (auto done = unprepare(s, actor, k); !done) return done;
    }
    if (!role.empty())
        if (auto done = prepare(s, actor, {What::Role, joint, role}); !done) return done;
    scene = std::move(s);
    return Done{};
}

Result<Done> removeJoint(scene::Scene& s, const std::string& actor, const std::string& joint) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return noActor(actor);
    const int j = a->actor->skeleton.find(joint);
    if (j == rig::kNoJoint) return refused("there is no joint \"" + joint + "\"");
    if (!a->actor->skeleton.joint(j).made) return refused("\"" + joint + "\" is the file's own and stays");
    // Its name when it was made.
    std::string name = a->actor->skeleton.joint(j).name;
    for (std::size_t k = a->preparations.size(); k-- > 0;) {
        const rig::Preparation& e = a->preparations[k];
        if (e.what == What::Rename && e.name == name) name = e.joint;
        const std::vector<std::string> made = madeBy(e);
        if (std::find(made.begin(), made.end(), name) != made.end()) return unprepare(s, actor, k);
    }
    return refused("\"" + joint + "\" holds the mesh of a joint whose pivot was moved: put that back first");
}

Result<std::vector<std::string>> addChain(scene::Scene& scene, const std::string& actor, const std::string& joint,
                                          const std::string& name, const std::vector<Vec3>& row, double reach) {
    const scene::ActorEntry* a = std::as_const(scene).actor(actor);
    if (!a) return noActor(actor);
    if (row.empty()) return refused("a chain wants a line with some length");
    const rig::Skeleton& skeleton = a->actor->skeleton;
    const int on = joint.empty() ? rig::carrierAt(rig::Surface::of(*a->actor), row.front()) : skeleton.find(joint);
    if (on == rig::kNoJoint)
        return refused(joint.empty() ? "there is no skin at that place" : "there is no joint \"" + joint + "\"");
    const std::vector<Affine> worlds = restWorlds(*a->actor);
    rig::Preparation edit{What::AddChain, skeleton.reference(on), name, Vec3::Zero(), reach};
    for (const Vec3& p : row) edit.row.push_back(under(worlds, on, p));
    if (const auto done = prepare(scene, actor, edit); !done) return done.error();
    return madeBy(edit);
}

Result<Done> movePivot(scene::Scene& s, const std::string& actor, const std::string& joint, const Vec3& place, bool keeps) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return noActor(actor);
    const int j = a->actor->skeleton.find(joint);
    if (j == rig::kNoJoint) return refused("there is no joint \"" + joint + "\"");
    const int up = a->actor->skeleton.joint(j).parent;
    rig::Preparation edit{What::MovePivot, joint, {}, up == rig::kNoJoint ? place : under(restWorlds(*a->actor), up, place)};
    edit.keeps = keeps;
    return prepare(s, actor, edit);
}

Result<std::vector<std::string>> mirrorJoint(scene::Scene& scene, const std::string& actor, const std::string& joint) {
    const scene::ActorEntry* a = std::as_const(scene).actor(actor);
    if (!a) return noActor(actor);
    const int j = a->actor->skeleton.find(joint);
    if (j == rig::kNoJoint || !a->actor->skeleton.joint(j).made)
        return refused("only a joint that was made here can be made on the other side");
    std::string name = a->actor->skeleton.joint(j).name;
    const rig::Preparation* by = nullptr;
    for (std::size_t k = a->preparations.size(); k-- > 0 && !by;) {
        const rig::Preparation& e = a->preparations[k];
        if (e.what == What::Rename && e.name == name) name = e.joint;
        const std::vector<std::string> made = madeBy(e);
        if (std::find(made.begin(), made.end(), name) != made.end()) by = &e;
    }
    const bool chain = by && by->what == What::AddChain;
    const std::string stem = chain ? by->name : a->actor->skeleton.joint(j).name;
    if (!by || rig::otherSideOf(stem) == stem)
        return refused("its name says no side: call it \"" + stem + "_L\" or \"" + stem + "_R\" first");
    const int up = a->actor->skeleton.find(by->joint);
    const rig::Sides sides = rig::sidesOf(*a->actor);
    const int other = up == rig::kNoJoint ? up : sides.fellow[static_cast<std::size_t>(up)];
    if (other == rig::kNoJoint) return refused("what it hangs on has no fellow on the other side");
    const std::vector<Affine> worlds = restWorlds(*a->actor);
    const auto across = [&](const Vec3& p) {
        return under(worlds, other, rig::mirroredInRest(sides, worlds, up, worlds[static_cast<std::size_t>(up)].apply(p)));
    };
    rig::Preparation edit = *by;
    edit.joint = a->actor->skeleton.reference(other);
    edit.name = rig::otherSideOf(stem);
    // Mirrored from the helper's present place, wherever it was made.
    edit.place = chain ? edit.place : across(a->actor->skeleton.joint(j).rest.t);
    for (Vec3& p : edit.row) p = across(p);
    const std::vector<std::string> own = chain ? madeBy(*by) : std::vector<std::string>{a->actor->skeleton.joint(j).name},
                                   made = madeBy(edit);
    // Strokes that were painted for the helper since are painted on the other side too.
    std::vector<rig::Preparation> strokes;
    for (const rig::Preparation& e : a->preparations) {
        const auto at = std::find(own.begin(), own.end(), e.joint);
        if (e.what != What::Paint || at == own.end()) continue;
        rig::Preparation& there = strokes.emplace_back(e);
        there.joint = made[static_cast<std::size_t>(at - own.begin())];
        there.stroke.mirrored = false;
        for (Vec3& d : there.stroke.dabs) d = rig::mirroredInRest(sides, worlds, up, d);
        for (std::string& l : there.stroke.locked) {
            const int locked = a->actor->skeleton.find(l);
            const int fellow = locked == rig::kNoJoint ? locked : sides.fellow[static_cast<std::size_t>(locked)];
            if (fellow != rig::kNoJoint) l = a->actor->skeleton.reference(fellow);
        }
    }
    scene::Scene s = scene;
    if (const auto done = prepare(s, actor, edit); !done) return done.error();
    for (const rig::Preparation& e : strokes)
        if (const auto done = prepare(s, actor, e); !done) return done.error();
    scene = std::move(s);
    return made;
}

void lockWeights(scene::Scene& s, const std::string& actor, const std::vector<std::string>& joints, bool lock) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return;
    std::vector<std::string> locked = a->locked;
    for (const std::string& j : joints) {
        std::erase(locked, j);
        if (lock) locked.push_back(j);
    }
    if (locked != a->locked) s.actor(actor)->locked = std::move(locked);
}

Result<std::vector<std::string>> addHelper(scene::Scene& scene, const std::string& actor, const std::string& joint,
                                           const std::string& name, const Vec3& place, double reach, bool both) {
    const scene::ActorEntry* a = std::as_const(scene).actor(actor);
    if (!a) return noActor(actor);
    const rig::Skeleton& skeleton = a->actor->skeleton;
    const int on = joint.empty() ? rig::carrierAt(rig::Surface::of(*a->actor), place) : skeleton.find(joint);
    if (on == rig::kNoJoint)
        return refused(joint.empty() ? "there is no skin at that place" : "there is no joint \"" + joint + "\"");
    const std::vector<Affine> worlds = restWorlds(*a->actor);
    struct Wanted {
        std::string on, name;
        Vec3 place;
    };
    std::vector<Wanted> wanted{{skeleton.reference(on), name, under(worlds, on, place)}};
    if (both) {
        const rig::Sides sides = rig::sidesOf(*a->actor);
        const int other = sides.fellow[static_cast<std::size_t>(on)];
        if (other == rig::kNoJoint) return refused("\"" + skeleton.label(on) + "\" has no joint of its kind on the other side");
        const Vec3 there = rig::mirroredInRest(sides, worlds, on, place);
        if ((there - place).norm() < kMiddle * a->actor->height)
            return refused("it stands in the middle: one joint there serves both sides");
        std::string called = rig::otherSideOf(name);
        if (called == name) {
            // Left is where joints that say so stand; without such names it is along +x, as glTF has it.
            const bool left = rig::leftOf(skeleton, worlds, sides).dot(place - there) > 0;
            wanted[0].name = name + (left ? "_L" : "_R");
            called = name + (left ? "_R" : "_L");
        }
        wanted.push_back({skeleton.reference(other), called, under(worlds, other, there)});
    }
    scene::Scene s = scene;
    std::vector<std::string> made;
    for (const Wanted& w : wanted) {
        rig::Preparation edit{rig::Preparation::What::AddHelper, w.on, w.name, w.place};
        edit.reach = reach;
        if (const auto done = prepare(s, actor, edit); !done) return done.error();
        made.push_back(w.name);
    }
    scene = std::move(s);
    return made;
}

Result<Done> nameJoints(scene::Scene& s, const std::string& actor) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a) return noActor(actor);
    const std::vector<rig::Joint> joints = a->actor->skeleton.joints();
    std::set<std::string> taken;
    for (const rig::Joint& j : joints) taken.insert(j.name);
    std::set<std::string> met{""};
    for (std::size_t k = 0; k < joints.size(); ++k) {
        if (met.insert(joints[k].name).second) continue;
        const std::string stem = joints[k].name.empty() ? "joint" : joints[k].name;
        int n = joints[k].name.empty() ? static_cast<int>(k) : 2;
        while (!taken.insert(stem + "_" + std::to_string(n)).second) ++n;
        const auto done = prepare(
            s, actor, {rig::Preparation::What::Rename, "#" + std::to_string(k), stem + "_" + std::to_string(n), Vec3::Zero()});
        if (!done) return done;
    }
    return Done{};
}

void leaveFinding(scene::Scene& s, const std::string& actor, const std::string& finding, bool leave) {
    const scene::ActorEntry* a = std::as_const(s).actor(actor);
    if (!a || (std::find(a->seen.begin(), a->seen.end(), finding) != a->seen.end()) == leave) return;
    std::vector<std::string>& seen = s.actor(actor)->seen;
    if (leave)
        seen.push_back(finding);
    else
        std::erase(seen, finding);
}

}  // namespace nutatio::edit
