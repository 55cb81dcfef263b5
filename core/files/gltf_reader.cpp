#include "files/gltf_reader.h"

#include <array>
#include <cstring>
#include <map>
#include <nlohmann/json.hpp>

#include "files/bytes.h"
#include "files/gltf_accessor.h"

namespace nutatio::files {

namespace fs = std::filesystem;

namespace {

constexpr std::size_t kMostNodes = 1u << 16;
constexpr int kDeepestNode = 2048;

/// Extensions that may be required: those that change nothing we read wrongly without them.
constexpr std::array<std::string_view, 18> kKnownExtensions{"KHR_mesh_quantization",
                                                            "KHR_texture_transform",
                                                            "KHR_lights_punctual",
                                                            "KHR_materials_unlit",
                                                            "KHR_materials_clearcoat",
                                                            "KHR_materials_transmission",
                                                            "KHR_materials_sheen",
                                                            "KHR_materials_specular",
                                                            "KHR_materials_ior",
                                                            "KHR_materials_volume",
                                                            "KHR_materials_iridescence",
                                                            "KHR_materials_anisotropy",
                                                            "KHR_materials_emissive_strength",
                                                            "KHR_materials_variants",
                                                            "KHR_materials_pbrSpecularGlossiness",
                                                            "KHR_xmp_json_ld",
                                                            "VRMC_springBone",
                                                            "EXT_texture_webp"};

std::uint32_t word(const rig::Bytes& b, std::size_t at) {
    std::uint32_t v;
    std::memcpy(&v, b.data() + at, 4);
    return v;
}

/// Splits a .glb into its JSON and its binary chunk.
void openContainer(rig::Bytes bytes, rig::SourceDocument& doc, std::shared_ptr<const rig::Bytes>& binary) {
    if (bytes.size() < 4 || std::memcmp(bytes.data(), "glTF", 4) != 0) {
        const std::size_t bom = bytes.size() >= 3 && bytes[0] == 0xEF && bytes[1] == 0xBB && bytes[2] == 0xBF ? 3 : 0;
        doc.format = rig::SourceDocument::Format::Gltf;
        doc.text.edit().assign(bytes.begin() + static_cast<std::ptrdiff_t>(bom), bytes.end());
        return;
    }
    doc.format = rig::SourceDocument::Format::Glb;
    if (bytes.size() < 20) throw Failure("byte 0", "the file ends inside its header");
    if (word(bytes, 4) != 2)
        throw Failure("byte 4", "this is binary glTF version " + std::to_string(word(bytes, 4)) + "; version 2 is read");
    if (word(bytes, 8) > bytes.size())
        throw Failure("byte 8", "the file is cut short: it says it has " + std::to_string(word(bytes, 8)) + " bytes and has " +
                                    std::to_string(bytes.size()));
    std::size_t at = 12;
    bool first = true;
    while (at + 8 <= word(bytes, 8)) {
        const std::size_t length = word(bytes, at), type = word(bytes, at + 4);
        if (length > bytes.size() - at - 8)
            throw Failure("byte " + std::to_string(at), "a chunk reaches past the end of the file");
        const auto from = bytes.begin() + static_cast<std::ptrdiff_t>(at + 8);
        if (first && type != 0x4E4F534A) throw Failure("byte " + std::to_string(at), "the first chunk is not the JSON");
        if (first) doc.text.edit().assign(from, from + static_cast<std::ptrdiff_t>(length));
        if (!first && type == 0x004E4942 && !binary)
            binary = std::make_shared<const rig::Bytes>(from, from + static_cast<std::ptrdiff_t>(length));
        else if (!first)
            doc.otherChunks.insert(doc.otherChunks.end(), from - 8, from + static_cast<std::ptrdiff_t>(length));
        first = false;
        at += 8 + ((length + 3) & ~std::size_t{3});
    }
    if (first) throw Failure("byte 12", "the JSON chunk is missing");
}

/// The bytes behind a URI: embedded, or a file in the document's folder or below it.
rig::Bytes fetch(const Place& uri, const fs::path& document) {
    const std::string& text = uri.text();
    if (text.rfind("data:", 0) == 0) {
        const std::size_t comma = text.find(',');
        if (comma == std::string::npos || text.substr(0, comma).find(";base64") == std::string::npos)
            uri.fail("embedded data must be base64");
        try {
            return fromBase64(std::string_view(text).substr(comma + 1));
        } catch (const Failure& f) {
            uri.fail(f.error().sentence);
        }
    }
    if (text.find("://") != std::string::npos) uri.fail("files are read from disk only, not from the network");
    const auto file = insideFolder(document, percentDecoded(text));
    if (!file)
        uri.fail("the file \"" + text.substr(0, 120) +
                 "\" that it refers to lies outside the document's folder; only files in it or below it are read");
    try {
        return readBytes(*file);
    } catch (const Failure& f) {
        uri.fail("the file \"" + text.substr(0, 120) + "\" that it refers to cannot be read (" + f.error().sentence + ")");
    }
}

class GltfReader {
  public:
    GltfReader(const fs::path& path, rig::Actor& actor) : m_path(path), m_actor(actor) {}

