// Content keys: results are addressed by what went into them.
#pragma once

#include <compare>
#include <cstdint>
#include <string_view>

namespace nutatio {

/// 128 bits of content hash. Equal content gives equal keys on every machine.
struct Key {
    std::uint64_t a = 0x9e3779b97f4a7c15ull;
    std::uint64_t b = 0xc2b2ae3d27d4eb4full;
    auto operator<=>(const Key&) const = default;
};

/// Folds bytes and numbers into a Key, in order.
class Hasher {
  public:
    Hasher& bytes(const void* data, std::size_t size);
    Hasher& text(std::string_view s) { return number(s.size()).bytes(s.data(), s.size()); }
    Hasher& number(std::uint64_t v);
    Hasher& real(double v);
    Hasher& key(const Key& k) { return number(k.a).number(k.b); }
    Key done() const { return m_key; }

  private:
    Key m_key;
};

}  // namespace nutatio
