#include "scene/set_piece.h"

#include <algorithm>
#include <cmath>

#include "scene/scene.h"

namespace nutatio::scene {

namespace {

constexpr SettingSpec sizeRow(std::string_view id, std::string_view label, double start, std::string_view help,
                              std::string_view only) {
    return {.id = id,
            .label = label,
            .unit = Unit::Metres,
            .range = {0.001, 1000},
            .soft = {0.02, 4},
            .start = start,
            .help = help,
            .curved = true,
            .keyable = true,
            .feel = false,
            .only = only};
}

constexpr SettingSpec placeRow(std::string_view id, std::string_view label, std::string_view help, std::string_view group = {}) {
    return {.id = id,
            .label = label,
            .unit = Unit::Metres,
            .range = {-1e4, 1e4},
            .soft = {-3, 3},
            .help = help,
            .keyable = true,
            .feel = false,
            .group = group};
}

constexpr SettingSpec turnRow(std::string_view id, std::string_view label, std::string_view help) {
    return {.id = id,
            .label = label,
            .unit = Unit::Degrees,
            .range = {-3600, 3600},
            .soft = {-180, 180},
            .help = help,
            .keyable = true,
            .feel = false};
}

constexpr SettingSpec kPiece[] = {
    {.id = "form",
     .label = "Form",
     .type = SettingType::Choice,
     .help = "What it is: a floor, a block, a round bar, a ball, a ramp or steps.",
     .feel = false,
     .choices = "floor|block|bar|ball|ramp|steps"},
    sizeRow("across", "Across", 0.3, "From side to side through its middle.", "form=bar|ball"),
    sizeRow("length", "Length", 1, "From end to end.", "form=bar"),
    sizeRow("size_x", "Width", 0.5, "From side to side.", "form=floor|block|ramp|steps"),
    sizeRow("size_y", "Height", 0.5, "How high it stands.", "form=block|ramp|steps"),
    sizeRow("size_z", "Depth", 0.5, "From front to back.", "form=floor|block|ramp|steps"),
    {.id = "steps",
     .label = "Steps",
     .unit = Unit::None,
     .range = {1, 40},
     .soft = {1, 12},
     .start = 4,
     .help = "How many steps share the height.",
     .feel = false,
     .whole = true,
     .only = "form=steps"},
    placeRow("place_x", "Place x", "Where it stands; keyed, it moves.", "Place"),
    placeRow("place_y", "Place y", "How high its foot is above the ground; of a bar or a ball, its middle."),
    placeRow("place_z", "Place z", "Where it stands; keyed, it moves."),
    turnRow("turn_y", "Heading", "How it is turned about the upright."),
    turnRow("turn_x", "Lean", "How it is tipped forward or back."),
    turnRow("turn_z", "Roll", "How it is tipped to a side."),
    {.id = "surface",
     .label = "Surface",
     .type = SettingType::Choice,
     .help = "Solid: layers keep clear of it. None: it is only looked at.",
     .feel = false,
     .choices = "solid|none",
     .group = "Surface"},
    {.id = "friction",
     .label = "Friction",
     .range = {0, 10},
     .soft = {0, 1},
     .start = 0.2,
     .help = "How its surface holds what slides on it.",
     .more = "More: rubber. Less: ice.",
     .feel = false,
     .only = "surface=solid"},
    {.id = "bounce",
     .label = "Bounce",
     .unit = Unit::Share,
     .range = {0, 1},
     .soft = {0, 1},
     .help = "How much of the speed of its arrival a falling body keeps; strands do not bounce.",
     .more = "More: a trampoline. 0: sand.",
     .feel = false,
     .only = "surface=solid"},
};

/// Within what the table accepts, whatever a file said.
double sizeIn(const ActorEntry& piece, std::string_view id) {
    const double v = piece.number(id);
    return clampTo(*findRow(kPiece, id), std::isfinite(v) ? v : 0);
}

/// A size at a frame of a shot.
double sizeAt(const ActorEntry& piece, const Resolved& settings, std::string_view id, int frame) {
    return settings.keyed(id) ? settings.at(id, frame) : sizeIn(piece, id);
}

/// How long a bar is from end to end: no shorter than it is thick.
double barLength(double length, double across) {
    return std::max(length, across);
}

/// The bodies of a form whose sizes `size` tells, by setting.
std::vector<PieceBody> bodiesFrom(const std::string& form, const auto& size) {
    const auto box = [&](const Vec3& low, const Vec3& high) {
        ColliderNumbers n;
        n.shape = Shape::Box;
        n.size = high - low;
        n.offset = 0.5 * (low + high);
        return n;
    };
    std::vector<PieceBody> out;
    if (form == "ball" || form == "bar") {
        ColliderNumbers n;
        n.radius = n.radiusEnd = 0.5 * size("across");
        if (form == "bar") {
            n.shape = Shape::Capsule;
            n.length = barLength(size("length"), 2 * n.radius) - 2 * n.radius;
        }
        return {{n}};
    }
    const double w = 0.5 * size("size_x"), h = size("size_y"), d = 0.5 * size("size_z");
    if (form == "floor") {
        // What falls off the edge of a floor is of no use to anybody: it is met without end.
        ColliderNumbers n;
        n.shape = Shape::Plane;
        return {{n, false}, {box(Vec3(-w, -0.004 * (w + d), -d), Vec3(w, 0, d)), true}};
    }
    if (form == "steps") {
        const int n = static_cast<int>(std::lround(size("steps")));
        for (int k = 0; k < n; ++k)
            out.push_back({box(Vec3(-w, 0, -d + 2 * d * k / n), Vec3(w, h * (k + 1) / n, -d + 2 * d * (k + 1) / n))});
        return out;
    }
    if (form == "ramp") {
        // A slab under the slope, half as thick as the wedge is deep there and no longer than to its back, and a post at the
        // back.
        const double rise = std::atan2(h, 2 * d), thick = 0.5 * h * std::cos(rise), post = thick * std::sin(rise);
        const double along = std::hypot(h, 2 * d) - thick * std::tan(rise);
        ColliderNumbers slab;
        slab.shape = Shape::Box;
        slab.size = Vec3(2 * w, thick, along);
        const Vec3 up(0, std::cos(rise), -std::sin(rise)), on(0, std::sin(rise), std::cos(rise));
        slab.offset = Vec3(0, 0, -d) + 0.5 * along * on - 0.5 * thick * up;
        slab.turnDeg = Vec3(-degrees(rise), 0, 0);
        return {{slab, false}, {box(Vec3(-w, 0, d - post), Vec3(w, h - post * std::tan(rise), d)), false}};
    }
    return {{box(Vec3(-w, 0, -d), Vec3(w, h, d))}};
}

/// Numbers of a collider by its settings.
std::vector<std::pair<std::string, double>> numbersByName(const ColliderNumbers& n) {
    std::vector<std::pair<std::string, double>> out{{"radius", n.radius}, {"radius_end", n.radiusEnd}, {"length", n.length}};
    for (const auto& [stem, v] :
         {std::pair<std::string, const Vec3*>{"size", &n.size}, {"offset", &n.offset}, {"turn", &n.turnDeg}})
        for (int k = 0; k < 3; ++k) out.emplace_back(stem + "_" + "xyz"[k], (*v)[k]);
    return out;
}

}  // namespace

Table pieceTable() {
    return kPiece;
}

std::vector<std::string_view> pieceForms() {
    return choicesOf(kPiece[0]);
}

ActorEntry newPiece(const Scene& scene, std::string_view form) {
    ActorEntry p;
    p.name = std::string(form);
    p.name[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(p.name[0])));
    p.id = scene.freshId(form);
    p.values = startValues(kPiece);
    p.set("form", std::string(form));
    double h = 1.2, beside = 0;
    Vec3 at = Vec3::Zero();
    if (!scene.actors.empty() && !scene.actors.front().isPiece()) {
        const ActorEntry& a = scene.actors.front();
        const Placement stands = placementOf(a);
        h = stands.metres * a.actor->height;
        beside = 0.5 * h + 0.5 * stands.metres * (a.actor->high.x() - a.actor->low.x());
        at = stands.toWorld(Vec3(0.5 * (a.actor->low.x() + a.actor->high.x()), 0, 0.5 * (a.actor->low.z() + a.actor->high.z())));
        at.y() = stands.place.y();
    }
    // Round numbers to the measure of a hand: two figures.
    const auto round = [](double v) {
        const double unit = std::pow(10.0, std::floor(std::log10(std::max(v, 1e-9))) - 1);
        return std::round(v / unit) * unit;
    };
    const auto size = [&](const char* id, double heights) { p.set(id, clampTo(*findRow(kPiece, id), round(heights * h))); };
    const bool flat = form == "floor", wide = form == "ramp" || form == "steps";
    size("across", form == "bar" ? 0.06 : 0.3);
    size("length", 1);
    size("size_x", flat ? 4 : 0.5);
    size("size_y", 0.4);
    size("size_z", flat ? 4 : wide ? 0.8 : 0.5);
    if (!flat) at.x() += beside;
    if (form == "ball") at.y() += 0.5 * p.number("across");
    if (form == "bar") at.y() += 0.5 * h;
    if (form == "bar") p.set("turn_z", 90.0);
    for (int k = 0; k < 3; ++k) at[k] = std::round(at[k] * 1000) / 1000;
    p.setVector("place", at);
    return p;
}

