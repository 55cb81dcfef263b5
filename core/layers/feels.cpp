#include "layers/feels.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "files/bytes.h"
#include "files/json.h"
#include "layers/joint_worlds.h"
#include "layers/registry.h"
#include "layers/run.h"

namespace nutatio::layers {

namespace {

using files::Json;
using files::Place;

std::vector<Feel> makeBuiltIn() {
    const auto strand = [](std::string name, std::string about, scene::Values values,
                           std::map<std::string, scene::Profile, std::less<>> profiles = {}) {
        return Feel{std::move(name), "strand", std::move(about), std::move(values), std::move(profiles)};
    };
    const auto jiggle = [](std::string name, std::string about, scene::Values values) {
        return Feel{std::move(name), "jiggle", std::move(about), std::move(values), {}};
    };
    return {
        strand("Stiff antenna", "Springy wire: quick, rings on, hardly bends.",
               {{"swing", 7.0}, {"bounces", 6.0}, {"bend", 30.0}}),
        strand("Wet rope", "Hangs and slaps, no bounce left in it.",
               {{"swing", 0.5}, {"bounces", 0.3}, {"gravity", 1.0}, {"drag", 0.6}, {"radius", 0.02}, {"catch", 0.2}}),
        strand("Heavy braid", "Swings slowly as one piece, its end leading.",
               {{"swing", 0.9}, {"bounces", 0.9}, {"gravity", 1.0}, {"end_weight", 0.8}, {"radius", 0.04}, {"catch", 0.3}}),
        strand("Silk ribbon", "Floats, trails behind and settles late.",
               {{"swing", 0.35}, {"bounces", 0.3}, {"gravity", 0.35}, {"drag", 4.0}, {"catch", 4.0}}),
        strand("Horsehair", "Swishes: firm at the root, loose at the tip.",
               {{"swing", 1.8}, {"bounces", 1.2}, {"gravity", 0.5}, {"drag", 1.5}}, {{"swing", {{0, 1.6}, {1, 0.5}}}}),
        strand("Otter tail", "A strong root and a lazy tip that follows in an arc.",
               {{"swing", 1.6}, {"bounces", 1.4}, {"gravity", 0.15}, {"drag", 0.5}},
               {{"swing", {{0, 1.5}, {0.5, 1}, {1, 0.55}}}}),
        strand("Whip", "Lashes: the wave runs out to a light tip.", {{"swing", 1.1}, {"bounces", 2.5}, {"gravity", 0.2}},
               {{"swing", {{0, 2.2}, {0.4, 0.9}, {1, 0.25}}}}),
        strand("Hanging lantern", "A weight on a cord: one slow even swing.",
               {{"swing", 0.3}, {"bounces", 3.5}, {"gravity", 1.0}, {"end_weight", 20.0}, {"catch", 0.4}}),
        strand("Garden hose", "Thick and unwilling: bends once and stays out.",
               {{"swing", 2.4}, {"bounces", 0.2}, {"gravity", 0.8}, {"bend", 35.0}, {"radius", 0.05}, {"catch", 0.1}}),
        strand("Coil spring", "Bobs along its length as much as it swings.",
               {{"swing", 2.6}, {"bounces", 5.0}, {"stretch", 0.5}, {"stretch_swing", 2.4}, {"gravity", 0.6}}),
        strand("Pond weed", "Drifts as if under water.",
               {{"swing", 0.4}, {"bounces", 0.5}, {"drag", 9.0}, {"gravity", -0.15}, {"catch", 3.0}}),
        strand("Leather strap", "A blade: gives one way and not the other.",
               {{"swing", 2.2}, {"bounces", 1.0}, {"gravity", 0.7}, {"stiff_second", 12.0}, {"stiff_twist", 4.0}}),
        jiggle("Alert ear", "Flicks and stands again at once.", {{"swing", 5.5}, {"bounces", 1.6}}),
        jiggle("Floppy ear", "Lags, flops over, swings back once.", {{"swing", 2.2}, {"bounces", 1.4}, {"sag", 0.35}}),
        jiggle("Soft pouch", "Full of something loose: heaves and settles.",
               {{"move", std::string("xyz")}, {"swing", 2.4}, {"bounces", 2.0}, {"sag", 0.3}, {"squash", 0.8}, {"share_x", 0.6}}),
        jiggle("Round belly", "Bounces up and down, hardly sideways.",
               {{"move", std::string("xyz")},
                {"turn", std::string("x")},
                {"frame", std::string("body")},
                {"swing", 3.2},
                {"bounces", 2.2},
                {"share_x", 0.35},
                {"share_z", 0.5},
                {"squash", 0.4}}),
        jiggle("Water balloon", "Wobbles for long, changing its shape.",
               {{"move", std::string("xyz")}, {"swing", 3.0}, {"bounces", 5.0}, {"squash", 1.6}}),
        jiggle("Earring", "Dangles and rings.", {{"swing", 3.4}, {"bounces", 6.0}, {"sag", 0.6}}),
        jiggle("Loose bolt", "Rattles: tiny, fast, soon over.",
               {{"move", std::string("xyz")},
                {"turn", std::string("xyz")},
                {"swing", 14.0},
                {"bounces", 2.0},
                {"move_max_y", 0.1},
                {"move_min_y", 0.1}}),
    };
}

scene::Values wholeValues(const LayerKind& kind, const Feel& feel) {
    scene::Values out;
    for (const scene::SettingSpec& s : kind.settings) {
        if (!belongsToFeel(s)) continue;
        const auto at = feel.values.find(s.id);
        out[std::string(s.id)] = at == feel.values.end() ? scene::startValue(s) : at->second;
    }
    return out;
}

/// A sample to see a feel on: `root`, and joints hanging from it.
std::shared_ptr<const rig::Actor> sample(bool chain) {
    std::vector<rig::Joint> joints(1);
    joints[0].name = "root";
    const int n = chain ? 6 : 2;
    for (int i = 0; i < n; ++i) {
        rig::Joint j;
        j.name = "s" + std::to_string(i);
        j.parent = i;
        // Strands stand out to the side, so that both their stiffness and their weight are seen.
        if (i > 0) j.rest.t = Vec3(chain ? 1.0 / n : 0.0, chain ? 0.0 : 0.8, 0);
        joints.push_back(j);
    }
    auto actor = std::make_shared<rig::Actor>();
    actor->skeleton = rig::Skeleton(std::move(joints));
    actor->metresPerUnit = 0.5;  // the sample is half a metre long
    actor->finish();
    return actor;
}

}  // namespace

bool belongsToFeel(const scene::SettingSpec& spec) {
    using scene::SettingType;
    if (spec.type == SettingType::Joint || spec.type == SettingType::Joints || spec.type == SettingType::Colliders) return false;
    static constexpr std::string_view kNot[] = {"push_out",    "preroll",   "mix",       "cuts",         "end",
                                                "felt_travel", "felt_turn", "pull_tilt", "pull_heading", "meets"};
    return std::find(std::begin(kNot), std::end(kNot), spec.id) == std::end(kNot);
}

const std::vector<Feel>& builtInFeels() {
    static const std::vector<Feel> kFeels = makeBuiltIn();
    return kFeels;
}

void applyFeel(const Feel& feel, scene::Layer& layer) {
    const LayerKind* kind = findKind(feel.kind);
    if (!kind || layer.kind != feel.kind) return;
    for (auto& [id, value] : wholeValues(*kind, feel)) {
        layer.values[id] = value;
        layer.keys.erase(id);
        layer.profiles.erase(id);
    }
    for (const auto& [id, profile] : feel.profiles) layer.profiles[id] = profile;
}

Feel feelOf(const scene::Layer& layer, std::string name) {
    Feel out{std::move(name), layer.kind, {}, {}, {}, true};
    if (const LayerKind* kind = findKind(layer.kind))
        for (const scene::SettingSpec& s : kind->settings) {
            if (!belongsToFeel(s)) continue;
            const auto at = layer.values.find(s.id);
            if (at != layer.values.end() && at->second != scene::startValue(s)) out.values[std::string(s.id)] = at->second;
            if (const auto p = layer.profiles.find(s.id); p != layer.profiles.end()) out.profiles[std::string(s.id)] = p->second;
        }
    return out;
}

bool hasFeel(const scene::Layer& layer, const Feel& feel) {
    const LayerKind* kind = findKind(feel.kind);
    if (!kind || layer.kind != feel.kind) return false;
    for (const auto& [id, value] : wholeValues(*kind, feel)) {
        const auto at = layer.values.find(id);
        if (at == layer.values.end() || at->second != value) return false;
    }
    return feelOf(layer, {}).profiles == feel.profiles;
}

Result<Feel> readFeel(const std::filesystem::path& path, std::vector<std::string>& said) {
    try {
        const rig::Bytes bytes = files::readBytes(path);
        const Json json = files::parseJson(std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
        const Place root(json, "");
        if (!root.has("format") || root.at("format").text() != "nutatio-feel") root.fail("this is not a feel");
        Feel f;
        f.own = true;
        f.name = root.at("name").text();
        f.kind = root.at("kind").text();
        const LayerKind* kind = findKind(f.kind);
        if (!kind) root.at("kind").fail("this version has no layer kind \"" + f.kind + "\"");
        if (root.has("about")) f.about = root.at("about").text();
        const Place settings = root.at("settings");
        settings.wantObject();
        for (const auto& [key, value] : settings.json().items()) {
            const Place at = settings.at(key.c_str());
            const scene::SettingSpec* spec = kind->setting(key);
            if (!spec || !belongsToFeel(*spec)) at.fail("a " + f.kind + " feel has no such setting");
            if (spec->type == scene::SettingType::Number) {
                const double v = at.number(), kept = scene::clampTo(*spec, v);
                if (v != kept)
                    said.push_back(path.filename().string() + ": " + key + " is out of its range; the nearest is used");
                f.values[key] = kept;
            } else {
                const std::string& text = at.text();
                const auto choices = choicesOf(*spec);
                const bool choice = spec->type == scene::SettingType::Choice;
                if (choice ? std::find(choices.begin(), choices.end(), text) == choices.end()
                           : text.find_first_not_of("xyz") != std::string::npos)
                    at.fail("\"" + text.substr(0, 40) + "\" is none of its values");
                f.values[key] = text;
            }
        }
        if (root.has("profiles")) {
            const Place profiles = root.at("profiles");
            profiles.wantObject();
            for (const auto& [key, value] : profiles.json().items()) {
                const Place at = profiles.at(key.c_str());
                const scene::SettingSpec* spec = kind->setting(key);
                if (!spec || !spec->profiled) at.fail("this setting cannot have a profile");
                for (std::size_t i = 0, n = at.size(); i < n; ++i) {
                    const std::vector<double> v = at.at(i).numbers(2);
                    f.profiles[key].push_back({std::clamp(v[0], 0.0, 1.0), std::clamp(v[1], 0.0, scene::kMostTimes)});
                }
                std::stable_sort(f.profiles[key].begin(), f.profiles[key].end(),
                                 [](const auto& a, const auto& b) { return a.at < b.at; });
            }
        }
        return f;
    } catch (const Failure& e) {
        Error error = e.error();
        if (error.file.empty()) error.file = path.string();
        return error;
    } catch (const std::exception& e) {
        return unreadable(path.string(), e);
    }
}

Result<Done> writeFeel(const Feel& feel, const std::filesystem::path& path) {
    Json j{{"format", "nutatio-feel"}, {"name", feel.name}, {"kind", feel.kind}, {"about", feel.about}};
    Json& settings = j["settings"] = Json::object();
    for (const auto& [id, value] : feel.values) std::visit([&, &k = id](const auto& v) { settings[k] = v; }, value);
    for (const auto& [id, profile] : feel.profiles)
        for (const scene::ProfilePoint& p : profile) j["profiles"][id].push_back({p.at, p.times});
    try {
        const std::string text = j.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
        std::filesystem::create_directories(path.parent_path());
        files::writeAtomically(path, text.data(), text.size());
        return Done{};
    } catch (const Failure& f) {
        return f.error();
    } catch (const std::filesystem::filesystem_error& e) {
        return Error{path.string(), "", "the folder cannot be made: " + e.code().message()};
    }
}

std::vector<Feel> feelsIn(const std::filesystem::path& folder, std::vector<std::string>& said) {
    std::vector<std::filesystem::path> paths;
    std::error_code none;
    for (const auto& entry : std::filesystem::directory_iterator(folder, none))
        if (entry.path().extension() == ".json") paths.push_back(entry.path());
    std::sort(paths.begin(), paths.end());
    std::vector<Feel> out;
    for (const auto& p : paths) {
        auto feel = readFeel(p, said);
        if (feel)
            out.push_back(std::move(feel.value()));
        else
            said.push_back(feel.error().text());
    }
    return out;
}

FeelMotion feelMotion(const Feel& feel) {
    const LayerKind* kind = findKind(feel.kind);
    FeelMotion out;
    if (!kind) return out;
    const bool chain = kind->setting("tip") != nullptr;
    const auto actor = sample(chain);
    scene::Layer layer;
    layer.kind = feel.kind;
    layer.actor = "sample";
    layer.values = scene::startValues(kind->settings);
    layer.values[std::string(kind->target)] = std::vector<std::string>{"s0"};
    layer.values["preroll"] = 96.0;
    applyFeel(feel, layer);
    // Up, stop, wait; down, stop, wait.
    constexpr int kFrames = 72;
    rig::Column base;
    for (int f = 0; f <= kFrames; ++f) {
        const double u = static_cast<double>(f % kFrames) / kFrames;
        const auto ramp = [](double x) {
            x = std::clamp(x, 0.0, 1.0);
            return x * x * (3 - 2 * x);
        };
        Xform x;
        const double way = ramp(u / 0.12) - ramp((u - 0.5) / 0.12);
        x.t = chain ? Vec3(0, 0.5 * way, 0) : Vec3(0.35 * way, 0.35 * way, 0);
        base.push_back(x);
    }
    std::vector<rig::ColumnPtr> columns;
    for (const rig::Joint& j : actor->skeleton.joints())
        columns.push_back(std::make_shared<const rig::Column>(rig::Column{j.rest}));
    columns[0] = std::make_shared<const rig::Column>(std::move(base));
    const rig::Track below({kFrames + 1, out.fps, 0, kFrames / out.fps}, std::move(columns));
    LayerContext context{*actor, layer};
    context.period = kFrames / out.fps;
    const rig::Track moved = run(*kind, context, below, {}).track;
    std::vector<Xform> pose;
    std::vector<Affine> worlds;
    for (int f = 0; f < kFrames; ++f) {
        moved.pose(f, pose);
        rig::worldTransforms(actor->skeleton, pose, worlds);
        std::vector<Vec3> points;
        for (std::size_t j = 1; j < worlds.size(); ++j) points.push_back(worlds[j].t);
        if (chain) points.push_back(worlds.back().apply(Vec3(1.0 / 6, 0, 0)));
        out.frames.push_back(std::move(points));
    }
    return out;
}

}  // namespace nutatio::layers
