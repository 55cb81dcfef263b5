#include "demo/gltf_builder.h"

#include <algorithm>
#include <cstring>
#include <map>
#include <nlohmann/json.hpp>

#include "files/bytes.h"

namespace nutatio::demo {

using files::Json;

void Surface::append(const Surface& o) {
    const auto base = static_cast<std::uint32_t>(vertices.size());
    vertices.insert(vertices.end(), o.vertices.begin(), o.vertices.end());
    for (std::uint32_t t : o.triangles) triangles.push_back(base + t);
}

GltfBuilder::~GltfBuilder() = default;

GltfBuilder::GltfBuilder(const GltfBuilder& o)
    : m_json(std::make_unique<Json>(*o.m_json)),
      m_buffer(o.m_buffer),
      m_rest(o.m_rest),
      m_parent(o.m_parent),
      m_joints(o.m_joints),
      m_skin(o.m_skin) {}

GltfBuilder::GltfBuilder() : m_json(std::make_unique<Json>()) {
    json()["asset"] = {{"version", "2.0"}, {"generator", "Nutatio demo world"}};
    json()["scene"] = 0;
    json()["scenes"] = Json::array({{{"nodes", Json::array()}}});
    for (const char* key : {"nodes", "meshes", "materials", "accessors", "bufferViews"}) json()[key] = Json::array();
}

int GltfBuilder::node(const std::string& name, int parent, const Xform& rest) {
    const int index = static_cast<int>(json()["nodes"].size());
    Json n = Json::object();
    if (!name.empty()) n["name"] = name;
    if (rest.t != Vec3::Zero()) n["translation"] = {rest.t.x(), rest.t.y(), rest.t.z()};
    if (rest.r.coeffs() != Quat::Identity().coeffs()) n["rotation"] = {rest.r.x(), rest.r.y(), rest.r.z(), rest.r.w()};
    if (rest.s != Vec3::Ones()) n["scale"] = {rest.s.x(), rest.s.y(), rest.s.z()};
    json()["nodes"].push_back(std::move(n));
    Json& list = parent < 0 ? json()["scenes"][0]["nodes"] : json()["nodes"][static_cast<std::size_t>(parent)]["children"];
    list.push_back(index);
    m_rest.push_back(rest);
    m_parent.push_back(parent);
    return index;
}

int GltfBuilder::view(const void* data, std::size_t size) {
    m_buffer.resize((m_buffer.size() + 3) / 4 * 4);
    json()["bufferViews"].push_back({{"buffer", 0}, {"byteOffset", m_buffer.size()}, {"byteLength", size}});
    const auto* b = static_cast<const std::uint8_t*>(data);
    m_buffer.insert(m_buffer.end(), b, b + size);
    return static_cast<int>(json()["bufferViews"].size()) - 1;
}

int GltfBuilder::floats(const std::vector<float>& values, int width, bool bounds) {
    static const char* const kTypes[] = {"", "SCALAR", "VEC2", "VEC3", "VEC4"};
    const std::size_t n = values.size() / static_cast<std::size_t>(width);
    Json a{{"bufferView", view(values.data(), values.size() * 4)},
           {"componentType", 5126},
           {"count", n},
           {"type", width == 16 ? "MAT4" : kTypes[width]}};
    if (bounds) {
        std::vector<float> low(values.begin(), values.begin() + width), high = low;
        for (std::size_t i = 0; i < values.size(); ++i) {
            const std::size_t k = i % static_cast<std::size_t>(width);
            low[k] = std::min(low[k], values[i]);
            high[k] = std::max(high[k], values[i]);
        }
        a["min"] = low;
        a["max"] = high;
    }
    json()["accessors"].push_back(std::move(a));
    return static_cast<int>(json()["accessors"].size()) - 1;
}

int GltfBuilder::skin() {
    if (m_skin >= 0) return m_skin;
    m_joints = m_rest.size();
    std::vector<float> inverse;
    std::vector<Affine> worlds(m_joints);
    Json joints = Json::array();
    for (std::size_t j = 0; j < m_joints; ++j) {
        worlds[j] = m_parent[j] < 0 ? m_rest[j].affine() : worlds[static_cast<std::size_t>(m_parent[j])] * m_rest[j].affine();
        const Affine i = worlds[j].inverse();
        for (int c = 0; c < 4; ++c)
            for (int r = 0; r < 4; ++r)
                inverse.push_back(static_cast<float>(r == 3 ? (c == 3 ? 1 : 0) : c == 3 ? i.t[r] : i.m(r, c)));
        joints.push_back(j);
    }
    json()["skins"] = Json::array({{{"joints", joints}, {"inverseBindMatrices", floats(inverse, 16)}}});
    return m_skin = 0;
}

int GltfBuilder::mesh(const std::string& name, const Surface& s, bool doubleSided, int parent) {
    std::vector<float> places, normals, colours, weights;
    std::vector<std::uint16_t> joints;
    const bool skinned = !s.vertices.empty() && !s.vertices.front().weights.empty();
    for (const Vertex& v : s.vertices) {
        for (int k = 0; k < 3; ++k) {
            places.push_back(static_cast<float>(v.place[k]));
            normals.push_back(static_cast<float>(v.normal[k]));
            colours.push_back(static_cast<float>(v.colour[k]));
        }
        if (!skinned) continue;
        // A joint stands once in a vertex, and the floats that are written add up to 1 as near as floats can.
        std::map<int, double> byJoint;
        for (const auto& [j, x] : v.weights) byJoint[j] += x;
        std::vector<std::pair<int, double>> w(byJoint.begin(), byJoint.end());
        std::stable_sort(w.begin(), w.end(), [](const auto& a, const auto& b) { return a.second > b.second; });
        w.resize(4, {0, 0.0});
        double sum = 0;
        for (const auto& [j, x] : w) sum += x;
        float four[4], rest = 0;
        for (std::size_t k = 0; k < 4; ++k) four[k] = static_cast<float>(w[k].second / sum);
        for (std::size_t k = 4; k-- > 1;) {
            if (four[k] < 1e-4f) four[k] = 0;  // moves nothing that could be seen
            rest += four[k];
        }
        four[0] = 1 - rest;
        for (std::size_t k = 0; k < 4; ++k) {
            joints.push_back(static_cast<std::uint16_t>(four[k] > 0 ? w[k].first : 0));
            weights.push_back(four[k]);
        }
    }
    Json attributes{{"POSITION", floats(places, 3, true)}, {"NORMAL", floats(normals, 3)}, {"COLOR_0", floats(colours, 3)}};
    if (skinned) {
        attributes["JOINTS_0"] = json()["accessors"].size();
        json()["accessors"].push_back({{"bufferView", view(joints.data(), joints.size() * 2)},
                                       {"componentType", 5123},
                                       {"count", s.vertices.size()},
                                       {"type", "VEC4"}});
        attributes["WEIGHTS_0"] = floats(weights, 4);
    }
    const std::size_t indices = json()["accessors"].size();
    json()["accessors"].push_back({{"bufferView", view(s.triangles.data(), s.triangles.size() * 4)},
                                   {"componentType", 5125},
                                   {"count", s.triangles.size()},
                                   {"type", "SCALAR"}});
    json()["materials"].push_back({{"name", name},
                                   {"pbrMetallicRoughness", {{"metallicFactor", 0}, {"roughnessFactor", 0.8}}},
                                   {"doubleSided", doubleSided}});
    json()["meshes"].push_back(
        {{"name", name},
         {"primitives",
          Json::array({{{"attributes", attributes}, {"indices", indices}, {"material", json()["materials"].size() - 1}}})}});
    const int skinIndex = skinned ? skin() : -1;
    const int n = node(name + "_mesh", parent);
    json()["nodes"][static_cast<std::size_t>(n)]["mesh"] = json()["meshes"].size() - 1;
    if (skinned) json()["nodes"][static_cast<std::size_t>(n)]["skin"] = skinIndex;
    return n;
}

void GltfBuilder::clip(const std::string& name, double fps, const std::vector<std::vector<Xform>>& frames) {
    Json samplers = Json::array(), channels = Json::array();
    std::vector<float> times;
    for (std::size_t f = 0; f < frames.size(); ++f) times.push_back(static_cast<float>(static_cast<double>(f) / fps));
    const int input = floats(times, 1, true);
    const auto add = [&](std::size_t joint, const char* path, const std::vector<float>& values, int width) {
        channels.push_back({{"sampler", samplers.size()}, {"target", {{"node", joint}, {"path", path}}}});
        samplers.push_back({{"input", input}, {"output", floats(values, width)}, {"interpolation", "LINEAR"}});
    };
    for (std::size_t j = 0; j < frames.front().size(); ++j) {
        bool moves = false, turns = false, scales = false;
        std::vector<float> t, r, s;
        Quat last = Quat::Identity();
        for (const auto& pose : frames) {
            moves |= (pose[j].t - frames.front()[j].t).norm() > 1e-7;
            scales |= (pose[j].s - frames.front()[j].s).norm() > 1e-7;
            turns |= pose[j].r.angularDistance(m_rest[j].r) > 1e-6;
            last = sameSide(pose[j].r, last);
            for (int k = 0; k < 3; ++k) t.push_back(static_cast<float>(pose[j].t[k]));
            for (int k = 0; k < 3; ++k) s.push_back(static_cast<float>(pose[j].s[k]));
            for (int k = 0; k < 4; ++k) r.push_back(static_cast<float>(last.coeffs()[k]));
        }
        if (moves) add(j, "translation", t, 3);
        if (turns) add(j, "rotation", r, 4);
        if (scales) add(j, "scale", s, 3);
    }
    json()["animations"].push_back({{"name", name}, {"samplers", samplers}, {"channels", channels}});
}

void GltfBuilder::finish() {
    m_buffer.resize((m_buffer.size() + 3) / 4 * 4);
    for (const char* key : {"meshes", "materials", "accessors", "bufferViews"})
        if (json().contains(key) && json()[key].empty()) json().erase(key);
    if (!m_buffer.empty()) json()["buffers"] = Json::array({{{"byteLength", m_buffer.size()}}});
}

void GltfBuilder::writeGltf(const std::filesystem::path& path) {
    finish();
    if (!m_buffer.empty())
        json()["buffers"][0]["uri"] = "data:application/octet-stream;base64," + files::base64(m_buffer.data(), m_buffer.size());
    const std::string text = json().dump(1);
    files::writeAtomically(path, text.data(), text.size());
}

void GltfBuilder::writeGlb(const std::filesystem::path& path) {
    finish();
    std::string text = json().dump();
    text.resize((text.size() + 3) / 4 * 4, ' ');
    const auto words = [](std::initializer_list<std::size_t> list) {
        std::string s;
        for (std::size_t w : list) {
            const auto v = static_cast<std::uint32_t>(w);
            s.append(reinterpret_cast<const char*>(&v), 4);
        }
        return s;
    };
    std::string file =
        words({0x46546C67, 2, 12 + 8 + text.size() + (m_buffer.empty() ? 0 : 8 + m_buffer.size()), text.size(), 0x4E4F534A}) +
        text;
    if (!m_buffer.empty()) {
        file += words({m_buffer.size(), 0x004E4942});
        file.append(m_buffer.begin(), m_buffer.end());
    }
    files::writeAtomically(path, file.data(), file.size());
}

}  // namespace nutatio::demo
