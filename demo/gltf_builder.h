// Writes small glTF documents from code: the demo world, and the awkward rigs of the tests.
#pragma once

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "files/json.h"
#include "rig/actor.h"

namespace nutatio::demo {

struct Vertex {
    Vec3 place;
    Vec3 normal{0, 1, 0};
    Vec3 colour{1, 1, 1};                         // linear
    std::vector<std::pair<int, double>> weights;  // joint number, share
};

struct Surface {
    std::vector<Vertex> vertices;
    std::vector<std::uint32_t> triangles;

    void append(const Surface& other);
};

class GltfBuilder {
  public:
    GltfBuilder();
    GltfBuilder(const GltfBuilder& other);
    ~GltfBuilder();
    /// Adds a node; returns its number.
    int node(const std::string& name, int parent, const Xform& rest = {});
    /// Adds a mesh node of `surface`, bound to `joints` (all nodes when empty) when its vertices have weights. Returns the node.
    int mesh(const std::string& name, const Surface& surface, bool doubleSided = false, int parent = -1);
    /// Adds a clip from poses on a grid; only what moves gets channels.
    void clip(const std::string& name, double fps, const std::vector<std::vector<Xform>>& frames);
    /// Appends bytes as an accessor of floats; returns its number.
    int floats(const std::vector<float>& values, int width, bool bounds = false);

    files::Json& json() { return *m_json; }
    rig::Bytes& buffer() { return m_buffer; }
    void writeGlb(const std::filesystem::path& path);
    /// One file with the buffer embedded.
    void writeGltf(const std::filesystem::path& path);

  private:
    int view(const void* data, std::size_t size);
    int skin();
    void finish();

    std::unique_ptr<files::Json> m_json;
    rig::Bytes m_buffer;
    std::vector<Xform> m_rest;
    std::vector<int> m_parent;
    std::size_t m_joints = 0;  // nodes that were there when the skin was made
    int m_skin = -1;
};

}  // namespace nutatio::demo
