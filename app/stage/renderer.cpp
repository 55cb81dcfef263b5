#include "app/stage/renderer.h"

#include <QImage>

#include "app/look/theme.h"
#include "rig/coarse.h"

namespace nutatio::app {

namespace {

// Linear blend skinning; the bones lie in a texture, three texels each: the rows of (m | t).
const char* const kSkinVertex = R"(#version 330 core
layout(location=0) in vec3 place; layout(location=1) in vec3 normal;
layout(location=2) in uvec4 jointA; layout(location=3) in uvec4 jointB; layout(location=4) in vec4 weightA; layout(location=5) in vec4 weightB;
uniform samplerBuffer bones; out vec3 posedPlace; out vec3 posedNormal;
vec4 rowX = vec4(0.0), rowY = vec4(0.0), rowZ = vec4(0.0);
void add(uint joint, float weight) {
    if (weight == 0.0) return;
    int at = 3 * int(joint);
    rowX += weight * texelFetch(bones, at); rowY += weight * texelFetch(bones, at + 1); rowZ += weight * texelFetch(bones, at + 2);
}
void main() {
    for (int k = 0; k < 4; ++k) { add(jointA[k], weightA[k]); }
    if (weightB.x > 0.0) for (int k = 0; k < 4; ++k) { add(jointB[k], weightB[k]); }
    vec4 p = vec4(place, 1.0); vec3 n = vec3(dot(rowX.xyz, normal), dot(rowY.xyz, normal), dot(rowZ.xyz, normal));
    posedPlace = vec3(dot(rowX, p), dot(rowY, p), dot(rowZ, p));
    posedNormal = n / max(length(n), 1e-20);
})";

const char* const kClayVertex = R"(#version 330 core
layout(location=0) in vec3 place; layout(location=1) in vec3 normal; layout(location=2) in vec4 colour; layout(location=3) in vec2 uv; layout(location=4) in float share;
uniform mat4 clip; out vec3 n; out vec3 w; out vec4 c; out vec2 t; out float follows;
void main() { n = normal; w = place; c = colour; t = uv; follows = share; gl_Position = clip * vec4(place, 1.0); })";

// Soft clay: a broad wrapped key from the upper left, sky and planks as fill, a breath of rim.
const char* const kClayLight = R"(
uniform vec3 none; uniform vec3 some; uniform vec3 all; uniform vec4 base; uniform vec3 eye; uniform bool blended;
vec3 followed(vec3 albedo, float follows) { return follows < 0.0 ? albedo : follows < 0.5 ? mix(none, some, 2.0 * follows) : mix(some, all, 2.0 * follows - 1.0); }
// The screen's curve by roots, a 256th off at most, three in what is next to black: powers are slow where a processor draws.
vec3 toScreen(vec3 l) { vec3 a = sqrt(max(l, vec3(0.0))), b = sqrt(a), c = sqrt(b); return 0.662002687 * a + 0.684122060 * b - 0.323583601 * c - 0.0225411470 * l; }
// `m` looks to the side that is seen.
vec4 clay(vec4 albedo, vec3 m, vec3 v) {
    float key = clamp((dot(m, normalize(vec3(-0.45, 0.80, 0.55))) + 0.35) / 1.35, 0.0, 1.0);
    vec3 fill = mix(vec3(0.26, 0.23, 0.20), vec3(0.46, 0.50, 0.53), 0.5 + 0.5 * m.y);
    float away = 1.0 - clamp(dot(m, v), 0.0, 1.0), rim = 0.16 * away * away * away * sqrt(away);
    vec3 light = albedo.rgb * (fill + 0.82 * key * key * vec3(1.0, 0.97, 0.92)) + rim * vec3(0.80, 0.88, 0.92) * (0.35 + albedo.rgb);
    return vec4(toScreen(light / (1.0 + 0.12 * light)), blended ? albedo.a : 1.0);
}
)";

const char* const kClayFragment = R"(
in vec3 n; in vec3 w; in vec4 c; in vec2 t; in float follows; out vec4 o;
uniform sampler2D image; uniform bool textured; uniform float cutoff;
void main() {
    vec4 albedo = base * c;
    if (textured) { vec4 s = texture(image, t); albedo *= vec4(s.rgb * (s.rgb * (0.305306011 * s.rgb + 0.682171111) + 0.012522878), s.a); }
    if (cutoff >= 0.0 && albedo.a < cutoff) discard;
    albedo.rgb = followed(albedo.rgb, follows);
    vec3 m = normalize(n);
    o = clay(albedo, gl_FrontFacing ? m : -m, normalize(eye - w));
})";

// Without a picture a processor that draws lights vertices: it goes through sixteen pixels for each block that a triangle
// touches, and a character has triangles of a few pixels.
const char* const kPlainVertex = R"(
layout(location=0) in vec3 place; layout(location=1) in vec3 normal; layout(location=2) in vec4 colour; layout(location=4) in float share;
uniform mat4 clip; out vec4 lit;
void main() {
    vec4 albedo = base * colour;
    albedo.rgb = followed(albedo.rgb, share);
    vec3 m = normalize(normal), v = normalize(eye - place);
    lit = clay(albedo, dot(m, v) < 0.0 ? -m : m, v);
    gl_Position = clip * vec4(place, 1.0);
})";
const char* const kPlainFragment = R"(#version 330 core
in vec4 lit; out vec4 o; void main() { o = lit; })";

