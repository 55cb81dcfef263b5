#include "files/gltf_writer.h"

#include <algorithm>
#include <cstring>
#include <nlohmann/json.hpp>

#include "files/bytes.h"
#include "files/json.h"

namespace nutatio::files {

namespace fs = std::filesystem;

namespace {

const char* pathName(rig::Path p) {
    switch (p) {
        case rig::Path::Move:
            return "translation";
        case rig::Path::Turn:
            return "rotation";
        case rig::Path::Scale:
            return "scale";
        case rig::Path::Weights:
            return "weights";
    }
    return "";
}

const char* interpolationName(rig::Interpolation i) {
    return i == rig::Interpolation::Step ? "STEP" : i == rig::Interpolation::Cubic ? "CUBICSPLINE" : "LINEAR";
}

Json& listIn(Json& document, const char* key) {
    if (!document.contains(key)) document[key] = Json::array();
    return document[key];
}

/// A glTF document of bare joints in metres, for actors that did not come from one.
Json jointDocument(const rig::Actor& actor) {
    Json d;
    d["asset"] = {{"version", "2.0"}, {"generator", "Nutatio"}};
    d["scene"] = 0;
    d["scenes"] = Json::array({{{"nodes", actor.skeleton.roots()}}});
    Json nodes = Json::array();
    for (const rig::Joint& j : actor.skeleton.joints()) {
        Json n;
        if (!j.name.empty()) n["name"] = j.name;
        const Vec3 t = j.rest.t * actor.metresPerUnit;
        n["translation"] = {t.x(), t.y(), t.z()};
        if (j.rest.r.coeffs() != Quat::Identity().coeffs())
            n["rotation"] = {j.rest.r.x(), j.rest.r.y(), j.rest.r.z(), j.rest.r.w()};
        if (j.rest.s != Vec3::Ones()) n["scale"] = {j.rest.s.x(), j.rest.s.y(), j.rest.s.z()};
        if (!j.children.empty()) n["children"] = j.children;
        nodes.push_back(std::move(n));
    }
    d["nodes"] = std::move(nodes);
    return d;
}

class GltfWriter {
  public:
    GltfWriter(const rig::Actor& actor, fs::path out) : m_actor(actor), m_out(std::move(out)) {
        m_binary = m_out.extension() == ".glb";
        m_ofJoints = actor.source.format == rig::SourceDocument::Format::Bvh || actor.source.text->empty();
        m_json = m_ofJoints ? jointDocument(actor) : parseJson(*actor.source.text);
    }

    void write(const std::vector<NewClip>& clips, const std::vector<NewMorphs>& morphs) {
        if (!m_ofJoints) {
            writePreparations();
            writeSkins();
        }
        m_view = listIn(m_json, "bufferViews").size();
        for (const auto& [clip, channels] : m_rebased) {
            Json& animation = m_json["animations"][clip];
            dropReplaced(animation, channels);
            for (const rig::Channel& ch : channels) addChannel(animation, ch);
        }
        for (const NewMorphs& m : morphs) addMorphs(m);
        for (const NewClip& c : clips) add(c);
        m_motion = m_new.size();
        m_new.insert(m_new.end(), m_vertices.begin(), m_vertices.end());
        m_skinsAt = m_new.size();
        m_new.insert(m_new.end(), m_skinBytes.begin(), m_skinBytes.end());
        if (m_json["bufferViews"].empty()) m_json.erase("bufferViews");
        if (m_json.contains("accessors") && m_json["accessors"].empty()) m_json.erase("accessors");
        if (m_binary)
            writeBinary();
        else
            writeText();
    }

