#include "layers/registry.h"

#include <algorithm>
#include <array>
#include <charconv>

#include "layers/jiggle/jiggle.h"
#include "layers/strand/strand_layer.h"

namespace nutatio::layers {

namespace {
const std::array<const LayerKind*, 2> kKinds{&kStrandKind, &kJiggleKind};

std::string shown(double v) {
    char text[40];
    std::snprintf(text, sizeof text, "%g", v);
    return text;
}

/// "tail_01" -> "tail": the number of the first joint says nothing about the part.
std::string partName(const std::string& joint) {
    std::size_t end = joint.size();
    while (end > 0 && std::isdigit(static_cast<unsigned char>(joint[end - 1]))) --end;
    while (end > 0 && (joint[end - 1] == '_' || joint[end - 1] == '.' || joint[end - 1] == '-' || joint[end - 1] == ' ')) --end;
    return end == 0 || joint.front() == '#' ? joint : joint.substr(0, end);
}

bool rightType(const scene::SettingSpec& spec, const scene::Value& value) {
    return value.index() == scene::startValue(spec).index();
}

std::string inOrder(std::string_view axes) {
    std::string s;
    for (char c : {'x', 'y', 'z'})
        if (axes.find(c) != std::string_view::npos) s += c;
    return s;
}

void settleLayer(scene::Layer& layer, const LayerKind& kind, std::vector<std::string>& said) {
    for (const scene::SettingSpec& spec : kind.settings) {
        const auto at = layer.values.find(spec.id);
        const std::string where = "layer \"" + layer.name + "\", " + std::string(spec.label);
        if (at == layer.values.end()) {
            layer.values[std::string(spec.id)] = scene::startValue(spec);
        } else if (!rightType(spec, at->second)) {
            at->second = scene::startValue(spec);
            said.push_back(where + ": the value is of the wrong type; the default is used");
        } else if (spec.type == scene::SettingType::Number) {
            double& v = std::get<double>(at->second);
            const double kept = scene::clampTo(spec, v);
            if (kept != v)
                said.push_back(where + ": " + shown(v) + " is outside " + shown(spec.range.low) + " to " +
                               shown(spec.range.high) + "; " + shown(kept) + " is used");
            v = kept;
        } else if (spec.type == scene::SettingType::Axes) {
            std::get<std::string>(at->second) = inOrder(std::get<std::string>(at->second));
        }
    }
}

}  // namespace

const scene::SettingSpec* LayerKind::setting(std::string_view wanted) const {
    const auto at = std::find_if(settings.begin(), settings.end(), [&](const auto& s) { return s.id == wanted; });
    return at == settings.end() ? nullptr : &*at;
}

std::span<const LayerKind* const> kinds() {
    return kKinds;
}

const LayerKind* findKind(std::string_view id) {
    const auto at = std::find_if(kKinds.begin(), kKinds.end(), [&](const LayerKind* k) { return k->id == id; });
    return at == kKinds.end() ? nullptr : *at;
}

scene::Layer newLayer(const LayerKind& kind, const scene::Scene& scene, const scene::ActorEntry& actor,
                      std::vector<std::string> joints) {
    scene::Layer l;
    l.kind = kind.id;
    l.actor = actor.id;
    l.values = scene::startValues(kind.settings);
    l.name = joints.empty() ? std::string(kind.label) : partName(joints.front());
    if (joints.size() > 1) l.name += " +" + std::to_string(joints.size() - 1);
    l.values[std::string(kind.target)] = std::move(joints);
    l.id = scene.freshId(l.name + "-" + std::string(kind.id));
    return l;
}

Result<scene::Value> parseValue(const scene::SettingSpec& spec, std::string_view text, const rig::Actor& actor) {
    const std::string id(spec.id);
    const auto joint = [&](std::string_view name) { return actor.skeleton.find(name) != rig::kNoJoint; };
    switch (spec.type) {
        case scene::SettingType::Number: {
            double v = 0;
            const auto [at, bad] = std::from_chars(text.data(), text.data() + text.size(), v);
            if (bad != std::errc() || at != text.data() + text.size() || !std::isfinite(v))
                return Error{"", id, "\"" + std::string(text) + "\" is not a number"};
            if (v < spec.range.low || v > spec.range.high)
                return Error{"", id, shown(v) + " is outside " + shown(spec.range.low) + " to " + shown(spec.range.high)};
            return scene::Value(v);
        }
        case scene::SettingType::Axes:
            if (text == "none") return scene::Value(std::string());
            if (text.empty() || text.find_first_not_of("xyz") != std::string_view::npos)
                return Error{"", id, "axes are some of x, y, z, or none"};
            return scene::Value(inOrder(text));
        case scene::SettingType::Joint:
            if (!text.empty() && !joint(text)) return Error{"", id, "there is no joint \"" + std::string(text) + "\""};
            return scene::Value(std::string(text));
        case scene::SettingType::Joints: {
            std::vector<std::string> names;
            if (joint(text)) return scene::Value(std::vector<std::string>{std::string(text)});
            for (std::size_t from = 0; from <= text.size();) {
                const std::size_t to = std::min(text.find('+', from), text.size());
                names.emplace_back(text.substr(from, to - from));
                if (!joint(names.back())) return Error{"", id, "there is no joint \"" + names.back() + "\""};
                from = to + 1;
            }
            return scene::Value(std::move(names));
        }
    }
    return Error{"", id, "the value cannot be read"};
}

std::vector<std::string> settle(scene::Scene& scene) {
    std::vector<std::string> said;
    for (scene::Layer& layer : scene.layers) {
        const LayerKind* kind = findKind(layer.kind);
        const scene::ActorEntry* actor = scene.actor(layer.actor);
        if (!kind) {
            said.push_back("layer \"" + layer.name + "\": this version has no layer kind \"" + layer.kind +
                           "\"; the layer is kept and does nothing");
            continue;
        }
        settleLayer(layer, *kind, said);
        if (!actor)
            said.push_back("layer \"" + layer.name + "\": there is no actor \"" + layer.actor +
                           "\"; the layer is kept and does nothing");
        else if (const auto problem = kind->problem(*actor->actor, layer))
            said.push_back("layer \"" + layer.name + "\": " + *problem + "; the layer is kept and does nothing");
    }
    for (const scene::Collider& c : scene.colliders) {
        const scene::ActorEntry* actor = scene.actor(c.actor);
        if (!actor || actor->actor->skeleton.find(c.joint) == rig::kNoJoint)
            said.push_back("collider \"" + c.name + "\": there is no joint \"" + c.joint +
                           "\"; the collider is kept and does nothing");
    }
    return said;
}

}  // namespace nutatio::layers