const char* const kGhostFragment = R"(#version 330 core
in vec3 n; in vec3 w; out vec4 o; uniform vec4 tint; uniform vec3 eye;
void main() { float edge = 1.0 - abs(dot(normalize(n), normalize(eye - w))); o = vec4(tint.rgb, tint.a * (0.35 + 0.65 * edge)); })";

// The shadow map looks straight down and keeps how near the floor things are.
const char* const kCastVertex = R"(#version 330 core
layout(location=0) in vec3 place; uniform vec3 middle; uniform float reach; uniform float floor; out float up;
void main() { up = place.y - floor; gl_Position = vec4((place.xz - middle.xz) / reach, 0.0, 1.0); })";
const char* const kCastFragment = R"(#version 330 core
in float up; out vec4 o; uniform float tall; uniform float least;
void main() { if (up < least) discard; float s = clamp(1.0 - up / tall, 0.0, 1.0); o = vec4(s * s); })";

const char* const kQuadVertex = R"(#version 330 core
out vec2 at; void main() { at = vec2(gl_VertexID & 1, gl_VertexID >> 1); gl_Position = vec4(at * 2.0 - 1.0, 0.0, 1.0); })";
const char* const kBlurFragment = R"(#version 330 core
in vec2 at; out vec4 o; uniform sampler2D image; uniform vec2 along; uniform int taps; uniform float weights[8];
void main() { float s = weights[0] * texture(image, at).r; for (int i = 1; i <= taps; ++i) s += weights[i] * (texture(image, at + along * float(i)).r + texture(image, at - along * float(i)).r); o = vec4(s); })";

const char* const kFloorVertex = R"(#version 330 core
uniform mat4 clip; uniform vec3 middle; uniform float reach; uniform float floor; out vec3 w; out vec2 at;
void main() { at = vec2(gl_VertexID & 1, gl_VertexID >> 1); vec2 p = middle.xz + (at * 2.0 - 1.0) * reach; w = vec3(p.x, floor, p.y); gl_Position = clip * vec4(w, 1.0); })";
const char* const kGroundFragment = R"(#version 330 core
in vec3 w; out vec4 o; uniform vec3 middle; uniform float reach; uniform float step; uniform vec3 near; uniform vec3 far; uniform vec3 line;
float ruled(float s) { vec2 g = w.xz / s, d = fwidth(g); vec2 a = abs(fract(g - 0.5) - 0.5) / max(d, vec2(1e-6)); return (1.0 - min(min(a.x, a.y), 1.0)) * clamp(0.6 / max(d.x, d.y) * 0.12, 0.0, 1.0); }
void main() {
    float away = length(w.xz - middle.xz) / reach, fade = smoothstep(0.10, 0.92, away);
    vec3 c = mix(near, far, fade);
    c = mix(c, line, (0.30 * ruled(step) + 0.35 * ruled(step * 5.0)) * (1.0 - fade));
    o = vec4(c, 1.0);
})";
const char* const kShadowFragment = R"(#version 330 core
in vec2 at; out vec4 o; uniform sampler2D image; uniform vec3 ink;
void main() { vec2 e = min(at, 1.0 - at); float edge = clamp(min(e.x, e.y) * 12.0, 0.0, 1.0); o = vec4(ink, 0.62 * edge * texture(image, at).r); })";

const char* const kMarkVertex = R"(#version 330 core
layout(location=0) in vec2 place; layout(location=1) in vec4 colour; layout(location=2) in vec4 shape;
uniform vec2 size; out vec4 c; out vec4 s; void main() { c = colour; s = shape; gl_Position = vec4(place.x / size.x * 2.0 - 1.0, 1.0 - place.y / size.y * 2.0, 0.0, 1.0); })";
// shape: along [px from the segment's middle], across, half length, half width
const char* const kMarkFragment = R"(#version 330 core
in vec4 c; in vec4 s; out vec4 o;
void main() { float d = length(vec2(max(abs(s.x) - s.z, 0.0), s.y)) - s.w; o = vec4(c.rgb, c.a * clamp(0.5 - d, 0.0, 1.0)); })";

std::unique_ptr<QOpenGLShaderProgram> program(const char* vertex, const char* fragment) {
    auto p = std::make_unique<QOpenGLShaderProgram>();
    p->addShaderFromSourceCode(QOpenGLShader::Vertex, vertex);
    p->addShaderFromSourceCode(QOpenGLShader::Fragment, fragment);
    p->link();
    return p;
}

QMatrix4x4 toQt(const Mat4& m) {
    QMatrix4x4 q;
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c) q(r, c) = static_cast<float>(m(r, c));
    return q;
}

QVector3D toQt(const Vec3& v) {
    return {static_cast<float>(v.x()), static_cast<float>(v.y()), static_cast<float>(v.z())};
}
QVector3D rgb(const QColor& c) {
    return {c.redF(), c.greenF(), c.blueF()};
}