  private:
    std::size_t accessor(const float* data, std::size_t count, std::size_t width, bool bounds) {
        if (!std::all_of(data, data + count * width, [](float v) { return std::isfinite(v); }))
            throw Failure("", "the motion is not finite; nothing was written");
        Json a;
        a["bufferView"] = m_view;
        a["byteOffset"] = m_new.size();
        a["componentType"] = 5126;
        a["count"] = count;
        a["type"] = width == 1 ? "SCALAR" : width == 3 ? "VEC3" : "VEC4";
        if (bounds) {
            a["min"] = {data[0]};
            a["max"] = {data[count - 1]};
        }
        const auto* bytes = reinterpret_cast<const std::uint8_t*>(data);
        m_new.insert(m_new.end(), bytes, bytes + count * width * sizeof(float));
        Json& list = listIn(m_json, "accessors");
        list.push_back(std::move(a));
        return list.size() - 1;
    }

    std::size_t timesAccessor(const std::vector<float>& times) {
        for (const auto& [known, index] : m_times)
            if (known == times) return index;
        const std::size_t index = accessor(times.data(), times.size(), 1, true);
        m_times.emplace_back(times, index);
        return index;
    }

    static Json numbers(const Vec3& v) { return {v.x(), v.y(), v.z()}; }

    void writeRest(std::size_t node) {
        Json& n = m_json["nodes"][node];
        n.erase("matrix");
        const Xform& x = m_actor.skeleton.joint(static_cast<int>(node)).rest;
        n["translation"] = numbers(x.t);
        n["rotation"] = {x.r.x(), x.r.y(), x.r.z(), x.r.w()};
        n["scale"] = numbers(x.s);
    }

    /// Names that were changed, pivots that were moved, and joints that were added: those behind the document's own nodes.
    void writePreparations() {
        if (m_actor.skeleton.size() == 0) return;
        Json& nodes = m_json["nodes"];
        const auto own = static_cast<int>(nodes.size());
        for (int j = 0; j < m_actor.skeleton.size(); ++j) {
            const rig::Joint& joint = m_actor.skeleton.joint(j);
            if (j < own) {
                Json& node = nodes[static_cast<std::size_t>(j)];
                if (!joint.name.empty() && (!node.contains("name") || node["name"] != joint.name)) node["name"] = joint.name;
                if (joint.moved) writeRest(static_cast<std::size_t>(j));
                continue;
            }
            nodes.push_back({{"name", joint.name}, {"translation", numbers(joint.rest.t)}});
            if (joint.rest.r.coeffs() != Quat::Identity().coeffs() || joint.rest.s != Vec3::Ones())
                writeRest(static_cast<std::size_t>(j));
        }
        for (int j = own; j < m_actor.skeleton.size(); ++j)
            listIn(nodes[static_cast<std::size_t>(m_actor.skeleton.joint(j).parent)], "children").push_back(j);
        for (const rig::MeshInstance& in : m_actor.instances)
            if (in.joint >= own) passMesh(m_actor.skeleton.joint(in.joint).parent, in.joint);
        writeRebased();
    }

    /// A pivot was moved out of its mesh: the joint below holds the mesh now, and its morphs.
    void passMesh(int from, int to) {
        Json &was = m_json["nodes"][static_cast<std::size_t>(from)], &now = m_json["nodes"][static_cast<std::size_t>(to)];
        for (const char* key : {"mesh", "skin", "weights"})
            if (was.contains(key)) {
                now[key] = was[key];
                was.erase(key);
            }
        if (!m_json.contains("animations")) return;
        for (Json& animation : m_json["animations"])
            for (Json& channel : animation["channels"])
                if (Json& target = channel["target"];
                    target.contains("node") && target["node"] == from && target["path"] == "weights")
                    target["node"] = to;
    }

    /// Keys that go with pivots that were moved, in every clip of the document.
    void writeRebased() {
        for (std::size_t c = 0; c < m_actor.clips.size(); ++c) {
            if (m_actor.clips[c].recorded) continue;
            std::vector<rig::Channel> other;
            for (const rig::Channel& ch : m_actor.clips[c].channels)
                if (ch.rebased) other.push_back(ch);
            if (!other.empty()) m_rebased.emplace_back(c, std::move(other));
        }
    }