std::vector<PieceBody> bodiesOf(const ActorEntry& piece) {
    return bodiesFrom(piece.text("form"), [&](std::string_view id) { return sizeIn(piece, id); });
}

std::vector<PieceSurface> surfaceOf(const ActorEntry& piece, const Resolved& settings) {
    std::vector<PieceSurface> out;
    const std::string& form = piece.text("form");
    if (piece.text("surface") == "none") return out;
    const auto bodiesAt = [&](int frame) {
        return bodiesFrom(form, [&](std::string_view id) { return sizeAt(piece, settings, id, frame); });
    };
    for (const PieceBody& b : bodiesAt(0)) {
        Collider c;
        c.id = piece.id;
        c.name = piece.name;
        c.mount = {piece.id, std::string(kPieceJoint)};
        c.solid = true;
        c.values = startValues(colliderTable());
        c.set("shape", std::string(shapeName(b.numbers.shape)));
        for (const auto& [id, value] : numbersByName(b.numbers)) c.set(id, value);
        c.set("friction", piece.number("friction"));
        c.set("bounce", piece.number("bounce"));
        out.push_back({std::move(c), {}});
    }
    const bool grows = std::any_of(std::begin(kPiece), std::end(kPiece), [&](const SettingSpec& row) {
        return shapesPiece(row) && counts(row, piece) && settings.keyed(row.id);
    });
    for (int f = 0; grows && f < settings.frames(); ++f) {
        const std::vector<PieceBody> now = bodiesAt(f);
        for (std::size_t k = 0; k < out.size(); ++k)
            for (const auto& [id, value] : numbersByName(now[k].numbers)) out[k].curves[id].push_back(value);
    }
    // What is drawn of a floor lies within the plane that is met.
    if (form == "floor") out.resize(1);
    return out;
}

