// Set pieces: simple bodies to stand on, run into or hang over. Each is an actor of one joint, made without a file and tuned in
// metres.
#pragma once

#include "scene/items.h"

namespace nutatio::scene {

/// The joint of every set piece.
inline constexpr std::string_view kPieceJoint = "piece";

/// Form, sizes, place and surface: see actorTable(const ActorEntry&).
Table pieceTable();
/// "floor", "block" ...: ids of the table's form.
std::vector<std::string_view> pieceForms();
/// A piece of a form beside the first actor and to its measure, without geometry yet (files::shapePiece).
ActorEntry newPiece(const Scene& scene, std::string_view form);

/// One of the bodies that a piece consists of, in its joint's axes [m].
struct PieceBody {
    ColliderNumbers numbers;
    bool drawn = true;  // as it is; a ramp is drawn as the wedge that its bodies fill
};
std::vector<PieceBody> bodiesOf(const ActorEntry& piece);
/// What layers keep clear of, riding on the piece's joint; nothing when it has no surface. They bear the piece's id.
std::vector<Collider> surfaceOf(const ActorEntry& piece);
/// Where its joint is at a frame.
Xform pieceAt(const Resolved& settings, int frame);

}  // namespace nutatio::scene