    /// An accessor with a view of its own, whose place in the buffer is known once all is written.
    template <class T>
    std::size_t skinAccessor(const std::vector<T>& data, int component, const char* type, std::size_t width, bool vertices) {
        Json& views = listIn(m_json, "bufferViews");
        m_skinViews.push_back(views.size());
        Json view{{"buffer", 0}, {"byteOffset", m_skinBytes.size()}, {"byteLength", data.size() * sizeof(T)}};
        if (vertices) {
            view["byteStride"] = width * sizeof(T);
            view["target"] = 34962;
        }
        views.push_back(std::move(view));
        const auto* bytes = reinterpret_cast<const std::uint8_t*>(data.data());
        m_skinBytes.insert(m_skinBytes.end(), bytes, bytes + data.size() * sizeof(T));
        m_skinBytes.resize((m_skinBytes.size() + 3) / 4 * 4);
        Json& list = listIn(m_json, "accessors");
        list.push_back(
            {{"bufferView", views.size() - 1}, {"componentType", component}, {"count", data.size() / width}, {"type", type}});
        return list.size() - 1;
    }

    /// Skins that were given joints, and the weights that went to them.
    void writeSkins() {
        for (std::size_t k = 0; k < m_actor.skins.size(); ++k) {
            const rig::Skin& skin = m_actor.skins[k];
            Json& written = m_json["skins"][k];
            if (!skin.rebound) continue;
            written["joints"] = skin.joints;
            std::vector<float> matrices;
            for (const Affine& a : skin.inverseBind)
                for (int c = 0; c < 4; ++c)
                    for (int r = 0; r < 4; ++r)
                        matrices.push_back(static_cast<float>(r == 3 ? c == 3 : c == 3 ? a.t[r] : a.m(r, c)));
            written["inverseBindMatrices"] = skinAccessor(matrices, 5126, "MAT4", 16, false);
        }
        for (std::size_t m = 0; m < m_actor.meshes.size(); ++m) {
            const std::vector<rig::Primitive>& primitives = m_actor.meshes[m].primitives;
            if (std::none_of(primitives.begin(), primitives.end(), [](const rig::Primitive& p) { return p.weighed; })) continue;
            Json& written = m_json["meshes"][m]["primitives"];
            if (written.size() != primitives.size())
                throw Failure("", "a mesh of lines or points among others cannot be given other weights");
            for (std::size_t p = 0; p < primitives.size(); ++p)
                if (primitives[p].weighed) writeInfluences(primitives[p], written[p]["attributes"]);
        }
    }

    void writeInfluences(const rig::Primitive& p, Json& attributes) {
        for (int set = 0; set < 16; ++set)
            for (const char* stem : {"JOINTS_", "WEIGHTS_"}) attributes.erase(stem + std::to_string(set));
        const bool wide =
            std::any_of(p.influences.begin(), p.influences.end(), [](const rig::Influence& f) { return f.weight[4] > 0; });
        for (std::size_t set = 0; set < (wide ? 2u : 1u); ++set) {
            std::vector<std::uint16_t> joints;
            std::vector<float> weights;
            for (const rig::Influence& f : p.influences)
                for (std::size_t k = 4 * set; k < 4 * set + 4; ++k) {
                    joints.push_back(f.weight[k] > 0 ? f.joint[k] : std::uint16_t{0});
                    weights.push_back(f.weight[k]);
                }
            attributes["JOINTS_" + std::to_string(set)] = skinAccessor(joints, 5123, "VEC4", 4, true);
            attributes["WEIGHTS_" + std::to_string(set)] = skinAccessor(weights, 5126, "VEC4", 4, true);
        }
    }

