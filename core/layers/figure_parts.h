// A body's segments as a layer that takes whole bodies sees them: which ones it has, and what is said of each part.
#pragma once

#include "layers/bodily.h"
#include "rig/figure.h"

namespace nutatio::layers {

/// The joints that a layer names as the tops of its body; none: all of the actor.
std::vector<int> topsOf(const rig::Actor& actor, const scene::Layer& layer);
/// Those that a figure's segments turn, segment by segment.
std::vector<int> jointsOf(const rig::Figure& figure);

/// Values that parts of a body have apart from the rest: by segment the channel that counts for it; empty: none.
using PartChannels = std::vector<std::string>;
/// What hangs on a part is of it, unless it is a part of its own.
PartChannels partsOf(const rig::Figure& figure, const rig::Skeleton& skeleton, const scene::Resolved& settings,
                     std::string_view row);

/// A row that is said of a part of a body.
constexpr scene::SettingSpec partRow(std::string_view id, std::string_view label, scene::Unit unit, scene::Range range,
                                     scene::Range soft, std::string_view help, bool keyable = true) {
    return {.id = id,
            .label = label,
            .unit = unit,
            .range = range,
            .soft = soft,
            .help = help,
            .keyable = keyable,
            .feel = false,
            .together = true,
            .each = scene::Each::Joint};
}

/// The segments of a layer's body, as thick as its mesh tells.
std::vector<Volume> volumesOf(const rig::Actor& actor, const rig::Figure& figure);

}  // namespace nutatio::layers
