// Set pieces: simple bodies to stand on, run into or hang over. Each is an actor of one joint, made without a file and tuned in
// metres.
#pragma once

#include <optional>

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
/// A part of its surface, and the numbers of it that change within the shot, by setting of a collider.
struct PieceSurface {
    Collider collider;
    FedCurves curves;
};
/// What layers keep clear of, riding on the piece's joint; nothing when it has no surface. They bear the piece's id. `settings`:
/// the piece's, in a shot.
std::vector<PieceSurface> surfaceOf(const ActorEntry& piece, const Resolved& settings);
/// Where its joint is at a frame, and how many times as large as its mesh, which has the sizes that are not keyed, the piece is
/// there. The round ends of a bar are stretched along with it.
Xform pieceAt(const ActorEntry& piece, const Resolved& settings, int frame);
/// Why a set piece cannot follow a gauge: it stands before any layer acts, and before what other gauges move. Nothing when it can.
std::optional<std::string> whyNotFollowed(const Scene& scene, const ActorEntry& piece, const Gauge& gauge);
/// Whether its mesh is made by this setting.
bool shapesPiece(const SettingSpec& row);

}  // namespace nutatio::scene