    /// A target's offsets; null: it moves none of them (an accessor without a view is all zeros; glTF 2.0, 3.6.2.1).
    std::size_t offsetsAccessor(const std::vector<Vec3f>& offsets) {
        Vec3f low = offsets.front(), high = low;
        for (const Vec3f& v : offsets) {
            low = low.cwiseMin(v);
            high = high.cwiseMax(v);
        }
        Json& list = listIn(m_json, "accessors");
        const bool still = low == high && low.isZero(0);
        const std::size_t at = list.size();
        list.push_back({{"componentType", 5126}, {"count", offsets.size()}, {"type", "VEC3"}});
        if (!still) {
            if (!std::all_of(offsets.begin(), offsets.end(), [](const Vec3f& v) { return v.allFinite(); }))
                throw Failure("", "the motion is not finite; nothing was written");
            // Vertex data has a view of its own, with a stride (glTF 2.0, 3.6.2.4).
            list[at]["bufferView"] = m_view + 1;
            list[at]["byteOffset"] = m_vertices.size();
            const auto* bytes = reinterpret_cast<const std::uint8_t*>(offsets.data());
            m_vertices.insert(m_vertices.end(), bytes, bytes + offsets.size() * sizeof(Vec3f));
        }
        list[at]["min"] = {low.x(), low.y(), low.z()};
        list[at]["max"] = {high.x(), high.y(), high.z()};
        return at;
    }

    void addMorphs(const NewMorphs& m) {
        const rig::MeshInstance& instance = m_actor.instances[static_cast<std::size_t>(m.instance)];
        Json& nodes = m_json["nodes"];
        Json& meshes = m_json["meshes"];
        std::size_t mesh = nodes[static_cast<std::size_t>(instance.joint)]["mesh"].get<std::size_t>();
        const auto users =
            std::count_if(nodes.begin(), nodes.end(), [&](const Json& n) { return n.contains("mesh") && n["mesh"] == mesh; });
        if (users > 1) {
            meshes.push_back(meshes[mesh]);
            mesh = meshes.size() - 1;
            nodes[static_cast<std::size_t>(instance.joint)]["mesh"] = mesh;
        }
        const std::size_t before = m_actor.meshes[static_cast<std::size_t>(instance.mesh)].weights.size();
        if (meshes[mesh]["primitives"].size() != m.targets.front().size())
            throw Failure("", "a mesh of lines or points among others cannot carry the motion of its vertices");
        for (std::size_t p = 0; p < m.targets.front().size(); ++p)
            for (const auto& target : m.targets) {
                const std::size_t at = offsetsAccessor(target[p]);
                listIn(m_json["meshes"][mesh]["primitives"][p], "targets").push_back({{"POSITION", at}});
            }
        const std::size_t all = before + m.targets.size();
        for (Json* holder : {&m_json["meshes"][mesh], &nodes[static_cast<std::size_t>(instance.joint)]}) {
            if (holder == &nodes[static_cast<std::size_t>(instance.joint)] && !holder->contains("weights")) continue;
            Json& weights = listIn(*holder, "weights");
            while (weights.size() < all) weights.push_back(0.0);
        }
        if (Json& j = m_json["meshes"][mesh]; j.contains("extras") && j["extras"].contains("targetNames"))
            for (std::size_t k = before; k < all; ++k)
                j["extras"]["targetNames"].push_back("motion " + std::to_string(k - before + 1));
        widenWeights(instance.joint, before, m.targets.size());
    }

    /// Clips that move the old targets must say something of the new ones: nothing of them.
    void widenWeights(int joint, std::size_t before, std::size_t more) {
        for (std::size_t c = 0; c < m_actor.clips.size(); ++c) {
            if (m_actor.clips[c].recorded) continue;
            for (const rig::Channel& old : m_actor.clips[c].channels) {
                if (old.path != rig::Path::Weights || old.joint != joint || static_cast<std::size_t>(old.width) != before)
                    continue;
                rig::Channel wide = old;
                wide.width = static_cast<int>(before + more);
                wide.values.clear();
                for (std::size_t k = 0; k * before < old.values.size(); ++k) {
                    const auto from = old.values.begin() + static_cast<std::ptrdiff_t>(k * before);
                    wide.values.insert(wide.values.end(), from, from + static_cast<std::ptrdiff_t>(before));
                    wide.values.insert(wide.values.end(), more, 0.0f);
                }
                Json& animation = m_json["animations"][c];
                dropReplaced(animation, {wide});
                addChannel(animation, wide);
            }
        }
    }

