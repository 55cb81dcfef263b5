#include "scene/items.h"

namespace nutatio::scene {

namespace {

constexpr SettingSpec kGauge[] = {
    {.id = "measure",
     .label = "Measures",
     .type = SettingType::Choice,
     .help = "What is read of the joint, frame by frame.",
     .choices = "speed|travel|turning|acceleration|weight|distance|closing|height|angle|stretch|contact|mass"},
    {.id = "point",
     .label = "Where",
     .type = SettingType::Choice,
     .help = "At the joint itself, or at the end beyond it: a tip is faster than what it hangs on.",
     .choices = "joint|end",
     .only = "measure=speed|travel|acceleration|weight|distance|closing|height|contact"},
    {.id = "from",
     .label = "Seen from",
     .type = SettingType::Choice,
     .help = "Against what it is measured: the world, the root of its actor, or the other joint.",
     .choices = "world|root|joint",
     .only = "measure=speed|travel|turning|acceleration"},
    {.id = "axes",
     .label = "Axes",
     .type = SettingType::Axes,
     .axes = "",
     .help = "None: all of it. One: with a sign, along that axis of where it is seen from (turns and angles: about that axis of "
             "the joint). Two: within their plane.",
     .only = "measure=speed|travel|turning|acceleration|distance|angle"},
    {.id = "ground",
     .label = "Ground",
     .type = SettingType::Choice,
     .help = "Whether the ground stands still, or runs below a clip that walks in place: told by the feet, or typed.",
     .choices = "still|found|typed",
     .only = "measure=speed|travel|contact"},
    {.id = "ground_speed",
     .label = "Ground speed",
     .unit = Unit::MetresPerSecond,
     .range = {0, 100},
     .soft = {0, 8},
     .start = 1.2,
     .help = "How fast the ground runs below the actor.",
     .only = "ground=typed"},
    {.id = "ground_heading",
     .label = "Runs towards",
     .unit = Unit::Degrees,
     .range = {-360, 360},
     .soft = {-180, 180},
     .start = 180,
     .help = "Which way the ground runs: 0 along +z, 90 along +x; against the way the actor walks.",
     .only = "ground=typed"},
    {.id = "near",
     .label = "Near",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 0.2},
     .start = 0.02,
     .help = "How close it comes to count as touching, against the actor's height.",
     .only = "measure=contact"},
    {.id = "still",
     .label = "Still",
     .unit = Unit::Share,
     .range = {0, 10},
     .soft = {0, 1},
     .start = 0.2,
     .help = "How slow it is to count as touching, in the actor's heights a second.",
     .only = "measure=contact"},
    {.id = "calm",
     .label = "Calm",
     .unit = Unit::Frames,
     .range = {0, 48},
     .soft = {0, 12},
     .start = 1,
     .help = "Over how many frames at 24 a second it is evened out; at 12 frames a second take 2.",
     .more = "More: slow trends. Less: every step and shake."},
};

}  // namespace

Table gaugeTable() {
    return kGauge;
}

Unit unitOf(const Gauge& g) {
    const std::string& m = g.text("measure");
    if (m == "speed" || m == "closing" || m == "mass") return Unit::MetresPerSecond;
    if (m == "travel" || m == "distance" || m == "height") return Unit::Metres;
    if (m == "turning") return Unit::DegreesPerSecond;
    if (m == "acceleration") return Unit::MetresPerSecond2;
    if (m == "weight") return Unit::Gravities;
    if (m == "angle") return Unit::Degrees;
    return m == "stretch" ? Unit::Share : Unit::None;
}

}  // namespace nutatio::scene
