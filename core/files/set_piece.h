// The bodies of set pieces, as documents like any other: what is drawn, met and handed off comes from one place.
#pragma once

#include "scene/set_piece.h"

namespace nutatio::files {

/// Makes the piece's actor anew from its settings: one joint with a mesh of its form. `placed`: the joint rests where the piece
/// stands, as it is handed off; else at the origin.
void shapePiece(scene::ActorEntry& piece, bool placed = false);

}  // namespace nutatio::files
