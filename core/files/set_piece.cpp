#include "files/set_piece.h"

#include <array>
#include <cstring>
#include <nlohmann/json.hpp>

#include "files/gltf_reader.h"
#include "files/json.h"

namespace nutatio::files {

namespace {

struct Surface {
    std::vector<float> positions, normals;
    std::vector<std::uint32_t> triangles;

    void vertex(const Vec3& p, const Vec3& n) {
        for (int k = 0; k < 3; ++k) {
            positions.push_back(static_cast<float>(p[k]));
            normals.push_back(static_cast<float>(n[k]));
        }
    }
    std::uint32_t count() const { return static_cast<std::uint32_t>(positions.size() / 3); }
    /// A flat face, its corners counter-clockwise from outside.
    void face(std::initializer_list<Vec3> corners) {
        const Vec3* c = corners.begin();
        const Vec3 n = (c[1] - c[0]).cross(c[2] - c[0]).normalized();
        const std::uint32_t first = count();
        for (const Vec3& p : corners) vertex(p, n);
        for (std::uint32_t k = 2; k < corners.size(); ++k) triangles.insert(triangles.end(), {first, first + k - 1, first + k});
    }
};

void addBox(Surface& s, const Vec3& low, const Vec3& high) {
    const auto at = [&](int x, int y, int z) {
        return Vec3(x ? high.x() : low.x(), y ? high.y() : low.y(), z ? high.z() : low.z());
    };
    s.face({at(0, 0, 0), at(0, 0, 1), at(0, 1, 1), at(0, 1, 0)});
    s.face({at(1, 0, 0), at(1, 1, 0), at(1, 1, 1), at(1, 0, 1)});
    s.face({at(0, 0, 0), at(1, 0, 0), at(1, 0, 1), at(0, 0, 1)});
    s.face({at(0, 1, 0), at(0, 1, 1), at(1, 1, 1), at(1, 1, 0)});
    s.face({at(0, 0, 0), at(0, 1, 0), at(1, 1, 0), at(1, 0, 0)});
    s.face({at(0, 0, 1), at(1, 0, 1), at(1, 1, 1), at(0, 1, 1)});
}

/// A ball that is pulled apart along y.
void addCapsule(Surface& s, double radius, double length) {
    constexpr int kRound = 32, kHalf = 8;
    const std::uint32_t first = s.count();
    for (int ring = 0; ring <= 2 * kHalf + 1; ++ring) {
        const bool upper = ring > kHalf;
        const double a = kPi * ((upper ? ring - 1 : ring) / (2.0 * kHalf) - 0.5), up = (upper ? 0.5 : -0.5) * length;
        for (int k = 0; k <= kRound; ++k) {
            const double b = 2 * kPi * k / kRound;
            const Vec3 n(std::cos(a) * std::sin(b), std::sin(a), std::cos(a) * std::cos(b));
            s.vertex(radius * n + Vec3(0, up, 0), n);
        }
    }
    for (std::uint32_t ring = 0; ring < 2 * kHalf + 1; ++ring)
        for (std::uint32_t k = 0; k < kRound; ++k) {
            const std::uint32_t a = first + ring * (kRound + 1) + k, b = a + kRound + 1;
            s.triangles.insert(s.triangles.end(), {a, a + 1, b, a + 1, b + 1, b});
        }
}

void addWedge(Surface& s, const Vec3& half, double h) {
    const double w = half.x(), d = half.z();
    const Vec3 a(-w, 0, -d), b(w, 0, -d), c(w, 0, d), e(-w, 0, d), f(-w, h, d), g(w, h, d);
    s.face({a, f, g, b});
    s.face({a, b, c, e});
    s.face({e, c, g, f});
    s.face({a, e, f});
    s.face({b, g, c});
}

Surface drawnOf(const scene::ActorEntry& piece) {
    Surface s;
    const std::vector<scene::PieceBody> bodies = scene::bodiesOf(piece);
    if (piece.text("form") == "ramp") {
        // The post at its back reaches to the wedge's own back, and its sides are the wedge's.
        const scene::ColliderNumbers &slab = bodies[0].numbers, &post = bodies[1].numbers;
        const double back = post.offset.z() + 0.5 * post.size.z();
        const double rise = std::tan(radians(-slab.turnDeg.x()));
        addWedge(s, Vec3(0.5 * slab.size.x(), 0, back), 2 * back * rise);
        return s;
    }
    for (const scene::PieceBody& b : bodies) {
        const scene::ColliderNumbers& n = b.numbers;
        if (!b.drawn) continue;
        if (n.shape == scene::Shape::Box)
            addBox(s, n.offset - 0.5 * n.size, n.offset + 0.5 * n.size);
        else
            addCapsule(s, n.radius, n.shape == scene::Shape::Capsule ? n.length : 0);
    }
    return s;
}

/// A wooden grey that the demo's clay stands out from.
constexpr std::array<double, 4> kColour{0.36, 0.33, 0.29, 1};

rig::Bytes glb(const Json& json, const rig::Bytes& data) {
    std::string text = json.dump(-1, ' ', false, Json::error_handler_t::replace);
    text.resize((text.size() + 3) / 4 * 4, ' ');
    rig::Bytes out;
    const auto word = [&](std::size_t v) {
        const auto w = static_cast<std::uint32_t>(v);
        const auto* p = reinterpret_cast<const std::uint8_t*>(&w);
        out.insert(out.end(), p, p + 4);
    };
    word(0x46546C67);
    word(2);
    word(28 + text.size() + data.size());
    word(text.size());
    word(0x4E4F534A);
    out.insert(out.end(), text.begin(), text.end());
    word(data.size());
    word(0x004E4942);
    out.insert(out.end(), data.begin(), data.end());
    return out;
}

}  // namespace

void shapePiece(scene::ActorEntry& piece, bool placed) {
    const Surface s = drawnOf(piece);
    rig::Bytes data;
    Json json{{"asset", {{"version", "2.0"}, {"generator", "Nutatio"}}}, {"scene", 0}};
    const auto add = [&](const auto& values, int target, int component, const char* type, std::size_t width) {
        const std::size_t at = data.size(), bytes = values.size() * 4;
        data.resize(at + bytes);
        std::memcpy(data.data() + at, values.data(), bytes);
        const std::size_t view = json["bufferViews"].size();
        json["bufferViews"].push_back({{"buffer", 0}, {"byteOffset", at}, {"byteLength", bytes}, {"target", target}});
        json["accessors"].push_back(
            {{"bufferView", view}, {"componentType", component}, {"count", values.size() / width}, {"type", type}});
        return view;
    };
    const std::size_t places = add(s.positions, 34962, 5126, "VEC3", 3), normals = add(s.normals, 34962, 5126, "VEC3", 3),
                      triangles = add(s.triangles, 34963, 5125, "SCALAR", 1);
    std::array<float, 3> low{1e30f, 1e30f, 1e30f}, high{-1e30f, -1e30f, -1e30f};
    for (std::size_t i = 0; i < s.positions.size(); ++i) {
        low[i % 3] = std::min(low[i % 3], s.positions[i]);
        high[i % 3] = std::max(high[i % 3], s.positions[i]);
    }
    json["accessors"][places]["min"] = low;
    json["accessors"][places]["max"] = high;
    json["buffers"].push_back({{"byteLength", data.size()}});
    json["materials"].push_back(
        {{"name", piece.name},
         {"pbrMetallicRoughness", {{"baseColorFactor", kColour}, {"metallicFactor", 0}, {"roughnessFactor", 0.9}}}});
    json["meshes"].push_back({{"name", piece.name},
                              {"primitives", Json::array({{{"attributes", {{"POSITION", places}, {"NORMAL", normals}}},
                                                           {"indices", triangles},
                                                           {"material", 0}}})}});
    Json node{{"name", scene::kPieceJoint}, {"mesh", 0}};
    if (placed) {
        const Xform x = scene::pieceAt(piece, scene::Resolved(piece, scene::pieceTable()), 0);
        node["translation"] = {x.t.x(), x.t.y(), x.t.z()};
        node["rotation"] = {x.r.x(), x.r.y(), x.r.z(), x.r.w()};
    }
    json["nodes"].push_back(std::move(node));
    json["scenes"].push_back({{"nodes", {0}}});
    auto actor = gltfOf(glb(json, data), piece.name);
    // What is made here is whole; a name is all of it that came from outside.
    if (!actor) throw Failure(actor.error());
    piece.actor = actor.value();
}

}  // namespace nutatio::files
