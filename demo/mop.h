// A head with many strands of hair: what is set up in bulk. Not shipped; built where it is wanted.
#pragma once

#include <filesystem>

namespace nutatio::demo {

/// Writes a .glb of a body whose head carries `strands` chains "hair01_1" .. of five joints, skinned, with a clip "Look about".
void writeMop(const std::filesystem::path& file, int strands = 40);

}  // namespace nutatio::demo