QVector3D linear(const QColor& c) {
    return {std::pow(c.redF(), 2.2f), std::pow(c.greenF(), 2.2f), std::pow(c.blueF(), 2.2f)};
}

constexpr int kMapSize = 256;
constexpr std::size_t kCoarse = 2000, kFewer = 6;  // triangles of a primitive that are never thinned; to one in so many

/// A place and a normal a vertex, interleaved.
std::vector<float> interleaved(const std::vector<Vec3f>& positions, const std::vector<Vec3f>& normals) {
    std::vector<float> values(positions.size() * 6);
    for (std::size_t v = 0; v < positions.size(); ++v) {
        std::copy_n(positions[v].data(), 3, &values[v * 6]);
        std::copy_n(normals[v].data(), 3, &values[v * 6 + 3]);
    }
    return values;
}

/// A round step (1, 2, 5 x 10^n) for a grid under something of this size.
double gridStep(double size) {
    const double raw = 0.25 * size, decade = std::pow(10.0, std::floor(std::log10(raw)));
    for (double m : {1.0, 2.0, 5.0})
        if (raw <= m * decade * 1.42) return m * decade;
    return 10 * decade;
}

}  // namespace

Renderer::Renderer() = default;
Renderer::~Renderer() {
    if (!m_skin) return;
    glDeleteTextures(1, &m_boneTexture);
    glDeleteBuffers(1, &m_bones);
}

void Renderer::initialise() {
    initializeOpenGLFunctions();
    m_skin = std::make_unique<QOpenGLShaderProgram>();
    m_skin->addShaderFromSourceCode(QOpenGLShader::Vertex, kSkinVertex);
    const char* const posed[] = {"posedPlace", "posedNormal"};
    glTransformFeedbackVaryings(m_skin->programId(), 2, posed, GL_INTERLEAVED_ATTRIBS);
    m_skin->link();
    glGenBuffers(1, &m_bones);
    glGenTextures(1, &m_boneTexture);
    const std::string light = std::string("#version 330 core\n") + kClayLight;
    m_clay = program(kClayVertex, (light + kClayFragment).c_str());
    if (look::drawsCheaply()) m_plain = program((light + kPlainVertex).c_str(), kPlainFragment);
    m_ghost = program(kClayVertex, kGhostFragment);
    m_cast = program(kCastVertex, kCastFragment);
    m_blur = program(kQuadVertex, kBlurFragment);
    m_ground = program(kFloorVertex, kGroundFragment);
    m_shadow = program(kFloorVertex, kShadowFragment);
    m_marks = program(kMarkVertex, kMarkFragment);
    QOpenGLFramebufferObjectFormat format;
    format.setInternalTextureFormat(GL_R8);
    for (ShadowMap* map : {&m_fine, &m_coarse}) {
        map->size = map == &m_fine ? kMapSize : kMapSize / 2;
        for (auto* target : {&map->still, &map->cast, &map->blur}) {
            *target = std::make_unique<QOpenGLFramebufferObject>(map->size, map->size, format);
            glBindTexture(GL_TEXTURE_2D, (*target)->texture());
            glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MIN_FILTER, GL_LINEAR);
            glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MAG_FILTER, GL_LINEAR);
        }
    }
    m_quad = std::make_unique<QOpenGLVertexArrayObject>();
    m_quad->create();
    m_markArray = std::make_unique<QOpenGLVertexArrayObject>();
    m_markArray->create();
    m_markBuffer.create();
    m_markBuffer.setUsagePattern(QOpenGLBuffer::StreamDraw);
}

std::shared_ptr<Renderer::Picture> Renderer::pictureOf(const rig::Actor& actor) {
    if (auto known = m_pictures[actor.picture].lock()) return known;
    auto picture = std::make_shared<Picture>();
    m_pictures[actor.picture] = picture;
    for (const rig::PackedImage& im : actor.images) {
        const QImage image = im.bytes ? QImage::fromData(im.bytes->data(), static_cast<int>(im.bytes->size())) : QImage();
        if (image.isNull()) {
            picture->images.push_back(nullptr);
            continue;
        }
        auto t =
            std::make_unique<QOpenGLTexture>(image.convertToFormat(QImage::Format_RGBA8888), QOpenGLTexture::GenerateMipMaps);
        t->setWrapMode(QOpenGLTexture::Repeat);
        t->setMinMagFilters(QOpenGLTexture::LinearMipMapLinear, QOpenGLTexture::Linear);
        picture->images.push_back(std::move(t));
    }
    for (const rig::MeshInstance& in : actor.instances)
        for (const rig::Primitive& p : actor.meshes[static_cast<std::size_t>(in.mesh)].primitives) {
            auto still = std::make_unique<Still>();
            still->count = static_cast<int>(p.triangles.size());
            still->size = static_cast<int>(p.positions.size());
            still->textured = !p.uvs.empty();
            std::vector<float> values;
            for (std::size_t v = 0; v < p.positions.size(); ++v) {
                const Vec4f c = p.colours.empty() ? Vec4f::Ones() : p.colours[v];
                const Vec2f uv = p.uvs.empty() ? Vec2f::Zero() : p.uvs[v];
                values.insert(values.end(), {c.x(), c.y(), c.z(), c.w(), uv.x(), uv.y()});
            }
            const std::vector<float> rest = interleaved(p.positions, p.normals);
            still->rest.create();
            still->rest.bind();
            still->rest.allocate(rest.data(), static_cast<int>(rest.size() * 4));
            std::vector<rig::Influence> influences;
            if (in.skin >= 0) influences = p.influences;
            if (influences.empty()) {
                rig::Influence own;  // the bone that comes after those of the skin
                own.joint[0] =
                    static_cast<std::uint16_t>(in.skin >= 0 ? actor.skins[static_cast<std::size_t>(in.skin)].joints.size() : 0);
                own.weight[0] = 1;
                influences.assign(p.positions.size(), own);
            }
            still->influences.create();
            still->influences.bind();
            still->influences.allocate(influences.data(), static_cast<int>(influences.size() * sizeof(rig::Influence)));
            still->vertices.create();
            still->vertices.bind();
            still->vertices.allocate(values.data(), static_cast<int>(values.size() * 4));
            still->indices.create();
            still->indices.bind();
            std::vector<std::uint32_t> indices = p.triangles;
            if (const std::size_t has = p.triangles.size() / 3; has > kCoarse) {
                const std::vector<std::uint32_t> fewer = rig::coarsened(p, rig::cellFor(p, has / kFewer));
                still->coarse = static_cast<int>(fewer.size());
                indices.insert(indices.end(), fewer.begin(), fewer.end());
            }
            still->indices.allocate(indices.data(), static_cast<int>(indices.size() * 4));
            picture->pieces.push_back(std::move(still));
        }
    return picture;
}

