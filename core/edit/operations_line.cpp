// Operations on what an actor plays in a shot.
#include <cmath>

#include "edit/body.h"
#include "edit/ground.h"
#include "edit/line.h"
#include "edit/operation_arguments.h"
#include "edit/seal.h"

namespace nutatio::edit {

namespace {

/// Does something to the line of the actor that is named.
template <class Change>
Result<Done> onLine(scene::Scene& s, const Arguments& a, const Change& change) {
    const auto actor = actorOf(s, a);
    return actor ? change(actor.value()) : actor.error();
}

Result<Done> doSplit(scene::Scene& s, const Arguments& a) {
    const auto frame = frameOf(a);
    if (!frame) return frame.error();
    return onLine(s, a, [&](const std::string& actor) { return splitAt(s, actor, frame.value()); });
}

Result<Done> doHold(scene::Scene& s, const Arguments& a) {
    const auto frame = frameOf(a);
    const auto frames = wholeOr(a, "frames", 0);
    if (!frame) return frame.error();
    if (!frames) return frames.error();
    return onLine(s, a, [&](const std::string& actor) { return holdPose(s, actor, frame.value(), frames.value()); });
}

Result<Done> doRepeat(scene::Scene& s, const Arguments& a) {
    const auto from = wholeOr(a, "from", 1), to = wholeOr(a, "to", 1), times = wholeOr(a, "times", 1);
    for (const auto* each : {&from, &to, &times})
        if (!*each) return each->error();
    return onLine(
        s, a, [&](const std::string& actor) { return repeatFrames(s, actor, from.value() - 1, to.value() - 1, times.value()); });
}

Result<Done> doPlayAfter(scene::Scene& s, const Arguments& a) {
    const auto blend = wholeOr(a, "blend", 0);
    if (!blend) return blend.error();
    return onLine(s, a, [&](const std::string& actor) { return playAfter(s, actor, text(a, "clip"), blend.value()); });
}

Result<Done> doRemoveStretch(scene::Scene& s, const Arguments& a) {
    const auto which = wholeOr(a, "stretch", 1);
    if (!which) return which.error();
    if (which.value() < 1) return refused("stretches are counted from 1");
    return onLine(s, a,
                  [&](const std::string& actor) { return removeStretch(s, actor, static_cast<std::size_t>(which.value() - 1)); });
}

Result<Done> doClose(scene::Scene& s, const Arguments& a) {
    const auto missing = wholeOr(a, "missing", 0), fade = wholeOr(a, "fade", 0);
    for (const auto* each : {&missing, &fade})
        if (!*each) return each->error();
    return onLine(s, a, [&](const std::string& actor) { return closeLine(s, actor, missing.value(), fade.value()); });
}

Result<Done> doCloseClip(scene::Scene& s, const Arguments& a) {
    const auto missing = wholeOr(a, "missing", 0), fade = wholeOr(a, "fade", 0);
    for (const auto* each : {&missing, &fade})
        if (!*each) return each->error();
    return onLine(s, a,
                  [&](const std::string& actor) { return closeClip(s, actor, text(a, "clip"), missing.value(), fade.value()); });
}

Result<Done> doClearLine(scene::Scene& s, const Arguments& a) {
    return onLine(s, a, [&](const std::string& actor) -> Result<Done> {
        clearLine(s, actor);
        return Done{};
    });
}

Result<Done> doGoOver(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    std::optional<double> speed;
    if (!text(a, "speed").empty()) {
        const auto v = numberOr(a, "speed", 0);
        if (!v) return v.error();
        speed = v.value();
    }
    const auto made = goOverGround(s, actor.value(), speed);
    return made ? Result<Done>(Done{}) : made.error();
}

Result<Done> doFollow(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    const auto points = places(text(a, "path"));
    if (!actor) return actor.error();
    if (!points) return points.error();
    const auto made = followPath(s, actor.value(), points.value());
    return made ? Result<Done>(Done{}) : made.error();
}

Result<Done> doLoosen(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto made = loosen(s, actor.value());
    return made ? Result<Done>(Done{}) : made.error();
}

Result<Done> doHoldFeet(scene::Scene& s, const Arguments& a) {
    const auto actor = actorOf(s, a);
    if (!actor) return actor.error();
    const auto made = holdFeet(s, actor.value());
    return made ? Result<Done>(Done{}) : made.error();
}

Result<Done> doSameSide(scene::Scene& s, const Arguments& a) {
    return sameOnOtherSide(s, text(a, "layer"), text(a, "joint"));
}

Result<Done> doSeal(scene::Scene& s, const Arguments& a) {
    const auto from = wholeOr(a, "from", 1), to = wholeOr(a, "to", 1);
    for (const auto* each : {&from, &to})
        if (!*each) return each->error();
    return seal(s, text(a, "layer"), from.value() - 1, to.value() - 1);
}

Result<Done> doBreakSeal(scene::Scene& s, const Arguments& a) {
    return breakSeal(s, text(a, "layer"));
}

constexpr Operation kLineOperations[] = {
    {"seal", "layer,to", "from",
     "Keeps the frames up to one, from the first or from another, as a simulated layer makes them; what follows goes on from "
     "there.",
     doSeal},
    {"break-seal", "layer", "", "Lets the sealed frames of a layer be simulated again.", doBreakSeal},
    {"same-side", "layer,joint", "", "What a layer has for a joint alone, on the other side of the body too.", doSameSide},
    {"hold-feet", "", "actor", "Holds the feet of an actor where they stand.", doHoldFeet},
    {"loosen", "", "actor", "Puts light follow-through on the whole body; its root and its legs keep to the clip.", doLoosen},
    {"go-over-ground", "", "actor,speed",
     "Carries what is animated in place over the ground, as fast as its feet tell or at speed [m/s].", doGoOver},
    {"follow-path", "path", "actor", "Lets it go along places of the world, \"x y z+x y z+...\" [m].", doFollow},
    {"split", "frame", "actor", "Cuts what an actor plays in the shot on show, at a frame.", doSplit},
    {"hold-pose", "frame,frames", "actor", "Holds the pose of a frame for so many more.", doHold},
    {"repeat", "from,to", "actor,times", "Plays frames again, so many times more.", doRepeat},
    {"play-after", "clip", "actor,blend", "A clip after all that plays, coming in over so many frames.", doPlayAfter},
    {"remove-stretch", "stretch", "actor", "Takes a stretch away, counted from 1.", doRemoveStretch},
    {"close-line", "", "actor,missing,fade", "Ends as it begins: by frames more, or by a fade at either end.", doClose},
    {"close-clip", "clip", "actor,missing,fade", "The same wherever a clip is played as it is, in frames of its own rate.",
     doCloseClip},
    {"clear-line", "", "actor", "Plays the clip as it is.", doClearLine},
};

}  // namespace

std::span<const Operation> lineOperations() {
    return kLineOperations;
}

}  // namespace nutatio::edit