    void read() {
        m_actor.source.path = m_path.string();
        m_actor.name = m_path.stem().string();
        read(readBytes(m_path));
    }
    void read(rig::Bytes bytes) {
        std::shared_ptr<const rig::Bytes> binary;
        m_allowance.grant(bytes.size());
        openContainer(std::move(bytes), m_actor.source, binary);
        m_json = parseJson(*m_actor.source.text);
        if (!m_json.is_object()) throw Failure("", "this is not a glTF document");
        readAsset();
        readBuffers(binary);
        m_reader = std::make_unique<AccessorReader>(m_json, m_actor.source.buffers, m_allowance);
        readNodes();
        readMaterials();
        readSkins();
        readMeshes();
        readInstances();
        readAnimations();
        m_actor.finish();
    }

  private:
    Place list(const char* key) const {
        static const Json kNone = Json::array();
        return {m_json.contains(key) ? m_json[key] : kNone, key};
    }

    void readAsset() {
        const Place version = Place(m_json, "").at("asset").at("version");
        if (version.text().rfind("2.", 0) != 0)
            version.fail("this is glTF " + version.text().substr(0, 20) + "; glTF 2.0 is read");
        const Place required = list("extensionsRequired");
        for (std::size_t i = 0, n = required.size(); i < n; ++i) {
            const std::string& name = required.at(i).text();
            if (std::find(kKnownExtensions.begin(), kKnownExtensions.end(), name) == kKnownExtensions.end())
                required.at(i).fail("the file needs the extension " + name.substr(0, 80) + ", which Nutatio cannot read");
        }
    }

    /// The bytes behind a URI, read once however often they are referred to.
    std::shared_ptr<const rig::Bytes> fetched(const Place& uri) {
        auto& known = m_fetched[uri.text()];
        if (!known) {
            known = std::make_shared<const rig::Bytes>(fetch(uri, m_path));
            if (uri.text().rfind("data:", 0) != 0) m_allowance.grant(known->size());
        }
        return known;
    }

    void readBuffers(const std::shared_ptr<const rig::Bytes>& binary) {
        const Place buffers = list("buffers");
        for (std::size_t i = 0, n = buffers.size(); i < n; ++i) {
            const Place b = buffers.at(i);
            const std::uint64_t length = b.at("byteLength").count();
            std::shared_ptr<const rig::Bytes> bytes;
            if (b.has("uri"))
                bytes = fetched(b.at("uri"));
            else if (i == 0 && binary)
                bytes = binary;
            else
                b.fail("the buffer has no data");
            if (bytes->size() < length)
                b.fail("the buffer is cut short: " + std::to_string(length) + " bytes are promised, " +
                       std::to_string(bytes->size()) + " are there");
            m_actor.source.buffers.push_back(std::move(bytes));
        }
    }