    void add(const NewClip& c) {
        if (c.channels.empty()) return;
        Json& animations = listIn(m_json, "animations");
        std::size_t at = animations.size();
        if (c.source >= 0 && !m_ofJoints && !c.beside) at = static_cast<std::size_t>(c.source);
        if (at == animations.size()) {
            animations.push_back(c.source >= 0 && !m_ofJoints ? animations[static_cast<std::size_t>(c.source)]
                                                              : Json{{"samplers", Json::array()}, {"channels", Json::array()}});
            if (c.beside)
                animations[at]["name"] = *c.beside;
            else if (c.source >= 0 && !m_actor.clips[static_cast<std::size_t>(c.source)].name.empty())
                animations[at]["name"] = m_actor.clips[static_cast<std::size_t>(c.source)].name;
        }
        dropReplaced(animations[at], c.channels);
        for (const rig::Channel& ch : c.channels) addChannel(animations[at], ch);
    }

    /// Removes channels that are replaced, and the samplers that only they used.
    static void dropReplaced(Json& animation, const std::vector<rig::Channel>& channels) {
        Json kept = Json::array();
        for (Json& old : animation["channels"]) {
            const Json& target = old["target"];
            const bool replaced =
                target.contains("node") && std::any_of(channels.begin(), channels.end(), [&](const rig::Channel& c) {
                    return target["node"] == c.joint && target["path"] == pathName(c.path);
                });
            if (!replaced) kept.push_back(std::move(old));
        }
        Json samplers = Json::array();
        std::vector<int> moved(animation["samplers"].size(), -1);
        for (Json& k : kept) {
            const std::size_t s = k["sampler"].get<std::size_t>();
            if (moved[s] < 0) {
                moved[s] = static_cast<int>(samplers.size());
                samplers.push_back(animation["samplers"][s]);
            }
            k["sampler"] = moved[s];
        }
        animation["channels"] = std::move(kept);
        animation["samplers"] = std::move(samplers);
    }

    void addChannel(Json& animation, const rig::Channel& c) {
        Json s;
        s["input"] = timesAccessor(c.times);
        const auto width = static_cast<std::size_t>(c.width);
        s["output"] = c.path == rig::Path::Weights ? accessor(c.values.data(), c.values.size(), 1, false)
                                                   : accessor(c.values.data(), c.values.size() / width, width, false);
        s["interpolation"] = interpolationName(c.interpolation);
        animation["samplers"].push_back(std::move(s));
        Json ch;
        ch["sampler"] = animation["samplers"].size() - 1;
        ch["target"] = {{"node", c.joint}, {"path", pathName(c.path)}};
        animation["channels"].push_back(std::move(ch));
        unpackMatrix(static_cast<std::size_t>(c.joint));
    }

    /// A node that is animated may not hold a matrix (glTF 2.0, 3.11): its parts are written instead.
    void unpackMatrix(std::size_t node) {
        if (m_json["nodes"][node].contains("matrix")) writeRest(node);
    }

    void addView(std::size_t buffer, std::size_t offset) {
        if (m_new.empty()) return;
        for (std::size_t view : m_skinViews) {
            Json& v = m_json["bufferViews"][view];
            v["buffer"] = buffer;
            v["byteOffset"] = offset + m_skinsAt + v["byteOffset"].get<std::size_t>();
        }
        if (m_motion == 0) return;
        Json v;
        v["buffer"] = buffer;
        v["byteOffset"] = offset;
        v["byteLength"] = m_motion;
        m_json["bufferViews"].push_back(v);
        if (m_vertices.empty()) return;
        v["byteOffset"] = offset + m_motion;
        v["byteLength"] = m_vertices.size();
        v["byteStride"] = sizeof(Vec3f);
        m_json["bufferViews"].push_back(std::move(v));
    }

