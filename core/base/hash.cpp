#include "base/hash.h"

#include <bit>
#include <cstring>

namespace nutatio {

namespace {
// The 64-bit finaliser of splitmix64 (Steele, Lea, Flood: Fast splittable pseudorandom number generators, 2014).
std::uint64_t mix(std::uint64_t x) {
    x ^= x >> 30;
    x *= 0xbf58476d1ce4e5b9ull;
    x ^= x >> 27;
    x *= 0x94d049bb133111ebull;
    return x ^ (x >> 31);
}
}  // namespace

Hasher& Hasher::number(std::uint64_t v) {
    m_key.a = mix(m_key.a ^ v);
    m_key.b = mix(m_key.b + std::rotl(v, 32) + 0x632be59bd9b4e019ull);
    return *this;
}

Hasher& Hasher::real(double v) {
    return number(std::bit_cast<std::uint64_t>(v == 0 ? 0.0 : v));
}

Hasher& Hasher::bytes(const void* data, std::size_t size) {
    const char* p = static_cast<const char*>(data);
    while (size > 0) {
        std::uint64_t word = 0;
        const std::size_t n = size < 8 ? size : 8;
        std::memcpy(&word, p, n);
        number(word);
        p += n;
        size -= n;
    }
    return *this;
}

}  // namespace nutatio
