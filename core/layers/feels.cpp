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
    std::vector<Feel> all;
    for (const LayerKind* kind : kinds())
        if (kind->feels)
            for (Feel& f : kind->feels()) {
                f.kind = kind->id;
                all.push_back(std::move(f));
            }
    return all;
}

scene::Values wholeValues(const LayerKind& kind, const Feel& feel) {
    scene::Values out;
    for (const scene::SettingSpec& s : kind.settings) {
        if (!s.feel) continue;
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

const std::vector<Feel>& builtInFeels() {
    static const std::vector<Feel> kFeels = makeBuiltIn();
    return kFeels;
}

void applyFeel(const Feel& feel, scene::Layer& layer) {
    const LayerKind* kind = findKind(feel.kind);
    if (!kind || layer.kind != feel.kind) return;
    for (auto& [id, value] : wholeValues(*kind, feel)) {
        layer.values[id] = value;
        layer.profiles.erase(id);
    }
    for (const auto& [id, profile] : feel.profiles) layer.profiles[id] = profile;
}

void applyFeel(const Feel& feel, scene::Scene& scene, const std::string& id) {
    scene::Layer* layer = scene.layer(id);
    const LayerKind* kind = layer ? findKind(feel.kind) : nullptr;
    if (!kind || layer->kind != feel.kind) return;
    applyFeel(feel, *layer);
    const scene::Owner owner{scene::List::Layers, id};
    for (std::size_t i = 0; i < scene.shots.size(); ++i) {
        const scene::KeysOf* keys = scene.shots[i].keysOf(owner);
        if (!keys || std::none_of(keys->begin(), keys->end(), [&](const auto& k) {
                const scene::SettingSpec* row = kind->setting(k.first);
                return row && row->feel;
            }))
            continue;
        std::erase_if(scene.shots.edit(i).keys[owner], [&](const auto& k) {
            const scene::SettingSpec* row = kind->setting(k.first);
            return row && row->feel;
        });
    }
}

Feel feelOf(const scene::Layer& layer, std::string name) {
    Feel out{std::move(name), {}, {}, {}, layer.kind, true};
    if (const LayerKind* kind = findKind(layer.kind))
        for (const scene::SettingSpec& s : kind->settings) {
            if (!s.feel) continue;
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
            if (!spec || !spec->feel) at.fail("a " + f.kind + " feel has no such setting");
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
    const bool chain = kind->takes == Takes::Chains;
    const auto actor = sample(chain);
    scene::Layer layer;
    layer.kind = feel.kind;
    layer.actor = "sample";
    layer.values = scene::startValues(kind->settings);
    layer.set(kind->target(), std::vector<std::string>{"s0"});
    if (const scene::SettingSpec* preroll = kind->setting(scene::Role::Preroll)) layer.set(preroll->id, 4.0);
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
    LayerContext context = LayerContext::bare(*actor, layer);
    context.period = kFrames / out.fps;
    rig::Track moved = below;
    for (auto& [joint, column] : run(*kind, context, below, {}).joints) moved.replace(joint, std::move(column));
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