Renderer::Loaded& Renderer::loaded(const Posed& posed) {
    Loaded& l = m_loaded[posed.id];
    if (l.picture && l.key == posed.actor->picture) return l;
    l.pieces.clear();
    l.tint.reset();
    l.worlds.clear();
    l.frame = -1;
    l.picture = pictureOf(*posed.actor);
    l.key = posed.actor->picture;
    for (const auto& still : l.picture->pieces) {
        auto piece = std::make_unique<Piece>();
        piece->array = std::make_unique<QOpenGLVertexArrayObject>();
        piece->array->create();
        piece->array->bind();
        piece->moving.create();
        piece->moving.setUsagePattern(QOpenGLBuffer::DynamicCopy);
        piece->moving.bind();
        piece->moving.allocate(still->size * 24);
        glEnableVertexAttribArray(0);
        glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 24, nullptr);
        glEnableVertexAttribArray(1);
        glVertexAttribPointer(1, 3, GL_FLOAT, GL_FALSE, 24, reinterpret_cast<void*>(12));
        still->vertices.bind();
        glEnableVertexAttribArray(2);
        glVertexAttribPointer(2, 4, GL_FLOAT, GL_FALSE, 24, nullptr);
        glEnableVertexAttribArray(3);
        glVertexAttribPointer(3, 2, GL_FLOAT, GL_FALSE, 24, reinterpret_cast<void*>(16));
        still->indices.bind();
        piece->array->release();
        piece->skinned = std::make_unique<QOpenGLVertexArrayObject>();
        piece->skinned->create();
        piece->skinned->bind();
        still->influences.bind();
        for (unsigned k = 0; k < 6; ++k) glEnableVertexAttribArray(k);
        const auto at = [](std::size_t offset) { return reinterpret_cast<void*>(offset); };
        constexpr int kStride = sizeof(rig::Influence);
        glVertexAttribIPointer(2, 4, GL_UNSIGNED_SHORT, kStride, at(offsetof(rig::Influence, joint)));
        glVertexAttribIPointer(3, 4, GL_UNSIGNED_SHORT, kStride, at(offsetof(rig::Influence, joint) + 8));
        glVertexAttribPointer(4, 4, GL_FLOAT, GL_FALSE, kStride, at(offsetof(rig::Influence, weight)));
        glVertexAttribPointer(5, 4, GL_FLOAT, GL_FALSE, kStride, at(offsetof(rig::Influence, weight) + 16));
        piece->skinned->release();
        l.pieces.push_back(std::move(piece));
    }
    return l;
}

void Renderer::tint(const Posed& posed, Loaded& l) {
    if (posed.tint == l.tint) return;
    l.tint = posed.tint;
    l.tinted = ++m_poses;
    for (std::size_t k = 0; k < l.pieces.size(); ++k) {
        Piece& piece = *l.pieces[k];
        piece.array->bind();
        if (l.tint && k < l.tint->size() && (*l.tint)[k].size() == static_cast<std::size_t>(l.picture->pieces[k]->size)) {
            if (!piece.tint.isCreated()) piece.tint.create();
            piece.tint.bind();
            piece.tint.allocate((*l.tint)[k].data(), static_cast<int>((*l.tint)[k].size() * 4));
            glEnableVertexAttribArray(4);
            glVertexAttribPointer(4, 1, GL_FLOAT, GL_FALSE, 4, nullptr);
        } else {
            glDisableVertexAttribArray(4);
        }
        piece.array->release();
    }
}

void Renderer::keepOnly(const std::set<std::string>& ids) {
    std::erase_if(m_loaded, [&](const auto& entry) { return ids.count(entry.first) == 0; });
    std::erase_if(m_pictures, [](const auto& entry) { return entry.second.expired(); });
}