    static Xform nodeTransform(const Place& node, bool& sheared) {
        Xform x;
        if (node.has("matrix")) {
            const std::vector<double> m = node.at("matrix").numbers(16);
            Affine a;
            a.m << m[0], m[4], m[8], m[1], m[5], m[9], m[2], m[6], m[10];
            a.t = Vec3(m[12], m[13], m[14]);
            return decompose(a, &sheared);
        }
        if (node.has("translation")) x.t = Eigen::Map<const Vec3>(node.at("translation").numbers(3).data());
        if (node.has("scale")) x.s = Eigen::Map<const Vec3>(node.at("scale").numbers(3).data());
        if (node.has("rotation")) {
            const std::vector<double> q = node.at("rotation").numbers(4);
            x.r = Quat(q[3], q[0], q[1], q[2]);
            if (!(x.r.norm() > 1e-6)) node.at("rotation").fail("the rotation has no length");
            x.r.normalize();
        }
        return x;
    }

    void readNodes() {
        const Place nodes = list("nodes");
        std::vector<rig::Joint> joints(nodes.size(kMostNodes));
        for (std::size_t i = 0; i < joints.size(); ++i) {
            const Place n = nodes.at(i);
            n.wantObject();
            if (n.has("name")) joints[i].name = n.at("name").text();
            bool sheared = false;
            joints[i].rest = nodeTransform(n, sheared);
            if (sheared) m_actor.warnings.push_back(n.path() + ": the matrix is sheared; the shear is not shown");
            if (!n.has("children")) continue;
            const Place children = n.at("children");
            for (std::size_t k = 0, m = children.size(); k < m; ++k) {
                rig::Joint& child = joints[children.at(k).index(joints.size(), "node")];
                if (child.parent != rig::kNoJoint) children.at(k).fail("the node is a child of two nodes");
                child.parent = static_cast<int>(i);
            }
        }
        refuseLoops(joints);
        m_actor.skeleton = rig::Skeleton(std::move(joints));
        std::vector<Affine> worlds;
        rig::worldTransforms(m_actor.skeleton, m_actor.restPose(), worlds);
        for (std::size_t i = 0; i < worlds.size(); ++i)
            if (!(worlds[i].m.cwiseAbs().maxCoeff() <= kFarthest && worlds[i].t.cwiseAbs().maxCoeff() <= kFarthest))
                nodes.at(i).fail("the node stands too far out or is scaled too large to be real");
    }

    static void refuseLoops(const std::vector<rig::Joint>& joints) {
        std::vector<int> depth(joints.size(), 0);  // 0: not yet known
        std::vector<int> way;
        for (std::size_t i = 0; i < joints.size(); ++i) {
            way.clear();
            int j = static_cast<int>(i);
            while (j != rig::kNoJoint && depth[static_cast<std::size_t>(j)] == 0) {
                way.push_back(j);
                depth[static_cast<std::size_t>(j)] = -1;
                j = joints[static_cast<std::size_t>(j)].parent;
            }
            int d = j == rig::kNoJoint ? 0 : depth[static_cast<std::size_t>(j)];
            if (d < 0) throw Failure("nodes[" + std::to_string(j) + "]", "the node is its own ancestor");
            for (auto w = way.rbegin(); w != way.rend(); ++w) {
                depth[static_cast<std::size_t>(*w)] = ++d;
                if (d > kDeepestNode)
                    throw Failure("nodes[" + std::to_string(*w) + "]",
                                  "the node tree is more than " + std::to_string(kDeepestNode) + " deep");
            }
        }
    }

