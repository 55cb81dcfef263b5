#include "files/kit.h"

#include <nlohmann/json.hpp>

#include "files/bytes.h"
#include "files/items_json.h"
#include "files/prepared_json.h"

namespace nutatio::files {

namespace {

scene::Kit parseKit(const Json& json) {
    const Place root(json, "");
    if (!root.has("format") || root.at("format").text() != "nutatio-kit") throw Failure("", "this is not a Nutatio kit");
    if (root.at("version").count() > kKitVersion) root.at("version").fail("the kit was made by a newer Nutatio");
    scene::Kit kit;
    kit.name = root.at("name").text();
    kit.height = root.at("height").number();
    kit.metres = root.at("metres").number();
    if (!(kit.height > 1e-9 && kit.height < 1e9)) root.at("height").fail("a height lies above 0");
    if (!(kit.metres > 1e-9 && kit.metres < 1e9)) root.at("metres").fail("a unit is longer than nothing");
    const auto each = [&](const char* key, const auto& take) {
        if (!root.has(key)) return;
        const Place list = root.at(key);
        for (std::size_t i = 0, n = list.size(kMostItems); i < n; ++i) {
            try {
                take(list.at(i));
            } catch (const NotUnderstood& why) {
                list.at(i).fail(why.why.sentence);
            }
        }
    };
    each("joints", [&](const Place& p) {
        scene::Kit::Joint j;
        j.name = p.at("name").text();
        if (j.name.empty()) p.at("name").fail("a joint has a name");
        j.role = textOr(p, "role", "");
        const std::vector<double> v = p.at("turn").numbers(4);
        j.turn = Quat(v[3], v[0], v[1], v[2]);
        if (!(j.turn.norm() > 0.5 && j.turn.norm() < 2)) p.at("turn").fail("a turn is a unit quaternion");
        j.turn.normalize();
        kit.joints.push_back(std::move(j));
    });
    kit.parts = readParts(root);
    kit.maps = readMaps(root);
    OldTimes now;
    now.inFrames = root.at("version").count() < 2;
    each("colliders", [&](const Place& p) { kit.colliders.push_back(readCollider(p, now)); });
    each("winds", [&](const Place& p) { kit.winds.push_back(readWind(p, now)); });
    each("pins", [&](const Place& p) { kit.pins.push_back(readPin(p, now)); });
    each("gauges", [&](const Place& p) { kit.gauges.push_back(readGauge(p)); });
    each("layers", [&](const Place& p) { kit.layers.push_back(readLayer(p, now)); });
    return kit;
}

}  // namespace

Result<scene::Kit> readKit(const std::filesystem::path& path) {
    return ofFile(path.string(), [&] {
        const rig::Bytes bytes = readBytes(path);
        return parseKit(parseJson(std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size())));
    });
}

Result<Done> writeKit(const scene::Kit& kit, const std::filesystem::path& path) {
    return ofFile(path.string(), [&] {
        Json root{{"format", "nutatio-kit"},
                  {"version", kKitVersion},
                  {"name", kit.name},
                  {"height", kit.height},
                  {"metres", kit.metres}};
        root["joints"] = Json::array();
        for (const scene::Kit::Joint& j : kit.joints) {
            Json each{{"name", j.name}, {"turn", {j.turn.x(), j.turn.y(), j.turn.z(), j.turn.w()}}};
            if (!j.role.empty()) each["role"] = j.role;
            root["joints"].push_back(std::move(each));
        }
        putParts(root, kit.parts);
        putMaps(root, kit.maps);
        const auto all = [&](const char* key, const auto& list) {
            root[key] = Json::array();
            for (const auto& each : list) root[key].push_back(itemJson(each));
        };
        all("colliders", kit.colliders);
        all("winds", kit.winds);
        all("pins", kit.pins);
        if (!kit.gauges.empty()) all("gauges", kit.gauges);
        all("layers", kit.layers);
        const std::string text = textOf(root);
        writeAtomically(path, text.data(), text.size());
        return Done{};
    });
}

}  // namespace nutatio::files