std::vector<float> Posed::weights(std::size_t instance) const {
    if (!track) return {};
    const auto at = track->morphs().find(static_cast<int>(instance));
    if (at == track->morphs().end()) return {};
    const float* w = at->second->frame(std::min(frame, track->frames() - 1));
    return {w, w + at->second->targets};
}

rig::MovedVertices Posed::moved(std::size_t instance, std::size_t primitive) const {
    const rig::Track* shows = live ? live.get() : track.get();
    if (!shows) return {};
    const auto at = shows->patches().find({static_cast<int>(instance), static_cast<int>(primitive)});
    if (at == shows->patches().end()) return {};
    return {&at->second->vertices, at->second->frame(std::min(live ? 0 : frame, shows->frames() - 1))};
}

void Renderer::skin(const Posed& posed, Loaded& l) {
    const auto same = [](const Affine& a, const Affine& b) { return a.m == b.m && a.t == b.t; };
    if (l.posed > 0 && l.track == posed.track && l.live == posed.live && l.frame == posed.frame &&
        std::equal(l.worlds.begin(), l.worlds.end(), posed.worlds.begin(), posed.worlds.end(), same))
        return;
    l.worlds = posed.worlds;
    l.track = posed.track;
    l.live = posed.live;
    l.frame = posed.frame;
    l.posed = ++m_poses;
    m_skin->bind();
    m_skin->setUniformValue("bones", 0);
    glEnable(GL_RASTERIZER_DISCARD);
    glActiveTexture(GL_TEXTURE0);
    glBindTexture(GL_TEXTURE_BUFFER, m_boneTexture);
    std::size_t k = 0;
    for (std::size_t i = 0; i < posed.actor->instances.size(); ++i) {
        const rig::MeshInstance& in = posed.actor->instances[i];
        m_scratch.clear();
        for (const rig::Bone& b : rig::bonesOf(*posed.actor, in, posed.worlds))
            for (int r = 0; r < 3; ++r) m_scratch.insert(m_scratch.end(), {b.m(r, 0), b.m(r, 1), b.m(r, 2), b.t[r]});
        glBindBuffer(GL_TEXTURE_BUFFER, m_bones);
        glBufferData(GL_TEXTURE_BUFFER, static_cast<GLsizeiptr>(m_scratch.size() * 4), m_scratch.data(), GL_STREAM_DRAW);
        glTexBuffer(GL_TEXTURE_BUFFER, GL_RGBA32F, m_bones);
        const auto& primitives = posed.actor->meshes[static_cast<std::size_t>(in.mesh)].primitives;
        for (std::size_t n = 0; n < primitives.size(); ++n, ++k) {
            Piece& piece = *l.pieces[k];
            Still& still = *l.picture->pieces[k];
            piece.skinned->bind();
            if (rig::bend(*posed.actor, in, primitives[n], posed.weights(i), posed.moved(i, n), m_bent)) {
                const std::vector<float> bent = interleaved(m_bent.positions, m_bent.normals);
                if (!piece.bent.isCreated()) piece.bent.create();
                piece.bent.setUsagePattern(QOpenGLBuffer::StreamDraw);
                piece.bent.bind();
                piece.bent.allocate(bent.data(), static_cast<int>(bent.size() * 4));
            } else {
                still.rest.bind();
            }
            glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 24, nullptr);
            glVertexAttribPointer(1, 3, GL_FLOAT, GL_FALSE, 24, reinterpret_cast<void*>(12));
            glBindBufferBase(GL_TRANSFORM_FEEDBACK_BUFFER, 0, piece.moving.bufferId());
            glBeginTransformFeedback(GL_POINTS);
            glDrawArrays(GL_POINTS, 0, still.size);
            glEndTransformFeedback();
            piece.skinned->release();
        }
    }
    glBindBufferBase(GL_TRANSFORM_FEEDBACK_BUFFER, 0, 0);
    glBindTexture(GL_TEXTURE_BUFFER, 0);
    glDisable(GL_RASTERIZER_DISCARD);
}

void Renderer::drawActor(const Posed& posed, QOpenGLShaderProgram& shader, bool tinted, bool coarse) {
    Loaded& l = loaded(posed);
    for (const bool blended : {false, true}) {
        std::size_t k = 0;
        for (const rig::MeshInstance& in : posed.actor->instances)
            for (const rig::Primitive& p : posed.actor->meshes[static_cast<std::size_t>(in.mesh)].primitives) {
                const Still& still = *l.picture->pieces[k];
                Piece& piece = *l.pieces[k++];
                static const rig::Material kPlain{Vec4f(0.72f, 0.69f, 0.64f, 1), -1, false, true, -1};
                const rig::Material& m = p.material >= 0 ? posed.actor->materials[static_cast<std::size_t>(p.material)] : kPlain;
                if (m.blend != blended) continue;
                if (!tinted) {
                    QOpenGLTexture* image = m.image >= 0 ? l.picture->images[static_cast<std::size_t>(m.image)].get() : nullptr;
                    const bool textured = image && still.textured;
                    QOpenGLShaderProgram& clay = m_plain && !textured && m.alphaCutoff < 0 ? *m_plain : shader;
                    clay.bind();
                    clay.setUniformValue("base", m.colour.x(), m.colour.y(), m.colour.z(), m.colour.w());
                    clay.setUniformValue("blended", m.blend);
                    if (&clay == &shader) {
                        clay.setUniformValue("cutoff", m.alphaCutoff);
                        clay.setUniformValue("textured", textured);
                    }
                    if (textured) image->bind(0);
                    if (m.doubleSided)
                        glDisable(GL_CULL_FACE);
                    else
                        glEnable(GL_CULL_FACE);
                }
                piece.array->bind();
                const bool fewer = coarse && still.coarse > 0;
                glDrawElements(GL_TRIANGLES, fewer ? still.coarse : still.count, GL_UNSIGNED_INT,
                               fewer ? reinterpret_cast<void*>(static_cast<std::size_t>(still.count) * 4) : nullptr);
                piece.array->release();
            }
    }
    glDisable(GL_CULL_FACE);
}