    void readMaterials() {
        const Place images = list("images");
        for (std::size_t i = 0, n = images.size(); i < n; ++i) {
            const Place im = images.at(i);
            rig::PackedImage packed;
            if (im.has("name")) packed.name = im.at("name").text();
            try {
                if (im.has("bufferView")) {
                    const auto [data, size] = m_reader->view(im.at("bufferView"));
                    m_allowance.take(im, size);
                    packed.bytes = std::make_shared<const rig::Bytes>(data, data + size);
                } else if (im.has("uri")) {
                    packed.bytes = fetched(im.at("uri"));
                }
            } catch (const Failure& f) {
                // A character moves as well without a picture: it is shown plain, and said so.
                m_actor.warnings.push_back(f.error().text());
            }
            m_actor.images.edit().push_back(std::move(packed));
        }
        const Place textures = list("textures"), materials = list("materials");
        for (std::size_t i = 0, n = materials.size(); i < n; ++i)
            m_actor.materials.edit().push_back(material(materials.at(i), textures, images));
    }

    static rig::Material material(const Place& m, const Place& textures, const Place& images) {
        rig::Material out;
        m.wantObject();
        if (m.has("doubleSided")) out.doubleSided = m.at("doubleSided").boolean();
        if (m.has("alphaMode")) {
            out.blend = m.at("alphaMode").text() == "BLEND";
            if (m.at("alphaMode").text() == "MASK")
                out.alphaCutoff = m.has("alphaCutoff") ? static_cast<float>(m.at("alphaCutoff").number()) : 0.5f;
        }
        if (!m.has("pbrMetallicRoughness")) return out;
        const Place pbr = m.at("pbrMetallicRoughness");
        if (pbr.has("baseColorFactor")) {
            const std::vector<double> c = pbr.at("baseColorFactor").numbers(4);
            out.colour = Eigen::Map<const Vec4>(c.data()).cast<float>();
        }
        if (!pbr.has("baseColorTexture")) return out;
        const Place texture = textures.at(pbr.at("baseColorTexture").at("index").index(textures.size(), "texture"));
        if (texture.has("source")) out.image = static_cast<int>(texture.at("source").index(images.size(), "image"));
        return out;
    }

    void readSkins() {
        const Place skins = list("skins");
        for (std::size_t i = 0, n = skins.size(); i < n; ++i) {
            const Place s = skins.at(i), joints = s.at("joints");
            rig::Skin skin;
            for (std::size_t k = 0, m = joints.size(kMostNodes); k < m; ++k)
                skin.joints.push_back(
                    static_cast<int>(joints.at(k).index(static_cast<std::size_t>(m_actor.skeleton.size()), "node")));
            if (skin.joints.empty()) s.fail("the skin has no joints");
            skin.inverseBind.resize(skin.joints.size());
            if (s.has("inverseBindMatrices")) {
                const auto f = m_reader->floats(s.at("inverseBindMatrices"), 16);
                if (f.count < skin.joints.size()) s.fail("there are fewer inverse bind matrices than joints");
                for (std::size_t k = 0; k < skin.joints.size(); ++k) {
                    const Eigen::Map<const Eigen::Matrix4f> m(&f.values[k * 16]);
                    skin.inverseBind[k] = {m.topLeftCorner<3, 3>().cast<double>(), m.topRightCorner<3, 1>().cast<double>()};
                }
            }
            m_actor.skins.edit().push_back(std::move(skin));
        }
    }

    void readMeshes() {
        const Place meshes = list("meshes");
        for (std::size_t i = 0, n = meshes.size(); i < n; ++i) {
            const Place m = meshes.at(i), primitives = m.at("primitives");
            rig::Mesh mesh;
            if (m.has("name")) mesh.name = m.at("name").text();
            if (m.has("weights"))
                for (double w : m.at("weights").numbers(m.at("weights").size())) mesh.weights.push_back(static_cast<float>(w));
            // The names that exporters agree on; extras of any other form are somebody else's.
            const Json& extras = m.json().value("extras", Json());
            if (extras.is_object() && extras.contains("targetNames") && extras["targetNames"].is_array())
                for (const Json& name : extras["targetNames"])
                    mesh.targets.push_back(name.is_string() ? name.get<std::string>() : std::string());
            for (std::size_t k = 0, c = primitives.size(); k < c; ++k) readPrimitive(primitives.at(k), mesh);
            m_actor.meshes.edit().push_back(std::move(mesh));
        }
    }