Xform pieceAt(const ActorEntry& piece, const Resolved& s, int frame) {
    Xform x;
    x.t = s.vector("place", frame);
    x.r = turnOf(s.vector("turn", frame));
    const auto size = [&](std::string_view id) { return sizeAt(piece, s, id, frame); };
    const auto times = [&](std::string_view id) { return size(id) / sizeIn(piece, id); };
    const std::string& form = piece.text("form");
    if (form == "ball") {
        x.s = Vec3::Constant(times("across"));
    } else if (form == "bar") {
        const double is = barLength(size("length"), size("across")),
                     made = barLength(sizeIn(piece, "length"), sizeIn(piece, "across"));
        x.s = Vec3(times("across"), is / made, times("across"));
    } else {
        x.s = Vec3(times("size_x"), form == "floor" ? 1 : times("size_y"), times("size_z"));
    }
    return x;
}

std::optional<std::string> whyNotFollowed(const Scene& scene, const ActorEntry& piece, const Gauge& gauge) {
    const std::string told = "\"" + piece.name + "\", fed by the gauge \"" + gauge.name + "\", would wait for ";
    if (!gauge.after.empty()) {
        const Layer* l = scene.layer(gauge.after);
        return told + "the layer \"" + (l ? l->name : gauge.after) + "\": a set piece stands before any layer acts";
    }
    std::vector<std::string> seen{gauge.of.actor};
    if (gauge.to) seen.push_back(gauge.to->actor);
    for (const std::string& id : gauge.over)
        if (const Collider* c = scene.collider(id)) seen.push_back(c->mount.actor);
    for (const std::string& id : seen)
        if (const ActorEntry* a = scene.actor(id); a && a->isPiece() && (id == piece.id || !a->feeds.empty()))
            return told + (id == piece.id ? std::string("itself") : "\"" + a->name + "\", a set piece that is fed too");
    return std::nullopt;
}

bool shapesPiece(const SettingSpec& row) {
    return row.id == "form" || row.only.substr(0, 5) == "form=";
}

}  // namespace nutatio::scene
