#include "files/gltf_accessor.h"

#include <cstring>
#include <limits>
#include <nlohmann/json.hpp>

namespace nutatio::files {

namespace {

constexpr std::uint64_t kMostValues = 1ull << 27;

std::size_t componentSize(const Place& p, std::uint64_t type) {
    switch (type) {
        case 5120:
        case 5121:
            return 1;
        case 5122:
        case 5123:
            return 2;
        case 5125:
        case 5126:
            return 4;
        default:
            p.fail("component type " + std::to_string(type) + " is none of glTF's");
    }
}

std::size_t widthOf(const Place& p) {
    const std::string& t = p.text();
    if (t == "SCALAR") return 1;
    if (t == "VEC2") return 2;
    if (t == "VEC3") return 3;
    if (t == "VEC4" || t == "MAT2") return 4;
    if (t == "MAT3") return 9;
    if (t == "MAT4") return 16;
    p.fail("accessor type \"" + t + "\" is none of glTF's");
}

template <class T>
T load(const std::uint8_t* at) {
    T v;
    std::memcpy(&v, at, sizeof v);
    return v;
}

double component(const std::uint8_t* at, std::uint64_t type) {
    switch (type) {
        case 5120:
            return load<std::int8_t>(at);
        case 5121:
            return load<std::uint8_t>(at);
        case 5122:
            return load<std::int16_t>(at);
        case 5123:
            return load<std::uint16_t>(at);
        case 5125:
            return load<std::uint32_t>(at);
        default:
            return static_cast<double>(load<float>(at));
    }
}

double normalised(double v, std::uint64_t type) {
    switch (type) {
        case 5120:
            return std::max(v / 127.0, -1.0);
        case 5121:
            return v / 255.0;
        case 5122:
            return std::max(v / 32767.0, -1.0);
        case 5123:
            return v / 65535.0;
        case 5125:
            return v / 4294967295.0;
        default:
            return v;
    }
}

std::uint64_t countOr0(const Place& p, const char* key) {
    return p.has(key) ? p.at(key).count() : 0;
}

}  // namespace

struct AccessorReader::Layout {
    std::uint64_t type = 0;
    std::size_t size = 0, width = 0, count = 0;
    bool normalise = false;
};

AccessorReader::AccessorReader(const Json& document, const std::vector<std::shared_ptr<const rig::Bytes>>& buffers,
                               Allowance& allowance)
    : m_document(document), m_buffers(buffers), m_allowance(allowance) {}

namespace {
Place listOf(const Json& document, const char* key) {
    static const Json kNone = Json::array();
    return {document.contains(key) ? document[key] : kNone, key};
}
}  // namespace

std::pair<const std::uint8_t*, std::size_t> AccessorReader::view(const Place& reference) const {
    const Place views = listOf(m_document, "bufferViews");
    const Place v = views.at(reference.index(views.size(), "buffer view"));
    const std::size_t buffer = v.at("buffer").index(m_buffers.size(), "buffer");
    const std::uint64_t offset = countOr0(v, "byteOffset"), length = v.at("byteLength").count();
    const std::uint64_t have = m_buffers[buffer]->size();
    if (offset > have || length > have - offset)
        v.fail("the view reaches past the end of its buffer (" + std::to_string(have) + " bytes)");
    return {m_buffers[buffer]->data() + offset, static_cast<std::size_t>(length)};
}

AccessorReader::Layout AccessorReader::layout(const Place& a) const {
    Layout l;
    l.type = a.at("componentType").count();
    l.size = componentSize(a.at("componentType"), l.type);
    l.width = widthOf(a.at("type"));
    const std::uint64_t count = a.at("count").count();
    if (count > kMostValues / l.width)
        a.fail("the accessor claims " + std::to_string(count) + " elements, more than can be real");
    l.count = static_cast<std::size_t>(count);
    l.normalise = a.has("normalized") && a.at("normalized").boolean();
    return l;
}

template <class Put>
void AccessorReader::eachComponent(const Place& a, const Layout& l, Put put) const {
    const std::size_t element = l.size * l.width;
    if (a.has("bufferView")) {
        const Place views = listOf(m_document, "bufferViews");
        const auto [data, have] = view(a.at("bufferView"));
        const Place v = views.at(a.at("bufferView").index(views.size(), "buffer view"));
        const std::uint64_t stride = v.has("byteStride") ? v.at("byteStride").count() : element;
        const std::uint64_t offset = countOr0(a, "byteOffset");
        if (stride < element || stride > 1u << 16)
            v.fail("a stride of " + std::to_string(stride) + " bytes does not fit the accessor");
        if (l.count > 0 && (offset > have || (l.count - 1) * stride + element > have - offset))
            a.fail("the accessor reaches past the end of its buffer view");
        for (std::size_t i = 0; i < l.count; ++i)
            for (std::size_t k = 0; k < l.width; ++k)
                put(i * l.width + k, component(data + offset + i * stride + k * l.size, l.type));
    }
    if (!a.has("sparse")) return;
    const Place s = a.at("sparse");
    const std::uint64_t n = s.at("count").count();
    const Place indices = s.at("indices"), values = s.at("values");
    const std::uint64_t itype = indices.at("componentType").count();
    const std::size_t isize = componentSize(indices, itype);
    const auto [idata, ihave] = view(indices.at("bufferView"));
    const auto [vdata, vhave] = view(values.at("bufferView"));
    const std::uint64_t ioff = countOr0(indices, "byteOffset"), voff = countOr0(values, "byteOffset");
    if (n > l.count || ioff > ihave || voff > vhave || n * isize > ihave - ioff || n * element > vhave - voff)
        s.fail("the sparse part reaches past the end of its data");
    for (std::size_t i = 0; i < n; ++i) {
        const double at = component(idata + ioff + i * isize, itype);
        if (!(at >= 0) || at >= static_cast<double>(l.count)) s.fail("a sparse index lies outside the accessor");
        for (std::size_t k = 0; k < l.width; ++k)
            put(static_cast<std::size_t>(at) * l.width + k, component(vdata + voff + i * element + k * l.size, l.type));
    }
}

AccessorReader::Floats AccessorReader::floats(const Place& reference) const {
    const Place accessors = listOf(m_document, "accessors");
    const Place a = accessors.at(reference.index(accessors.size(), "accessor"));
    const Layout l = layout(a);
    Floats f{l.count, l.width, {}};
    // Bounds are known before memory is taken: a short file cannot ask for a gigabyte.
    if (a.has("bufferView") && l.count > view(a.at("bufferView")).second)
        a.fail("the accessor reaches past the end of its buffer view");
    m_allowance.take(a, l.count * l.width * sizeof(float));
    f.values.assign(l.count * l.width, 0.0f);
    eachComponent(a, l, [&](std::size_t i, double v) {
        f.values[i] = static_cast<float>(l.normalise ? normalised(v, l.type) : v);
        if (!std::isfinite(f.values[i])) a.fail("element " + std::to_string(i / l.width) + " is not a finite number");
    });
    return f;
}

AccessorReader::Floats AccessorReader::floats(const Place& reference, std::size_t width) const {
    Floats f = floats(reference);
    if (f.width != width)
        reference.fail("the accessor has " + std::to_string(f.width) + " numbers an element where " + std::to_string(width) +
                       " are wanted");
    return f;
}

std::vector<std::uint32_t> AccessorReader::integers(const Place& reference, std::size_t width) const {
    const Place accessors = listOf(m_document, "accessors");
    const Place a = accessors.at(reference.index(accessors.size(), "accessor"));
    const Layout l = layout(a);
    if (l.width != width || (l.type != 5121 && l.type != 5123 && l.type != 5125))
        a.fail("unsigned whole numbers, " + std::to_string(width) + " an element, are wanted here");
    if (a.has("bufferView") && l.count > view(a.at("bufferView")).second)
        a.fail("the accessor reaches past the end of its buffer view");
    m_allowance.take(a, l.count * l.width * sizeof(std::uint32_t));
    std::vector<std::uint32_t> out(l.count * l.width, 0u);
    eachComponent(a, l, [&](std::size_t i, double v) { out[i] = static_cast<std::uint32_t>(v); });
    return out;
}

}  // namespace nutatio::files