    void writeBinary() {
        Json& buffers = listIn(m_json, "buffers");
        rig::Bytes chunk;
        if (!buffers.empty()) {
            // Buffer 0 becomes the binary chunk; the chunk's own padding is not part of it.
            const std::size_t length = buffers[0]["byteLength"].get<std::size_t>();
            chunk.assign(m_actor.source.buffers[0]->begin(),
                         m_actor.source.buffers[0]->begin() + static_cast<std::ptrdiff_t>(length));
            buffers[0].erase("uri");
        } else if (!m_new.empty()) {
            buffers.push_back(Json::object());
        }
        if (!m_new.empty()) {
            chunk.resize((chunk.size() + 3) / 4 * 4);
            addView(0, chunk.size());
            chunk.insert(chunk.end(), m_new.begin(), m_new.end());
            buffers[0]["byteLength"] = chunk.size();
        }
        if (buffers.empty()) m_json.erase("buffers");
        bringFiles(1);
        std::string json = m_json.dump();
        json.resize((json.size() + 3) / 4 * 4, ' ');
        chunk.resize((chunk.size() + 3) / 4 * 4);
        rig::Bytes file;
        const auto put = [&](std::uint32_t v) {
            const auto* b = reinterpret_cast<const std::uint8_t*>(&v);
            file.insert(file.end(), b, b + 4);
        };
        const std::size_t total =
            12 + 8 + json.size() + (chunk.empty() ? 0 : 8 + chunk.size()) + m_actor.source.otherChunks.size();
        if (total > 0xFFFFFFFFu) throw Failure(Error{m_out.string(), "", "a .glb holds at most 4 GiB; choose .gltf"});
        put(0x46546C67);
        put(2);
        put(static_cast<std::uint32_t>(total));
        put(static_cast<std::uint32_t>(json.size()));
        put(0x4E4F534A);
        file.insert(file.end(), json.begin(), json.end());
        if (!chunk.empty()) {
            put(static_cast<std::uint32_t>(chunk.size()));
            put(0x004E4942);
            file.insert(file.end(), chunk.begin(), chunk.end());
        }
        file.insert(file.end(), m_actor.source.otherChunks.begin(), m_actor.source.otherChunks.end());
        writeAll(file.data(), file.size());
    }

    void writeText() {
        Json& buffers = listIn(m_json, "buffers");
        const std::size_t own = buffers.size();
        bringFiles(0);
        const std::string stem = m_out.stem().string();
        if (m_actor.source.format == rig::SourceDocument::Format::Glb && own > 0 && !buffers[0].contains("uri")) {
            const auto& chunk = *m_actor.source.buffers[0];
            const std::size_t length = buffers[0]["byteLength"].get<std::size_t>();
            buffers[0]["uri"] = written(stem, {chunk.begin(), chunk.begin() + static_cast<std::ptrdiff_t>(length)});
        }
        if (!m_new.empty()) {
            addView(own, 0);
            const bool embed = std::all_of(buffers.begin(), buffers.end(), [](const Json& b) {
                return b.contains("uri") && b["uri"].get_ref<const std::string&>().rfind("data:", 0) == 0;
            });
            const std::size_t length = m_new.size();
            buffers.push_back({{"byteLength", length},
                               {"uri", embed ? "data:application/octet-stream;base64," + base64(m_new.data(), length)
                                             : written(stem + "-motion", std::move(m_new))}});
        }
        if (buffers.empty()) m_json.erase("buffers");
        const bool laidOut = m_ofJoints || m_actor.source.text->find('\n') != std::string::npos;
        const std::string text = m_json.dump(laidOut ? 2 : -1) + "\n";
        writeAll(text.data(), text.size());
    }

    /// Puts `bytes` on the list of files that are written beside, under a name that nothing else has; gives their URI.
    std::string written(const std::string& stem, rig::Bytes bytes) {
        const fs::path file = freshName(m_out.parent_path(), stem, ".bin", bytes);
        m_beside.push_back({file, std::make_shared<const rig::Bytes>(std::move(bytes))});
        return percentEncoded(file.filename().string());
    }

