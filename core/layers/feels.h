// Feels: presets named by how they move. A feel says nothing of joints, sizes or frames, so it means the same on any rig.
#pragma once

#include <filesystem>
#include <vector>

#include "base/error.h"
#include "layers/layer_kind.h"

namespace nutatio::layers {

struct Feel {
    std::string name;
    std::string about{};     // one sentence
    scene::Values values{};  // only settings that a feel keeps; the rest are at the table's default
    scene::Profiles profiles{};
    std::string kind{};  // id of its layer kind
    bool own = false;    // saved by a person, not built in
};

/// Those that ship, of every kind.
const std::vector<Feel>& builtInFeels();

/// Gives the layer, of the feel's kind, all that the feel says; profiles of the settings that a feel keeps go.
void applyFeel(const Feel& feel, scene::Layer& layer);
/// The same, and keys of those settings go from every shot.
void applyFeel(const Feel& feel, scene::Scene& scene, const std::string& layer);
/// The feel that a layer has now.
Feel feelOf(const scene::Layer& layer, std::string name);
/// Whether the layer moves just as the feel says.
bool hasFeel(const scene::Layer& layer, const Feel& feel);

/// A small JSON file. Values out of range come back as the nearest in range, with a sentence in `said` for each.
Result<Feel> readFeel(const std::filesystem::path& path, std::vector<std::string>& said);
Result<Done> writeFeel(const Feel& feel, const std::filesystem::path& path);
/// The feels saved in a folder, by file name; files that cannot be read are named in `said`.
std::vector<Feel> feelsIn(const std::filesystem::path& folder, std::vector<std::string>& said);

/// A feel seen for a moment: a short chain, or a knob on a neck, whose base is shoved, stops and waits, again and again.
struct FeelMotion {
    double fps = 24;
    std::vector<std::vector<Vec3>> frames;  // joints and the end beyond them, in shares of the sample's length
};
FeelMotion feelMotion(const Feel& feel);

}  // namespace nutatio::layers
