#include "files/prepared_json.h"

#include <nlohmann/json.hpp>
#include <set>

#include "files/allowance.h"
#include "files/items_json.h"

namespace nutatio::files {

namespace {

using What = rig::Preparation::What;
using From = rig::MapStep::From;

Vec3 placeOf(const Place& p) {
    const std::vector<double> v = p.numbers(3);
    const Vec3 place(v[0], v[1], v[2]);
    if (!place.allFinite()) p.fail("the place is no place");
    if (place.norm() < kFarthest) return place;
    Leniently::take(p, "the place is not a usable size");
    return place * (0.5 * kFarthest / place.stableNorm());
}

std::vector<Vec3> placesOf(const Place& p) {
    std::vector<Vec3> out;
    for (std::size_t i = 0, n = p.size(kMostItems); i < n; ++i) out.push_back(placeOf(p.at(i)));
    return out;
}

Json placeJson(const Vec3& v) {
    return {v.x(), v.y(), v.z()};
}

Json placesJson(const std::vector<Vec3>& places) {
    Json out = Json::array();
    for (const Vec3& v : places) out.push_back(placeJson(v));
    return out;
}

void readStroke(const Place& p, rig::Stroke& out) {
    if (!rig::brushFromName(p.at("brush").text(), out.brush))
        p.at("brush").fail("this version has no brush \"" + p.at("brush").text() + "\"");
    out.radius = p.at("radius").number();
    out.strength = p.at("strength").number();
    out.mirrored = p.has("mirrored") && p.at("mirrored").boolean();
    out.dabs = placesOf(p.at("dabs"));
    if (p.has("locked")) out.locked = textsOf(p.at("locked"));
}

void putStroke(Json& j, const rig::Stroke& s) {
    j["brush"] = rig::brushName(s.brush);
    j["radius"] = s.radius;
    j["strength"] = s.strength;
    if (s.mirrored) j["mirrored"] = true;
    if (!s.locked.empty()) j["locked"] = s.locked;
    j["dabs"] = placesJson(s.dabs);
}

rig::MapStep readStep(const Place& p) {
    rig::MapStep s;
    if (!rig::fromFromName(p.at("from").text(), s.from))
        p.at("from").fail("this version cannot make a map from \"" + p.at("from").text() + "\"");
    if (p.has("join") && !rig::joinFromName(p.at("join").text(), s.join))
        p.at("join").fail("this version cannot join a map's steps by \"" + p.at("join").text() + "\"");
    if (p.has("joints")) s.joints = textsOf(p.at("joints"));
    s.below = p.has("below") && p.at("below").boolean();
    if (p.has("low")) s.low = p.at("low").number();
    if (p.has("high")) s.high = p.at("high").number();
    if (p.has("channel")) s.channel = static_cast<int>(p.at("channel").index(4, "channel"));
    if (p.has("place")) s.place = placeOf(p.at("place"));
    if (p.has("reach")) s.reach = p.at("reach").number();
    if (p.has("map")) s.map = p.at("map").text();
    if (s.from == From::Paint) readStroke(p, s.stroke);
    return s;
}

Json stepJson(const rig::MapStep& s) {
    Json j{{"from", rig::fromName(s.from)}};
    const bool joins = s.from != From::Invert && s.from != From::Blur && s.from != From::Paint;
    if (joins) j["join"] = rig::joinName(s.join);
    if (!s.joints.empty()) j["joints"] = s.joints;
    if (s.below) j["below"] = true;
    if (s.from == From::Height || s.from == From::Distance) {
        j["low"] = s.low;
        j["high"] = s.high;
    }
    if (s.from == From::Colour) j["channel"] = s.channel;
    if (s.from == From::Piece) j["place"] = placeJson(s.place);
    if (s.from == From::Blur || s.from == From::Curvature) j["reach"] = s.reach;
    if (s.from == From::Map) j["map"] = s.map;
    if (s.from == From::Paint) putStroke(j, s.stroke);
    return j;
}

std::vector<rig::MapStep> stepsOf(const Place& p) {
    std::vector<rig::MapStep> out;
    for (std::size_t i = 0, n = p.size(kMostItems); i < n; ++i) out.push_back(readStep(p.at(i)));
    return out;
}

Json stepsJson(const std::vector<rig::MapStep>& steps) {
    Json out = Json::array();
    for (const rig::MapStep& s : steps) out.push_back(stepJson(s));
    return out;
}

}  // namespace

rig::Preparation readPreparation(const Place& p) {
    rig::Preparation e;
    if (!rig::preparationFromName(p.at("do").text(), e.what))
        p.at("do").fail("this version cannot prepare an actor by \"" + p.at("do").text() + "\"");
    if (e.what == What::Height) {
        e.metres = p.at("metres").number();
        return e;
    }
    e.joint = p.at("joint").text();
    if (e.what == What::Rename || e.what == What::AddEnd || e.what == What::AddHelper || e.what == What::AddChain ||
        e.what == What::Role)
        e.name = p.at("name").text();
    if (p.has("place")) e.place = placeOf(p.at("place"));
    if (p.has("reach")) e.reach = p.at("reach").number();
    if (p.has("keeps")) e.keeps = p.at("keeps").boolean();
    if (e.what == What::HangOn) e.onto = p.at("onto").text();
    if (e.what == What::AddChain) e.row = placesOf(p.at("row"));
    if (e.what == What::Release) e.region = stepsOf(p.at("region"));
    if (e.what == What::Paint) readStroke(p, e.stroke);
    return e;
}

Json preparationJson(const rig::Preparation& e) {
    if (e.what == What::Height) return {{"do", rig::preparationName(e.what)}, {"metres", e.metres}};
    Json j{{"do", rig::preparationName(e.what)}, {"joint", e.joint}};
    if (!e.name.empty()) j["name"] = e.name;
    switch (e.what) {
        case What::Rename:
        case What::Height:
        case What::Role:
            break;
        case What::AddHelper:
            j["reach"] = e.reach;
            j["place"] = placeJson(e.place);
            break;
        case What::AddEnd:
            j["place"] = placeJson(e.place);
            break;
        case What::AddChain:
            j["reach"] = e.reach;
            j["row"] = placesJson(e.row);
            break;
        case What::MovePivot:
            j["place"] = placeJson(e.place);
            j["keeps"] = e.keeps;
            break;
        case What::HangOn:
            j["onto"] = e.onto;
            break;
        case What::Release:
            j["region"] = stepsJson(e.region);
            break;
        case What::Paint:
            putStroke(j, e.stroke);
            break;
    }
    return j;
}

std::vector<scene::Part> readParts(const Place& entry) {
    std::vector<scene::Part> out;
    if (!entry.has("parts")) return out;
    const Place all = entry.at("parts");
    for (std::size_t i = 0, n = all.size(kMostItems); i < n; ++i) {
        const Place p = all.at(i);
        scene::Part part;
        part.name = p.at("name").text();
        part.joints = textsOf(p.at("joints"));
        if (p.has("colour")) part.colour = static_cast<int>(p.at("colour").index(1024, "colour"));
        part.rigid = p.has("rigid") && p.at("rigid").boolean();
        out.push_back(std::move(part));
    }
    return out;
}

void putParts(Json& entry, const std::vector<scene::Part>& parts) {
    for (const scene::Part& p : parts) {
        Json j{{"name", p.name}, {"joints", p.joints}, {"colour", p.colour}};
        if (p.rigid) j["rigid"] = true;
        entry["parts"].push_back(std::move(j));
    }
}

std::vector<rig::Map> readMaps(const Place& entry) {
    std::vector<rig::Map> out;
    if (!entry.has("maps")) return out;
    const Place all = entry.at("maps");
    std::set<std::string> names;
    for (std::size_t i = 0, n = all.size(kMostItems); i < n; ++i) {
        const Place p = all.at(i);
        rig::Map m;
        m.name = p.at("name").text();
        if (!names.insert(m.name).second) p.at("name").fail("two maps are called \"" + m.name + "\"");
        m.steps = stepsOf(p.at("steps"));
        m.rigid = p.has("rigid") && p.at("rigid").boolean();
        out.push_back(std::move(m));
    }
    return out;
}

void putMaps(Json& entry, const std::vector<rig::Map>& maps) {
    for (const rig::Map& m : maps) {
        Json j{{"name", m.name}, {"steps", stepsJson(m.steps)}};
        if (m.rigid) j["rigid"] = true;
        entry["maps"].push_back(std::move(j));
    }
}

}  // namespace nutatio::files