    std::vector<Vec3f> vectors(const Place& reference, std::size_t count) const {
        const auto f = m_reader->floats(reference, 3);
        if (f.count != count)
            reference.fail("the attribute has " + std::to_string(f.count) + " elements where the mesh has " +
                           std::to_string(count) + " vertices");
        std::vector<Vec3f> v(count);
        for (std::size_t i = 0; i < count; ++i) v[i] = Vec3f(f.values[3 * i], f.values[3 * i + 1], f.values[3 * i + 2]);
        return v;
    }

    void readPrimitive(const Place& p, rig::Mesh& mesh) {
        rig::Primitive out;
        const std::uint64_t mode = p.has("mode") ? p.at("mode").count() : 4;
        if (mode > 6) p.at("mode").fail("drawing mode " + std::to_string(mode) + " is none of glTF's");
        if (p.has("material")) out.material = static_cast<int>(p.at("material").index(m_actor.materials.size(), "material"));
        const Place attributes = p.at("attributes");
        if (!attributes.has("POSITION") || mode < 4) return;  // points and lines are not drawn
        const std::size_t count = m_reader->floats(attributes.at("POSITION"), 3).count;
        out.positions = vectors(attributes.at("POSITION"), count);
        if (attributes.has("TEXCOORD_0")) {
            const auto f = m_reader->floats(attributes.at("TEXCOORD_0"), 2);
            if (f.count != count) attributes.at("TEXCOORD_0").fail("the attribute does not have one element a vertex");
            for (std::size_t i = 0; i < count; ++i) out.uvs.edit().emplace_back(f.values[2 * i], f.values[2 * i + 1]);
        }
        if (attributes.has("COLOR_0")) readColours(attributes.at("COLOR_0"), count, out);
        readInfluences(attributes, count, out);
        readTriangles(p, mode, count, out);
        if (attributes.has("NORMAL"))
            out.normals = vectors(attributes.at("NORMAL"), count);
        else
            computeNormals(out);
        if (p.has("targets")) {
            const Place targets = p.at("targets");
            for (std::size_t i = 0, n = targets.size(); i < n; ++i) {
                rig::MorphTarget t;
                if (targets.at(i).has("POSITION")) t.positions = vectors(targets.at(i).at("POSITION"), count);
                if (targets.at(i).has("NORMAL")) t.normals = vectors(targets.at(i).at("NORMAL"), count);
                out.morphs.edit().push_back(std::move(t));
            }
        }
        mesh.primitives.push_back(std::move(out));
    }

    void readColours(const Place& reference, std::size_t count, rig::Primitive& out) const {
        const auto f = m_reader->floats(reference);
        if (f.count != count || (f.width != 3 && f.width != 4)) reference.fail("vertex colours must be 3 or 4 numbers a vertex");
        for (std::size_t i = 0; i < count; ++i) {
            const float* c = &f.values[i * f.width];
            out.colours.edit().emplace_back(c[0], c[1], c[2], f.width == 4 ? c[3] : 1.0f);
        }
    }

    static constexpr float kSumOff = 0.005f;  // what rounding to bytes may leave

