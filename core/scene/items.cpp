#include "scene/items.h"

namespace nutatio::scene {

namespace {
constexpr std::string_view kOffset[] = {"offset_x", "offset_y", "offset_z"}, kTurn[] = {"turn_x", "turn_y", "turn_z"},
                           kSize[] = {"size_x", "size_y", "size_z"}, kPlace[] = {"place_x", "place_y", "place_z"};
constexpr std::string_view kOffsetLabel[] = {"Offset x", "Offset y", "Offset z"}, kTurnLabel[] = {"Turn x", "Turn y", "Turn z"},
                           kSizeLabel[] = {"Size x", "Size y", "Size z"}, kPlaceLabel[] = {"Place x", "Place y", "Place z"};
}  // namespace

std::vector<SettingSpec> colliderTable(const Collider& c, double height) {
    const double usual = 0.06 * height;
    const Range size{0, 1e6}, place{-1e6, 1e6}, softSize{0, 0.4 * height}, softPlace{-0.4 * height, 0.4 * height},
        turn{-360, 360}, softTurn{-180, 180};
    const bool capsule = c.shape == Shape::Capsule;
    std::vector<SettingSpec> t;
    if (capsule || c.shape == Shape::Sphere)
        t.push_back({.id = "radius",
                     .label = capsule ? "Start radius" : "Radius",
                     .range = size,
                     .soft = softSize,
                     .start = usual,
                     .help = "How thick it is.",
                     .more = "More: keeps strands farther off. Less: lets them closer."});
    if (capsule) {
        t.push_back({.id = "radiusEnd",
                     .label = "End radius",
                     .range = size,
                     .soft = softSize,
                     .start = usual,
                     .help = "How thick it is at its other end."});
        t.push_back({.id = "length",
                     .label = "Length",
                     .range = size,
                     .soft = softSize,
                     .start = usual,
                     .help = "Between the middles of its two round ends.",
                     .more = "More: longer. Less: rounder."});
    }
    if (c.shape == Shape::Box)
        for (int k = 0; k < 3; ++k)
            t.push_back({.id = kSize[k],
                         .label = kSizeLabel[k],
                         .range = size,
                         .soft = {0, 0.8 * height},
                         .start = 2 * usual,
                         .help = "From side to side."});
    t.push_back({.id = "friction",
                 .label = "Friction",
                 .range = {0, 10},
                 .soft = {0, 1},
                 .start = 0.2,
                 .help = "How its surface holds what slides on it.",
                 .more = "More: rubber. Less: ice."});
    for (int k = 0; k < 3; ++k)
        t.push_back({.id = kOffset[k],
                     .label = kOffsetLabel[k],
                     .range = place,
                     .soft = softPlace,
                     .help = "Where its middle sits, along the joint's axis."});
    if (c.shape != Shape::Sphere)
        for (int k = 0; k < 3; ++k)
            t.push_back({.id = kTurn[k],
                         .label = kTurnLabel[k],
                         .unit = Unit::Degrees,
                         .range = turn,
                         .soft = softTurn,
                         .help = "How it is turned against the joint."});
    return t;
}

double& colliderNumber(Collider& c, std::string_view id) {
    if (id == "radius") return c.radius;
    if (id == "radiusEnd") return c.radiusEnd;
    if (id == "length") return c.length;
    if (id == "friction") return c.friction;
    const int axis = id.back() - 'x';
    return id.front() == 'o' ? c.offset[axis] : id.front() == 's' ? c.size[axis] : c.turnDeg[axis];
}

std::vector<SettingSpec> windTable() {
    std::vector<SettingSpec> t{{.id = "speed",
                                .label = "Speed",
                                .unit = Unit::MetresPerSecond,
                                .range = {0, 60},
                                .soft = {0, 15},
                                .start = 3,
                                .help = "How fast the air moves.",
                                .more = "3: a breeze. 8: hair streams. 15: hard to walk.",
                                .curved = true},
                               {.id = "heading",
                                .label = "Heading",
                                .unit = Unit::Degrees,
                                .range = {-360, 360},
                                .soft = {-180, 180},
                                .help = "Which way it blows: 0 along +z, 90 along +x."},
                               {.id = "rise",
                                .label = "Rise",
                                .unit = Unit::Degrees,
                                .range = {-90, 90},
                                .soft = {-90, 90},
                                .help = "How steeply it blows upwards."},
                               {.id = "gustShare",
                                .label = "Gusts",
                                .unit = Unit::Share,
                                .range = {0, 1},
                                .soft = {0, 1},
                                .start = 0.4,
                                .help = "How much of the speed comes and goes.",
                                .more = "More: squalls. Less: steady."},
                               {.id = "gustRate",
                                .label = "Gust rate",
                                .unit = Unit::PerSecond,
                                .range = {0, 20},
                                .soft = {0, 3},
                                .start = 0.5,
                                .help = "How often it freshens and drops.",
                                .curved = true},
                               {.id = "swirlShare",
                                .label = "Turbulence",
                                .unit = Unit::Share,
                                .range = {0, 3},
                                .soft = {0, 1},
                                .start = 0.3,
                                .help = "How strong its eddies are, against its speed.",
                                .more = "More: flutters. Less: streams."},
                               {.id = "swirlSize",
                                .label = "Eddy size",
                                .unit = Unit::Metres,
                                .range = {0.001, 1000},
                                .soft = {0.02, 3},
                                .start = 0.5,
                                .help = "How large an eddy is.",
                                .more = "More: slow rolls. Less: quick shivers.",
                                .curved = true},
                               {.id = "reach",
                                .label = "Reach",
                                .unit = Unit::Metres,
                                .range = {0, 10000},
                                .soft = {0, 10},
                                .help = "How far from its place it blows; 0 blows everywhere.",
                                .curved = true},
                               {.id = "falloff",
                                .label = "Falloff",
                                .unit = Unit::Share,
                                .range = {0, 1},
                                .soft = {0, 1},
                                .start = 0.5,
                                .help = "Over how much of its reach it dies away."},
                               {.id = "seed",
                                .label = "Seed",
                                .range = {0, 1e6},
                                .soft = {0, 100},
                                .start = 1,
                                .help = "Another number gives other gusts of the same kind."}};
    for (int k = 0; k < 3; ++k)
        t.push_back({.id = kPlace[k],
                     .label = kPlaceLabel[k],
                     .unit = Unit::Metres,
                     .range = {-1e4, 1e4},
                     .soft = {-3, 3},
                     .help = "Where it stands; only a wind with a reach minds."});
    return t;
}

double windNumber(const Wind& w, std::string_view id) {
    if (id == "speed") return w.speed;
    if (id == "heading") return degrees(std::atan2(w.direction.x(), w.direction.z()));
    if (id == "rise") return degrees(std::asin(std::clamp(w.direction.y(), -1.0, 1.0)));
    if (id == "gustShare") return w.gustShare;
    if (id == "gustRate") return w.gustRate;
    if (id == "swirlShare") return w.swirlShare;
    if (id == "swirlSize") return w.swirlSize;
    if (id == "reach") return w.reach;
    if (id == "falloff") return w.falloff;
    if (id == "seed") return w.seed;
    return w.place[id.back() - 'x'];
}

void setWindNumber(Wind& w, std::string_view id, double v) {
    if (id == "heading" || id == "rise") {
        const double heading = radians(id == "heading" ? v : windNumber(w, "heading")),
                     rise = radians(id == "rise" ? v : windNumber(w, "rise"));
        w.direction = Vec3(std::cos(rise) * std::sin(heading), std::sin(rise), std::cos(rise) * std::cos(heading));
        return;
    }
    double& to = id == "speed"        ? w.speed
                 : id == "gustShare"  ? w.gustShare
                 : id == "gustRate"   ? w.gustRate
                 : id == "swirlShare" ? w.swirlShare
                 : id == "swirlSize"  ? w.swirlSize
                 : id == "reach"      ? w.reach
                 : id == "falloff"    ? w.falloff
                 : id == "seed"       ? w.seed
                                      : w.place[id.back() - 'x'];
    to = id == "seed" ? std::round(v) : v;
}

std::vector<SettingSpec> pinTable(double height) {
    std::vector<SettingSpec> t{{.id = "strength",
                                .label = "Strength",
                                .unit = Unit::Share,
                                .range = {0, 1},
                                .soft = {0, 1},
                                .start = 1,
                                .help = "How firmly it holds.",
                                .more = "More: nailed. Less: drawn. 0 lets go.",
                                .keyable = true}};
    for (int k = 0; k < 3; ++k)
        t.push_back({.id = kOffset[k],
                     .label = kOffsetLabel[k],
                     .range = {-1e6, 1e6},
                     .soft = {-height, height},
                     .help = "Where it holds, in the axes of what it is held to."});
    return t;
}

double& pinNumber(Pin& p, std::string_view id) {
    return id == "strength" ? p.strength : p.offset[id.back() - 'x'];
}

namespace {

template <class Get, class Set>
void clampRows(const std::vector<SettingSpec>& rows, const Moved& moved, const Get& get, const Set& set) {
    for (const SettingSpec& row : rows) {
        const double was = get(row.id), is = clampTo(row, was);
        if (was == is) continue;
        set(row.id, is);
        moved(row, was, is);
    }
}

}  // namespace

void clampItem(Collider& c, const Moved& moved) {
    const auto set = [&](std::string_view id, double v) { colliderNumber(c, id) = v; };
    // The numbers that its shape does not use are kept in the file, and must be usable too.
    Collider other = c;
    for (const Shape shape : {Shape::Capsule, Shape::Box}) {
        other.shape = shape;
        clampRows(
            colliderTable(other, 1), moved, [&](std::string_view id) { return colliderNumber(c, id); }, set);
    }
}

void clampItem(Wind& w, const Moved& moved) {
    const auto set = [&](std::string_view id, double v) { setWindNumber(w, id, v); };
    clampRows(
        windTable(), moved, [&](std::string_view id) { return windNumber(w, id); }, set);
}

void clampItem(Pin& p, const Moved& moved) {
    const auto set = [&](std::string_view id, double v) { pinNumber(p, id) = v; };
    clampRows(
        pinTable(1), moved, [&](std::string_view id) { return pinNumber(p, id); }, set);
}

}  // namespace nutatio::scene