void Renderer::drawQuad() {
    m_quad->bind();
    glDrawArrays(GL_TRIANGLE_STRIP, 0, 4);
    m_quad->release();
}

void Renderer::confine(const QRect& only, int height) {
    if (only.isEmpty()) {
        glDisable(GL_SCISSOR_TEST);
        return;
    }
    glEnable(GL_SCISSOR_TEST);
    glScissor(only.x(), height - only.y() - only.height(), only.width(), only.height());
}

void Renderer::drawShadowMap(const Frame& f) {
    const double reach = 0.95 * f.sceneSize;
    std::vector<double> of{static_cast<double>(f.coarse), f.camera->target.x(), f.camera->target.y(),
                           f.camera->target.z(),          f.sceneSize,          f.shadowFloor};
    for (const Posed* p : f.actors) {
        const Loaded& l = loaded(*p);
        of.push_back(static_cast<double>(l.posed));
        of.push_back(static_cast<double>(reinterpret_cast<std::uintptr_t>(l.picture.get()) % (1u << 30)));
    }
    if (of == m_castOf) return;
    m_castOf = std::move(of);
    glDisable(GL_DEPTH_TEST);
    ShadowMap& map = shadowMap(f);
    map.cast->bind();
    glViewport(0, 0, map.size, map.size);
    glClearColor(0, 0, 0, 0);
    glClear(GL_COLOR_BUFFER_BIT);
    glEnable(GL_BLEND);
    glBlendEquation(GL_MAX);
    m_cast->bind();
    m_cast->setUniformValue("middle", toQt(f.camera->target));
    m_cast->setUniformValue("reach", static_cast<float>(reach));
    m_cast->setUniformValue("floor", static_cast<float>(f.shadowFloor));
    m_cast->setUniformValue("tall", static_cast<float>(0.42 * f.sceneSize));
    m_cast->setUniformValue("least", static_cast<float>(0.004 * f.sceneSize));
    castStill(f, map);
    for (const Posed* p : f.actors)
        if (!loaded(*p).still) drawActor(*p, *m_cast, true, true);
    glBlendEquation(GL_FUNC_ADD);
    glDisable(GL_BLEND);
    m_blur->bind();
    m_blur->setUniformValue("image", 0);
    const int taps = &map == &m_coarse ? 3 : 7;
    std::vector<float> weights;
    float all = 0;
    for (int k = 0; k <= taps; ++k) {
        weights.push_back(std::exp(-2.7f * static_cast<float>(k * k) / static_cast<float>(taps * taps)));
        all += (k == 0 ? 1 : 2) * weights.back();
    }
    for (float& w : weights) w /= all;
    m_blur->setUniformValue("taps", taps);
    m_blur->setUniformValueArray("weights", weights.data(), static_cast<int>(weights.size()), 1);
    for (const bool across : {true, false}) {
        (across ? map.blur : map.cast)->bind();
        glActiveTexture(GL_TEXTURE0);
        glBindTexture(GL_TEXTURE_2D, (across ? map.cast : map.blur)->texture());
        m_blur->setUniformValue("along", across ? QVector2D(1.0f / static_cast<float>(map.size), 0)
                                                : QVector2D(0, 1.0f / static_cast<float>(map.size)));
        drawQuad();
    }
    map.cast->release();
}

void Renderer::castStill(const Frame& f, ShadowMap& map) {
    std::vector<double> of{f.camera->target.x(), f.camera->target.y(), f.camera->target.z(), f.sceneSize, f.shadowFloor};
    for (const Posed* p : f.actors)
        if (loaded(*p).still) of.push_back(static_cast<double>(loaded(*p).posed));
    if (of.size() == 5) return;
    if (of != map.stillOf) {
        map.stillOf = std::move(of);
        map.still->bind();
        glClear(GL_COLOR_BUFFER_BIT);
        for (const Posed* p : f.actors)
            if (loaded(*p).still) drawActor(*p, *m_cast, true, true);
    }
    glBindFramebuffer(GL_READ_FRAMEBUFFER, map.still->handle());
    glBindFramebuffer(GL_DRAW_FRAMEBUFFER, map.cast->handle());
    glBlitFramebuffer(0, 0, map.size, map.size, 0, 0, map.size, map.size, GL_COLOR_BUFFER_BIT, GL_NEAREST);
    map.cast->bind();
}

