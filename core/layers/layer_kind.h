// What a layer kind is. Each facet that a kind may have stands in a header of its own.
#pragma once

#include "layers/layer_context.h"
#include "rig/parts.h"

namespace nutatio::layers {

/// A joint that a layer moves, and its place from root (0) to tip (1) for profiles.
struct Moved {
    int joint = rig::kNoJoint;
    double along = 0;
};

/// What a kind is put on.
enum class Takes { Chains, Joints, Map, Body };

struct Simulated;
struct Filter;
struct Meeting;
struct Bodily;
struct Deed;
struct ByHand;
struct Showing;
struct Feel;

/// One kind of layer: facts, and facets for what not every kind has. It is either simulated or a filter, or an act, which moves
/// nothing by itself.
struct LayerKind {
    std::string_view id;
    std::string_view label;
    std::string_view help;
    std::string_view glyph;  // strokes in a square of 24, as an SVG path
    Takes takes = Takes::Joints;
    scene::Table settings;
    /// What stands in the way of running the layer, in one sentence; nothing when it can run.
    std::optional<std::string> (*problem)(const rig::Actor&, const scene::Layer&);
    /// Joints that a layer without problem moves.
    std::vector<Moved> (*moves)(const rig::Actor&, const scene::Layer&);
    /// The facets; null where it has none.
    const Simulated* simulated = nullptr;
    const Filter* filter = nullptr;
    const Meeting* meets = nullptr;
    const Bodily* body = nullptr;
    const Deed* act = nullptr;
    const ByHand* byHand = nullptr;
    const Showing* showing = nullptr;
    /// What came of what was asked, measured of the motion below and above the layer, in a few words; empty where the motion does
    /// not tell. Null: the kind is measured by a push.
    std::string (*measured)(const LayerContext&, const rig::Track& below, const rig::Track& above) = nullptr;
    /// Morph targets whose weights a layer, as it is set in a shot, makes of those below. Null: none. What a layer adds to the
    /// places of vertices need not be told: who reads the surface waits until the layer has run.
    std::vector<rig::MorphId> (*morphs)(const rig::Actor&, const scene::Resolved&) = nullptr;
    /// Joints that a layer without problem looks at beside those that it moves, and those about them. Null: none.
    std::vector<int> (*reads)(const rig::Actor&, const scene::Layer&) = nullptr;
    /// What the Tuner calls a joint that a layer sets apart from the rest, and how it is chosen.
    struct PartWords {
        std::string_view heading = "One part of the body", name = "Part of the body that is set apart",
                         how = "Or click it on the stage. What hangs on it goes along, unless it is set apart itself.";
    };
    PartWords part{};
    /// What a person should know of a layer that was just put on. Null: nothing.
    std::string (*added)(const rig::Actor&, const scene::Layer&) = nullptr;
    /// It carries a body over the ground.
    bool goes = false;
    /// Joints for which a row counts that has a value for each of them. Null: those that the layer moves.
    std::vector<int> (*concerned)(const rig::Actor&, const scene::Layer&, std::string_view row) = nullptr;
    /// What it makes depends on its own intervals, beyond where it shows.
    bool readsBody = false;  // it reads the motion below all layers too
    bool readsSpans = false;
    /// Sorts of parts that it is offered for.
    std::span<const rig::Sort> suits{};
    /// Feels that ship with it. Null: none.
    std::vector<Feel> (*feels)() = nullptr;

    const scene::SettingSpec* setting(std::string_view wanted) const { return scene::findRow(settings, wanted); }
    const scene::SettingSpec* setting(scene::Role role) const { return scene::findRow(settings, role); }
    /// Id of the setting that says which joints it acts on.
    std::string_view target() const { return setting(scene::Role::Target)->id; }
};

}  // namespace nutatio::layers
