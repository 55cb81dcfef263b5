#include "scene/items.h"

#include "scene/set_piece.h"

#include <algorithm>
#include <cmath>

namespace nutatio::scene {

namespace {

constexpr SettingSpec kActor[] = {
    {.id = "place_x",
     .label = "Place x",
     .unit = Unit::Metres,
     .range = {-1e4, 1e4},
     .soft = {-3, 3},
     .help = "Where its own middle of coordinates stands in the world.",
     .keyable = false,
     .feel = false,
     .group = "Place"},
    {.id = "place_y",
     .label = "Place y",
     .unit = Unit::Metres,
     .range = {-1e4, 1e4},
     .soft = {-3, 3},
     .help = "Where its own middle of coordinates stands in the world.",
     .keyable = false,
     .feel = false},
    {.id = "place_z",
     .label = "Place z",
     .unit = Unit::Metres,
     .range = {-1e4, 1e4},
     .soft = {-3, 3},
     .help = "Where its own middle of coordinates stands in the world.",
     .keyable = false,
     .feel = false},
    {.id = "turn_y",
     .label = "Heading",
     .unit = Unit::Degrees,
     .range = {-360, 360},
     .soft = {-180, 180},
     .help = "How it is turned about the upright.",
     .feel = false},
    {.id = "turn_x",
     .label = "Lean",
     .unit = Unit::Degrees,
     .range = {-360, 360},
     .soft = {-180, 180},
     .help = "How it is tipped forward or back; 90 or -90 sets a character upright that lies down.",
     .feel = false},
    {.id = "turn_z",
     .label = "Roll",
     .unit = Unit::Degrees,
     .range = {-360, 360},
     .soft = {-180, 180},
     .help = "How it is tipped to a side.",
     .feel = false},
};

constexpr SettingSpec kCollider[] = {
    {.id = "shape",
     .label = "Shape",
     .type = SettingType::Choice,
     .help = "Round, a capsule, a box with square edges, or a plane without end.",
     .choices = "sphere|capsule|box|plane"},
    {.id = "radius",
     .label = "Radius",
     .range = {0, 1e6},
     .soft = {0, 0.4},
     .start = 0.06,
     .help = "How thick it is; of a capsule at its start.",
     .more = "More: keeps strands farther off. Less: lets them closer.",
     .keyable = true,
     .sized = true,
     .only = "shape=sphere|capsule"},
    {.id = "radius_end",
     .label = "End radius",
     .range = {0, 1e6},
     .soft = {0, 0.4},
     .start = 0.06,
     .help = "How thick it is at its other end.",
     .keyable = true,
     .sized = true,
     .only = "shape=capsule"},
    {.id = "length",
     .label = "Length",
     .range = {0, 1e6},
     .soft = {0, 0.4},
     .start = 0.06,
     .help = "Between the middles of its two round ends.",
     .more = "More: longer. Less: rounder.",
     .keyable = true,
     .sized = true,
     .only = "shape=capsule"},
    {.id = "size_x",
     .label = "Size x",
     .range = {0, 1e6},
     .soft = {0, 0.8},
     .start = 0.12,
     .help = "From side to side.",
     .keyable = true,
     .sized = true,
     .only = "shape=box"},
    {.id = "size_y",
     .label = "Size y",
     .range = {0, 1e6},
     .soft = {0, 0.8},
     .start = 0.12,
     .help = "From side to side.",
     .keyable = true,
     .sized = true,
     .only = "shape=box"},
    {.id = "size_z",
     .label = "Size z",
     .range = {0, 1e6},
     .soft = {0, 0.8},
     .start = 0.12,
     .help = "From side to side.",
     .keyable = true,
     .sized = true,
     .only = "shape=box"},
    {.id = "friction",
     .label = "Friction",
     .range = {0, 10},
     .soft = {0, 1},
     .start = 0.2,
     .help = "How its surface holds what slides on it.",
     .more = "More: rubber. Less: ice.",
     .keyable = true},
    {.id = "bounce",
     .label = "Bounce",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 1},
     .help = "How much of the speed of its arrival a falling body keeps; strands do not bounce.",
     .more = "More: a trampoline. 0: sand.",
     .keyable = true},
    {.id = "offset_x",
     .label = "Offset x",
     .range = {-1e6, 1e6},
     .soft = {-0.4, 0.4},
     .help = "Where its middle sits, along the axes of what it rides on.",
     .keyable = true,
     .sized = true},
    {.id = "offset_y",
     .label = "Offset y",
     .range = {-1e6, 1e6},
     .soft = {-0.4, 0.4},
     .help = "Where its middle sits, along the axes of what it rides on.",
     .keyable = true,
     .sized = true},
    {.id = "offset_z",
     .label = "Offset z",
     .range = {-1e6, 1e6},
     .soft = {-0.4, 0.4},
     .help = "Where its middle sits, along the axes of what it rides on.",
     .keyable = true,
     .sized = true},
    {.id = "turn_x",
     .label = "Turn x",
     .unit = Unit::Degrees,
     .range = {-360, 360},
     .soft = {-180, 180},
     .help = "How it is turned against what it rides on.",
     .keyable = true,
     .only = "shape=capsule|box|plane"},
    {.id = "turn_y",
     .label = "Turn y",
     .unit = Unit::Degrees,
     .range = {-360, 360},
     .soft = {-180, 180},
     .help = "How it is turned against what it rides on.",
     .keyable = true,
     .only = "shape=capsule|box|plane"},
    {.id = "turn_z",
     .label = "Turn z",
     .unit = Unit::Degrees,
     .range = {-360, 360},
     .soft = {-180, 180},
     .help = "How it is turned against what it rides on.",
     .keyable = true,
     .only = "shape=capsule|box|plane"},
};

constexpr SettingSpec kWind[] = {
    {.id = "speed",
     .label = "Speed",
     .unit = Unit::MetresPerSecond,
     .range = {0, 60},
     .soft = {0, 15},
     .start = 6,
     .help = "How fast the air moves.",
     .more = "3: a breeze. 8: hair streams. 15: hard to walk.",
     .curved = true,
     .keyable = true},
    {.id = "heading",
     .label = "Heading",
     .unit = Unit::Degrees,
     .range = {-360, 360},
     .soft = {-180, 180},
     .start = 90,
     .help = "Which way it blows: 0 along +z, 90 along +x.",
     .keyable = true},
    {.id = "rise",
     .label = "Rise",
     .unit = Unit::Degrees,
     .range = {-90, 90},
     .soft = {-90, 90},
     .help = "How steeply it blows upwards.",
     .keyable = true},
    {.id = "gust_share",
     .label = "Gusts",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 1},
     .start = 0.4,
     .help = "How much of the speed comes and goes.",
     .more = "More: squalls. Less: steady.",
     .keyable = true},
    {.id = "gust_rate",
     .label = "Gust rate",
     .unit = Unit::PerSecond,
     .range = {0, 20},
     .soft = {0, 3},
     .start = 0.5,
     .help = "How often it freshens and drops.",
     .curved = true},
    {.id = "swirl_share",
     .label = "Turbulence",
     .unit = Unit::Share,
     .range = {0, 3},
     .soft = {0, 1},
     .start = 0.3,
     .help = "How strong its eddies are, against its speed.",
     .more = "More: flutters. Less: streams.",
     .keyable = true},
    {.id = "swirl_size",
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
     .curved = true,
     .keyable = true},
    {.id = "falloff",
     .label = "Falloff",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 1},
     .start = 0.5,
     .help = "Over how much of its reach it dies away.",
     .keyable = true},
    {.id = "seed",
     .label = "Seed",
     .range = {0, 1e6},
     .soft = {0, 100},
     .start = 1,
     .help = "Another number gives other gusts of the same kind.",
     .whole = true},
    {.id = "place_x",
     .label = "Place x",
     .unit = Unit::Metres,
     .range = {-1e4, 1e4},
     .soft = {-3, 3},
     .help = "Where it stands; only a wind with a reach minds.",
     .keyable = true},
    {.id = "place_y",
     .label = "Place y",
     .unit = Unit::Metres,
     .range = {-1e4, 1e4},
     .soft = {-3, 3},
     .help = "Where it stands; only a wind with a reach minds.",
     .keyable = true},
    {.id = "place_z",
     .label = "Place z",
     .unit = Unit::Metres,
     .range = {-1e4, 1e4},
     .soft = {-3, 3},
     .help = "Where it stands; only a wind with a reach minds.",
     .keyable = true},
};