    /// The files beside first, the document last: whenever this is cut off, what was there is still whole.
    void writeAll(const void* data, std::size_t size) {
        std::vector<fs::path> made;
        try {
            for (const auto& [file, bytes] : m_beside) {
                std::error_code bad;
                if (fs::exists(file, bad)) continue;  // these very bytes, by its name
                if (file.has_parent_path()) fs::create_directories(file.parent_path(), bad);
                writeAtomically(file, bytes->data(), bytes->size());
                made.push_back(file);
            }
            writeAtomically(m_out, data, size);
        } catch (...) {
            std::error_code bad;
            for (const fs::path& file : made) fs::remove(file, bad);
            throw;
        }
    }

    /// Sees to it that the files that buffers (from `firstBuffer` on) and images refer to stand beside the result, as they were
    /// when the document was opened: from memory, whatever has become of them on disk since.
    void bringFiles(std::size_t firstBuffer) {
        if (m_ofJoints) return;
        const auto list = [&](const char* key) { return m_json.contains(key) ? m_json[key].size() : 0; };
        for (std::size_t i = firstBuffer; i < list("buffers"); ++i)
            if (m_json["buffers"][i].contains("uri")) bringFile(m_json["buffers"][i]["uri"], m_actor.source.buffers[i]);
        for (std::size_t i = 0; i < list("images") && i < m_actor.images.size(); ++i)
            if (m_json["images"][i].contains("uri")) bringFile(m_json["images"][i]["uri"], m_actor.images[i].bytes);
    }

    void bringFile(Json& uri, const std::shared_ptr<const rig::Bytes>& bytes) {
        const std::string text = uri.get<std::string>();
        if (text.rfind("data:", 0) == 0 || text.find("://") != std::string::npos) return;
        const fs::path relative = fs::path(percentDecoded(text)).lexically_normal();
        const fs::path to = fs::absolute(m_out).parent_path().lexically_normal();
        if (!bytes) {
            // Was missing or not to be read; said on opening. The reference still leads to the same place.
            const fs::path from = fs::absolute(m_actor.source.path).parent_path().lexically_normal();
            if (from != to && !relative.empty()) uri = percentEncoded((from / relative).lexically_relative(to).generic_string());
            return;
        }
        const fs::path target = to / relative;
        const Key key = contentOf(*bytes);
        std::error_code bad;
        if (!fs::exists(target, bad)) {
            m_beside.push_back({target, bytes});
        } else if (contentOf(target) != key) {
            // Another file of this name is there already, or it was exported again since.
            const fs::path other = freshName(target.parent_path(), target.stem().string(), target.extension().string(), *bytes);
            m_beside.push_back({other, bytes});
            uri = percentEncoded(other.lexically_relative(to).generic_string());
        }
    }

    const rig::Actor& m_actor;
    fs::path m_out;
    bool m_binary = false, m_ofJoints = false;
    Json m_json;
    std::size_t m_view = 0, m_motion = 0;  // the first new view, and how long it is
    std::size_t m_skinsAt = 0;             // where the skins' bytes begin
    std::vector<std::size_t> m_skinViews;  // of those bytes, with places counted from there
    rig::Bytes m_new, m_vertices, m_skinBytes;
    std::vector<std::pair<std::size_t, std::vector<rig::Channel>>> m_rebased;  // by clip
    std::vector<std::pair<std::vector<float>, std::size_t>> m_times;
    std::vector<std::pair<fs::path, std::shared_ptr<const rig::Bytes>>> m_beside;
};

}  // namespace

Result<Done> writeGltf(const rig::Actor& actor, const std::vector<NewClip>& clips, const fs::path& out,
                       const std::vector<NewMorphs>& morphs) {
    const fs::path ext = out.extension();
    if (ext != ".glb" && ext != ".gltf") return Error{out.string(), "", "the file's name must end in .glb or .gltf"};
    return ofFile(out.string(), [&] {
        GltfWriter(actor, out).write(clips, morphs);
        return Done{};
    });
}

}  // namespace nutatio::files