Renderer::ShadowMap& Renderer::shadowMap(const Frame& f) {
    // A processor that draws fills a quarter of the pixels, with less than half of the taps for each.
    return f.coarse || look::drawsCheaply() ? m_coarse : m_fine;
}

void Renderer::drawGround(const Frame& f, const Mat4& clip) {
    const look::Theme& t = look::theme();
    m_ground->bind();
    m_ground->setUniformValue("clip", toQt(clip));
    m_ground->setUniformValue("middle", toQt(f.camera->target));
    m_ground->setUniformValue("reach", static_cast<float>(9 * std::max(f.sceneSize, 0.4 * f.camera->distance)));
    m_ground->setUniformValue("floor", static_cast<float>(f.floor));
    m_ground->setUniformValue("step", static_cast<float>(gridStep(f.sceneSize)));
    m_ground->setUniformValue("near", rgb(t.stageFloor));
    m_ground->setUniformValue("far", rgb(t.stageTop));
    m_ground->setUniformValue("line", rgb(t.inkSoft));
    drawQuad();
}

void Renderer::drawBackdrop(const Frame& f, const Mat4& clip) {
    const QColor top = look::theme().stageTop;
    glClearColor(top.redF(), top.greenF(), top.blueF(), 1);
    glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
    glEnable(GL_DEPTH_TEST);
    if (f.camera->eye().y() > f.floor) drawGround(f, clip);
}

void Renderer::bindClay(const Frame& f, const Mat4& clip) {
    glEnable(GL_BLEND);
    glBlendFuncSeparate(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA, GL_ONE, GL_ONE_MINUS_SRC_ALPHA);
    const look::Theme& theme = look::theme();
    for (QOpenGLShaderProgram* shader : {m_plain.get(), m_clay.get()}) {
        if (!shader) continue;
        shader->bind();
        shader->setUniformValue("clip", toQt(clip));
        shader->setUniformValue("eye", toQt(f.camera->eye()));
        for (const auto& [name, colour] : {std::pair{"none", theme.bone}, {"some", theme.persimmon}, {"all", theme.brick}})
            shader->setUniformValue(name, linear(colour));
    }
    m_clay->setUniformValue("image", 0);
}

bool Renderer::dress(const Frame& f, const Mat4& clip) {
    const QColor top = look::theme().stageTop;
    std::vector<double> of(clip.data(), clip.data() + clip.size());
    of.insert(of.end(), {static_cast<double>(f.size.width()), static_cast<double>(f.size.height()), f.floor, f.sceneSize,
                         static_cast<double>(f.coarse), static_cast<double>(top.rgba())});
    for (const Posed* p : f.actors)
        if (const Loaded& l = loaded(*p); l.still)
            of.insert(of.end(), {static_cast<double>(l.posed), static_cast<double>(l.tinted)});
    // While the camera goes each frame has a dressing of its own: one that is seen once is not worth keeping.
    const bool again = of == m_dressing.wanted;
    m_dressing.wanted = of;
    if (!again) return false;
    if (of != m_dressing.of) {
        if (!m_dressing.picture || m_dressing.picture->size() != f.size)
            m_dressing.picture = std::make_unique<QOpenGLFramebufferObject>(
                f.size, QOpenGLFramebufferObject::CombinedDepthStencil, GL_TEXTURE_2D, GL_RGBA8);
        m_dressing.of = std::move(of);
        m_dressing.picture->bind();
        confine({}, 0);
        drawBackdrop(f, clip);
        bindClay(f, clip);
        for (const Posed* p : f.actors)
            if (loaded(*p).still) drawActor(*p, *m_clay, false, f.coarse);
        confine(f.only, f.size.height());
    }
    glBindFramebuffer(GL_READ_FRAMEBUFFER, m_dressing.picture->handle());
    glBindFramebuffer(GL_DRAW_FRAMEBUFFER, f.target);
    glBlitFramebuffer(0, 0, f.size.width(), f.size.height(), 0, 0, f.size.width(), f.size.height(),
                      GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT, GL_NEAREST);
    glBindFramebuffer(GL_FRAMEBUFFER, f.target);
    return true;
}