    void readInfluences(const Place& attributes, std::size_t count, rig::Primitive& out) {
        std::vector<std::vector<std::pair<float, std::uint16_t>>> all;
        const auto room = [&](int sets) { return count * (sizeof(rig::Influence) + 48 + 64 * static_cast<std::size_t>(sets)); };
        for (int set = 0; set < 16; ++set) {
            const std::string joints = "JOINTS_" + std::to_string(set), weights = "WEIGHTS_" + std::to_string(set);
            if (!attributes.has(joints.c_str()) || !attributes.has(weights.c_str())) break;
            const auto w = m_reader->floats(attributes.at(weights.c_str()), 4);
            const auto j = m_reader->integers(attributes.at(joints.c_str()), 4);
            if (w.count != count || j.size() != count * 4)
                attributes.at(joints.c_str()).fail("skin weights do not have one element a vertex");
            m_allowance.take(attributes, set == 0 ? room(1) : room(set + 1) - room(set));
            all.resize(count);
            for (std::size_t v = 0; v < count; ++v)
                for (std::size_t k = 0; k < 4; ++k)
                    if (w.values[v * 4 + k] > 0) {
                        if (j[v * 4 + k] > 65535)
                            attributes.at(joints.c_str())
                                .fail("a vertex names joint " + std::to_string(j[v * 4 + k]) + ", more than any skin has");
                        all[v].emplace_back(w.values[v * 4 + k], static_cast<std::uint16_t>(j[v * 4 + k]));
                    }
        }
        std::vector<rig::Influence> influences(all.size());
        for (std::size_t v = 0; v < all.size(); ++v) {
            std::stable_sort(all[v].begin(), all[v].end(), [](const auto& a, const auto& b) { return a.first > b.first; });
            float sum = 0;
            for (const auto& [w, j] : all[v]) sum += w;
            if (all[v].empty()) {
                influences[v].weight[0] = 1;
                ++out.weightsRead.none;
            } else if (std::abs(sum - 1) > kSumOff) {
                ++out.weightsRead.off;
                if (std::abs(sum - 1) > std::abs(out.weightsRead.worst - 1)) out.weightsRead.worst = sum;
            }
            if (all[v].size() > 8) {
                all[v].resize(8);
                sum = 0;
                for (const auto& [w, j] : all[v]) sum += w;
            }
            for (std::size_t k = 0; k < all[v].size(); ++k) {
                influences[v].joint[k] = all[v][k].second;
                influences[v].weight[k] = all[v][k].first / sum;
            }
        }
        out.influences = std::move(influences);
    }

    void readTriangles(const Place& p, std::uint64_t mode, std::size_t count, rig::Primitive& out) const {
        std::vector<std::uint32_t> i;
        if (p.has("indices")) {
            i = m_reader->integers(p.at("indices"), 1);
            for (std::uint32_t v : i)
                if (v >= count)
                    p.at("indices").fail("index " + std::to_string(v) + " is out of range: the mesh has " +
                                         std::to_string(count) + " vertices");
        } else {
            i.resize(count);
            for (std::size_t v = 0; v < count; ++v) i[v] = static_cast<std::uint32_t>(v);
        }
        if (mode == 4) {
            i.resize(i.size() / 3 * 3);
            out.triangles = std::move(i);
            return;
        }
        std::vector<std::uint32_t>& fans = out.triangles.edit();
        for (std::size_t k = 0; k + 2 < i.size(); ++k) {  // 5: strip, 6: fan
            const bool odd = mode == 5 && k % 2 == 1;
            const std::uint32_t a = mode == 5 ? i[k] : i[0], b = i[k + 1], c = i[k + 2];
            fans.insert(fans.end(), {a, odd ? c : b, odd ? b : c});
        }
    }

    static void computeNormals(rig::Primitive& p) {
        std::vector<Vec3f> normals(p.positions.size(), Vec3f::Zero());
        for (std::size_t t = 0; t + 2 < p.triangles.size(); t += 3) {
            const std::uint32_t a = p.triangles[t], b = p.triangles[t + 1], c = p.triangles[t + 2];
            const Vec3f n = (p.positions[b] - p.positions[a]).cross(p.positions[c] - p.positions[a]);
            for (std::uint32_t v : {a, b, c}) normals[v] += n;
        }
        for (Vec3f& n : normals) n = n.squaredNorm() > 0 ? n.normalized() : Vec3f(0, 1, 0);
        p.normals = std::move(normals);
    }