constexpr SettingSpec kPin[] = {
    {.id = "strength",
     .label = "Strength",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 1},
     .start = 1,
     .help = "How firmly it holds.",
     .more = "More: nailed. Less: drawn. 0 lets go.",
     .keyable = true},
    {.id = "offset_x",
     .label = "Offset x",
     .range = {-1e6, 1e6},
     .soft = {-1, 1},
     .help = "Where it holds, along the axes of what it is held to.",
     .keyable = true,
     .sized = true},
    {.id = "offset_y",
     .label = "Offset y",
     .range = {-1e6, 1e6},
     .soft = {-1, 1},
     .help = "Where it holds, along the axes of what it is held to.",
     .keyable = true,
     .sized = true},
    {.id = "offset_z",
     .label = "Offset z",
     .range = {-1e6, 1e6},
     .soft = {-1, 1},
     .help = "Where it holds, along the axes of what it is held to.",
     .keyable = true,
     .sized = true},
};

ColliderNumbers numbersFrom(Shape shape, const auto& number, const auto& vector) {
    return {shape,          number("radius"), number("radius_end"), number("length"),
            vector("size"), vector("offset"), vector("turn"),       number("friction")};
}

/// What comes out of sine and cosine where the answer is a whole number.
double clean(double v) {
    return std::abs(v) < 1e-15 ? 0 : v;
}

}  // namespace

