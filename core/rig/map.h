// Maps: a number from 0 to 1 on every vertex, made by rule and by brush.
#pragma once

#include <string>
#include <vector>

#include "base/error.h"
#include "rig/paint.h"

namespace nutatio::rig {

/// One step of a map: where numbers come from, and how they join those of the steps before.
struct MapStep {
    /// Weights: the share of the joints (or of all below them too). Height: over the floor of the rest pose. Distance: from the
    /// joints' bones. Curvature: how sharply the surface bends, outwards above a half. Colour: of the file's vertices. Piece: 1
    /// on the piece of the surface nearest to a place. Map: another map. Invert, Blur: of what the steps before gave. Paint:
    /// strokes.
    enum class From { Weights, Height, Distance, Curvature, Colour, Piece, Map, Invert, Blur, Paint };
    enum class Join { Set, Add, Take, Times, Most, Least };
    From from = From::Weights;
    Join join = Join::Set;
    std::vector<std::string> joints;  // references
    bool below = false;               // with all below them
    double low = 0, high = 1;         // Height, Distance [heights]: where the number is 0 and where it is 1
    int channel = 0;                  // of a colour: 0 red, 1 green, 2 blue, 3 alpha
    Vec3 place = Vec3::Zero();        // on a piece [units, the rest pose, the actor's world]
    double reach = 0.02;              // of a blur, and of curvature [heights]
    std::string map;                  // name of another one
    Stroke stroke{};
    bool operator==(const MapStep&) const = default;
};
std::string_view fromName(MapStep::From from);
bool fromFromName(std::string_view name, MapStep::From& from);
std::string_view joinName(MapStep::Join join);
bool joinFromName(std::string_view name, MapStep::Join& join);

struct Map {
    std::string name;
    std::vector<MapStep> steps;
    bool rigid = false;  // what lies where it is above a half is not to be deformed
    bool operator==(const Map&) const = default;
};

/// Values by point of the surface. Errors: a joint or map that is not there, a map that leads back to itself, a step's number
/// out of range; the place is the step's.
Result<std::vector<float>> mapValues(const Actor& actor, const Surface& surface, const Map& map, const std::vector<Map>& others);

/// Dabs on a map's values: what the brush does while it is drawn, and when its strokes are replayed.
class MapPainter {
  public:
    MapPainter(const Actor& actor, const Surface& surface, std::vector<float> values);
    const std::vector<float>& values() const { return m_values; }
    /// With its picture on the other side of the body where it says so.
    void stroke(const Stroke& stroke);

  private:
    void dab(Brush brush, const Vec3& place, double radius, double strength);

    const Actor& m_actor;
    const Surface& m_surface;
    Dabs m_dabs;
    std::vector<float> m_values;
};

}  // namespace nutatio::rig
