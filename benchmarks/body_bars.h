// The bars of bodies of segments.
#pragma once

namespace nutatio {

/// Prints them; false when one is not kept.
bool bodyBars();

}  // namespace nutatio