void Renderer::draw(const Frame& f) {
    if (f.pane.isEmpty()) {
        std::set<std::string> ids;
        for (const auto* all : {&f.actors, &f.ghosts})
            for (const Posed* p : *all) ids.insert(p->id);
        keepOnly(ids);
    }
    m_clay->setAttributeValue(4, -1.0f);  // of what is not tinted
    for (const Posed* p : f.actors) {
        Loaded& l = loaded(*p);
        tint(*p, l);
        skin(*p, l);
        // An actor that does not blend may be drawn before the others, whatever stands before it.
        l.still = l.posed == l.drawn && std::none_of(p->actor->materials->begin(), p->actor->materials->end(),
                                                     [](const rig::Material& m) { return m.blend; });
        l.drawn = l.posed;
    }
    drawShadowMap(f);
    glBindFramebuffer(GL_FRAMEBUFFER, f.target);
    const QRect pane = f.pane.isEmpty() ? QRect(QPoint(), f.size) : f.pane;
    glViewport(pane.x(), f.size.height() - pane.y() - pane.height(), pane.width(), pane.height());
    confine(f.pane.isEmpty() ? f.only : f.pane, f.size.height());
    const Mat4 clip = f.camera->projection(static_cast<double>(pane.width()) / std::max(1, pane.height())) * f.camera->view();
    const bool dressed = look::drawsCheaply() && f.pane.isEmpty() && dress(f, clip);
    if (!dressed) drawBackdrop(f, clip);
    glEnable(GL_DEPTH_TEST);
    bindClay(f, clip);
    for (const Posed* p : f.actors)
        if (!dressed || !loaded(*p).still) drawActor(*p, *m_clay, false, f.coarse);

    // Contact shadow: over floor and planks, never over what stands above it.
    if (f.camera->eye().y() > f.shadowFloor) {
        glDepthMask(GL_FALSE);
        m_shadow->bind();
        m_shadow->setUniformValue("clip", toQt(clip));
        m_shadow->setUniformValue("middle", toQt(f.camera->target));
        m_shadow->setUniformValue("reach", static_cast<float>(0.95 * f.sceneSize));
        m_shadow->setUniformValue("floor", static_cast<float>(f.shadowFloor + 0.003 * f.sceneSize));
        m_shadow->setUniformValue("image", 0);
        m_shadow->setUniformValue("ink", rgb(look::theme().shade));
        glActiveTexture(GL_TEXTURE0);
        glBindTexture(GL_TEXTURE_2D, shadowMap(f).cast->texture());
        drawQuad();
        glDepthMask(GL_TRUE);
    }

    if (!f.ghosts.empty()) {
        m_ghost->bind();
        m_ghost->setUniformValue("clip", toQt(clip));
        m_ghost->setUniformValue("eye", toQt(f.camera->eye()));
        // A tie in depth goes to the actor itself: the ghost shows where the two part.
        glEnable(GL_POLYGON_OFFSET_FILL);
        glPolygonOffset(2, 4);
        for (const Posed* p : f.ghosts) {
            skin(*p, loaded(*p));  // which leaves its own program bound
            m_ghost->bind();
            const QColor c = p->ghost.isValid() ? p->ghost : look::theme().plum;
            m_ghost->setUniformValue("tint", c.redF(), c.greenF(), c.blueF(), 0.42f);
            drawActor(*p, *m_ghost, true, f.coarse);
        }
        glDisable(GL_POLYGON_OFFSET_FILL);
    }
    glDisable(GL_DEPTH_TEST);
    confine({}, 0);
    glViewport(0, 0, f.size.width(), f.size.height());
}

void Renderer::drawMarks(const std::vector<Mark>& marks, const Frame& frame, double pixelRatio) {
    m_scratch.clear();
    for (const Mark& m : marks) {
        const Vec3 a(m.a.x() * pixelRatio, m.a.y() * pixelRatio, 0), b(m.b.x() * pixelRatio, m.b.y() * pixelRatio, 0);
        const double half = 0.5 * (b - a).norm(), wide = 0.5 * m.width * pixelRatio;
        const Vec3 u = half > 1e-6 ? Vec3((b - a) / (2 * half)) : Vec3::UnitX(), v(-u.y(), u.x(), 0), middle = 0.5 * (a + b);
        const auto corner = [&](double s, double t) {
            const double along = s * (half + wide + 1), across = t * (wide + 1);
            const Vec3 p = middle + along * u + across * v;
            for (double x :
                 {p.x(), p.y(), static_cast<double>(m.colour.redF()), static_cast<double>(m.colour.greenF()),
                  static_cast<double>(m.colour.blueF()), static_cast<double>(m.colour.alphaF()), along, across, half, wide})
                m_scratch.push_back(static_cast<float>(x));
        };
        for (const auto& [s, t] : {std::pair{-1, -1}, {1, -1}, {1, 1}, {-1, -1}, {1, 1}, {-1, 1}}) corner(s, t);
    }
    if (m_scratch.empty()) return;
    glEnable(GL_BLEND);
    glBlendFuncSeparate(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA, GL_ONE, GL_ONE_MINUS_SRC_ALPHA);
    m_markArray->bind();
    m_markBuffer.bind();
    m_markBuffer.allocate(m_scratch.data(), static_cast<int>(m_scratch.size() * 4));
    const int widths[] = {2, 4, 4};
    std::size_t offset = 0;
    for (unsigned i = 0; i < 3; ++i) {
        glEnableVertexAttribArray(i);
        glVertexAttribPointer(i, widths[i], GL_FLOAT, GL_FALSE, 40, reinterpret_cast<void*>(offset));
        offset += static_cast<std::size_t>(widths[i]) * 4;
    }
    m_marks->bind();
    m_marks->setUniformValue("size", static_cast<float>(frame.size.width()), static_cast<float>(frame.size.height()));
    confine(frame.only, frame.size.height());
    glDrawArrays(GL_TRIANGLES, 0, static_cast<int>(m_scratch.size() / 10));
    confine({}, 0);
    m_markArray->release();
}

}  // namespace nutatio::app
