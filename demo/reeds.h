// A bed of reeds: the largest shot that must still be workable. Not shipped; built where it is wanted.
#pragma once

#include <filesystem>

namespace nutatio::demo {

struct ReedBed {
    int reeds = 400;
    int joints = 16;  // of each
    int frames = 240;
    int bodies = 20;  // balls and logs that drift through
};

/// Writes reeds.glb and reeds.nutatio, a Strand layer on every reed, into `folder`.
void writeReeds(const std::filesystem::path& folder, const ReedBed& size = {});

}  // namespace nutatio::demo