    /// Joints that the document's scene shows; all of them when it names no scene.
    std::vector<bool> shown() const {
        const Place scenes = list("scenes");
        std::vector<bool> seen(static_cast<std::size_t>(m_actor.skeleton.size()), scenes.size() == 0);
        if (scenes.size() == 0) return seen;
        const Place s = scenes.at(m_json.contains("scene") ? Place(m_json["scene"], "scene").index(scenes.size(), "scene") : 0);
        s.wantObject();
        if (!s.has("nodes")) return seen;
        const Place roots = s.at("nodes");
        for (std::size_t i = 0, n = roots.size(kMostNodes); i < n; ++i)
            for (int j : m_actor.skeleton.subtree(static_cast<int>(roots.at(i).index(seen.size(), "node"))))
                seen[static_cast<std::size_t>(j)] = true;
        return seen;
    }

    void readInstances() {
        const std::vector<bool> seen = shown();
        const Place nodes = list("nodes");
        for (std::size_t i = 0, n = nodes.size(); i < n; ++i) {
            const Place node = nodes.at(i);
            if (!node.has("mesh")) continue;
            rig::MeshInstance in;
            in.joint = static_cast<int>(i);
            in.mesh = static_cast<int>(node.at("mesh").index(m_actor.meshes.size(), "mesh"));
            if (node.has("skin")) in.skin = static_cast<int>(node.at("skin").index(m_actor.skins.size(), "skin"));
            if (in.skin >= 0) checkInfluences(node, in);
            for (const rig::Primitive& p : m_actor.meshes[static_cast<std::size_t>(in.mesh)].primitives)
                m_allowance.take(node, 24 * p.positions.size());
            if (seen[i]) m_actor.instances.edit().push_back(in);
        }
    }

    void checkInfluences(const Place& node, const rig::MeshInstance& in) const {
        const std::size_t joints = m_actor.skins[static_cast<std::size_t>(in.skin)].joints.size();
        for (const rig::Primitive& p : m_actor.meshes[static_cast<std::size_t>(in.mesh)].primitives)
            for (const rig::Influence& f : p.influences)
                for (std::size_t k = 0; k < 8; ++k)
                    if (f.weight[k] > 0 && f.joint[k] >= joints)
                        node.fail("a vertex of its mesh is bound to joint " + std::to_string(f.joint[k]) + " of a skin of " +
                                  std::to_string(joints));
    }

    void readAnimations() {
        const Place animations = list("animations");
        for (std::size_t i = 0, n = animations.size(); i < n; ++i) {
            const Place a = animations.at(i), channels = a.at("channels"), samplers = a.at("samplers");
            rig::Clip clip;
            if (a.has("name")) clip.name = a.at("name").text();
            clip.start = 1e300;
            clip.end = -1e300;
            for (std::size_t k = 0, m = channels.size(); k < m; ++k) readChannel(channels.at(k), samplers, clip);
            if (clip.start > clip.end) clip.start = clip.end = 0;
            if (clip.seconds() > kLongest) a.fail("the clip lasts more than a day");
            m_actor.clips.edit().push_back(std::move(clip));
        }
    }

    std::size_t morphCount(const Place& target, int joint) const {
        const Place nodes = list("nodes");
        const Place node = nodes.at(static_cast<std::size_t>(joint));
        if (!node.has("mesh")) target.fail("morph weights are animated on a node without a mesh");
        const rig::Mesh& mesh = m_actor.meshes[node.at("mesh").index(m_actor.meshes.size(), "mesh")];
        std::size_t n = mesh.weights.size();
        for (const rig::Primitive& p : mesh.primitives) n = std::max(n, p.morphs.size());
        return n;
    }