Table actorTable() {
    return kActor;
}
Table actorTable(const ActorEntry& a) {
    return a.isPiece() ? pieceTable() : actorTable();
}
Table colliderTable() {
    return kCollider;
}
Table windTable() {
    return kWind;
}
Table pinTable() {
    return kPin;
}

bool counts(const SettingSpec& row, const Tuned& tuned) {
    if (row.only.empty()) return true;
    const std::size_t equals = row.only.find('=');
    const std::string& now = tuned.text(row.only.substr(0, equals));
    const std::vector<std::string_view> ids = idsIn(row.only.substr(equals + 1));
    return std::find(ids.begin(), ids.end(), now) != ids.end();
}

double ColliderNumbers::reach() const {
    return shape == Shape::Box ? 0.5 * size.norm() : std::max(radius, radiusEnd) + 0.5 * length;
}

ColliderNumbers numbersOf(const Resolved& s, int frame) {
    Shape shape = Shape::Sphere;
    shapeFromName(s.text("shape"), shape);
    return numbersFrom(
        shape, [&](const char* id) { return s.at(id, frame); }, [&](const char* stem) { return s.vector(stem, frame); });
}

ColliderNumbers numbersOf(const Collider& c) {
    return numbersFrom(
        c.shape(), [&](const char* id) { return c.number(id); }, [&](const char* stem) { return c.vector(stem); });
}

Vec3 windDirection(double headingDeg, double riseDeg) {
    const double heading = radians(headingDeg), rise = radians(riseDeg);
    return {clean(std::cos(rise) * std::sin(heading)), clean(std::sin(rise)), clean(std::cos(rise) * std::cos(heading))};
}

void setWindDirection(Wind& w, const Vec3& direction) {
    const Vec3 d = direction.normalized();
    w.set("heading", degrees(std::atan2(d.x(), d.z())));
    w.set("rise", degrees(std::asin(std::clamp(d.y(), -1.0, 1.0))));
}

}  // namespace nutatio::scene