    void readChannel(const Place& channel, const Place& samplers, rig::Clip& clip) {
        const Place target = channel.at("target");
        const std::string& path = target.at("path").text();
        const Place sampler = samplers.at(channel.at("sampler").index(samplers.size(), "sampler"));
        if (!target.has("node")) return;  // an extension's target: kept in the document, not moved here
        rig::Channel c;
        c.joint = static_cast<int>(target.at("node").index(static_cast<std::size_t>(m_actor.skeleton.size()), "node"));
        if (path == "translation") {
            c.path = rig::Path::Move;
        } else if (path == "rotation") {
            c.path = rig::Path::Turn;
            c.width = 4;
        } else if (path == "scale") {
            c.path = rig::Path::Scale;
        } else if (path == "weights") {
            c.path = rig::Path::Weights;
            c.width = static_cast<int>(morphCount(target, c.joint));
            if (c.width == 0) return;
        } else {
            target.at("path").fail("\"" + path.substr(0, 40) + "\" is none of glTF's animation paths");
        }
        readSampler(sampler, c);
        clip.start = std::min(clip.start, static_cast<double>(c.times.front()));
        clip.end = std::max(clip.end, static_cast<double>(c.times.back()));
        clip.channels.push_back(std::move(c));
    }

    void readSampler(const Place& s, rig::Channel& c) const {
        const std::string kind = s.has("interpolation") ? s.at("interpolation").text() : "LINEAR";
        if (kind == "STEP")
            c.interpolation = rig::Interpolation::Step;
        else if (kind == "CUBICSPLINE")
            c.interpolation = rig::Interpolation::Cubic;
        else if (kind != "LINEAR")
            s.at("interpolation").fail("\"" + kind.substr(0, 40) + "\" is none of glTF's interpolations");
        c.times = m_reader->floats(s.at("input"), 1).values;
        if (c.times.empty()) s.at("input").fail("the curve has no keys");
        for (std::size_t i = 1; i < c.times.size(); ++i)
            if (c.times[i] < c.times[i - 1])
                s.at("input").fail("key " + std::to_string(i) + " is earlier than the key before it");
        if (std::max(std::abs(c.times.front()), std::abs(c.times.back())) > 1e7f)
            s.at("input").fail("its keys stand more than a hundred days away");
        const auto out = m_reader->floats(s.at("output"));
        if (c.path != rig::Path::Weights && out.width != static_cast<std::size_t>(c.width))
            s.at("output").fail("the curve's values have " + std::to_string(out.width) + " numbers where " +
                                std::to_string(c.width) + " are wanted");
        const std::size_t parts = c.interpolation == rig::Interpolation::Cubic ? 3 : 1;
        if (out.values.size() != c.times.size() * static_cast<std::size_t>(c.width) * parts)
            s.at("output").fail("there are " + std::to_string(out.values.size()) + " numbers for " +
                                std::to_string(c.times.size()) + " keys");
        for (float v : out.values)
            if (std::abs(v) > static_cast<float>(kFarthest)) s.at("output").fail("a value of the curve is not a usable size");
        c.values = out.values;
    }

    fs::path m_path;
    rig::Actor& m_actor;
    Json m_json;
    Allowance m_allowance;
    std::map<std::string, std::shared_ptr<const rig::Bytes>> m_fetched;
    std::unique_ptr<AccessorReader> m_reader;
};

}  // namespace

namespace {
template <class Read>
Result<std::shared_ptr<const rig::Actor>> guarded(const fs::path& path, const Read& read) {
    return ofFile(path.string(), [&] {
        auto actor = std::make_shared<rig::Actor>();
        read(*actor);
        return std::shared_ptr<const rig::Actor>(std::move(actor));
    });
}
}  // namespace

Result<std::shared_ptr<const rig::Actor>> readGltf(const fs::path& path) {
    return guarded(path, [&](rig::Actor& actor) { GltfReader(path, actor).read(); });
}

Result<std::shared_ptr<const rig::Actor>> gltfOf(rig::Bytes document, const std::string& name) {
    return guarded({}, [&](rig::Actor& actor) {
        actor.name = name;
        GltfReader({}, actor).read(std::move(document));
    });
}

}  // namespace nutatio::files
